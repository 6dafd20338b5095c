"""Formats that a library reads: always in the sandbox, so that a hostile file costs a child process at most."""

from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.sandbox import sandboxed
from nephos.core.mesh.tidy import checked_faces, tidied


def read_by_library(data: bytes, key: str, title: str, unit: float | None = None, notes: tuple[str, ...] = ()) -> Mesh:
    """Read `data` with the reader `key` of :mod:`nephos.core.mesh.reader_process`; `title` names the format in what is
    said."""
    found = sandboxed(key, data, title)
    said = [*notes, *found.notes]
    if len(found.faces) == 0:
        if len(found.vertices):
            raise Refused(
                f"the file holds {len(found.vertices)} points but no triangles: export it as a mesh, not as a point "
                "cloud"
            )
        raise Refused("the file holds no triangles: export it again as a mesh")
    return tidied(
        checked_faces(found.vertices, found.faces, title), title, said, unit if unit is not None else found.unit
    )
