"""Pictures of each main view at 1280x800 from the sample shop: `./nephos screenshots` while Nephos runs."""

import sys
import time
from collections.abc import Callable
from pathlib import Path

from selenium import webdriver
from selenium.common.exceptions import TimeoutException
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import WebDriverWait

WORDS = (
    "--headless=new",
    "--no-sandbox",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    "--ignore-gpu-blocklist",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-dev-shm-usage",
    "--hide-scrollbars",
    "--window-size=1280,800",
)

POLL = 0.15
"""Seconds between two looks at the page while something is waited for."""


def chromium(*more: str) -> webdriver.Chrome:
    """Headless Chromium from Debian's packages with software WebGL, with `more` arguments."""
    options = Options()
    options.binary_location = "/usr/bin/chromium"
    for word in (*WORDS, *more):
        options.add_argument(word)
    driver = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
    driver.execute_cdp_cmd(
        "Emulation.setDeviceMetricsOverride", {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False}
    )
    return driver


def press(driver: webdriver.Chrome, words: str, timeout: float = 20) -> None:
    """Press the button, tab or link that reads `words`, or is labelled so, once it can be pressed."""
    path = (
        "//*[self::button or self::a or @role='radio' or @role='option']"
        f'[normalize-space()="{words}" or @aria-label="{words}"][not(@disabled)]'
    )

    def pressed(d: webdriver.Chrome) -> bool:
        for item in d.find_elements(By.XPATH, path):
            if item.is_displayed():
                item.click()
                return True
        return False

    WebDriverWait(driver, timeout, POLL, ignored_exceptions=[Exception]).until(pressed)


def until(driver: webdriver.Chrome, test: Callable[[webdriver.Chrome], object], timeout: float = 60) -> None:
    """Wait until `test` holds; what the page shows is told where it never does."""
    try:
        WebDriverWait(driver, timeout, POLL, ignored_exceptions=[Exception]).until(test)
    except TimeoutException:
        log = [entry["message"] for entry in driver.get_log("browser")]
        raise AssertionError(
            f"the page at {driver.current_url} shows: {driver.find_element(By.TAG_NAME, 'body').text} {log}"
        ) from None


def shoot(driver: webdriver.Chrome, path: Path, wait: float = 2.5) -> None:
    """Save a picture once the view has settled."""
    time.sleep(wait)
    driver.save_screenshot(str(path))


_SCRUB = """
const [slider, share] = arguments;
const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set;
set.call(slider, Number(slider.max) * share);
for (const kind of ['input', 'change']) slider.dispatchEvent(new Event(kind, {bubbles: true}));
"""


def until_current(driver: webdriver.Chrome) -> None:
    """Calculate what is not up to date, as after an update of Nephos, and wait until it is done."""
    if "not all is up to date" in driver.find_element(By.TAG_NAME, "body").text:
        press(driver, "Calculate")
    until(driver, lambda d: "all is up to date" in d.find_element(By.TAG_NAME, "body").text.replace("not all", ""), 240)


def scrub(driver: webdriver.Chrome, share: float) -> None:
    """Drag the run strip to a share of the machining time."""
    until(driver, lambda d: d.find_elements(By.CSS_SELECTOR, "footer input[type=range]"))
    driver.execute_script(_SCRUB, driver.find_element(By.CSS_SELECTOR, "footer input[type=range]"), share)


def shoot_faces(driver: webdriver.Chrome, address: str, folder: Path) -> None:
    """The jobs of two and of four faces, on a bar and in tiles."""
    for job, row, name in (
        ("Bulrush finial", "setup-bar", "rotary"),
        ("Fen chart", "setup-a", "tiles"),
        ("Lily leaf dish", "turn-b", "faces"),
        ("Dragonfly", "setup-b", "four"),
    ):
        driver.get(address)
        press(driver, job)
        chosen = f"[data-testid='{row}'] button"
        until(driver, lambda d, chosen=chosen: d.find_elements(By.CSS_SELECTOR, chosen))
        until_current(driver)
        driver.find_element(By.CSS_SELECTOR, chosen).click()
        shoot(driver, folder / f"workspace-{name}.png", 5)
    press(driver, "Proof")
    press(driver, "After all setups")
    shoot(driver, folder / "workspace-whole.png", 6)


def shoot_relief(driver: webdriver.Chrome, address: str, folder: Path) -> None:
    """The moth roundel with the section through its field."""
    driver.get(address)
    press(driver, "Moth roundel")
    row = "[data-testid='row-model'][data-state='ready'] button"
    until(driver, lambda d: d.find_elements(By.CSS_SELECTOR, row))
    until_current(driver)
    driver.find_element(By.CSS_SELECTOR, row).click()
    press(driver, "Field")
    title = "//button[starts-with(normalize-space(), 'Section')]"
    until(driver, lambda d: d.find_elements(By.XPATH, title))
    section = driver.find_element(By.XPATH, title)
    section.click()
    chart = "[aria-label='Place along the section']"
    until(driver, lambda d: d.find_elements(By.CSS_SELECTOR, chart))
    driver.find_element(By.XPATH, title.replace("Section", "Cutter fit")).click()
    cutter = "//*[@aria-label='Inspector']//span[.='Cutter']/following::button[1]"
    driver.find_element(By.XPATH, cutter).click()
    press(driver, "6 mm ball, 2 flute")
    fit = driver.find_element(By.XPATH, title.replace("Section", "Cutter fit"))
    driver.execute_script("arguments[0].scrollIntoView({block: 'start'})", fit)
    shoot(driver, folder / "workspace-relief.png", 5)


def main() -> int:
    """Take all pictures."""
    address = sys.argv[1] if len(sys.argv) > 1 else "http://localhost:8460"
    folder = Path(sys.argv[2]) if len(sys.argv) > 2 else Path("docs/screenshots")
    folder.mkdir(parents=True, exist_ok=True)
    driver = chromium()
    try:
        driver.get(address)
        until(driver, lambda d: d.find_elements(By.TAG_NAME, "article"))
        shoot(driver, folder / "jobs.png", 1)
        press(driver, "Cutters")
        until(driver, lambda d: d.find_elements(By.CSS_SELECTOR, "td"))
        shoot(driver, folder / "cutters.png", 1)
        press(driver, "Shelf")
        until(driver, lambda d: len(d.find_elements(By.CSS_SELECTOR, "td")) > 40)
        shoot(driver, folder / "shelf.png", 1)
        press(driver, "Jobs")
        press(driver, "Heron plaque")
        until(driver, lambda d: d.find_elements(By.CSS_SELECTOR, "[data-ready]"))
        until_current(driver)
        until(driver, lambda d: d.find_elements(By.CSS_SELECTOR, "[data-ready='true']"), 90)
        driver.find_element(By.CSS_SELECTOR, "[data-testid='row-model'] button").click()
        shoot(driver, folder / "workspace-place.png", 5)
        driver.find_element(By.CSS_SELECTOR, "[data-testid='operation-30'] button").click()
        press(driver, "Paths")
        scrub(driver, 0.62)
        shoot(driver, folder / "workspace-paths.png", 6)
        scrub(driver, 1.0)
        driver.find_element(By.CSS_SELECTOR, "[data-testid='operation-50'] button").click()
        press(driver, "Place")
        shoot(driver, folder / "workspace-tabs.png", 3)
        press(driver, "Proof")
        shoot(driver, folder / "workspace-proof.png", 6)
        press(driver, "Compare")
        shoot(driver, folder / "workspace-compare.png", 6)
        press(driver, "Proof")
        until(driver, lambda d: d.find_elements(By.XPATH, "//button[.='Hide waste'][not(@disabled)]"))
        press(driver, "Hide waste")
        driver.find_element(By.XPATH, "//*[@data-testid='proof-panel']//button").click()
        press(driver, "plaster")
        press(driver, "Y")
        slider = driver.find_element(By.CSS_SELECTOR, "[data-testid='view'] input[type=range]")
        driver.execute_script(_SCRUB, slider, 0.42)
        shoot(driver, folder / "workspace-section.png", 4)
        driver.get(f"{driver.current_url}/sheet")
        until(driver, lambda d: d.find_elements(By.CSS_SELECTOR, "main img"))
        shoot(driver, folder / "sheet.png", 1)
        shoot_faces(driver, address, folder)
        shoot_relief(driver, address, folder)
        driver.get(f"{address}/posts")
        press(driver, "Copy RS-274, metric, one file, cutters changed by the machine")
        until(driver, lambda d: "M30" in d.find_element(By.TAG_NAME, "pre").text)
        shoot(driver, folder / "posts.png", 1)
        driver.get(f"{address}/help/findings#not-cut")
        until(driver, lambda d: d.find_elements(By.CSS_SELECTOR, "[data-here]"))
        shoot(driver, folder / "help.png", 1)
        driver.get(f"{address}/machines")
        until(driver, lambda d: "Rotary router" in d.page_source)
        shoot(driver, folder / "machines.png", 1)
        for entry in driver.get_log("browser"):
            if entry["level"] == "SEVERE":
                print(entry["message"], file=sys.stderr)
    finally:
        driver.quit()
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
