"""Reading and writing meshes, by the suffix of the file's name."""

from pathlib import PurePath

from nephos.core.errors import Refused
from nephos.core.mesh.formats.registry import Format, formats
from nephos.core.mesh.model import Mesh


def _format_of(name: str) -> Format:
    suffix = PurePath(name).suffix.lower()
    known = formats()
    if suffix not in known:
        raise Refused(f"'{PurePath(name).name}' is not of a kind that can be read: use {', '.join(sorted(known))}")
    return known[suffix]


def check_name(name: str) -> None:
    """Refuse a file by its name alone, before anything of it is read."""
    _format_of(name)


def read_mesh(name: str, data: bytes) -> Mesh:
    """Read a mesh from the bytes of a file called `name`; refuses what is no mesh, with the reason."""
    kind = _format_of(name)
    if not data.strip():
        raise Refused("the file is empty: export it again from where it came from")
    try:
        return kind.read(data)
    except (Refused, MemoryError):
        raise
    except Exception as fault:
        raise Refused(
            f"this {kind.title} file is damaged: it cannot be read ({type(fault).__name__}); export it again from "
            "where it came from"
        ) from fault


def write_mesh(name: str, mesh: Mesh) -> bytes:
    """The bytes of a file called `name` that holds a mesh in millimetres."""
    kind = _format_of(name)
    if kind.write is None:
        written = ", ".join(sorted(suffix for suffix, item in formats().items() if item.write))
        raise Refused(f"{kind.title} is read but not written: use {written}")
    return kind.write(mesh)
