"""Pictures for docs/operations: each operation on a part of the sample shop, its path over the block that it leaves."""

import sys
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image, ImageDraw

from demo.make import MESHES
from nephos.core.cutters import Cutter, standard_cutter
from nephos.core.mesh.model import Mesh
from nephos.core.plan.boundary import Boundary, Limit
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.stock import Stock
from nephos.core.stages.run import run_setup
from nephos.core.stages.setup_outcome import Outcome, SetupOutcome
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work
from nephos.core.toolpath import Kind

WIDTH, HEIGHT = 720, 500
_WOOD, _PAPER = np.array([201, 169, 119]), (243, 241, 236)
_SHALLOW, _DEEP = np.array([143, 193, 196]), np.array([20, 33, 61])
_RAPID, _ENTRY = (194, 119, 43), (142, 47, 98)


@dataclass(frozen=True)
class Picture:
    """What one picture shows: operations before, then the one that is drawn; `window` is its part of the stock, x0, y0,
    x1, y1."""

    name: str
    mesh: str
    operations: tuple[Operation, ...]
    window: tuple[float, float, float, float]
    boundaries: tuple[Boundary, ...] = ()


def _op(
    number: int, strategy: str, cutter: Cutter, boundary: str = "silhouette", contain: str = "outside", **settings: Any
) -> Operation:
    return Operation(
        number=number,
        strategy=strategy,
        cutter=cutter,
        settings=settings,
        boundary=Limit(boundary=boundary, contain=contain),
    )


def pictures() -> list[Picture]:
    """All pictures, one for each strategy."""
    flat, small, ball, fine = (
        standard_cutter(*item) for item in (("flat", 6.0), ("flat", 3.0), ("ball", 3.0), ("ball", 1.0))
    )
    rough = _op(10, "rough_offset", flat, stepdown=4.0, stepover=2.6, leave=0.5)
    moth, close = (20.0, 30.0, 146.0, 117.5), (60.0, 50.0, 120.0, 91.7)
    spot = Boundary(id="b1", name="recess", source="circle", at=(30.0, 30.0), size=(18.0, 18.0))
    holes = Boundary(id="b2", name="dowels", source="circle", at=(14.0, 150.0), size=(6.0, 6.0), combine=())
    return [
        Picture("rough_offset", "moth-roundel", (rough,), moth),
        Picture(
            "rough_raster",
            "moth-roundel",
            (_op(10, "rough_raster", flat, angle=30.0, stepdown=4.0, stepover=2.6, leave=0.5),),
            moth,
        ),
        Picture(
            "rough_engagement",
            "moth-roundel",
            (_op(10, "rough_engagement", flat, stepdown=4.0, stepover=2.6, leave=0.5),),
            moth,
        ),
        Picture(
            "rough_plunge", "moth-roundel", (_op(10, "rough_plunge", flat, step_x=3.0, step_y=3.0, leave=0.5),), moth
        ),
        Picture(
            "finish_raster", "moth-roundel", (rough, _op(20, "finish_raster", ball, stepover=1.0, angle=30.0)), close
        ),
        Picture("finish_offset", "moth-roundel", (rough, _op(20, "finish_offset", ball, stepover=1.0)), moth),
        Picture(
            "finish_waterline",
            "moth-roundel",
            (rough, _op(20, "finish_waterline", ball, stepdown=0.6, steeper=35.0)),
            close,
        ),
        Picture(
            "finish_steep_shallow",
            "moth-roundel",
            (rough, _op(20, "finish_steep_shallow", ball, stepover=1.0, stepdown=0.6, split=40.0)),
            close,
        ),
        Picture(
            "rest",
            "moth-roundel",
            (
                rough,
                _op(20, "finish_raster", ball, stepover=0.5),
                _op(30, "finish_raster", fine, stepover=0.3, rest=0.15),
            ),
            close,
        ),
        Picture(
            "pocket",
            "moth-roundel",
            (_op(10, "pocket", small, "b1", "inside", depth=4.0, stepover=1.2),),
            (10.0, 16.0, 50.0, 44.0),
            (spot,),
        ),
        Picture(
            "drill",
            "moth-roundel",
            (_op(10, "drill", standard_cutter("drill", 5.0), "b2", "centre", depth=15.0),),
            (0.0, 136.0, 40.0, 164.0),
            (holes,),
        ),
        Picture(
            "cut_out",
            "moth-roundel",
            (
                _op(10, "rough_offset", flat, stepdown=4.0, stepover=2.6, leave=0.5),
                _op(20, "cut_out", flat, stepdown=4.0, tabs=5, tab_height=3.0),
            ),
            (0.0, 0.0, 240.0, 166.0),
        ),
    ]


def _cut(picture: Picture, mesh: Mesh) -> SetupOutcome:
    size = mesh.size
    stock = Stock(
        length=float(np.ceil(size[0] + 24)), width=float(np.ceil(size[1] + 24)), thickness=float(np.ceil(size[2] + 7))
    )
    setup = FaceSetup(id="a", name="a", operations=picture.operations)
    plan = Plan(
        stock=stock,
        models=(Model(id="m", name="m", mesh="m", placement=Placement()),),
        setups=(setup,),
        pitch=0.25,
        boundaries=picture.boundaries,
    )
    return run_setup(plan, setup, lambda _: mesh, Work(MemoryStore()))


def _shaded(done: SetupOutcome, picture: Picture, scale: float) -> Image.Image:
    """The block from above, lit from the upper left."""
    g, top = done.block.grid, done.block.top.astype(float)
    x0, y0, _, _ = picture.window
    xs = np.clip(np.rint((x0 + np.arange(WIDTH) / scale - g.x0) / g.pitch).astype(int), 0, g.nx - 1)
    ys = np.clip(np.rint((y0 + (HEIGHT - 1 - np.arange(HEIGHT)) / scale - g.y0) / g.pitch).astype(int), 0, g.ny - 1)
    dy, dx = np.gradient(top, g.pitch)
    light = np.clip((0.75 + 0.35 * (dx - dy)) / np.sqrt(1 + dx**2 + dy**2), 0.25, 1.15)
    colour = np.where((done.block.empty == 1)[..., None], np.array(_PAPER), np.clip(light[..., None] * _WOOD, 0, 255))
    return Image.fromarray(colour[np.ix_(ys, xs)].astype(np.uint8))


def _draw_path(image: Image.Image, outcome: Outcome, picture: Picture, scale: float) -> None:
    draw = ImageDraw.Draw(image)
    x0, y0, _, _ = picture.window
    points = outcome.points
    known = points[~np.isnan(points).any(axis=1)]
    low, high = float(known[:, 2].min()), 0.0
    flat = np.column_stack([(points[:, 0] - x0) * scale, HEIGHT - 1 - (points[:, 1] - y0) * scale])
    for k, kind in enumerate(outcome.kinds):
        a, b = flat[k], flat[k + 1]
        if not (np.isfinite(a).all() and np.isfinite(b).all()):
            continue
        share = float(np.clip((high - points[k + 1, 2]) / max(high - low, 1e-9), 0, 1))
        shade = tuple(int(v) for v in _SHALLOW + share * (_DEEP - _SHALLOW))
        tone = _RAPID if kind == Kind.RAPID else _ENTRY if kind == Kind.ENTRY else shade
        draw.line([tuple(a), tuple(b)], fill=tone, width=1)
        if picture.name in {"rough_plunge", "drill"} and kind == Kind.CUT:
            draw.ellipse([b[0] - 3, b[1] - 3, b[0] + 3, b[1] + 3], outline=shade)


def main() -> int:
    """Make the pictures into a folder, all or those named."""
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else Path("docs/operations")
    folder.mkdir(parents=True, exist_ok=True)
    meshes: dict[str, Mesh] = {}
    for picture in pictures():
        if len(sys.argv) > 2 and picture.name not in sys.argv[2:]:
            continue
        mesh = meshes.setdefault(picture.mesh, MESHES[picture.mesh]())
        done = _cut(picture, mesh)
        scale = WIDTH / (picture.window[2] - picture.window[0])
        image = _shaded(done, picture, scale)
        _draw_path(image, done.outcomes[-1], picture, scale)
        image.quantize(128).save(folder / f"{picture.name}.png", optimize=True)
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
