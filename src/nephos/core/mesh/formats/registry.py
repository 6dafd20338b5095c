"""What a mesh format is, and the list of them. A new one is a module here and one line in `_MODULES`."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from importlib import import_module

from nephos.core.mesh.model import Mesh

_MODULES = ("stl", "obj", "ply", "threemf", "gltf", "off", "height_image", "height_tiff", "zipped")


@dataclass(frozen=True)
class Format:
    """A kind of file: its name, its suffixes in small letters, and how it is read and written.

    `read` takes the whole file and refuses, with the reason, what it cannot use. `write` (none where nothing is
    written) takes a mesh in millimetres."""

    title: str
    suffixes: tuple[str, ...]
    read: Callable[[bytes], Mesh]
    write: Callable[[Mesh], bytes] | None = None


@cache
def formats() -> dict[str, Format]:
    """All formats by suffix."""
    found = [import_module(f"nephos.core.mesh.formats.{name}").FORMAT for name in _MODULES]
    return {suffix: item for item in found for suffix in item.suffixes}
