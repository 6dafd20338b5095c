"""Every format: what one program writes is read as it was; what is broken or hostile gets a sentence."""

import io
import json
import struct
import subprocess
import zipfile

import numpy as np
import pytest
import trimesh
from PIL import Image

from meshes import box_mesh
from nephos.core.errors import NotYet, Refused
from nephos.core.mesh import sandbox as fence
from nephos.core.mesh.examine import examine
from nephos.core.mesh.formats import check_name, read_mesh, write_mesh
from nephos.core.mesh.formats.registry import formats
from nephos.core.mesh.summary import unit_guess

pytestmark = pytest.mark.long

BOX = box_mesh((0, 0, 0), (30, 20, 10))


def written(kind: str) -> bytes:
    data = trimesh.Trimesh(BOX.vertices, BOX.faces, process=False).export(file_type=kind)
    return data if isinstance(data, bytes) else data.encode()


def packed(**files: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name.replace("__", "/").replace("_dot_", "."), data)
    return out.getvalue()


def picture(array: np.ndarray, kind: str) -> bytes:
    out = io.BytesIO()
    Image.fromarray(array).save(out, kind)
    return out.getvalue()


@pytest.mark.parametrize("kind", ["stl", "obj", "ply", "off", "3mf"])
def test_a_box_comes_back_whole(kind: str) -> None:
    mesh = read_mesh(f"box.{kind}", written(kind))
    found = examine(mesh)
    assert found.triangles == 12 and found.watertight and found.volume == pytest.approx(6000)
    assert mesh.low == pytest.approx([0, 0, 0]) and mesh.high == pytest.approx([30, 20, 10])


def test_gltf_is_in_metres_with_y_up() -> None:
    scene = trimesh.Trimesh(BOX.vertices / 1000, BOX.faces, process=False)
    mesh = read_mesh("box.glb", scene.export(file_type="glb"))
    assert unit_guess(mesh) == {"name": "m", "mm": 1000.0, "sure": True}
    # What was Y in the file stands up now.
    assert mesh.size * 1000 == pytest.approx([30, 10, 20], abs=1e-3)
    assert examine(mesh).volume is None or examine(mesh).volume > 0


def test_parts_of_a_scene_lie_where_the_scene_puts_them() -> None:
    solid = trimesh.Trimesh(BOX.vertices, BOX.faces, process=False)
    scene = trimesh.Scene()
    scene.add_geometry(solid)
    scene.add_geometry(solid, transform=trimesh.transformations.translation_matrix([100, 0, 0]))
    mesh = read_mesh("two.3mf", scene.export(file_type="3mf"))
    assert len(mesh.faces) == 24 and mesh.size[0] == pytest.approx(130)


@pytest.mark.parametrize(("unit", "mm"), [("inch", 25.4), ("centimeter", 10.0), ("micron", 0.001)])
def test_the_unit_of_a_3mf_is_taken_from_it(unit: str, mm: float) -> None:
    archive = zipfile.ZipFile(io.BytesIO(written("3mf")))
    files = {item.filename.replace("/", "__").replace(".", "_dot_"): archive.read(item) for item in archive.infolist()}
    changed = {name: data.replace(b'unit="millimeter"', f'unit="{unit}"'.encode()) for name, data in files.items()}
    assert changed != files
    assert read_mesh("a.3mf", packed(**changed)).unit == mm


@pytest.mark.parametrize(("size", "name"), [(200.0, "mm"), (6.0, "inch"), (0.3, "m"), (1200.0, "mm"), (0.000001, "mm")])
def test_the_unit_is_guessed_and_said_to_be_a_guess(size: float, name: str) -> None:
    mesh = box_mesh((0, 0, 0), (size, size / 2, size / 9))
    assert unit_guess(mesh)["name"] == name and not unit_guess(mesh)["sure"]


@pytest.mark.parametrize("kind", ["stl", "ply", "3mf"])
def test_what_is_written_is_read_back(kind: str) -> None:
    back = read_mesh(f"a.{kind}", write_mesh(f"a.{kind}", BOX))
    assert examine(back).volume == pytest.approx(6000) and back.high == pytest.approx([30, 20, 10])


def test_a_kind_that_is_not_written_says_which_are() -> None:
    with pytest.raises(Refused, match=r"use \.3mf, \.ply, \.png, \.stl"):
        write_mesh("a.obj", BOX)


@pytest.mark.parametrize(
    ("array", "kind"),
    [
        ((np.arange(60).reshape(6, 10) * 4).astype(np.uint8), "PNG"),
        ((np.arange(60).reshape(6, 10) * 1000).astype(np.uint16), "PNG"),
        ((np.arange(60).reshape(6, 10) * 1000).astype(np.uint16), "TIFF"),
    ],
)
def test_a_grey_picture_is_a_relief(array: np.ndarray, kind: str) -> None:
    mesh = read_mesh(f"relief.{'png' if kind == 'PNG' else 'tif'}", picture(array, kind))
    assert mesh.size == pytest.approx([200, 200 * 5 / 9, 20])
    # The last row of the picture is the front, and its last point the highest.
    top = mesh.vertices[mesh.vertices[:, 2].argmax()]
    assert top == pytest.approx([200, 0, 20])
    up = np.cross(*(mesh.vertices[mesh.faces[:, k]] - mesh.vertices[mesh.faces[:, 0]] for k in (1, 2)))
    assert (up[:, 2] > 0).all()
    assert any("no size" in note for note in mesh.repairs)


def test_16_bits_are_not_rounded_to_8() -> None:
    array = np.tile(np.arange(1000, dtype=np.uint16), (4, 1)) + 30000
    mesh = read_mesh("a.png", picture(array, "PNG"))
    assert len(np.unique(mesh.vertices[:, 2])) == 1000


def test_a_mesh_in_an_archive_is_found_and_named() -> None:
    data = packed(
        readme_dot_txt=b"hello",
        models__box_dot_stl=written("stl"),
        __MACOSX_____dot__box_dot_stl=b"x" * 50,
        box_dot_png=picture(np.arange(64, dtype=np.uint8).reshape(8, 8), "PNG"),
    )
    mesh = read_mesh("bought.zip", data)
    assert len(mesh.faces) == 12 and "box.stl was read" in mesh.repairs[0]


STL, OBJ = written("stl"), written("obj")
_MODEL = "3D__3dmodel_dot_model"


def deep_bomb() -> bytes:
    """A 3MF that asks an XML reader to write ten thousand million letters."""
    entities = "".join(f'<!ENTITY l{k} "{f"&l{k - 1};" * 10}">' for k in range(1, 10))
    text = f'<?xml version="1.0"?><!DOCTYPE model [<!ENTITY l0 "ha">{entities}]><model unit="millimeter">&l9;</model>'
    return packed(**{_MODEL: text.encode()})


HOSTILE: dict[str, tuple[str, bytes, str]] = {
    "empty": ("a.obj", b"   \n", "the file is empty"),
    "obj, no faces": ("a.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\n", "no triangles"),
    "obj, prose": ("a.obj", b"Dear Sir or Madam\n" * 20, "no triangles|damaged"),
    "obj, faces to nowhere": ("a.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 99\n", "damaged|no triangles"),
    "obj, no numbers": ("a.obj", OBJ.replace(b"30", b"nan"), "no numbers|no triangles|without area|damaged"),
    "ply, cut off": ("a.ply", written("ply")[:-40], "damaged"),
    "ply, lies about its count": ("a.ply", written("ply").replace(b"face 12", b"face 9912"), "damaged"),
    "ply, a cloud of points": (
        "a.ply",
        b"ply\nformat ascii 1.0\nelement vertex 2\nproperty float x\nproperty float y\nproperty float z\n"
        b"end_header\n0 0 0\n1 1 1\n",
        "point cloud|no triangles|damaged",
    ),
    "ply, huge count": (
        "a.ply",
        b"ply\nformat binary_little_endian 1.0\nelement vertex 99999999999\nproperty float x\nproperty float y\n"
        b"property float z\nend_header\n" + b"\0" * 64,
        "damaged|memory",
    ),
    "off, prose": ("a.off", b"OFF\nnot a number\n", "damaged|no triangles"),
    "off, huge count": ("a.off", b"OFF\n999999999 999999999 0\n0 0 0\n", "damaged|no triangles|memory"),
    "glb, cut off": ("a.glb", written("glb")[:60], "damaged"),
    "glb, wrong magic": ("a.glb", b"glTG" + written("glb")[4:], "no glTF file"),
    "glb, lies about its length": ("a.glb", b"glTF" + struct.pack("<II", 2, 2**31) + b"\xff" * 30, "damaged"),
    "gltf, elsewhere": (
        "a.gltf",
        json.dumps({"asset": {"version": "2.0"}, "buffers": [{"uri": "../../secret.bin", "byteLength": 9}]}).encode(),
        "export it as GLB",
    ),
    "gltf, a list": ("a.gltf", b"[1, 2]", "damaged|no glTF"),
    "3mf, no archive": ("a.3mf", b"PK but no more", "archive is damaged"),
    "3mf, no model": ("a.3mf", packed(readme_dot_txt=b"x"), "no model in it"),
    "3mf, entities": ("a.3mf", deep_bomb(), "XML entities"),
    "3mf, broken xml": ("a.3mf", packed(**{_MODEL: b"<model unit='inch'><resources>"}), "damaged"),
    "3mf, bomb": ("a.3mf", packed(**{_MODEL: b" " * 200_000_000}), "too much for its"),
    "zip, nothing in it": ("a.zip", packed(letter_dot_txt=b"x"), "no mesh in this archive"),
    "zip, in a zip": ("a.zip", packed(inner_dot_zip=packed(box_dot_stl=STL)), "no mesh in this archive"),
    "zip, bomb": ("a.zip", packed(box_dot_stl=b"\0" * 200_000_000), "too much for its"),
    "zip, many files": ("a.zip", packed(**{f"f{k}_dot_txt": b"" for k in range(10_050)}), "too many"),
    "zip, broken inside": ("a.zip", packed(box_dot_obj=b"\xff\xfe\x00" * 99), "no triangles|damaged"),
    "png, prose": ("a.png", b"Dear Sir or Madam", "no PNG or TIFF"),
    "png, cut off": (
        "a.png",
        picture(np.random.default_rng(1).integers(0, 255, (60, 60), np.uint8), "PNG")[:900],
        "damaged",
    ),
    "png, one grey": ("a.png", picture(np.full((9, 9), 40, np.uint8), "PNG"), "all of one grey"),
    "png, one line": ("a.png", picture(np.arange(9, dtype=np.uint8)[None], "PNG"), "less than two points"),
    "unknown kind": ("a.dwg", b"x", "not of a kind that can be read"),
}


@pytest.mark.parametrize("case", HOSTILE)
def test_broken_and_hostile_files_get_a_sentence(case: str) -> None:
    name, data, said = HOSTILE[case]
    with pytest.raises(Refused, match=said) as told:
        read_mesh(name, data)
    text = str(told.value)
    assert "Traceback" not in text and "\n" not in text and len(text) < 200


def test_the_sandbox_stops_a_reader_that_eats_memory_or_never_ends(monkeypatch: pytest.MonkeyPatch) -> None:
    big = b"".join(b"v %d %d %d\n" % (k, k * 7 % 1000, k % 13) for k in range(600_000)) + b"f 1 2 3\n" * 1_500_000
    with pytest.raises(Refused, match="memory to be read"):
        fence.sandboxed("obj", big, "OBJ", memory=300 * 2**20)
    with pytest.raises(Refused, match="took more than 1 s") as told:
        fence.sandboxed("obj", big, "OBJ", seconds=1)
    assert not isinstance(told.value, NotYet), "what the file itself asks for stays refused"


def test_a_small_file_on_a_busy_machine_may_be_tried_again(monkeypatch: pytest.MonkeyPatch) -> None:
    """The clock is no measure of a file: a reader that waits for its turn is given ten times its processor time."""
    small = b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"
    given: list[float] = []

    def busy(words: list[str], **more: float) -> None:
        given.append(more["timeout"])
        raise subprocess.TimeoutExpired(words, more["timeout"])

    monkeypatch.setattr(fence.subprocess, "run", busy)
    with pytest.raises(NotYet, match=r"too busy.*import it again"):
        fence.sandboxed("obj", small, "OBJ")
    assert given == [10 * fence.SECONDS]


def test_every_format_is_told_by_its_suffix_whatever_its_case() -> None:
    assert {".stl", ".obj", ".ply", ".3mf", ".glb", ".gltf", ".off", ".png", ".tif", ".tiff", ".zip"} == set(formats())
    check_name("BOX.STL")
    with pytest.raises(Refused, match=r"'letter\.doc' is not of a kind"):
        check_name("somewhere/letter.doc")
