"""A machinist builds a tray with a relief in it from nothing, without another program, and machines it."""

from pathlib import Path

import pytest
from demo.screenshots import press, until
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from browser.page import calculated, press_at, press_like, text, type_in
from browser.test_faces import files_of, plan_of
from nephos.core.mesh.formats.stl import write_stl
from relief_tools import small_mesh

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]


def pieces(driver) -> dict[str, dict]:
    return {item["name"]: item for item in plan_of(driver)["models"][0]["composition"]["pieces"]}


def choose(driver, label: str, words: str) -> None:
    """Choose from the list beside a label of the inspector."""
    path = f"//*[@aria-label='Inspector']//span[normalize-space()='{label}']/following::button[1]"
    until(driver, lambda d: d.find_elements(By.XPATH, path))
    button = driver.find_element(By.XPATH, path)
    driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", button)
    button.click()
    option = f"//*[@role='option'][normalize-space()='{words}']"
    until(driver, lambda d: d.find_elements(By.XPATH, option))
    press_at(driver, option)


def test_a_tray_with_a_relief_from_nothing_to_the_files(browser, tmp_path: Path) -> None:
    (tmp_path / "bump.stl").write_bytes(write_stl(small_mesh(30)))
    press(browser, "New job")
    type_in(browser, "Name", "Tray")
    press(browser, "Make it")
    until(browser, lambda d: "No model yet" in text(d), 30)
    for label, value in (("Length, X", "90"), ("Width, Y", "70"), ("Thickness, Z", "14")):
        type_in(browser, label, value)
    until(browser, lambda d: plan_of(d)["stock"]["thickness"] == 14, 20)
    press(browser, "+ Relief")
    until(browser, lambda d: "Pieces" in text(d) and "Body" in text(d), 30)
    # A field cut back from an inset curve, with a slanted wall.
    choose(browser, "Add a piece", "offset of a piece")
    until(browser, lambda d: "Offset of a piece" in pieces(d), 20)
    until(browser, lambda d: "Name" in text(d) and "Combine" in text(d))
    type_in(browser, "Offset", "-8")
    type_in(browser, "Height", "4")
    choose(browser, "Shape", "slanted wall")
    type_in(browser, "Wall angle", "65")
    until(browser, lambda d: pieces(d)["Offset of a piece"]["shape"] == {"kind": "slant", "angle": 65.0}, 20)
    assert pieces(browser)["Offset of a piece"]["source"]["distance"] == -8
    # The relief in its bottom.
    inputs = browser.find_elements(By.CSS_SELECTOR, "[aria-label='Inspector'] input[type=file]")
    inputs[0].send_keys(str(tmp_path / "bump.stl"))
    until(browser, lambda d: "bump" in pieces(d), 60)
    type_in(browser, "Width", "30")
    type_in(browser, "Cut off below", "0.4")
    type_in(browser, "Height", "3")
    until(browser, lambda d: pieces(d)["bump"]["height"] == 3, 20)
    # The section says what a cutter leaves.
    press_like(browser, "Section")
    until(browser, lambda d: d.find_elements(By.CSS_SELECTOR, "[aria-label='Place along the section']"), 20)
    chart = browser.find_element(By.CSS_SELECTOR, "[aria-label='Place along the section']")
    before = chart.get_attribute("aria-valuetext")
    chart.send_keys(Keys.ARROW_RIGHT * 8)
    until(browser, lambda d: chart.get_attribute("aria-valuetext") != before)
    press_like(browser, "Cutter fit")
    choose(browser, "Cutter", "10 mm flat, 2 flute")
    until(browser, lambda d: "It leaves up to" in text(d) and "The widest place is" in text(d), 20)
    # Undo and redo of what was entered last.
    browser.find_element(By.TAG_NAME, "body").send_keys(Keys.CONTROL, "z")
    until(browser, lambda d: pieces(d)["bump"]["height"] != 3, 20)
    browser.find_element(By.TAG_NAME, "body").send_keys(Keys.CONTROL, Keys.SHIFT, "z")
    until(browser, lambda d: pieces(d)["bump"]["height"] == 3, 20)
    until(browser, lambda d: d.find_elements(By.CSS_SELECTOR, "[data-testid='row-model'][data-state='ready']"), 60)
    press(browser, "Propose…")
    press_like(browser, "One face")
    until(browser, lambda d: plan_of(d)["setups"][0]["operations"], 60)
    calculated(browser, 240)
    assert "0 stop" in text(browser)
    assert files_of(browser)
