"""Putting a mesh right by hand: the raw scan of the heron, dragging, stock and zero, job files."""

import json
import time
from pathlib import Path

import numpy as np
import pytest
from demo.reliefs import heron, heron_scan
from demo.screenshots import press, until
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from browser.page import bring_in, calculated, grip, press_at, press_like, text, type_in
from nephos.core.cutters import Profile
from nephos.core.mesh.formats.stl import write_stl
from nephos.core.mesh.model import Mesh, joined
from nephos.core.plan.schema import parse_plan
from nephos.core.stages.models import placed_parts
from nephos.core.stages.prepared import prepared_mesh
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work
from nephos.core.surface.drop import drop_grid
from nephos.core.surface.index import build_index
from nephos.web.derived import derived
from nephos.web.jobs import current_plan
from nephos.web.models import Job
from nephos.web.tasks import _loaded

pytestmark = [pytest.mark.browser, pytest.mark.django_db(transaction=True)]


def choose_model(driver) -> None:
    press_at(driver, "[data-testid='row-model'] button")
    until(driver, lambda d: "Way up" in text(d))


def ready(driver, revision: int) -> None:
    row = "[data-testid='row-model'][data-state='ready']"
    until(driver, lambda d: f"rev {revision} · saved" in text(d) and d.find_elements(By.CSS_SELECTOR, row))


def heights(mesh: Mesh) -> np.ndarray:
    """Heights of a mesh on a millimetre grid, from its low corner."""
    index = build_index(mesh.vertices - mesh.low, mesh.faces)
    return drop_grid(index, 1.0, 1.0, 1.0, 230, 160, Profile.of(0.0, 1e-6), 0.0)


def test_the_raw_scan_is_put_right_by_hand(browser, tmp_path: Path) -> None:
    path = tmp_path / "heron scan.stl"
    path.write_bytes(write_stl(heron_scan(1.2)))
    bring_in(browser, path)
    until(browser, lambda d: "inch is a guess" in text(d))
    choose_model(browser)
    press(browser, "Best way up")
    ready(browser, 2)
    press(browser, "Mirror X")
    ready(browser, 3)
    press_like(browser, "Cut off the plain slab")
    ready(browser, 4)
    press_like(browser, "Mesh and repair")
    press_like(browser, "Drop loose pieces")
    until(browser, lambda d: "Smaller than" in text(d))
    press_like(browser, "Drop loose pieces")
    ready(browser, 5)
    until(browser, lambda d: "loose pieces dropped" in text(d))
    press_at(browser, "[data-testid='row-stock'] button")
    press(browser, "Make the stock fit…")
    press(browser, "Make it fit")
    until(browser, lambda d: "rev 6 · saved" in text(d) and "0 stop" in text(d))

    # What lies in the stock now is the plaque: as large, the same way round, the same way up.
    plan = parse_plan(current_plan(Job.objects.get()))
    assert not [item for item in derived(plan).findings if item.level == "stop"]
    model = plan.models[0]
    found = joined(placed_parts(plan, model, prepared_mesh(model, Work(MemoryStore(), _loaded))))
    plaque = heron(1.2)
    assert found.size[:2] == pytest.approx(plaque.size[:2], abs=0.3)
    a, b = heights(found), heights(plaque)
    alike = {
        name: np.corrcoef(a.ravel(), other.ravel())[0, 1]
        for name, other in (("as it is", b), ("mirrored", b[:, ::-1]), ("turned", b[::-1, ::-1]))
    }
    assert alike["as it is"] > 0.98 > alike["mirrored"] and alike["turned"] < 0.98

    # And back to the raw scan, step by step.
    for revision in (5, 4, 3, 2, 1):
        press(browser, "Undo")
        until(browser, lambda d, n=revision: f"rev {n} · saved" in text(d))
    assert not browser.find_elements(By.CSS_SELECTOR, "[aria-label='Undo']:not([disabled])")


def offset() -> list[float]:
    return current_plan(Job.objects.get())["models"][0]["placement"]["offset"]


def test_dragging_an_arrow_moves_the_model_as_typing_does(hill_job) -> None:
    driver = hill_job
    choose_model(driver)
    press(driver, "Top")
    time.sleep(1)
    grip(driver, [(x, 0) for x in range(14, 60, 3)])
    ActionChains(driver).click_and_hold().move_by_offset(30, 0).move_by_offset(30, 0).perform()
    until(driver, lambda d: "Left edge" in text(d) and offset()[0] == 0, 5)
    ActionChains(driver).release().perform()
    until(driver, lambda d: "rev 2 · saved" in text(d))
    moved = offset()
    assert moved[0] > 1 and moved[0] * 2 == int(moved[0] * 2) and moved[1:] == [0, -1], (
        "along X only, in halves of a millimetre"
    )
    type_in(driver, "Left edge at, X", "5")
    until(driver, lambda d: "rev 3 · saved" in text(d))
    assert derived(parse_plan(current_plan(Job.objects.get()))).models["m1"].low[0] == 5
    press(driver, "Undo")
    until(driver, lambda d: "rev 2 · saved" in text(d))
    assert offset() == moved


def test_a_ring_turns_the_model_and_the_height_of_the_cut_is_dragged(hill_job) -> None:
    driver = hill_job
    choose_model(driver)
    press(driver, "Top")
    time.sleep(1)
    # Seen from above the ring about Z is a quarter from X to Y.
    grip(driver, [(k, -k) for k in range(20, 90, 2)])
    ActionChains(driver).click_and_hold().move_by_offset(-20, 0).move_by_offset(-20, 0).release().perform()
    until(driver, lambda d: "rev 2 · saved" in text(d))
    turn = current_plan(Job.objects.get())["models"][0]["placement"]["turn"]
    assert (
        5 <= turn[2] <= 85 and turn[2] % 5 == pytest.approx(0, abs=1e-6) and turn[:2] == pytest.approx([0, 0], abs=1e-9)
    )
    press(driver, "Undo")
    until(driver, lambda d: "rev 1 · saved" in text(d))

    press(driver, "Front")
    press(driver, "Drag the cut-off")
    before = derived(parse_plan(current_plan(Job.objects.get()))).models["m1"].size
    grip(driver, [(x, y) for y in range(-60, 80, 5) for x in range(60, 420, 12)])
    ActionChains(driver).click_and_hold().move_by_offset(0, -8).move_by_offset(0, -8).release().perform()
    ready(driver, 3)
    after = derived(parse_plan(current_plan(Job.objects.get()))).models["m1"].size
    steps = current_plan(Job.objects.get())["models"][0]["steps"]
    assert [step["kind"] for step in steps] == ["cut_below"]
    assert before[2] - 0.2 > after[2] == pytest.approx(before[2] - steps[0]["settings"]["height"], abs=0.01)


def test_ways_out_are_buttons_that_do_it(hill_job) -> None:
    driver = hill_job
    type_in(driver, "Thickness, Z", "4")
    until(driver, lambda d: "the model reaches" in text(d) and "1 stop" in text(d))
    press_like(driver, "Make the stock 8 mm")
    until(driver, lambda d: "0 stop" in text(d) and "rev 3" in text(d))
    press(driver, "Undo")
    until(driver, lambda d: "1 stop" in text(d))


def test_stock_zero_clamps_and_units(hill_job) -> None:
    driver = hill_job
    middle = driver.find_element(
        By.XPATH, "//*[@aria-label='Work zero seen from above']//input[@value='centre centre']"
    )
    driver.execute_script("arguments[0].click()", middle)
    until(driver, lambda d: "centre of the stock, on its top face" in text(d))
    press_like(driver, "Clamps and screws")
    press_like(driver, "+ Add a clamp or screw")
    press(driver, "Save")
    until(driver, lambda d: "clamp at 0, 0" in text(d))
    press_like(driver, "clamp at 0, 0")
    type_in(driver, "Middle at, X", "25")
    type_in(driver, "Middle at, Y", "25")
    press(driver, "Save")
    until(driver, lambda d: "clamp is" in text(d) and "1 stop" in text(d))

    # Inches: the same part, other words.
    before = derived(parse_plan(current_plan(Job.objects.get()))).models
    press(driver, "in")
    until(
        driver,
        lambda d: (
            d.find_element(By.XPATH, "//label[.='Length, X']/following::input[1]").get_attribute("value") == "1.9685"
        ),
    )
    assert derived(parse_plan(current_plan(Job.objects.get()))).models == before
    type_in(driver, "Length, X", "2 1/2")
    until(driver, lambda d: current_plan(Job.objects.get())["stock"]["length"] == 63.5)


def test_a_job_goes_out_as_a_file_and_comes_back(hill_job, tmp_path: Path) -> None:
    driver = hill_job
    home = driver.current_url.split("/jobs/")[0]
    driver.get(home)
    press(driver, "Save as a file: mound")
    until(driver, lambda d: (tmp_path / "mound.nephos.zip").exists())
    time.sleep(0.5)
    bring_in(driver, tmp_path / "mound.nephos.zip")
    until(driver, lambda d: "/jobs/" in d.current_url and "Finish, raster" in text(d))
    plans = [current_plan(job) for job in Job.objects.order_by("id")]
    assert len(plans) == 2 and json.dumps(plans[0]) == json.dumps(plans[1])


def test_the_shelf_offers_the_piece_that_fits(hill_job) -> None:
    driver = hill_job
    job = driver.current_url
    driver.get(job.split("/jobs/")[0] + "/shelf")
    press(driver, "Put a piece on the shelf")
    until(driver, lambda d: d.find_elements(By.XPATH, "//label[.='Name']"))
    driver.find_element(By.XPATH, "//label[.='Name']/following::input[1]").send_keys("offcut")
    for label, value in (("Length", "60"), ("Width", "55"), ("Thickness", "14")):
        box = driver.find_element(By.XPATH, f"//section//label[.='{label}']/following::input[1]")
        box.send_keys(Keys.CONTROL, "a")
        box.send_keys(value, Keys.TAB)
    press(driver, "Save")
    until(driver, lambda d: "offcut" in text(d))
    driver.get(job)
    until(driver, lambda d: "Length, X" in text(d))
    press(driver, "From the shelf…")
    press_like(driver, "offcut")
    until(driver, lambda d: "/ 60" in text(d) and "/ 55" in text(d) and "/ 14" in text(d))


def test_a_boundary_and_a_cut_out_from_adding_to_the_proof(hill_job) -> None:
    driver = hill_job
    press(driver, "+ Boundary")
    until(driver, lambda d: "1 loop · 5.8 cm²" in text(d))
    type_in(driver, "Offset", "3")
    # A square of 24 mm grown by 3 mm, its corners round.
    until(driver, lambda d: "8.9 cm²" in text(d))
    press_at(driver, "[data-testid='operation-30'] button")
    until(driver, lambda d: "30 Cut out" in text(d) and "4 tabs" in text(d))
    type_in(driver, "Tabs", "0")
    until(driver, lambda d: "nothing holds it" in text(d) and "1 stop" in text(d))
    type_in(driver, "Tabs", "3")
    until(driver, lambda d: "3 tabs" in text(d) and "0 stop" in text(d))
    calculated(driver)
    press(driver, "Post files…")
    until(driver, lambda d: len(d.find_elements(By.CSS_SELECTOR, "li a[download]")) == 3)
