"""What all tests share."""

import os

import pytest
from hypothesis import settings

from nephos.command.warm import small_hill
from nephos.core.mesh.model import Mesh

# The same cases each time, so that what was green here is green elsewhere; HYPOTHESIS_PROFILE=default looks for new
# ones.
settings.register_profile("steady", derandomize=True)
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "steady"))


@pytest.fixture(scope="session")
def hill() -> Mesh:
    """A hill with a step in it, 24 mm square."""
    return small_hill()
