"""Boundaries edited on the sheet and in the view, tabs by mouse and keyboard, numbers that follow every keystroke."""

from pathlib import Path

import numpy as np
import pytest
from demo.screenshots import press, until
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from browser.page import click_view, field, grip, press_at, press_like, text, type_in
from nephos.web.jobs import current_plan
from nephos.web.models import Cutter, Job

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]


def plan() -> dict:
    return current_plan(Job.objects.get())


def choose_operation(driver, number: int) -> None:
    until(driver, lambda d: d.find_elements(By.CSS_SELECTOR, f"[data-testid='operation-{number}']"))
    press_at(driver, f"[data-testid='operation-{number}'] button")


def test_tabs_are_moved_added_and_taken_out_by_keyboard_and_mouse(hill_job) -> None:
    driver = hill_job
    choose_operation(driver, 30)
    press_like(driver, "Tabs one by one")
    until(driver, lambda d: len(d.find_elements(By.CSS_SELECTOR, "[data-testid='tab']")) == 4, 30)
    first = field(driver, "Tab 1")
    before = float(first.get_attribute("value"))
    first.send_keys(Keys.ARROW_UP, Keys.ARROW_UP, Keys.ENTER)
    until(driver, lambda d: "rev 2 · saved" in text(d))
    places = plan()["setups"][0]["operations"][2]["settings"]["tab_places"]
    assert len(places) == 4 and places[0][1] * 96 == pytest.approx(before + 2, abs=0.05), (
        "two millimetres along an outline of 96"
    )
    press(driver, "+ Add a tab")
    until(
        driver,
        lambda d: "rev 3 · saved" in text(d) and len(d.find_elements(By.CSS_SELECTOR, "[data-testid='tab']")) == 5,
    )
    press(driver, "Take out tab 2")
    until(
        driver,
        lambda d: "rev 4 · saved" in text(d) and len(d.find_elements(By.CSS_SELECTOR, "[data-testid='tab']")) == 4,
    )

    # In the view, from above: the outline is the square of the model; a tab is gripped on it and drawn along it.
    kept = plan()["setups"][0]["operations"][2]["settings"]["tab_places"]
    press(driver, "Place")
    press(driver, "Top")
    driver.execute_script("window.getSelection().removeAllRanges()")
    box = driver.find_element(By.TAG_NAME, "canvas").rect
    half = min(box["width"], box["height"]) * 0.5
    ring = [
        (int(share * half * np.sign(sx or 1)), int(along))
        for share in np.arange(0.3, 0.75, 0.02)
        for sx in (1,)
        for along in range(-120, 121, 12)
    ]
    grip(driver, ring)
    ActionChains(driver).click_and_hold().move_by_offset(0, -12).move_by_offset(0, -12).release().perform()
    until(driver, lambda d: "rev 5 · saved" in text(d))
    after = plan()["setups"][0]["operations"][2]["settings"]["tab_places"]
    changed = [k for k, (old, new) in enumerate(zip(sorted(kept), sorted(after), strict=True)) if old != new]
    assert len(after) == 4 and len(changed) == 1
    press(driver, "Place automatically")
    until(driver, lambda d: plan()["setups"][0]["operations"][2]["settings"]["tab_places"] == [])


def test_a_boundary_is_drawn_bent_brought_in_and_used(hill_job, tmp_path: Path) -> None:
    driver = hill_job
    press(driver, "+ Boundary")
    until(driver, lambda d: "Boundary 1" in text(d) and "loop" in text(d), 30)
    press_like(driver, "outline of models")
    press(driver, "drawn or imported")
    until(driver, lambda d: "add a curve or import a file" in text(d), 30)
    press(driver, "+ Smooth curve")
    until(driver, lambda d: d.find_elements(By.CSS_SELECTOR, "[data-testid='curve']") and "1 loop" in text(d), 30)
    press(driver, "+ Point")
    until(driver, lambda d: len(plan()["boundaries"][0]["curves"][0]["points"]) == 5)
    type_in(driver, "1 X", "40")
    until(driver, lambda d: "rev 6 · saved" in text(d) and plan()["boundaries"][0]["curves"][0]["points"][0][0] == 40)
    drawing = tmp_path / "plate.svg"
    drawing.write_bytes(
        b'<svg xmlns="http://www.w3.org/2000/svg" width="9mm" height="9mm" viewBox="0 0 9 9">'
        b'<rect x="1" y="1" width="6" height="5"/></svg>'
    )
    driver.find_element(By.CSS_SELECTOR, "input[type=file][accept='.svg,.dxf']").send_keys(str(drawing))
    until(driver, lambda d: len(plan()["boundaries"][0]["curves"]) == 2)
    until(driver, lambda d: "1 curve imported" in text(d))
    assert np.ptp(np.array(plan()["boundaries"][0]["curves"][1]["points"]), axis=0) == pytest.approx([6, 5])
    choose_operation(driver, 20)
    press_like(driver, "Kept out of")
    toggle = "//*[@aria-label='Inspector']//button[normalize-space()='Boundary 1']"
    until(driver, lambda d: d.find_elements(By.XPATH, toggle))
    press_at(driver, toggle)
    until(driver, lambda d: plan()["setups"][0]["operations"][1]["boundary"]["without"] == ["b1"])


def test_a_boundary_is_drawn_by_clicks_and_closed_by_a_key(hill_job) -> None:
    driver = hill_job
    press(driver, "+ Boundary")
    press_like(driver, "outline of models")
    press(driver, "drawn or imported")
    press(driver, "Top")
    press(driver, "Draw")
    until(driver, lambda d: "Click point after point" in text(d))
    for x, y in ((0.35, 0.4), (0.65, 0.4), (0.65, 0.6), (0.2, 0.2)):
        click_view(driver, x, y)
    body = driver.find_element(By.TAG_NAME, "body")
    body.send_keys(Keys.BACKSPACE)
    body.send_keys(Keys.ENTER)
    until(driver, lambda d: plan()["boundaries"][0].get("curves") and "1 loop" in text(d), 30)
    points = np.array(plan()["boundaries"][0]["curves"][0]["points"])
    assert len(points) == 3
    # The first two clicks lie beside each other in the view, the third in front of the second.
    assert points[0, 1] == pytest.approx(points[1, 1], abs=1) and points[2, 0] == pytest.approx(points[1, 0], abs=1)
    assert points[1, 0] - points[0, 0] > 5 and points[1, 1] - points[2, 1] > 2
    body.send_keys(Keys.CONTROL, "z")
    until(driver, lambda d: not plan()["boundaries"][0].get("curves"))


def test_numbers_follow_every_keystroke_and_feeds_are_proposed(hill_job) -> None:
    driver = hill_job
    choose_operation(driver, 20)
    until(driver, lambda d: "scallop" in text(d))
    box = field(driver, "Stepover")
    seen = []
    for typed in ("0.2", "0.4"):
        box.send_keys(Keys.CONTROL, "a")
        box.send_keys(typed)
        until(driver, lambda d, t=typed: {"0.2": "0.005", "0.4": "0.02"}[t] in text(d))
        seen.append(driver.find_element(By.XPATH, "//dt[starts-with(., 'time')]/following-sibling::dd").text)
    assert seen[0] != seen[1] and Job.objects.get().revision == 1, "nothing is kept yet"
    box.send_keys(Keys.ESCAPE)
    press_like(driver, "Feed and speed")
    until(driver, lambda d: "a tooth" in text(d))
    press(driver, "Take the proposed feeds")
    until(driver, lambda d: "Feed •" in text(d) and plan()["setups"][0]["operations"][1]["feed"] is not None)
    press(driver, "As the cutter says")
    until(driver, lambda d: plan()["setups"][0]["operations"][1]["feed"] is None)


def test_a_table_of_cutters_asks_where_numbers_are_taken(browser, tmp_path: Path) -> None:
    press(browser, "Cutters")
    until(browser, lambda d: "10 mm flat" in text(d))
    path = tmp_path / "more.csv"
    path.write_text(
        "number,name,shape,diameter,flute_length,shank_diameter,overall_length,flutes,feed,plunge_feed,spindle\n"
        "2,borrowed,flat,5,15,5,50,2,1500,500,18000\n"
    )
    browser.find_element(By.CSS_SELECTOR, "input[type=file]").send_keys(str(path))
    until(browser, lambda d: "Number 2 is in your list already" in text(d))
    press(browser, "Give new numbers")
    until(browser, lambda d: "1 cutters imported" in text(d))
    assert Cutter.objects.get(number=12).data["name"] == "borrowed"
