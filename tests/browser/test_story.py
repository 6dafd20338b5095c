"""The whole story in a real browser: from an upload to a program that was proved."""

import time
from pathlib import Path

import pytest
from demo.screenshots import press, scrub, until
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from browser.forked_worker import start_worker
from browser.page import bring_in, calculated, click_view, drop, field, press_at, text, type_in
from nephos.command.warm import small_hill
from nephos.core.mesh.formats.stl import write_stl
from nephos.core.post.read import read_program
from nephos.web.jobs import current_plan, write_plan
from nephos.web.models import Calculation, Cutter, Job, Revision

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]


def test_from_upload_to_program(browser, tmp_path: Path) -> None:
    path = tmp_path / "fen mound.stl"
    path.write_bytes(write_stl(small_hill(cells=90)))
    bring_in(browser, path)
    until(browser, lambda d: "/jobs/" in d.current_url and "Size X" not in text(d))
    until(browser, lambda d: "Rough, offset" in text(d) and "Finish, raster" in text(d))
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
    press_at(browser, "[data-testid='row-model'] button")
    type_in(browser, "Size X", "30")
    until(browser, lambda d: "30 / 60" in text(d))
    press(browser, "+ Add operation")
    until(browser, lambda d: d.find_elements(By.XPATH, "//section//button[contains(., 'Rough, raster')]"))
    press_at(browser, "//section//button[contains(., 'Rough, raster')]")
    until(browser, lambda d: d.find_elements(By.CSS_SELECTOR, "[data-testid='operation-40']"))
    press(browser, "Move up")
    until(browser, lambda d: "Rough, raster" in d.find_element(By.CSS_SELECTOR, "[data-testid='operation-30']").text)
    press_at(browser, "[data-testid='operation-30'] button")
    press(browser, "Delete")
    until(browser, lambda d: not d.find_elements(By.CSS_SELECTOR, "[data-testid='operation-30']"))

    # A live number before anything is calculated, and a refusal that loses nothing.
    press_at(browser, "[data-testid='operation-20'] button")
    until(browser, lambda d: "20 Finish, raster" in text(d))
    type_in(browser, "Stepover", "9")
    until(browser, lambda d: "larger than the cutter" in text(d))
    type_in(browser, "Stepover", "0.4")
    until(browser, lambda d: "scallop 0.02" in text(d))

    calculated(browser)
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
    links = browser.find_elements(By.CSS_SELECTOR, "li a[download]")
    assert len(links) == 3, "one file a cutter"
    names = [f"fen-mound_{link.text}" for link in links]
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
    until(
        browser, lambda d: "4 mm ball, 2 flute" in text(d) and not d.find_elements(By.XPATH, "//h2[.='Add a cutter']")
    )
    assert Cutter.objects.get(number=12).data["diameter"] == 4


def test_a_killed_worker_loses_nothing(browser, worker: list, tmp_path: Path) -> None:
    path = tmp_path / "mound.stl"
    path.write_bytes(write_stl(small_hill(side=70, cells=200)))
    bring_in(browser, path)
    until(browser, lambda d: "Finish, raster" in text(d))
    press(browser, "Calculate")
    until(browser, lambda d: Calculation.objects.filter(state="working", fraction__gt=0).exists())
    worker[0].kill()
    worker[0].join()
    assert Calculation.objects.get().state == "working"
    worker.append(start_worker())
    until(browser, lambda d: "all is up to date" in text(d), 300)
    assert Calculation.objects.get().state == "done"


def test_a_dropped_file_becomes_a_job_and_then_its_model(browser, tmp_path: Path) -> None:
    path = tmp_path / "mound.stl"
    path.write_bytes(write_stl(small_hill(cells=40)))
    drop(browser, "[aria-label='Drop a mesh to make a job of it']", path)
    until(browser, lambda d: "/jobs/" in d.current_url and "Finish, raster" in text(d))
    other = tmp_path / "other mound.stl"
    other.write_bytes(write_stl(small_hill(side=50, cells=30)))
    drop(browser, "[aria-label='Route sheet, drop a mesh here']", other)
    until(browser, lambda d: "other mound" in text(d) and "rev 2" in text(d))


def test_two_windows_never_overwrite_each_other(browser, tmp_path: Path) -> None:
    path = tmp_path / "mound.stl"
    path.write_bytes(write_stl(small_hill(cells=40)))
    bring_in(browser, path)
    until(browser, lambda d: "Length, X" in text(d))
    browser.execute_script("window.open(location.href)")
    one, two = browser.window_handles
    browser.switch_to.window(two)
    until(browser, lambda d: "Length, X" in text(d))
    type_in(browser, "Length, X", "71")
    until(browser, lambda d: "/ 71" in text(d) and "rev 2" in text(d))
    browser.switch_to.window(one)
    until(browser, lambda d: "/ 71" in text(d))

    # Another window is quicker by a moment: this one is told so instead of overwriting it.
    job = Job.objects.get()
    plan = current_plan(job)
    write_plan(job.pk, job.version, plan | {"stock": plan["stock"] | {"thickness": 17}}, "thickness")
    type_in(browser, "Width, Y", "66")
    until(browser, lambda d: "changed in another window" in text(d) and "/ 17" in text(d) and "/ 66" not in text(d))
    type_in(browser, "Width, Y", "67")
    until(browser, lambda d: all(size in text(d) for size in ("/ 71", "/ 67", "/ 17", "rev 4")))
    assert Revision.objects.count() == 4


def test_measuring_in_the_view(browser, tmp_path: Path) -> None:
    path = tmp_path / "mound.stl"
    path.write_bytes(write_stl(small_hill(cells=40)))
    bring_in(browser, path)
    until(browser, lambda d: "Finish, raster" in text(d))
    press(browser, "Top")
    press(browser, "Measure")
    until(browser, lambda d: "click a first point" in text(d))

    def clicked(x: float, words: str) -> None:
        until(browser, lambda d: (click_view(d, x, 0.5), time.sleep(0.2), words in text(d))[-1])

    clicked(0.45, "click a second point")
    clicked(0.55, "mm apart")
    told = browser.find_element(By.CSS_SELECTOR, "[data-testid='measured']").text
    length, along = float(told.splitlines()[2].split()[0]), float(told.splitlines()[3].split()[1])
    assert 0 < along <= length < 40
