"""The models and the first block of a rotary setup: about the axis, and on the unrolled surface of the bar."""

from dataclasses import dataclass

import numpy as np
import shapely

from nephos.core.arrays import F64, Bool
from nephos.core.cutters import Cutter
from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh, joined
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.holding import Rotary
from nephos.core.plan.stock import Stock
from nephos.core.stock.bar import bar_block
from nephos.core.stock.block import Block
from nephos.core.surface.rotary import RotaryIndex, build_rotary_index

_FAR = 1e5
_END, _FACING = 0.02, 0.9
"""An end face lies within this share of the length from the end, and its normal has this share along the axis."""
_SKIN = 0.5
"""Cutters leave up to this much (mm) more than the core, as outlines are chords."""
_SIDES = 360
"""Sides of a spigot in the surface that cutters are dropped on."""


def spigot(x0: float, x1: float, radius: float) -> Mesh:
    """A closed cylinder about the axis from x0 to x1, no less than `radius` thick anywhere."""
    turn = np.arange(_SIDES) * 2 * np.pi / _SIDES
    out = radius / np.cos(np.pi / _SIDES)
    ring = np.column_stack([np.zeros(_SIDES), out * np.sin(turn), out * np.cos(turn)])
    vertices = np.concatenate([ring + np.array([x0, 0, 0]), ring + np.array([x1, 0, 0]), [[x0, 0, 0], [x1, 0, 0]]])
    k = np.arange(_SIDES, dtype=np.int32)
    n = np.roll(k, -1)
    left, right = np.full(_SIDES, 2 * _SIDES, np.int32), np.full(_SIDES, 2 * _SIDES + 1, np.int32)
    faces = np.concatenate(
        [
            np.stack([k, k + _SIDES, n + _SIDES], 1),
            np.stack([k, n + _SIDES, n], 1),
            np.stack([left, k, n], 1),
            np.stack([right, n + _SIDES, k + _SIDES], 1),
        ]
    )
    return Mesh(vertices, faces.astype(np.int32))


def bar_index(plan: Plan, rotary: Rotary, whole: Mesh) -> RotaryIndex:
    """The surface that no cutter may go into: the models, and a spigot beside them."""
    solid = joined([whole, *_spigots(plan, rotary, whole)])
    return build_rotary_index(solid.vertices, solid.faces, plan.stock.bar_radius)


def _spigots(plan: Plan, rotary: Rotary, whole: Mesh) -> list[Mesh]:
    """What is left thicker than the core between the models and the tailstock, about the axis."""
    low, high = float(whole.low[0]), float(whole.high[0])
    ends = (high, plan.stock.length) if rotary.chuck == "left" else (0.0, low)
    return [spigot(*ends, rotary.spigot / 2)] if rotary.spigot > rotary.core and ends[1] > ends[0] else []


def kept_of_bar(plan: Plan, matrix: F64, whole: Mesh) -> list[Mesh]:
    """What a face setup leaves standing of a bar that rotates in other setups: its core and its spigot.

    `matrix` (4, 4) takes stock space to the frame of the face setup, where `whole` are the models."""
    rotary, holder = plan.held_bar, next((setup for setup in plan.setups if setup.holding is not None), None)
    if rotary is None or holder is None:
        return []
    from_axis = matrix @ np.linalg.inv(holder.frame(plan.stock).matrix)
    solids = _spigots(plan, rotary, whole)
    if rotary.core > 0:
        solids.append(spigot(0.0, plan.stock.length, rotary.core / 2))
    return [solid.moved(from_axis) for solid in solids]


def holds_part(plan: Plan, mesh: Mesh, points: F64, normals: F64) -> Bool:
    """(n,) bool: which samples of the models' surface join them to the bar: inside core and spigot, and the end faces.

    `mesh` : the models in stock space; points and normals (n, 3) likewise. Nothing joins them on a board."""
    rotary, holder = plan.held_bar, next((setup for setup in plan.setups if setup.holding is not None), None)
    if rotary is None or holder is None:
        return np.zeros(len(points), np.bool_)
    frame = holder.frame(plan.stock).matrix
    about, out = points @ frame[:3, :3].T + frame[:3, 3], normals @ frame[:3, :3].T
    whole = mesh.moved(frame)
    low, high = float(whole.low[0]), float(whole.high[0])
    near = _END * (high - low)
    left = (about[:, 0] < low + near) & (out[:, 0] < -_FACING)
    right = (about[:, 0] > high - near) & (out[:, 0] > _FACING)
    thickest = max(rotary.core, rotary.spigot) / 2 + _SKIN
    found: Bool = left | right | (np.hypot(about[:, 1], about[:, 2]) <= thickest)
    return found


def between_chuck_and_tailstock(plan: Plan, cutter: Cutter, height: float) -> shapely.Geometry:
    """Where the axis of a cutter may be on the plan of a face setup on a bar, with its tip no lower than `height` mm
    over the bar's axis; everywhere on a board."""
    if plan.held_bar is None:
        return shapely.box(-_FAR, -_FAR, _FAR, _FAR)
    limits = cutter_limits(plan.stock, plan.held_bar, cutter, height)
    return shapely.box(limits.low, -_FAR, limits.high, _FAR) if limits.low < limits.high else shapely.Polygon()


def swept_radius(mesh: Mesh) -> float:
    """Radius (mm) that a mesh about the axis sweeps."""
    return float(np.hypot(mesh.vertices[:, 1], mesh.vertices[:, 2]).max())


def check_fits(plan: Plan, mesh: Mesh) -> None:
    """Refuse models that are larger than the bar, with the numbers.

    Raises
    ------
    Refused
        Where the swept diameter is more than the bar's, or the models are longer than the bar.
    """
    swept, stock = 2 * swept_radius(mesh), plan.stock
    across = min(stock.width, stock.thickness)
    if swept > across + 1e-6:
        raise Refused(
            f"the models sweep a diameter of {swept:.2f} mm, more than the bar's {across:g} mm: take a thicker bar, "
            "scale them to fit, or centre them on the axis"
        )
    if float(mesh.low[0]) < -1e-6 or float(mesh.high[0]) > stock.length + 1e-6:
        raise Refused(
            f"the models lie from X {float(mesh.low[0]):.2f} to {float(mesh.high[0]):.2f} mm on a bar of "
            f"{stock.length:g} mm: "
            "move them or take a longer bar"
        )


_NOT_ON_BARS = {
    "level": "all",
    "facing": 90.0,
    "layer": 0.0,
    "outline": "off",
}
"""Settings of finishing that go by a surface seen from above, and what leaves them out."""


def check_settings(operation: Operation) -> None:
    """Refuse settings that say nothing on a bar.

    Raises
    ------
    Refused
        With the names of what is to be set back.
    """
    fields = type(operation.settings).model_fields
    wrong = [
        f"'{fields[name].title}'"
        for name, usual in _NOT_ON_BARS.items()
        if name in fields and getattr(operation.settings, name) != usual
    ]
    if wrong:
        raise Refused(
            f"operation {operation.number}: {', '.join(wrong)} cannot be used on a bar that rotates: set it back"
        )


@dataclass(frozen=True)
class Limits:
    """Between which places (mm along the bar) the axis of a cutter may be, and what sets each end."""

    low: float
    high: float


def cutter_limits(stock: Stock, rotary: Rotary, cutter: Cutter, lowest: float) -> Limits:
    """Where a cutter may go along the bar without coming near chuck and tailstock.

    `lowest` is the lowest tip radius: what of cutter, shank and holder then is no higher than chuck or centre must keep
    its own radius and the clearance from it.
    """
    bodies = [(cutter.radius, 0.0), *((radius, height) for _, radius, height in cutter.bodies)]

    def reach(diameter: float) -> float:
        top = diameter / 2 + rotary.clearance
        return max([radius for radius, height in bodies if lowest + height < top], default=0.0) + rotary.clearance

    held = rotary.grip + reach(rotary.chuck_diameter)
    other = reach(rotary.centre_diameter) if rotary.tailstock == "centre" else -cutter.radius
    low, high = (held, stock.length - other) if rotary.chuck == "left" else (other, stock.length - held)
    return Limits(low, high)


def bar_region(stock: Stock, rotary: Rotary, cutter: Cutter, lowest: float) -> shapely.Geometry:
    """Where the axis of a cutter may be on the unrolled surface; empty where chuck and tailstock leave nothing."""
    limits = cutter_limits(stock, rotary, cutter, lowest)
    if limits.low >= limits.high:
        return shapely.Polygon()
    return shapely.box(limits.low, 0.0, limits.high, 2 * np.pi * stock.bar_radius)


def within_thick_ends(rotary: Rotary, mesh: Mesh) -> shapely.Geometry:
    """Where the axis of a cutter may be beside ends that stay thick: no farther than the models' end. `mesh` : the
    models about the axis."""
    left, right = rotary.left_thick
    return shapely.box(float(mesh.low[0]) if left else -_FAR, -_FAR, float(mesh.high[0]) if right else _FAR, _FAR)


def first_bar(plan: Plan) -> Block:
    """The bar before the first cut."""
    stock = plan.stock
    square = None if stock.is_round else (stock.width, stock.thickness)
    return bar_block(stock.length, stock.bar_radius, plan.block_pitch, square)


def box_on_bar(mesh: Mesh, radius: float) -> shapely.Geometry:
    """The box of a mesh about the axis on the unrolled surface: its length, all round."""
    return shapely.box(float(mesh.low[0]), 0.0, float(mesh.high[0]), 2 * np.pi * radius)
