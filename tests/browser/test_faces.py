"""A machinist cuts a dish from two faces: from the upload to the files, dragging the parting and a tab."""

import io
import zipfile
from pathlib import Path

import pytest
from demo.screenshots import press, until
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By

from browser.page import bring_in, calculated, grip, press_at, press_like, text, type_in
from meshes import ellipsoid
from nephos.core.mesh.formats.stl import write_stl

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]


def open_egg(browser, folder: Path, half: tuple[float, float, float], rings: int) -> None:
    egg = folder / "egg.stl"
    egg.write_bytes(write_stl(ellipsoid(half, rings)))
    bring_in(browser, egg)
    until(browser, lambda d: "Setup A" in text(d), 60)


def plan_of(driver) -> dict:
    return driver.execute_async_script(
        "const done = arguments[0]; fetch('/api' + location.pathname).then((r) => r.json()).then((job) => "
        "done(job.plan))"
    )


def files_of(driver) -> list[str]:
    found = driver.execute_async_script(
        "const done = arguments[0]; fetch('/api' + location.pathname + '/programs.zip').then((r) => r.arrayBuffer())"
        ".then((b) => done([...new Uint8Array(b)]))"
    )
    return zipfile.ZipFile(io.BytesIO(bytes(found))).namelist()


def test_two_faces_from_the_upload_to_the_files(browser, tmp_path: Path) -> None:
    open_egg(browser, tmp_path, (20, 12, 6), 16)
    press(browser, "Propose…")
    press_like(browser, "Two faces")
    until(browser, lambda d: d.find_elements(By.CSS_SELECTOR, "[data-testid=turn-b]"), 60)
    assert "half a turn about X" in text(browser)
    press_at(browser, "[data-testid=turn-b] button")
    until(browser, lambda d: "Parting height" in text(d))
    press(browser, "Place")
    # The grip of the parting stands at the right front corner of the stock; the tabs on the outline.
    before = plan_of(browser)["faces"]
    press(browser, "Front")
    near = [(x, y) for x in range(120, 330, 6) for y in range(-36, 48, 6)]
    grip(browser, near)
    ActionChains(browser).click_and_hold().move_by_offset(0, -14).release().perform()
    until(browser, lambda d: plan_of(d)["faces"]["parting"] != before["parting"], 20)
    dragged = plan_of(browser)["faces"]
    assert dragged["parting"] > before["parting"]
    type_in(browser, "Parting height", str(before["parting"]))
    until(browser, lambda d: plan_of(d)["faces"]["parting"] == before["parting"], 20)
    press(browser, "Top")
    grip(browser, [(x, y) for y in range(-200, 60, 16) for x in range(-220, 220, 20)])
    ActionChains(browser).click_and_hold().move_by_offset(24, 6).release().perform()
    until(browser, lambda d: plan_of(d)["faces"]["tabs"] != before["tabs"], 20)
    pairs = list(zip(before["tabs"], plan_of(browser)["faces"]["tabs"], strict=True))
    moved = [(old, new) for old, new in pairs if old != new]
    assert len(moved) == 1, "one tab is dragged, the others stay"
    assert moved[0][0]["at"][:2] != moved[0][1]["at"][:2] and moved[0][0]["thickness"] == moved[0][1]["thickness"]
    calculated(browser, 240)
    press(browser, "Proof")
    press(browser, "After all setups")
    press(browser, "Compare")
    until(browser, lambda d: d.find_elements(By.CSS_SELECTOR, "[data-testid=whole-panel]"))
    names = files_of(browser)
    assert {name.split("_")[1][0] for name in names} == {"A", "B"}
    browser.get(browser.current_url + "/sheet")
    until(browser, lambda d: "Turn over" in text(d) and "Setup B" in text(d))


def test_a_setup_is_added_and_taken_out_by_keyboard_and_button(browser, tmp_path: Path) -> None:
    open_egg(browser, tmp_path, (20, 12, 6), 12)
    press(browser, "+ Setup")
    press(browser, "Add the setup")
    until(browser, lambda d: d.find_elements(By.CSS_SELECTOR, "[data-testid=setup-b]"))
    press_at(browser, "[data-testid=setup-b] button")
    until(browser, lambda d: "Side up" in text(d))
    press(browser, "Delete")
    until(browser, lambda d: not d.find_elements(By.CSS_SELECTOR, "[data-testid=setup-b]"))
    press(browser, "Undo")
    until(browser, lambda d: d.find_elements(By.CSS_SELECTOR, "[data-testid=setup-b]"))
