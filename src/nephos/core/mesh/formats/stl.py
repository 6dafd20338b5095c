"""STL, binary and ASCII, read as forgivingly as can be done without guessing."""

import struct

import numpy as np

from nephos.core.arrays import F64, U8
from nephos.core.errors import Refused
from nephos.core.mesh.formats.registry import Format
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.tidy import tidied
from nephos.core.parallel import kernel

_RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
_HEADER = 84
_V, _E, _R = 118, 101, 114


@kernel
def _number(text: U8, k: int) -> tuple[float, int]:
    """A decimal number from text[k:]; returns it and where it ends (not a number where there is none)."""
    n = len(text)
    while k < n and (text[k] == 32 or text[k] == 9 or text[k] == 13 or text[k] == 10):
        k += 1
    begin = k
    sign = 1.0
    if k < n and (text[k] == 45 or text[k] == 43):
        if text[k] == 45:
            sign = -1.0
        k += 1
    mantissa = 0.0
    scale = 0
    digits = 0
    while k < n and 48 <= text[k] <= 57:
        mantissa = mantissa * 10.0 + (text[k] - 48)
        digits += 1
        k += 1
    if k < n and text[k] == 46:
        k += 1
        while k < n and 48 <= text[k] <= 57:
            mantissa = mantissa * 10.0 + (text[k] - 48)
            digits += 1
            scale -= 1
            k += 1
    if digits == 0:
        while k < n and text[k] > 32:
            k += 1
        return np.nan, max(k, begin)
    if k < n and (text[k] == 101 or text[k] == 69):
        k += 1
        e_sign = 1
        if k < n and (text[k] == 45 or text[k] == 43):
            if text[k] == 45:
                e_sign = -1
            k += 1
        exponent = 0
        while k < n and 48 <= text[k] <= 57:
            exponent = min(exponent * 10 + (text[k] - 48), 9999)
            k += 1
        scale += e_sign * exponent
    if scale >= 0:
        return sign * mantissa * 10.0**scale, k
    return sign * mantissa / 10.0 ** (-scale), k


@kernel
def _vertices(text: U8, out: F64) -> int:
    """Write the numbers behind each word `vertex` into out (n, 3); returns how many there are."""
    count = 0
    k = 0
    n = len(text)
    while k + 6 < n:
        c = text[k]
        if (
            (c | 32) == _V
            and (text[k + 1] | 32) == _E
            and (text[k + 2] | 32) == _R
            and (text[k + 5] | 32) == 120
            and text[k + 6] <= 32
        ):
            k += 6
            if count < len(out):
                for axis in range(3):
                    out[count, axis], k = _number(text, k)
            count += 1
        else:
            k += 1
    return count


def _looks_ascii(data: bytes) -> bool:
    head = data[:2000].lstrip().lower()
    if not head.startswith(b"solid") or b"\0" in data[:80]:
        return False
    return b"facet" in head or b"endsolid" in head or len(data) < _HEADER


def _read_ascii(data: bytes) -> tuple[F64, list[str]]:
    text = np.frombuffer(data, np.uint8)
    out = np.empty((max(len(data) // 12, 3), 3))
    count = _vertices(text, out)
    notes = []
    if count % 3:
        notes.append(f"the last triangle was cut off after {count % 3} of its 3 corners and was left out")
    if b"endsolid" not in data[-4000:].lower():
        notes.append("the closing line 'endsolid' is missing: the file may have been cut off")
    return out[: count // 3 * 3].reshape(-1, 3, 3).copy(), notes


def _read_binary(data: bytes) -> tuple[F64, list[str]]:
    said = struct.unpack_from("<I", data, 80)[0]
    held = (len(data) - _HEADER) // _RECORD.itemsize
    notes = []
    if said != held:
        notes.append(f"the file says {said} triangles but holds {held}: those that it holds were read")
    elif (len(data) - _HEADER) % _RECORD.itemsize:
        notes.append("bytes after the last triangle were left out")
    records = np.frombuffer(data, _RECORD, held, _HEADER)
    broken_normals = int(np.count_nonzero(~np.isfinite(records["normal"]).all(axis=1)))
    if broken_normals:
        notes.append(f"{broken_normals} normals were no numbers: all are taken from the corners")
    return records["corners"].astype(np.float64), notes


def read_stl(data: bytes) -> Mesh:
    """Read an STL file.

    A binary file is known by its length even where its header begins with `solid`. A wrong
    triangle count, a missing `endsolid`, normals that are no numbers and triangles with corners
    that are no numbers are put right and noted.

    Raises
    ------
    Refused
        Where nothing can be made of the file, with the reason.
    """
    if not data.strip():
        raise Refused("the file is empty: export it again from where it came from")
    exact = len(data) >= _HEADER and len(data) == _HEADER + 50 * struct.unpack_from("<I", data, 80)[0]
    if not exact and _looks_ascii(data):
        corners, notes = _read_ascii(data)
        kind = "STL, ASCII"
    elif len(data) >= _HEADER:
        corners, notes = _read_binary(data)
        kind = "STL, binary"
    else:
        raise Refused("this is no STL file: it is too short to hold a triangle and is no STL text")
    return tidied(corners, kind, notes)


def write_stl(mesh: Mesh, title: str = "Nephos") -> bytes:
    """Binary STL of a mesh, with normals from the corners."""
    corners = mesh.vertices[mesh.faces]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    length = np.linalg.norm(normals, axis=1, keepdims=True)
    records = np.zeros(len(corners), _RECORD)
    records["normal"] = np.divide(normals, length, out=np.zeros_like(normals), where=length > 0)
    records["corners"] = corners
    return title.encode("ascii", "replace")[:79].ljust(80) + struct.pack("<I", len(corners)) + records.tobytes()


FORMAT = Format("STL", (".stl",), read_stl, write_stl)
