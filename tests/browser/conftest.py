"""A worker for each test, and one browser for all tests of a process."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from demo.screenshots import chromium, until
from selenium import webdriver

from browser.forked_worker import start_worker
from browser.page import bring_in, text
from nephos.command.sample import sample_cutters
from nephos.command.warm import small_hill
from nephos.core.mesh.formats.stl import write_stl
from nephos.web.models import Cutter


@pytest.fixture
def worker(transactional_db) -> Iterator[list]:
    workers = [start_worker()]
    yield workers
    for process in workers:
        process.terminate()
    for process in workers:
        process.join(8)
        if process.is_alive():
            process.kill()
            process.join()


@pytest.fixture(scope="session")
def chromium_window() -> Iterator[webdriver.Chrome]:
    """One Chromium for all tests: it takes seconds to start."""
    driver = chromium("--webgl-antialiasing-mode=none")
    yield driver
    driver.quit()


@pytest.fixture
def browser(live_server, worker, chromium_window: webdriver.Chrome, tmp_path: Path) -> Iterator[webdriver.Chrome]:
    for cutter in sample_cutters():
        Cutter.objects.create(number=cutter.number, data=cutter.model_dump())
    driver = chromium_window
    driver.execute_cdp_cmd("Browser.setDownloadBehavior", {"behavior": "allow", "downloadPath": str(tmp_path)})
    # Where a test says nothing else it calculates when it asks for it.
    driver.get(f"{live_server.url}/api/jobs")
    driver.execute_script("localStorage.clear(); localStorage.setItem('calculate', 'by hand')")
    driver.get(live_server.url)
    yield driver
    first, *more = driver.window_handles
    for other in more:
        driver.switch_to.window(other)
        driver.close()
    driver.switch_to.window(first)
    # Nothing is asked of the server any more while its database is emptied.
    driver.get("about:blank")
    driver.get_log("browser")


@pytest.fixture
def hill_job(browser, tmp_path: Path):
    path = tmp_path / "mound.stl"
    path.write_bytes(write_stl(small_hill(cells=40)))
    bring_in(browser, path)
    until(browser, lambda d: "Finish, raster" in text(d))
    return browser
