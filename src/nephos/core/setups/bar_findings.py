"""Findings on a part that rotates: what it sweeps, what chuck and tailstock leave of it, and whether core and bar
hold."""

from math import ceil, pi

import numpy as np

from nephos.core.arrays import F64, Bool
from nephos.core.finding import Finding, Fix
from nephos.core.findings.finished import SCRAP
from nephos.core.mesh.summary import MeshSummary
from nephos.core.plan.bar_place import swept_diameter
from nephos.core.plan.bar_stress import HeldBar
from nephos.core.plan.force import bending_strength, cutting_push, elastic_modulus
from nephos.core.plan.model import Model
from nephos.core.plan.place import Placed
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.holding import Rotary
from nephos.core.setups.bar import cutter_limits
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.stock.bar_pieces import loose_pieces
from nephos.core.units import Units, length_in, size_in

BENDS = 0.1
"""A bar that bends by more than this (mm) gets a finding."""
_CELL, _ROWS = 1.0, 180
"""Overhangs are looked for in cells so long (mm), so many to a turn."""
RESERVE = 1 / 3
"""Of the strength of a material so much is used."""
_HIDDEN = 0.02
"""From this share of the surface on overhangs get a finding."""
_HAIR = 1e-3


def swept_findings(plan: Plan, model: Model, box: Placed, look: MeshSummary | None) -> list[Finding]:
    """Whether what a model sweeps about the axis lies in the bar, in diameters; known from points of its hull."""
    if look is None:
        return []
    mm, size = length_in(plan.units), size_in(plan.units)
    stock = plan.stock
    swept = swept_diameter(model, look, stock)
    found = []
    fix = Fix("Fit it into the bar", {"do": "fit_bar", "model": model.id})
    if swept > min(stock.width, stock.thickness) + _HAIR:
        thicker = float(ceil(swept + 1))
        found.append(
            Finding(
                "beyond-bar",
                "stop",
                model.id,
                f"the model sweeps a diameter of {mm(swept)}, more than the bar's "
                f"{mm(min(stock.width, stock.thickness))}: "
                "its height counts on both sides of the axis",
                "scale it to fit, take a thicker bar, or centre it on the axis",
                fixes=(
                    fix,
                    Fix(f"Take a bar of {size(thicker)}", {"do": "set_bar", "diameter": thicker}),
                ),
            )
        )
    over = max(-float(box.low[0]), float(box.high[0]) - stock.length)
    if over > _HAIR:
        found.append(
            Finding(
                "beyond-bar-end",
                "stop",
                model.id,
                f"the model is {mm(over)} outside the bar along X",
                "move it, make it smaller, or take a longer bar",
                fixes=(fix,),
            )
        )
    return found


def _limits(done: SetupOutcome, rotary: Rotary, units: Units) -> list[Finding]:
    """How much of the model chuck and tailstock keep the cutters away from."""
    space, mm, found = done.space, length_in(units), []
    low, high = float(space.mesh.low[0]), float(space.mesh.high[0])
    for outcome in done.outcomes:
        cutter, limit = outcome.operation.cutter, outcome.operation.boundary
        # An offset asks for more than the model's end.
        past = limit.past(cutter.radius) - limit.offset
        pasts = [min(past, 0.0) if thick else past for thick in rotary.left_thick]
        limits = cutter_limits(space.plan.stock, rotary, cutter, space.floor)
        shorts = (("left", limits.low - low), ("right", high - limits.high))
        for (name, short), beyond in zip(shorts, pasts, strict=True):
            missing = short + beyond
            if missing > _HAIR:
                what = "chuck" if name == rotary.chuck else "tailstock"
                found.append(
                    Finding(
                        "kept-off-end",
                        "caution",
                        str(outcome.operation.number),
                        f"the {what} keeps the cutter from the model's {name} end: {mm(missing)} are missing",
                        "move the model, take a longer bar, or a cutter that stands out farther",
                    )
                )
    return found


def _held(done: SetupOutcome, rotary: Rotary) -> HeldBar:
    """The bar as the setup leaves it, from the chuck on."""
    grid = done.block.grid
    free = grid.xs > rotary.grip if rotary.chuck == "left" else grid.xs < done.space.plan.stock.length - rotary.grip
    radii = done.block.top.min(axis=0).astype(np.float64)[free]
    return HeldBar(radii if rotary.chuck == "left" else radii[::-1], grid.pitch, rotary.tailstock == "centre")


def _bending(done: SetupOutcome, rotary: Rotary, units: Units) -> list[Finding]:
    """How much the thinnest section of the bar bends under the cutter, held at one end or at both."""
    space, mm = done.space, length_in(units)
    plan = space.plan
    if not done.outcomes:
        return []
    number, push = max(
        ((str(o.operation.number), cutting_push(plan, o.operation)) for o in done.outcomes), key=lambda item: item[1]
    )
    if rotary.core <= 0:
        return [
            Finding(
                "no-core",
                "stop",
                "stock",
                "there is no core: the model comes free of the bar",
                "give the setup a core that holds, such as 8 mm",
                fixes=(Fix("A core of 8 mm", {"do": "set_rotary", "setup": space.setup.id, "change": {"core": 8.0}}),),
            )
        ]
    bends = _held(done, rotary).bends(push, elastic_modulus(plan.stock.material))
    if bends <= BENDS:
        return []
    return [
        Finding(
            "bar-bends",
            "caution",
            number,
            f"the bar bends by about {mm(round(bends, 2))} under the {push:.0f} N of the cutter",
            "make the stepdown smaller, the core thicker, or hold the bar with a tailstock"
            if rotary.tailstock == "none"
            else "make the stepdown smaller or the core thicker",
        )
    ]


def _breaking(done: SetupOutcome, rotary: Rotary, units: Units) -> list[Finding]:
    """Whether the bar may break at its thinnest section, such as a parting groove, under the cutter's push."""
    plan, mm = done.space.plan, length_in(units)
    if rotary.core <= 0 or not done.outcomes:
        return []
    push, number = max((cutting_push(plan, o.operation), str(o.operation.number)) for o in done.outcomes)
    held = _held(done, rotary)
    stress = held.stress(push)
    at = int(stress.argmax())
    allowed = bending_strength(plan.stock.material) * RESERVE
    if stress[at] <= allowed:
        return []
    radius = float(held.radii[at])
    need = 2 * radius * float(stress[at] / allowed) ** (1 / 3)
    x = rotary.grip + float(held.places[at])
    x = x if rotary.chuck == "left" else plan.stock.length - x
    return [
        Finding(
            "bar-breaks",
            "caution",
            number,
            f"at X{x:.1f} the bar is {mm(round(2 * radius, 1))} thick: the {push:.0f} N of the cutter "
            f"stress it by {float(stress[at]):.1f} N/mm², it should bear {allowed:.1f}",
            f"leave {mm(round(need + 0.05, 1))} there, or make the stepdown smaller",
            (x, 0.0, radius),
        )
    ]


def _loose(done: SetupOutcome, rotary: Rotary, units: Units) -> list[Finding]:
    """Pieces that are no longer joined to the bar when the setup ends."""
    if not done.outcomes:
        return []
    mm = length_in(units)
    row = str(done.outcomes[-1].operation.number)
    return [
        Finding(
            "scrap-free",
            "caution",
            row,
            f"a piece of {mm(round(piece.size[0], 1))} along the bar and {mm(round(piece.size[1], 1))} across comes "
            "free and may be "
            "thrown",
            "leave a thicker core there, or take it away in layers first",
            piece.place,
        )
        for piece in loose_pieces(done.block, rotary.chuck, SCRAP)[:3]
    ]


def _over_other_surface(middle: F64, radius: F64, outward: Bool) -> Bool:
    """(n,) whether surface that faces outward lies nearer to the axis than each of the places (n, 3), seen from where
    they are: under a bore, such as that of a relief wrapped round the bar, there is only material that stays."""
    x = ((middle[:, 0] - middle[:, 0].min()) / _CELL).astype(np.int64)
    turn = ((np.arctan2(middle[:, 1], middle[:, 2]) % (2 * pi)) / (2 * pi) * _ROWS).astype(np.int64) % _ROWS
    cell = x * _ROWS + turn
    lowest = np.full(int(cell.max(initial=0)) + 1, np.inf)
    np.minimum.at(lowest, cell[outward], radius[outward])
    found: Bool = lowest[cell] < radius
    return found


def _overhangs(done: SetupOutcome, units: Units) -> list[Finding]:
    """Surface that faces the axis or hides behind other surface: no cutter along the radius comes there."""
    mesh, mm = done.space.mesh, length_in(units)
    corners = mesh.vertices[mesh.faces]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    areas = np.linalg.norm(normals, axis=1)
    middle = corners.mean(axis=1)
    out = np.einsum("ij,ij->i", normals[:, 1:], middle[:, 1:])
    radius = np.hypot(middle[:, 1], middle[:, 2])
    hidden = (out < -0.05 * areas * radius) & (radius > done.space.floor)
    hidden &= _over_other_surface(middle, radius, out > 0)
    share = float(areas[hidden].sum() / max(areas.sum(), 1e-12))
    if share < _HIDDEN:
        return []
    at = int(np.flatnonzero(hidden)[areas[hidden].argmax()])
    x, y, z = middle[at]
    place = (float(x), float(np.arctan2(y, z) % (2 * pi)) * done.space.plan.stock.bar_radius, float(np.hypot(y, z)))
    return [
        Finding(
            "overhang",
            "note",
            done.space.parts[0][0],
            f"{100 * share:.0f} % of the surface overhangs, such as at {mm(round(float(x), 1))} along the bar: no "
            "cutter along "
            "the radius comes there",
            "centre the model on another axis, or carve there by hand",
            place,
        )
    ]


def _in_core(done: SetupOutcome, units: Units) -> list[Finding]:
    """Surface of the model that lies inside the core, which is never cut."""
    mesh, mm, floor = done.space.mesh, length_in(units), done.space.floor
    corners = mesh.vertices[mesh.faces]
    areas = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    middle = corners.mean(axis=1)
    radius = np.hypot(middle[:, 1], middle[:, 2])
    covered = radius < floor - done.space.plan.tolerance
    share = float(areas[covered].sum() / max(areas.sum(), 1e-12))
    if share < _HIDDEN:
        return []
    return [
        Finding(
            "in-core",
            "note",
            done.space.parts[0][0],
            f"{100 * share:.0f} % of the model's surface lies inside the core of {mm(2 * floor)} and stays uncut, up "
            f"to {mm(round(float(floor - radius[covered].min()), 1))} deep",
            "make the core thinner if the bar then still holds, or carve it by hand after parting",
        )
    ]


def rotary_findings(done: SetupOutcome, rotary: Rotary, units: Units) -> list[Finding]:
    """What the proof says of a part that rotates."""
    return (
        _limits(done, rotary, units)
        + _bending(done, rotary, units)
        + _breaking(done, rotary, units)
        + _loose(done, rotary, units)
        + _overhangs(done, units)
        + _in_core(done, units)
    )
