"""A worker and a browser for each test."""

import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from demo.screenshots import chromium, until

from browser.forked_worker import start_worker
from browser.page import bring_in, text
from nephos.command.sample import sample_cutters
from nephos.command.warm import small_hill
from nephos.core.mesh.formats.stl import write_stl
from nephos.web.models import Cutter


@pytest.fixture()
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


@pytest.fixture()
def browser(live_server, worker, tmp_path: Path):
    for cutter in sample_cutters():
        Cutter.objects.create(number=cutter.number, data=cutter.model_dump())
    driver = chromium(tmp_path)
    driver.get(live_server.url)
    # Where a test says nothing else it calculates when it asks for it.
    driver.execute_script("localStorage.setItem('calculate', 'by hand')")
    yield driver
    driver.quit()


@pytest.fixture()
def hill_job(browser, tmp_path: Path):
    path = tmp_path / "mound.stl"
    path.write_bytes(write_stl(small_hill(cells=40)))
    bring_in(browser, path)
    until(browser, lambda d: "Finish, raster" in text(d))
    time.sleep(1)
    return browser
