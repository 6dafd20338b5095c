"""STL files as they come: read what can be read, say so, or refuse with the reason."""

import struct
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from meshes import box_mesh
from nephos.command.warm import small_hill
from nephos.core.errors import Refused
from nephos.core.mesh.examine import examine, support_points
from nephos.core.mesh.formats.stl import read_stl, write_stl
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.picture import picture_mesh

BOX = box_mesh((0, 0, 0), (1, 2, 3))


def ascii_stl(mesh: Mesh, end: str = "endsolid box\n") -> bytes:
    lines = ["solid box"]
    for triangle in mesh.vertices[mesh.faces]:
        lines += [
            "facet normal 0 0 0",
            " outer loop",
            *(f"  vertex {x:.6e} {y} {z}" for x, y, z in triangle),
            " endloop",
            "endfacet",
        ]
    return ("\n".join(lines) + "\n" + end).encode()


def same_shape(a: Mesh, b: Mesh) -> bool:
    return np.allclose(a.vertices[a.faces], b.vertices[b.faces], atol=1e-5)


def test_binary_comes_back() -> None:
    mesh = read_stl(write_stl(BOX))
    assert same_shape(mesh, BOX) and len(mesh.vertices) == 8 and mesh.format == "STL, binary"


@pytest.mark.parametrize(
    "change", [lambda d: d, lambda d: d.upper(), lambda d: d.replace(b"\n", b"\r\n"), lambda d: b"\n\n" + d]
)
def test_ascii_comes_back(change) -> None:
    assert same_shape(read_stl(change(ascii_stl(BOX))), BOX)


def test_binary_whose_header_begins_with_solid() -> None:
    data = write_stl(BOX, "solid but binary")
    assert data.startswith(b"solid") and read_stl(data).format == "STL, binary"


@pytest.mark.parametrize("said", [0, 5, 99, 2**32 - 1])
def test_wrong_face_count_is_put_right_and_said(said: int) -> None:
    data = bytearray(write_stl(BOX))
    data[80:84] = struct.pack("<I", said)
    mesh = read_stl(bytes(data))
    assert len(mesh.faces) == 12 and "holds 12" in mesh.repairs[0]


def test_missing_endsolid_is_said() -> None:
    mesh = read_stl(ascii_stl(BOX, ""))
    assert len(mesh.faces) == 12 and any("endsolid" in text for text in mesh.repairs)


def test_cut_off_in_a_triangle() -> None:
    text = ascii_stl(BOX)
    mesh = read_stl(text[: text.rindex(b"vertex") - 3])
    assert len(mesh.faces) == 11 and any("cut off after" in text for text in mesh.repairs)


def test_nan_normals_are_said_and_nan_corners_left_out() -> None:
    data = bytearray(write_stl(BOX))
    data[84:88] = struct.pack("<f", np.nan)
    data[84 + 50 + 12 : 84 + 50 + 16] = struct.pack("<f", np.inf)
    mesh = read_stl(bytes(data))
    assert len(mesh.faces) == 11
    assert any("normals" in text for text in mesh.repairs) and any("left out" in text for text in mesh.repairs)


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"   \n",
        b"solid empty\nendsolid empty\n",
        b"hello, this is no mesh",
        bytes(84),
        b"\x89PNG\r\n" + bytes(range(256)) * 40,
        b"solid x\n facet normal a b c\n outer loop\n vertex one two three\n endloop\n endfacet\nendsolid",
    ],
)
def test_what_is_no_mesh_is_refused_with_a_sentence(data: bytes) -> None:
    with pytest.raises(Refused) as reason:
        read_stl(data)
    assert len(str(reason.value)) > 20 and "\n" not in str(reason.value)


@given(st.binary(max_size=600))
def test_no_bytes_break_the_reader(data: bytes) -> None:
    for prefix in (b"", b"solid ", b"solid x\nfacet normal 0 0 1\nouter loop\nvertex "):
        try:
            mesh = read_stl(prefix + data)
        except Refused:
            continue
        assert np.isfinite(mesh.vertices).all() and len(mesh.faces)


def test_examination_counts() -> None:
    found = examine(BOX)
    assert (found.watertight, found.shells, found.holes) == (True, 1, 0)
    opened = examine(Mesh(BOX.vertices, BOX.faces[2:]))
    assert (opened.watertight, opened.shells, opened.holes) == (False, 1, 1)
    far = box_mesh((9, 9, 9), (10, 10, 10))
    two = Mesh(
        np.concatenate([BOX.vertices, far.vertices]), np.concatenate([BOX.faces, far.faces + 8]).astype(np.int32)
    )
    assert examine(two).shells == 2
    flipped = BOX.faces.copy()
    flipped[0] = flipped[0][::-1]
    assert not examine(Mesh(BOX.vertices, flipped)).watertight


def test_support_points_span_the_box_in_every_direction() -> None:
    mesh = small_hill(cells=200)
    few = support_points(mesh)
    assert len(few) < len(mesh.vertices) / 4
    for path in np.random.default_rng(0).normal(size=(50, 3)):
        assert (few @ path).max() == pytest.approx((mesh.vertices @ path).max(), abs=1e-9)


def test_a_picture_lies_on_its_mesh() -> None:
    hill = small_hill(cells=520)
    rng = np.random.default_rng(2)
    noisy = replace(hill, vertices=hill.vertices + rng.normal(0, 0.02, hill.vertices.shape))
    vertices, faces = picture_mesh(noisy, 50_000)
    known = {row.tobytes() for row in noisy.vertices.astype(np.float32)}
    assert all(row.tobytes() in known for row in vertices), "no vertex is made up: noise must not look like spikes"
    away, _ = cKDTree(noisy.vertices).query(vertices[faces].mean(axis=1))
    # Triangles of the upright step have no vertex of the mesh near their middle.
    assert np.percentile(away, 99) < 0.005 * noisy.size.max()


def test_picture_is_light_and_in_place() -> None:
    mesh = small_hill(cells=520)
    vertices, faces = picture_mesh(mesh, 50_000)
    assert len(faces) < 90_000
    assert np.allclose(vertices.min(axis=0), mesh.low, atol=0.2) and np.allclose(
        vertices.max(axis=0), mesh.high, atol=0.2
    )
