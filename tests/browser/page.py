"""How the tests use the page: type, press, drop, read."""

from pathlib import Path

from demo.screenshots import until
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys


def text(driver) -> str:
    return driver.find_element(By.TAG_NAME, "body").text


def field(driver, label: str):
    path = f"//label[normalize-space()='{label}']/following::input[1]"
    until(driver, lambda d: d.find_elements(By.XPATH, path), 20)
    return driver.find_element(By.XPATH, path)


def type_in(driver, label: str, value: str) -> None:
    box = field(driver, label)
    box.send_keys(Keys.CONTROL, "a")
    # In a dialog Enter presses its main button.
    in_dialog = box.find_elements(By.XPATH, "ancestor::*[@role='dialog']")
    box.send_keys(value, Keys.TAB if in_dialog else Keys.ENTER)


def bring_in(driver, path: Path) -> None:
    until(driver, lambda d: d.find_elements(By.CSS_SELECTOR, "input[type=file]"))
    driver.find_element(By.CSS_SELECTOR, "input[type=file]").send_keys(str(path))


def drop(driver, selector: str, path: Path) -> None:
    """Drop a file on the element that `selector` finds, as a hand would."""
    until(driver, lambda d: d.find_elements(By.CSS_SELECTOR, selector))
    box = driver.find_element(By.CSS_SELECTOR, selector).rect
    load = {"items": [], "files": [str(path)], "dragOperationsMask": 1}
    for kind in ("dragEnter", "dragOver", "drop"):
        driver.execute_cdp_cmd(
            "Input.dispatchDragEvent", {"type": kind, "x": box["x"] + 40, "y": box["y"] + 120, "data": load}
        )


_CLICK = """
const [x, y] = arguments;
const canvas = document.querySelector('canvas');
const box = canvas.getBoundingClientRect();
for (const kind of ['pointerdown', 'pointerup']) canvas.dispatchEvent(new PointerEvent(kind, {
  bubbles: true, button: 0, pointerId: 1, clientX: box.left + x * box.width, clientY: box.top + y * box.height}));
"""


def click_view(driver, x: float, y: float) -> None:
    """Click in the view, at shares of its width and height."""
    driver.execute_script(_CLICK, x, y)


def press_at(driver, selector: str, which: int = 0) -> None:
    """Press one of what a CSS selector, or an XPath, finds, once it is there; again where the page was just redrawn."""
    by = By.XPATH if selector.startswith("/") else By.CSS_SELECTOR

    def pressed(d) -> bool:
        [item for item in d.find_elements(by, selector) if item.is_displayed()][which].click()
        return True

    until(driver, pressed)


def press_like(driver, words: str) -> None:
    """Press the last button that begins with `words`."""
    press_at(driver, f"//button[starts-with(normalize-space(), '{words}')]", -1)


def calculated(driver, timeout: float = 120) -> None:
    """Wait until all is worked out, automatically after a change or by the button where it can be pressed."""

    def done(d) -> bool:
        if "all is up to date" in text(d).replace("not all is up to date", ""):
            return True
        for item in d.find_elements(By.XPATH, "//button[normalize-space()='Calculate'][not(@disabled)]"):
            item.click()
        return False

    until(driver, done, timeout)


_FIND_GRIP = """
const canvas = document.querySelector('canvas');
const box = canvas.getBoundingClientRect();
for (const [x, y] of arguments[0]) {
  canvas.dispatchEvent(new PointerEvent('pointermove', {bubbles: true, pointerId: 1, pointerType: 'mouse',
    clientX: box.left + box.width / 2 + x, clientY: box.top + box.height / 2 + y}));
  if (canvas.style.cursor === 'grab') return [x, y];
}
return null;
"""


def grip(driver, places) -> None:
    """Put the pointer on the first of these places (from the middle of the view) where something can be gripped."""
    canvas = driver.find_element(By.TAG_NAME, "canvas")

    def on_grip(d) -> bool:
        place = d.execute_script(_FIND_GRIP, list(places))
        if place is None:
            return False
        ActionChains(d).move_to_element_with_offset(canvas, *place).perform()
        return d.execute_script("return arguments[0].style.cursor", canvas) == "grab"

    until(driver, on_grip)
