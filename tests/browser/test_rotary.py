"""A machinist cuts a figure on a bar: from the upload to the program with A words."""

from pathlib import Path

import pytest
from demo.screenshots import press, until

from browser.page import calculated, press_at, press_like, text
from browser.test_faces import files_of, open_egg, plan_of

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]


def test_a_bar_from_the_upload_to_the_program(browser, tmp_path: Path) -> None:
    open_egg(browser, tmp_path, (16, 8, 8), 10)
    press(browser, "Propose…")
    press_like(browser, "Rotary")
    until(browser, lambda d: plan_of(d)["setups"][0]["kind"] == "rotary", 60)
    press_at(browser, "[data-testid^=setup-] button")
    until(browser, lambda d: "Chuck" in text(d) and "Tailstock" in text(d))
    calculated(browser, 240)
    press(browser, "Proof")
    press(browser, "Unrolled")
    press(browser, "Round")
    assert files_of(browser)
    program = browser.execute_async_script(
        "const done = arguments[0]; fetch('/api' + location.pathname).then((r) => r.json()).then((job) => {"
        " const s = job.derived.setups[0]; return fetch('/api' + location.pathname + '/program/' + s.id + '/'"
        " + s.programs[0].name); }).then((r) => r.text()).then(done)"
    )
    assert "G93" in program and " A" in program
