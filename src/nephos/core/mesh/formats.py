"""The mesh formats that can be read: one entry each."""

from collections.abc import Callable
from pathlib import PurePath

from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.stl import read_stl

READERS: dict[str, Callable[[bytes], Mesh]] = {".stl": read_stl}


def read_mesh(name: str, data: bytes) -> Mesh:
    """Read a mesh from the bytes of a file called `name`; refuses what is no mesh, with the reason."""
    suffix = PurePath(name).suffix.lower()
    if suffix not in READERS:
        known = ", ".join(sorted(READERS))
        raise Refused(f"'{PurePath(name).name}' is not of a kind that can be read: use {known}")
    return READERS[suffix](data)
