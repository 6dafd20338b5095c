"""What all tests share."""

import pytest

from nephos.command.warm import small_hill
from nephos.core.mesh.model import Mesh


@pytest.fixture(scope="session")
def hill() -> Mesh:
    """A hill with a step in it, 24 mm square."""
    return small_hill()
