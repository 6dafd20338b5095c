"""Files that nobody would send on purpose: every reader takes each, or refuses it in a sentence, within its limits.

Seeded, so that what was green stays green; `./nephos test --random` draws others, and more of them.
"""

import io
import json
import os
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from meshes import box_mesh
from nephos.core.cutters.exchange import read_cutters
from nephos.core.errors import Refused
from nephos.core.mesh.curves import read_curves
from nephos.core.mesh.formats import read_mesh, write_mesh
from nephos.core.plan.schema import parse_plan
from nephos.core.post.read import read_program
from nephos.core.post.schema import parse_post

SEED = int(os.environ.get("NEPHOS_FUZZ_SEED", "7"))
ROUNDS = int(os.environ.get("NEPHOS_FUZZ_ROUNDS", "1"))
LONGEST = 12.0
"""Seconds of processor time within which even the worst small file is refused."""


def spent() -> float:
    """Seconds of processor time of this process and of its children that ended: others share the machine."""
    return sum(os.times()[:4])


def _zipped(inner: bytes, method: int) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", method) as archive:
        archive.writestr("part/model.stl", inner)
    return out.getvalue()


def _image() -> bytes:
    out = io.BytesIO()
    Image.fromarray((np.add.outer(np.arange(12), np.arange(9)) * 3000).astype(np.uint16)).save(out, "PNG")
    return out.getvalue()


BOX = box_mesh((0, 0, 0), (10, 8, 3))
GLTF = json.dumps(
    {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": []}],
    }
).encode()
ASCII = b"solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid a\n"  # noqa: E501
MESHES: dict[str, bytes] = {
    "a.stl": write_mesh("a.stl", BOX),
    "b.stl": ASCII,
    "a.ply": write_mesh("a.ply", BOX),
    "a.3mf": write_mesh("a.3mf", BOX),
    "a.gltf": GLTF,
    "a.obj": b"v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 2 3\nf 1 3 4\n",
    "a.off": b"OFF\n4 2 0\n0 0 0\n1 0 0\n0 1 0\n0 0 1\n3 0 1 2\n3 0 2 3\n",
    "a.png": _image(),
    "a.zip": _zipped(write_mesh("a.stl", BOX), zipfile.ZIP_DEFLATED),
    "l.zip": _zipped(write_mesh("a.stl", BOX), zipfile.ZIP_LZMA),
    "s.zip": _zipped(write_mesh("a.stl", BOX), zipfile.ZIP_STORED),
}
OWN = {"a.stl", "b.stl", "a.zip", "l.zip", "s.zip"}
"""Read in this process, so that many can be tried."""


def mutated(data: bytes, rng: np.random.Generator) -> bytes:
    """The bytes with a few of them flipped, cut out, doubled, or replaced by what trips readers."""
    out = bytearray(data)
    for _ in range(int(rng.integers(1, 5))):
        at = int(rng.integers(0, max(len(out), 1)))
        kind = int(rng.integers(0, 6))
        if kind == 0 and out:
            out[at % len(out)] ^= 1 << int(rng.integers(0, 8))
        elif kind == 1:
            del out[at : at + int(rng.integers(1, 40))]
        elif kind == 2:
            out[at:at] = out[at : at + int(rng.integers(1, 60))]
        elif kind == 3:
            tricks = [
                b"\x00",
                b"\xff" * 8,
                b"nan",
                b"1e999",
                b"-",
                b"99999999999",
                b"\n" * 9,
                b"inf",
                "é".encode(),
                b"{}",
                b"<a",
                b"\x7f" * 4,
            ]
            out[at:at] = tricks[int(rng.integers(0, len(tricks)))]
        elif kind == 4:
            out[at : at + 4] = int(rng.integers(0, 2**32)).to_bytes(4, "little")
        else:
            del out[at:]
    return bytes(out)


def _tried(read: Callable[[], object]) -> None:
    begin = spent()
    try:
        read()
    except Refused as reason:
        assert 3 < len(str(reason)) < 600 and "Traceback" not in str(reason)
    assert spent() - begin < LONGEST


@pytest.mark.parametrize("name", MESHES)
def test_damaged_meshes_are_read_or_refused(name: str) -> None:
    rng = np.random.default_rng([SEED, len(name), *name.encode()])
    for _ in range((90 if name in OWN else 6) * ROUNDS):
        data = mutated(MESHES[name], rng)
        _tried(lambda data=data: read_mesh(name, data))


POST = (Path(__file__).parents[2] / "src/nephos/core/post/posts/rs274-metric.json").read_bytes()
PLAN = json.dumps(
    {
        "schema_version": 2,
        "stock": {"length": 50, "width": 40, "thickness": 10},
        "setups": [{"id": "a", "name": "A", "operations": []}],
    }
).encode()
TEXTS: dict[str, tuple[bytes, Callable[[bytes], object], int]] = {
    "program": (
        b"%\nG21 G90\nS18000 M3\nG0 X0 Y0 Z5\nG1 Z-1 F600\nG2 X10 Y0 I5 J0\nN5 (x) G1 X3.5\nM30\n",
        read_program,
        2000,
    ),
    "cutters": (b"number,name,shape,diameter\n1,a,flat,6\n2,b,ball,3\n", lambda data: read_cutters("a.csv", data), 800),
    "cutters json": (
        b'[{"number": 1, "name": "a", "shape": "flat", "diameter": 6}]',
        lambda data: read_cutters("a.json", data),
        800,
    ),
    "post": (POST, lambda data: parse_post(data.decode("utf-8", "replace")), 800),
    "plan": (PLAN, lambda data: parse_plan(_json(data)), 800),
}


def _json(data: bytes) -> object:
    try:
        return json.loads(data.decode("utf-8", "replace"))
    except (ValueError, RecursionError):
        raise Refused("this is no JSON") from None


@pytest.mark.parametrize("name", TEXTS)
def test_damaged_texts_are_read_or_refused(name: str) -> None:
    data, read, count = TEXTS[name]
    rng = np.random.default_rng([SEED, 1, *name.encode()])
    for _ in range(count * ROUNDS):
        some = mutated(data, rng)
        _tried(lambda some=some: read(some))


SVG = b'<svg xmlns="http://www.w3.org/2000/svg" width="40mm" height="30mm"><path d="M1 1 L20 1 L20 20 Z"/><circle cx="20" cy="9" r="4"/></svg>'  # noqa: E501


def test_damaged_drawings_are_read_or_refused() -> None:
    rng = np.random.default_rng([SEED, 2])
    for _ in range(8 * ROUNDS):
        data = mutated(SVG, rng)
        _tried(lambda data=data: read_curves("a.svg", data))


def _nested_use(levels: int) -> bytes:
    parts = ['<path id="a0" d="M0 0 L1 0 L1 1 Z"/>']
    parts += [f'<g id="a{k + 1}">' + f'<use href="#a{k}"/>' * 10 + "</g>" for k in range(levels)]
    return ('<svg xmlns="http://www.w3.org/2000/svg" width="9mm" height="9mm">' + "".join(parts) + "</svg>").encode()


_DXF_WORDS = (
    "0 SECTION 2 BLOCKS 0 BLOCK 2 B 10 0 20 0 3 B 0 LINE 8 0 10 0 20 0 11 1 21 1 0 ENDBLK 0 ENDSEC 0 SECTION 2 "
    "ENTITIES "
    "0 INSERT 2 B 10 0 20 0 70 30000 71 30000 44 1 45 1 0 ENDSEC 0 EOF"
)
ARRAY_DXF = _DXF_WORDS.replace(" ", "\n").encode()


@pytest.mark.parametrize(("name", "data"), [("use.svg", _nested_use(7)), ("array.dxf", ARRAY_DXF)])
def test_a_small_drawing_that_never_ends_is_refused_in_time(name: str, data: bytes) -> None:
    begin = spent()
    with pytest.raises(Refused):
        read_curves(name, data)
    assert spent() - begin < LONGEST
