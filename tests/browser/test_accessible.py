"""Every main view by the rules of WCAG 2 A and AA, as axe-core checks them: no violation."""

from pathlib import Path

import pytest
from demo.screenshots import press, until
from selenium.webdriver.common.by import By

from browser.page import calculated, press_at, text

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]

AXE = Path(__file__).parents[2] / "frontend" / "node_modules" / "axe-core" / "axe.min.js"
RUN = """
const done = arguments[arguments.length - 1];
axe.run(document, { runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa"] }).then((found) =>
  done(found.violations.map((one) => `${one.id}: ${one.nodes.map((node) => node.html.slice(0, 160)).join(" | ")}`)));
"""


def violations(driver) -> list[str]:
    driver.execute_script(AXE.read_text())
    return driver.execute_async_script(RUN)


def test_pages_are_accessible(browser) -> None:
    base = browser.current_url.rstrip("/")
    found = {}
    for page in ("/", "/cutters", "/shelf", "/machines", "/help/rotary", "/help/strategies", "/posts"):
        browser.get(base + page)
        until(browser, lambda d: d.find_elements(By.TAG_NAME, "header"))
        if page.startswith("/help"):
            until(browser, lambda d: d.find_elements(By.TAG_NAME, "article"))
        found[page] = violations(browser)
    press(browser, "Add a post")
    until(browser, lambda d: "What it writes" in text(d))
    found["a post"] = violations(browser)
    assert not any(found.values()), found


def test_the_workspace_is_accessible(hill_job) -> None:
    driver, found = hill_job, {}
    for mode in ("Place", "Paths", "Proof", "Compare"):
        press(driver, mode)
        found[mode] = violations(driver)
    calculated(driver)
    for mode in ("Paths", "Proof", "Compare"):
        press(driver, mode)
        found[f"{mode}, calculated"] = violations(driver)
    for row in ("row-model", "operation-10", "operation-20"):
        press_at(driver, f"[data-testid='{row}'] button")
        found[row] = violations(driver)
    press(driver, "Post files…")
    until(driver, lambda d: "All files as a zip" in text(d))
    found["post files"] = violations(driver)
    driver.get(driver.current_url + "/sheet")
    until(driver, lambda d: "Before the start" in text(d))
    found["sheet"] = violations(driver)
    assert not any(found.values()), found
