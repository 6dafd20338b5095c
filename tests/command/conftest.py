"""A home of its own for each test of the command."""

import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from command.terminal import python, run
from nephos.home import HOME


@contextmanager
def new_home(place: Path) -> Iterator[Path]:
    """A home that has all that was installed and compiled here, but no database yet."""
    folder = place / "home"
    folder.mkdir()
    for stamp in HOME.glob("*.stamp"):
        shutil.copy(stamp, folder)
    # A folder that root's database user may enter.
    place.chmod(0o755)
    yield folder
    run(folder, "stop")
    where = python(folder, "from nephos.home import database_folder; print(database_folder())")
    shutil.rmtree(where, ignore_errors=True)


@pytest.fixture
def home(tmp_path: Path) -> Iterator[Path]:
    """A home of the test's own."""
    with new_home(tmp_path) as folder:
        yield folder


@pytest.fixture(scope="module")
def shared_home(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Path]:
    """A home for all tests of a module."""
    with new_home(tmp_path_factory.mktemp("shared")) as folder:
        yield folder
