"""The whole story in a real browser: from an upload to a program that was proved."""

import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from demo.screenshots import chromium, press, scrub, until
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from nephos.command.sample import sample_cutters
from nephos.command.warm import small_hill
from nephos.core.mesh.stl import write_stl
from nephos.core.post.read import read_program
from nephos.web.models import Calculation, Cutter

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]


def start_worker() -> "subprocess.Popen[bytes]":
    from django.db import connection

    name = str(connection.settings_dict["NAME"])
    return subprocess.Popen([sys.executable, "-m", "nephos.command.worker"], env={**os.environ, "NEPHOS_DATABASE": name},
                            stdin=subprocess.DEVNULL)


@pytest.fixture()
def worker(transactional_db) -> Iterator[list]:
    workers = [start_worker()]
    yield workers
    for process in workers:
        process.terminate()
    for process in workers:
        try:
            process.wait(8)
        except subprocess.TimeoutExpired:
            process.kill()


@pytest.fixture()
def browser(live_server, worker, tmp_path: Path):
    for cutter in sample_cutters():
        Cutter.objects.create(number=cutter.number, data=cutter.model_dump())
    driver = chromium(tmp_path)
    driver.get(live_server.url)
    yield driver
    driver.quit()


def text(driver) -> str:
    return driver.find_element(By.TAG_NAME, "body").text


def field(driver, label: str):
    return driver.find_element(By.XPATH, f"//label[normalize-space()='{label}']/following::input[1]")


def type_in(driver, label: str, value: str) -> None:
    box = field(driver, label)
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys(value, Keys.ENTER)


def bring_in(driver, path: Path) -> None:
    until(driver, lambda d: d.find_elements(By.CSS_SELECTOR, "input[type=file]"))
    driver.find_element(By.CSS_SELECTOR, "input[type=file]").send_keys(str(path))


def test_from_upload_to_program(browser, tmp_path: Path) -> None:
    path = tmp_path / "fen mound.stl"
    path.write_bytes(write_stl(small_hill(cells=90)))
    bring_in(browser, path)
    until(browser, lambda d: "/jobs/" in d.current_url and "Size X" not in text(d))
    until(browser, lambda d: "Rough, rings" in text(d) and "Finish, lines" in text(d))
    assert browser.find_elements(By.CSS_SELECTOR, "[data-mode='place']")

    # Stock, with arithmetic and with what is no number: the sentence stands beside the field.
    type_in(browser, "Length, X", "2*30")
    until(browser, lambda d: "rev 2" in text(d) and "/ 60" in text(d))
    type_in(browser, "Thickness, Z", "abc")
    until(browser, lambda d: "that is no number: give more than 0" in text(d))
    type_in(browser, "Thickness, Z", "3")
    until(browser, lambda d: "the model reaches" in text(d) and "1 stop" in text(d))
    press(browser, "Undo")
    until(browser, lambda d: "0 stop" in text(d))

    # Size of the model, then an operation more, moved up and down and taken out again.
    browser.find_element(By.CSS_SELECTOR, "[data-testid='row-model'] button").click()
    type_in(browser, "Size X", "30")
    until(browser, lambda d: "30 / 60" in text(d))
    press(browser, "+ Add operation")
    until(browser, lambda d: d.find_elements(By.XPATH, "//section//button[contains(., 'Rough, lines')]"))
    browser.find_element(By.XPATH, "//section//button[contains(., 'Rough, lines')]").click()
    until(browser, lambda d: d.find_elements(By.CSS_SELECTOR, "[data-testid='operation-30']"))
    press(browser, "Move up")
    until(browser, lambda d: "Rough, lines" in d.find_element(By.CSS_SELECTOR, "[data-testid='operation-20']").text)
    browser.find_element(By.CSS_SELECTOR, "[data-testid='operation-20'] button").click()
    press(browser, "Delete")
    until(browser, lambda d: not d.find_elements(By.CSS_SELECTOR, "[data-testid='operation-20']"))

    # A live number before anything is calculated, and a refusal that loses nothing.
    browser.find_element(By.CSS_SELECTOR, "[data-testid='operation-30'] button").click()
    until(browser, lambda d: "30 Finish, lines" in text(d))
    type_in(browser, "Stepover", "9")
    until(browser, lambda d: "larger than the cutter" in text(d))
    type_in(browser, "Stepover", "0.4")
    until(browser, lambda d: "scallop 0.013" in text(d))

    press(browser, "Calculate")
    until(browser, lambda d: "all is up to date" in text(d), 120)
    press(browser, "Paths")
    scrub(browser, 0.5)
    until(browser, lambda d: d.find_element(By.CSS_SELECTOR, "[data-testid='code-line']").text.startswith("N"))
    half = browser.find_element(By.CSS_SELECTOR, "[data-testid='clock']").text
    browser.find_element(By.CSS_SELECTOR, "footer input[type=range]").send_keys(Keys.ARROW_RIGHT * 40)
    until(browser, lambda d: d.find_element(By.CSS_SELECTOR, "[data-testid='clock']").text != half)
    press(browser, "Proof")
    until(browser, lambda d: d.find_elements(By.CSS_SELECTOR, "[data-mode='proof'][data-ready='true']"))
    press(browser, "Compare")
    until(browser, lambda d: "deepest gouge" in text(d))

    press(browser, "Post files…")
    until(browser, lambda d: "front left corner of the stock, on its top face" in text(d))
    links = browser.find_elements(By.CSS_SELECTOR, "a[download]")
    assert len(links) == 2
    names = [link.text for link in links]
    for link in links:
        link.click()
    until(browser, lambda d: all((tmp_path / name).exists() for name in names))
    time.sleep(0.5)
    for name in names:
        reading = read_program((tmp_path / name).read_bytes())
        assert len(reading.rapid) > 50 and reading.points[-1, 2] == 5.0, "the program ends at the clearance"
    severe = [entry["message"] for entry in browser.get_log("browser") if entry["level"] == "SEVERE"]
    assert not [message for message in severe if "422" not in message], severe


def test_a_file_that_is_no_mesh_gets_one_sentence(browser, tmp_path: Path) -> None:
    path = tmp_path / "letter.stl"
    path.write_bytes(b"Dear Sir or Madam")
    bring_in(browser, path)
    until(browser, lambda d: "letter.stl: this is no STL file" in text(d))
    assert "No jobs yet" in text(browser)


def test_cutters_are_added_and_changed(browser) -> None:
    press(browser, "Cutters")
    until(browser, lambda d: "10 mm flat" in text(d))
    press(browser, "Add a cutter")
    until(browser, lambda d: d.find_elements(By.XPATH, "//label[.='Name']"))
    field(browser, "Name").send_keys("4 mm ball, 2 flute")
    field(browser, "Diameter").send_keys(Keys.CONTROL, "a")
    field(browser, "Diameter").send_keys("4", Keys.TAB)
    press(browser, "Save")
    until(browser, lambda d: "4 mm ball, 2 flute" in text(d) and not d.find_elements(By.XPATH, "//h2[.='Add a cutter']"))
    assert Cutter.objects.get(number=7).data["diameter"] == 4


def test_a_killed_worker_loses_nothing(browser, worker: list, tmp_path: Path) -> None:
    path = tmp_path / "mound.stl"
    path.write_bytes(write_stl(small_hill(side=120, cells=300)))
    bring_in(browser, path)
    until(browser, lambda d: "Finish, lines" in text(d))
    press(browser, "Calculate")
    until(browser, lambda d: Calculation.objects.filter(state="working", fraction__gt=0).exists())
    worker[0].send_signal(signal.SIGKILL)
    worker[0].wait()
    assert Calculation.objects.get().state == "working"
    worker.append(start_worker())
    until(browser, lambda d: "all is up to date" in text(d), 120)
    assert Calculation.objects.get().state == "done"
