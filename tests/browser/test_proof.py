"""The proof, the comparison, a post that is refused, and a post that is made, in a real browser."""

import struct
import time
from pathlib import Path

import pytest
from demo.screenshots import press, scrub, until
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from browser.page import calculated, click_view, field, grip, press_at, press_like, text, type_in
from nephos.core.post.read import read_program
from nephos.web.jobs import current_plan
from nephos.web.models import Job, Post, RealTime

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]


def clock(driver) -> str:
    return driver.find_element(By.CSS_SELECTOR, "[data-testid='clock']").text


def picture(driver) -> bytes:
    time.sleep(1)
    return driver.find_element(By.TAG_NAME, "canvas").screenshot_as_png


def choose(driver, label: str, words: str) -> None:
    """Choose from a list."""
    driver.find_element(
        By.XPATH, f"//button[contains(@aria-label, '{label}') or .//*[contains(@aria-label, '{label}')]]"
    ).click()
    press(driver, words)


def saved(folder: Path, ending: str) -> Path:
    end = time.monotonic() + 40
    while time.monotonic() < end:
        found = [path for path in folder.iterdir() if path.name.endswith(ending)]
        if found and found[0].stat().st_size:
            return found[0]
        time.sleep(0.2)
    raise AssertionError(f"no {ending} was saved")


def test_the_proof_is_stepped_through_cut_open_looked_at_closely_and_saved(hill_job, tmp_path: Path) -> None:
    driver = hill_job
    calculated(driver)
    press(driver, "Proof")
    until(driver, lambda d: d.find_elements(By.CSS_SELECTOR, "[data-testid='proof-panel']"))
    # By operations and by moves, both ways.
    end = clock(driver)
    press(driver, "Operation before")
    until(driver, lambda d: clock(d) != end)
    before = clock(driver)
    press(driver, "Operation before")
    until(driver, lambda d: clock(d) != before)
    press(driver, "Operation before")
    until(driver, lambda d: clock(d) == "0:00")
    code = driver.find_element(By.CSS_SELECTOR, "[data-testid='code-line']")
    press(driver, "Next operation")
    until(driver, lambda d: clock(d) != "0:00" and code.text.startswith("N"))
    line = code.text
    press(driver, "Move before")
    until(driver, lambda d: code.text.startswith("N") and code.text != line)
    press(driver, "Next move")
    press(driver, "Play")
    now = clock(driver)
    until(driver, lambda d: clock(d) != now)
    press(driver, "Pause")
    scrub(driver, 1.0)
    until(driver, lambda d: clock(d) == end)
    # The waste goes out of the picture; a section opens the block; another look changes it.
    whole = picture(driver)
    until(driver, lambda d: d.find_elements(By.XPATH, "//button[.='Hide waste'][not(@disabled)]"))
    press(driver, "Hide waste")
    alone = picture(driver)
    assert alone != whole
    press(driver, "Hide waste")
    press(driver, "Y")
    slider = driver.find_element(By.CSS_SELECTOR, "[data-testid='view'] input[type=range]")
    slider.send_keys(Keys.HOME)
    slider.send_keys(Keys.PAGE_UP)
    assert picture(driver) != whole and "off" not in driver.find_element(By.CSS_SELECTOR, "[data-testid='view']").text
    press(driver, "X")
    choose(driver, "Look", "brass")
    assert picture(driver) != whole
    # A window at full resolution.
    press(driver, "Close look")
    click_view(driver, 0.5, 0.5)
    until(driver, lambda d: "as it will be" in text(d), 40)
    # Its frame is dragged over another spot, or put there by numbers.
    before = field(driver, "X").get_attribute("value")
    grip(driver, [(0, 0)])
    ActionChains(driver).click_and_hold().move_by_offset(40, 0).move_by_offset(20, 0).release().perform()
    until(driver, lambda d: float(field(d, "X").get_attribute("value")) > float(before) + 2)
    until(driver, lambda d: "as it will be" in text(d), 40)
    type_in(driver, "X", before)
    until(driver, lambda d: "as it will be" in text(d), 40)
    assert field(driver, "X").get_attribute("value") == before
    press(driver, "Close the window")
    # A picture of twice the size, and the block as a mesh.
    press(driver, "Picture")
    data = saved(tmp_path, ".png").read_bytes()
    width, height = struct.unpack(">II", data[16:24])
    box = driver.find_element(By.TAG_NAME, "canvas").rect
    assert data[:4] == b"\x89PNG" and (width, height) == (2 * box["width"], 2 * box["height"])
    press(driver, "STL")
    mesh = saved(tmp_path, "block.stl").read_bytes()
    assert len(mesh) == 84 + 50 * struct.unpack("<I", mesh[80:84])[0]


def test_the_comparison_is_judged_by_chosen_limits_and_its_worst_places_are_flown_to(hill_job) -> None:
    driver = hill_job
    calculated(driver)
    press(driver, "Compare")
    panel = "[data-testid='compare-panel']"
    until(driver, lambda d: "within" in d.find_element(By.CSS_SELECTOR, panel).text)

    def within() -> float:
        lines = driver.find_element(By.CSS_SELECTOR, panel).text.splitlines()
        return float(lines[next(k for k, line in enumerate(lines) if line.startswith("within")) + 1].rstrip(" %"))

    until(driver, lambda d: within() > 0)
    usual = within()
    type_in(driver, "True within", "0.0005")
    until(driver, lambda d: within() < usual)
    type_in(driver, "True within", "2")
    until(driver, lambda d: within() > max(usual, 99))
    press(driver, "By operation")
    until(driver, lambda d: "taken, cm³" in d.find_element(By.CSS_SELECTOR, panel).text)
    press(driver, "Worst")
    far = picture(driver)
    if driver.find_elements(By.XPATH, "//button[@aria-label='Fly to the place 1']"):
        press(driver, "Fly to the place 1")
        assert picture(driver) != far
    press(driver, "Top")
    press(driver, "Probe")
    until(driver, lambda d: "click a point of the block" in text(d))

    def probed(d) -> bool:
        click_view(d, 0.5, 0.5)
        time.sleep(0.3)
        return "cut last by" in d.find_element(By.CSS_SELECTOR, "[data-testid='probed']").text

    until(driver, probed)
    assert "model at Z" in text(driver)
    press(driver, "Go to that moment")
    until(driver, lambda d: d.find_elements(By.CSS_SELECTOR, "[data-mode='proof']"))


def test_a_post_is_refused_on_a_stop_until_somebody_says_why(hill_job, tmp_path: Path) -> None:
    driver = hill_job
    # Nobody presses Calculate here: it follows every change automatically.
    press(driver, "Calculate automatically")
    until(driver, lambda d: d.find_elements(By.CSS_SELECTOR, "[data-testid='operation-30']"))
    press_at(driver, "[data-testid='operation-30'] button")
    type_in(driver, "Tabs", "0")
    until(driver, lambda d: "nothing holds it" in text(d) and "1 stop" in text(d))
    press(driver, "Post files…")
    until(driver, lambda d: "Post anyway…" in text(d))
    assert not driver.find_elements(By.CSS_SELECTOR, "li a[download]")
    press(driver, "Post anyway…")
    field(driver, "Because").send_keys("a vacuum holds it")
    press(driver, "Post at my own risk")
    until(driver, lambda d: "because: a vacuum holds it" in text(d))
    assert current_plan(Job.objects.get())["overrides"][0]["reason"] == "a vacuum holds it"
    press(driver, "Close")
    # The proof shows that it comes free, where and when: a second stop, with which a job is not done.
    until(driver, lambda d: "comes free" in text(d) and "2 stop" in text(d), 90)
    until(driver, lambda d: "a stop keeps the files from being posted" in text(d))
    assert "all is up to date" not in text(driver).replace("not all is up to date", "")
    press_like(driver, "Show")
    until(driver, lambda d: d.find_elements(By.CSS_SELECTOR, "[data-mode='proof'], [data-mode='paths']"))
    press(driver, "Post files…")
    until(driver, lambda d: "Nothing is posted while there is a stop" in text(d))
    press(driver, "Post anyway…")
    field(driver, "Because").send_keys("the vacuum, again")
    press(driver, "Post at my own risk")
    until(driver, lambda d: "because: the vacuum, again" in text(d))
    press(driver, "Close")
    until(driver, lambda d: "all is up to date" in text(d).replace("not all is up to date", ""), 90)
    press(driver, "Post files…")
    until(driver, lambda d: len(d.find_elements(By.CSS_SELECTOR, "li a[download]")) == 3)
    link = driver.find_elements(By.CSS_SELECTOR, "li a[download]")[-1]
    link.click()
    path = saved(tmp_path, f"mound_{link.text}")
    time.sleep(0.5)
    assert "(stop: posted in spite of: " in path.read_text() and len(read_program(path.read_bytes()).rapid)
    # The file is known again, and a changed one is told.
    chooser = driver.find_element(By.CSS_SELECTOR, "section input[type=file]")
    chooser.send_keys(str(path))
    until(driver, lambda d: "of this job as it is now, unchanged" in text(d), 30)
    until(driver, lambda d: "deepest gouge" in d.find_element(By.CSS_SELECTOR, "[data-testid='opened-file']").text, 40)
    press(driver, "Show it in the view")
    until(driver, lambda d: "is shown, not this job" in text(d))
    press(driver, "Back to the job")
    until(driver, lambda d: "is shown, not this job" not in text(d))


def test_a_post_is_made_in_the_application_and_taken_by_a_job(hill_job) -> None:
    driver = hill_job
    job = driver.current_url
    driver.get(job.split("/jobs/")[0] + "/posts")
    until(driver, lambda d: "Add a post" in text(d) and "inch" in text(d))
    press(driver, "Copy RS-274, metric, one file, cutters changed by the machine")
    until(driver, lambda d: "T2 M6" in d.find_element(By.TAG_NAME, "pre").text)
    driver.find_element(By.XPATH, "//label[.='At the start of a file']/following::textarea[1]").send_keys(
        "\nG28 {speed}"
    )
    until(driver, lambda d: "{speed} is not known" in text(d))
    area = driver.find_element(By.XPATH, "//label[.='At the start of a file']/following::textarea[1]")
    area.send_keys(Keys.BACKSPACE * 12)
    until(driver, lambda d: "Verified: the text reads back as planned" in text(d))
    box = field(driver, "Title")
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys("Shed controller")
    type_in(driver, "Decimal places", "2")
    until(
        driver,
        lambda d: (
            "Z-2.13" in d.find_element(By.TAG_NAME, "pre").text or "Z-2.12" in d.find_element(By.TAG_NAME, "pre").text
        ),
    )
    press(driver, "Save")
    until(driver, lambda d: "Shed controller" in text(d) and not d.find_elements(By.TAG_NAME, "pre"))
    assert Post.objects.get().data["decimals"] == 2
    driver.get(job)
    calculated(driver)
    press(driver, "Post files…")
    until(driver, lambda d: len(d.find_elements(By.CSS_SELECTOR, "li a[download]")) == 3)
    choose(driver, "Post", "Shed controller")
    until(driver, lambda d: current_plan(Job.objects.get())["post"] != "rs274-metric")
    press(driver, "Close")
    until(driver, lambda d: "not all is up to date" in text(d))
    calculated(driver)
    press(driver, "Post files…")
    until(driver, lambda d: len(d.find_elements(By.CSS_SELECTOR, "li a[download]")) == 1)


def test_what_a_run_really_took_is_entered_and_the_sheet_is_printed(hill_job) -> None:
    driver = hill_job
    calculated(driver)
    press_at(driver, "footer [aria-label*='where the time goes']")
    until(driver, lambda d: "changing cutters" in text(d))
    field(driver, "Actual time (h:min)").send_keys("soon")
    until(driver, lambda d: "give minutes (95) or hours and minutes" in text(d))
    box = field(driver, "Actual time (h:min)")
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys("0:45")
    press(driver, "Enter this run")
    until(driver, lambda d: "by one run" in text(d))
    assert RealTime.objects.get().real == 2700
    press(driver, "Close")
    driver.get(driver.current_url + "/sheet")
    until(driver, lambda d: "Print, or save as PDF" in text(d) and "front left corner" in text(d))
    shown = text(driver)
    for words in ("Before the start", "Cutters", "Operations", "at this machine ≈ 45:00", "zero touched off"):
        assert words in shown
    assert driver.find_elements(By.CSS_SELECTOR, "main img") and len(driver.find_elements(By.CSS_SELECTOR, ".box")) >= 9
