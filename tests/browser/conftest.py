"""A worker and a browser for each test."""

import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest
from demo.screenshots import chromium

from browser.page import start_worker
from nephos.command.sample import sample_cutters
from nephos.web.models import Cutter


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
