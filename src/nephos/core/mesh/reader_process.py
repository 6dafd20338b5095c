"""The child process in the sandbox: reads one file with a library and hands its arrays back.

It imports nothing of Nephos but the readers here, starts with its limits set and ends after one file.
"""

import io
import json
import re
import resource
import sys
import warnings
import zipfile
from collections.abc import Callable
from types import ModuleType
from typing import Any, cast

Found = tuple[Any, Any, list[str], float | None]


_UNNEEDED = ("networkx", "scipy")
"""What the library would load besides and reading has no need of: two thirds of the time that a small file takes."""


class Unusable(Exception):
    """What the person who brought the file is told."""


def _scene(data: bytes, suffix: str, **more: Any) -> tuple[Any, Any]:
    """Vertices (n, 3) and faces (m, 3) of all that a file holds, each part where the file puts it."""
    for name in _UNNEEDED if suffix != "3mf" else ():
        # None in the place of a module makes its import fail: the library goes on without it.
        cast(dict[str, ModuleType | None], sys.modules).setdefault(name, None)
    import numpy as np
    import trimesh

    scene = trimesh.load_scene(io.BytesIO(data), file_type=suffix, process=False, **more)
    parts = [part for part in scene.dump() if isinstance(part, trimesh.Trimesh) and len(part.faces)]
    if not parts:
        points = [part.vertices for part in scene.dump() if hasattr(part, "vertices")]
        return (np.concatenate(points) if points else np.empty((0, 3))), np.empty((0, 3), np.int32)
    starts = np.cumsum([0, *(len(part.vertices) for part in parts[:-1])])
    return (
        np.concatenate([part.vertices for part in parts]),
        np.concatenate([part.faces + start for part, start in zip(parts, starts, strict=True)]),
    )


def _plain(kind: str) -> Callable[[bytes], Found]:
    def read(data: bytes) -> Found:
        vertices, faces = _scene(data, kind)
        return vertices, faces, [], None

    return read


def _gltf(data: bytes) -> Found:
    if data[:4] == b"glTF":
        vertices, faces = _scene(data, "glb")
    else:
        try:
            document = json.loads(data)
        except ValueError:
            raise Unusable("this is no glTF file: it is neither GLB nor JSON") from None
        named = [item.get("uri", "") for item in document.get("buffers", []) if isinstance(item, dict)]
        outside = [uri for uri in named if not uri.startswith("data:")]
        if outside:
            raise Unusable(
                f"this glTF file keeps its mesh in another file ({outside[0][:60]}): export it as GLB, which holds all"
            )
        vertices, faces = _scene(data, "gltf")
    # glTF 2.0, section 3.4: lengths are metres and +Y is up; here +Z is.
    return vertices[:, [0, 2, 1]] * [1, -1, 1], faces, ["glTF has Y up: it was turned so that Z is up"], 1000.0


_UNITS_3MF = {"micron": 0.001, "millimeter": 1.0, "centimeter": 10.0, "inch": 25.4, "foot": 304.8, "meter": 1000.0}
_MOST_UNPACKED = 2 * 2**30
_WORST_RATIO = 300


def check_archive(data: bytes) -> zipfile.ZipFile:
    """Open an archive after looking at what it says of itself: sizes, ratio, names."""
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
    except zipfile.BadZipFile:
        raise Unusable("the archive is damaged: it cannot be opened; pack or export it again") from None
    items = archive.infolist()
    unpacked = sum(item.file_size for item in items)
    if len(items) > 10_000:
        raise Unusable(f"the archive holds {len(items)} files: too many to look through; pack the mesh alone")
    if unpacked > _MOST_UNPACKED or unpacked > _WORST_RATIO * max(len(data), 100_000):
        raise Unusable(
            f"the archive would unpack to {unpacked / 2**20:.0f} MB, too much for its "
            f"{len(data) / 2**20:.1f} MB: it is not opened"
        )
    if any(item.flag_bits & 1 for item in items):
        raise Unusable("the archive is locked with a password: pack it again without")
    return archive


def unpacked(archive: zipfile.ZipFile, item: zipfile.ZipInfo) -> bytes:
    """One file of an archive, never more of it than the archive said."""
    with archive.open(item) as source:
        data = source.read(item.file_size + 1)
    if len(data) > item.file_size:
        raise Unusable("the archive holds more than it says: it is not opened")
    return data


def _threemf(data: bytes) -> Found:
    archive = check_archive(data)
    models = [item for item in archive.infolist() if item.filename.lower().endswith(".model")]
    if not models:
        raise Unusable("this is no 3MF file: there is no model in it")
    unit = 1.0
    for item in models:
        text = unpacked(archive, item)
        head = text[: text.find(b"<object") if b"<object" in text else 100_000]
        if b"<!DOCTYPE" in text[:100_000] or b"<!ENTITY" in text:
            raise Unusable("this 3MF file defines its own XML entities, which a model has no need of: it is not opened")
        found = re.search(rb'<model[^>]*\bunit="([a-z]+)"', head)
        if found:
            unit = _UNITS_3MF.get(found.group(1).decode(), 1.0)
    vertices, faces = _scene(data, "3mf")
    return vertices, faces, [], unit


def _image(data: bytes) -> Found:
    from nephos.core.mesh.formats.height_grid import height_grid

    try:
        return height_grid(data)
    except ValueError as reason:
        raise Unusable(str(reason)) from None


def _as_runs(runs: list[list[tuple[float, float]]]) -> tuple[Any, Any]:
    """Lines on the plan as points (n, 3), and for each its first point, its last, and whether it is closed."""
    import numpy as np

    points, spans, count = [], [], 0
    for run in runs:
        if len(run) < 2:
            continue
        closed = len(run) > 3 and abs(run[0][0] - run[-1][0]) + abs(run[0][1] - run[-1][1]) < 1e-6
        points += [(x, y, 0.0) for x, y in run]
        spans.append((count, count + len(run) - 1, int(closed)))
        count += len(run)
    return np.array(points, np.float64).reshape(-1, 3), np.array(spans, np.int64).reshape(-1, 3)


_PX = 25.4 / 96
"""Millimetres to a CSS pixel (CSS Values and Units 3, section 6.2)."""
_CHORD = 0.005


def _svg(data: bytes) -> Found:
    import svgelements

    if b"<!ENTITY" in data:
        raise Unusable("this SVG file defines its own XML entities, which a drawing has no need of: it is not opened")
    try:
        drawing = svgelements.SVG.parse(io.BytesIO(data), ppi=96)
    except Exception:
        raise Unusable("this is no SVG file that can be read: export it again as plain SVG") from None
    # The page stands on the low corner of the stock, so its lower edge is at Y 0.
    page = float(drawing.height) if isinstance(drawing.height, int | float) else 0.0
    runs = []
    for item in drawing.elements():
        if not isinstance(item, svgelements.Shape):
            continue
        for part in svgelements.Path(item).as_subpaths():
            run: list[tuple[float, float]] = []
            for segment in svgelements.Path(part):
                if isinstance(segment, svgelements.Move):
                    run = [(segment.end.x, segment.end.y)]
                    continue
                straight = isinstance(segment, svgelements.Line | svgelements.Close)
                count = 1 if straight else max(int(segment.length(error=1e-3) * _PX / 0.25) + 4, 8)
                for k in range(1, count + 1):
                    at = segment.point(k / count)
                    run.append((at.x, at.y))
            runs.append([(x * _PX, (page - y) * _PX) for x, y in run])
    points, spans = _as_runs(runs)
    return points, spans, [], 1.0


def _dxf(data: bytes) -> Found:
    import ezdxf
    from ezdxf import disassemble, path, recover, units

    try:
        drawing, _ = recover.read(io.BytesIO(data))
    except (ezdxf.DXFError, OSError):
        raise Unusable(
            "this is no DXF file that can be read: export it again, as text and of an older version if need be"
        ) from None
    scale = units.conversion_factor(drawing.units, units.MM) if drawing.units else 1.0
    runs = []
    for item in disassemble.recursive_decompose(drawing.modelspace()):
        try:
            parts = path.make_path(item).sub_paths()
            runs += [[(at.x * scale, at.y * scale) for at in part.flattening(_CHORD / scale)] for part in parts]
        except TypeError:
            continue  # Texts, dimensions and the like have no way to follow.
    points, spans = _as_runs(runs)
    return points, spans, [] if drawing.units else ["the drawing names no unit: millimetres were taken"], 1.0


READERS: dict[str, Callable[[bytes], Found]] = {
    "obj": _plain("obj"),
    "ply": _plain("ply"),
    "off": _plain("off"),
    "gltf": _gltf,
    "3mf": _threemf,
    "image": _image,
    "svg": _svg,
    "dxf": _dxf,
}


def main() -> int:
    """`child KEY SOURCE TARGET MEMORY SECONDS LARGEST`: 0 done, 3 refused with a sentence, 4 out of memory, else
    broken."""
    key, source, target, memory, seconds, largest = sys.argv[1:]
    import numpy as np

    resource.setrlimit(resource.RLIMIT_AS, (int(memory), int(memory)))
    resource.setrlimit(resource.RLIMIT_CPU, (int(seconds), int(seconds) + 2))
    resource.setrlimit(resource.RLIMIT_FSIZE, (int(largest), int(largest)))
    warnings.simplefilter("ignore")
    try:
        with open(source, "rb") as file:
            vertices, faces, notes, unit = READERS[key](file.read())
        faces = np.asarray(faces)
        if len(faces) and (faces.min() < 0 or faces.max() >= len(vertices)):
            raise Unusable("the file is damaged: its faces name corners that it does not hold; export it again")
        facts = json.dumps({"notes": notes, "unit": unit})
        np.savez(target, vertices=np.asarray(vertices, np.float64), faces=faces.astype(np.int32), facts=np.array(facts))
    except Unusable as reason:
        print(json.dumps({"refused": str(reason)}))
        return 3
    except MemoryError:
        return 4
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
