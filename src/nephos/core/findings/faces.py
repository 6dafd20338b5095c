"""Findings on parts that are cut from several faces: border, frame, tabs, overrun, and where the stock is found
again."""

from collections.abc import Sequence
from math import hypot

import numpy as np

from nephos.core.arrays import F64
from nephos.core.cutters import Cutter
from nephos.core.finding import Finding, Fix
from nephos.core.findings.finished import thin_findings, true_in_words
from nephos.core.mesh.model import Mesh
from nephos.core.plan.faces import step_of
from nephos.core.plan.force import FRAME_BENDS, cutting_push, frame_bends
from nephos.core.plan.joined_faces import Faces, FaceTab
from nephos.core.plan.place import Placed
from nephos.core.plan.schema import Plan
from nephos.core.plan.tab_stress import used_share
from nephos.core.stages.compare import finest_operation
from nephos.core.stages.cut_free import HELD
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.stages.uncut_solids import BEYOND
from nephos.core.stages.whole import OwnSurface, Whole
from nephos.core.stock.passed_on import CutBar
from nephos.core.surface.index import build_index
from nephos.core.surface.inside import signed_distances
from nephos.core.units import Units, length_in

ROW = "faces"
"""The row of the route sheet that they concern: the turn-over row."""
LITTLE = 0.02
"""A ridge, a step or a missing overrun of less than this (mm) is none."""
_ALONG_X = 0.7
"""A tab whose direction has a larger part than this along X goes to an end of the stock."""
_IN_FRAME = 0.5
"""The frame must stand so far (mm) behind the end of a tab."""
_THIN_FRAME = 4.0
"""A frame narrower than this (mm) breaks when the stock is clamped."""
_FAR = 100.0
"""The part is looked for so far (mm) round a tab's inner end."""


def tabs_hold(plan: Plan, faces: Faces, boxes: Sequence[Placed]) -> float:
    """Force (N) of a cutter that the tabs hold by themselves, at the worst place of the models' `boxes` and in the
    worst direction."""
    if not faces.tabs:
        return 0.0
    size = np.array(plan.stock.size)
    low = np.min([box.low for box in boxes], axis=0) if boxes else np.zeros(3)
    high = np.max([box.high for box in boxes], axis=0) if boxes else size
    return 1.0 / used_share(faces.tabs, max(faces.border, 0.1), (low, high), 1.0, plan.stock.material)


def most_push(plan: Plan) -> float:
    """The largest sideways force (N) of a cutter once the part hangs in its tabs: in the setups after the first."""
    return max((cutting_push(plan, o) for setup in plan.setups[1:] for o in setup.worked), default=0.0)


def registration_step(plan: Plan, faces: Faces, boxes: Sequence[Placed]) -> float:
    """The step (mm) at the parting that the assumed registration error makes, at the farthest corner of the part."""
    size = np.array(plan.stock.size)[:2]
    corners = np.concatenate([[box.low[:2], box.high[:2]] for box in boxes]) if boxes else np.array([[0.0, 0.0], size])
    return step_of(faces.registration, max(hypot(*(corner - size / 2)) for corner in corners))


def _cutters(plan: Plan) -> list[Cutter]:
    return [o.cutter for setup in plan.setups for o in setup.worked if o.cutter.shape != "drill"]


def _border(plan: Plan, faces: Faces, boxes: Sequence[Placed], units: Units) -> list[Finding]:
    mm, found = length_in(units), []
    widest = max(_cutters(plan), key=lambda cutter: cutter.diameter, default=None)
    if widest is not None and faces.border < widest.diameter:
        found.append(
            Finding(
                "border-narrow",
                "stop",
                ROW,
                f"the border of {mm(faces.border)} is narrower than '{widest.name}': it does not get down beside the "
                "part",
                "make the border wider, or use a smaller cutter diameter",
                fixes=(
                    Fix(
                        f"Make it {mm(1.2 * widest.diameter)}",
                        {"do": "set_border", "border": round(1.2 * widest.diameter, 2)},
                    ),
                ),
            )
        )
    if not boxes or any(abs(setup.up[2]) < 1 - 1e-9 for setup in plan.setups):
        return found
    low, high = np.min([box.low for box in boxes], axis=0)[:2], np.max([box.high for box in boxes], axis=0)[:2]
    size = np.array(plan.stock.size)
    frame = float(np.minimum(low, size[:2] - high).min()) - faces.border
    if frame < _THIN_FRAME:
        what = (
            f"the frame is only {mm(max(frame, 0))} wide"
            if frame > 0
            else "the border reaches out of the stock: there is no frame"
        )
        found.append(Finding("frame-thin", "caution", ROW, what, "take larger stock, or make the border narrower"))
        return found
    longest = float((high - low).max()) + 2 * faces.border
    push = max((cutting_push(plan, o) for setup in plan.setups for o in setup.worked), default=0.0)
    bends = frame_bends(plan.stock.material, push, longest, float(size[2]), frame)
    if bends > FRAME_BENDS:
        found.append(
            Finding(
                "frame-bends",
                "caution",
                ROW,
                f"the frame is {mm(frame)} wide and bends by {mm(round(bends, 2))} under the {push:.0f} N of the "
                "cutter",
                "take larger stock, or a smaller stepdown",
            )
        )
    return found


def _tabs(plan: Plan, faces: Faces, boxes: Sequence[Placed]) -> list[Finding]:
    if not faces.tabs:
        return [
            Finding(
                "nothing-holds",
                "stop",
                ROW,
                "the part is cut out from all sides and no tab holds it in its frame",
                "add tabs, or press Propose again",
            )
        ]
    found = []
    upwards = {round(float(setup.up[1]), 6) for setup in plan.setups if setup.worked}
    if upwards >= {-1.0, 1.0}:
        along = [np.cos(np.radians(tab.angle)) for tab in faces.tabs]
        ends = {"left" if share < 0 else "right" for share in along if abs(share) > _ALONG_X}
        found = [
            Finding(
                "end-not-held",
                "caution",
                ROW,
                f"no tab goes to the {end} end of the stock: it comes off when all four faces are cut",
                "add a tab there, or hold the part at its other end",
            )
            for end in ("left", "right")
            if end not in ends
        ]
    push = most_push(plan)
    hold = tabs_hold(plan, faces, boxes)
    if hold >= push:
        return found
    return [
        *found,
        Finding(
            "tabs-weak",
            "caution",
            ROW,
            f"{len(faces.tabs)} tabs hold {hold:.0f} N at the far side of the part against {push:.0f} N of the "
            "cutter, by "
            "bending and torsion",
            "make the tabs thicker or wider, add tabs, place them farther apart, or use a smaller stepdown",
        ),
    ]


def _registration(plan: Plan, faces: Faces, boxes: Sequence[Placed], units: Units) -> list[Finding]:
    mm, step = length_in(units), registration_step(plan, faces, boxes)
    if step <= LITTLE:
        return []
    return [
        Finding(
            "registration-step",
            "note",
            ROW,
            f"with this registration error the faces meet with a step of up to {mm(round(step, 2))}",
            "check the stops or the dowels before the second face is cut",
        )
    ]


def faces_findings(plan: Plan, boxes: Sequence[Placed], units: Units | None = None) -> list[Finding]:
    """Findings on the settings of a part of several faces, before anything is calculated; `boxes` are its models."""
    faces = plan.faces
    if faces is None or len([setup for setup in plan.setups if setup.worked]) < 2:
        return []
    units = units or plan.units
    return _border(plan, faces, boxes, units) + _tabs(plan, faces, boxes) + _registration(plan, faces, boxes, units)


def overrun_findings(done: SetupOutcome, units: Units) -> list[Finding]:
    """Whether a setup cuts far enough past the parting."""
    setup, need = done.space.setup, done.overrun
    if need is None or setup.past_parting >= need[0] - LITTLE:
        return []
    mm = length_in(units)
    return [
        Finding(
            "overrun-small",
            "caution",
            ROW,
            f"{setup.name}: an overrun of {mm(setup.past_parting)} leaves a ridge of "
            f"{mm(round(need[0] - setup.past_parting, 2))}",
            f"make it {mm(round(need[0] + 0.05, 1))} or more",
            need[1],
            fixes=(
                Fix(
                    f"Make it {mm(round(need[0] + 0.15, 1))}",
                    {"do": "set_overrun", "setup": setup.id, "overrun": round(need[0] + 0.15, 1)},
                ),
            ),
        )
    ]


def zero_findings(done: SetupOutcome) -> list[Finding]:
    """Whether what the zero is touched off from is still there when the setup begins."""
    setup, block = done.space.setup, done.first
    top, high = block.top, float(done.space.stock_high[2])
    zero, g = setup.zero, block.grid
    filled = block.empty == 0
    lost = []
    if zero.at is None:
        edges = {"low": (filled[:, 0], filled[0]), "high": (filled[:, -1], filled[-1])}
        if zero.x != "centre" and not edges[zero.x][0].any():
            lost.append("the edge that X is touched off from")
        if zero.y != "centre" and not edges[zero.y][1].any():
            lost.append("the edge that Y is touched off from")
        if zero.z == "top" and not (top > high - 1e-3).any():
            lost.append("the top that Z is touched off from")
    else:
        i, j = round((zero.at[0] - g.x0) / g.pitch), round((zero.at[1] - g.y0) / g.pitch)
        within = 0 <= zero.at[0] <= done.space.stock_high[0] and 0 <= zero.at[1] <= done.space.stock_high[1]
        if within and zero.at[2] > high - 1e-3:
            i, j = min(max(i, 0), g.nx - 1), min(max(j, 0), g.ny - 1)
            if top[j, i] < high - 1e-3:
                lost.append("the place that is touched off")
    z = "axis" if done.space.plan.held_bar is not None else "bottom"
    fix = Fix(
        "Zero on the axis" if z == "axis" else "Zero on the underside",
        {"do": "corner_zero", "setup": setup.parent_id, "x": zero.x, "y": zero.y, "z": z},
    )
    return [
        Finding(
            "zero-gone",
            "stop",
            "stock",
            f"{setup.name}: {what} was cut away by an earlier setup",
            "put the zero where material is left: on another corner, or on the underside",
            fixes=() if "edge" in what else (fix,),
        )
        for what in lost
    ]


def _along(tab: FaceTab, border: float) -> F64:
    """(n, 3) places along the middle of a tab, from the part to the frame, in stock space."""
    out = np.array([np.cos(np.radians(tab.angle)), np.sin(np.radians(tab.angle)), 0.0])
    places: F64 = np.array(tab.at) + np.linspace(0.2, border + 0.5 * BEYOND, 9)[:, None] * out
    return places


def _bad_tabs(plan: Plan, faces: Faces, surfaces: Sequence[OwnSurface]) -> dict[str, list[FaceTab]]:
    """Tabs that do not do what they should, by what is wrong with them."""
    first = surfaces[0].space
    bad: dict[str, list[FaceTab]] = {"beside": [], "cut": [], "nothing": [], "short": []}
    size = np.array(plan.stock.size)
    for tab in faces.tabs:
        places = _along(tab, faces.border)
        out = (places[-1] - places[0]) / np.linalg.norm(places[-1] - places[0])
        frame = np.array([*tab.at]) + (faces.border + BEYOND + _IN_FRAME) * out
        seen = _inner_places(tab, out) @ first.matrix[:3, :3].T + first.matrix[:3, 3]
        if not _touches(first.mesh, seen, tab.thickness / 6):
            bad["beside"].append(tab)
        elif (places[-1] < 0).any() or (places[-1] > size).any():
            bad["nothing"].append(tab)
        elif not all(_standing(item, places).all() for item in surfaces):
            bad["cut"].append(tab)
        elif (
            (frame >= 0).all()
            and (frame <= size).all()
            and not all(_standing(item, frame[None]).all() for item in surfaces)
        ):
            bad["short"].append(tab)
    return bad


def _inner_places(tab: FaceTab, out: F64) -> F64:
    """(n, 3) places of a tab's end in the part, over its depth, width and height, in stock space: one alone may lie in
    a hollow, such as the bowl of a spoon."""
    across = np.array([-out[1], out[0], 0.0])
    wide = tab.width if tab.shape == "bar" else tab.thickness
    return np.array(
        [
            np.array([*tab.at])
            - depth * tab.inward * out
            + side * wide * across
            + up * tab.thickness * np.array([0, 0, 1.0])
            for depth in (0.1, 0.4, 0.7, 1.0)
            for side in (-1 / 3, 0.0, 1 / 3)
            for up in (-1 / 3, 0.0, 1 / 3)
        ]
    )


def _touches(mesh: Mesh, places: F64, within: float) -> bool:
    """Whether any of the places (n, 3) is inside a mesh, or no farther than `within` mm from it."""
    corners = mesh.vertices[mesh.faces][:, :, :2]
    low, high = places[:, :2].min(axis=0) - within, places[:, :2].max(axis=0) + within
    near = (corners.min(axis=1) <= high).all(axis=1) & (corners.max(axis=1) >= low).all(axis=1)
    if not near.any():
        return False
    # All faces over and under the places are among them, so that inside and outside are told apart rightly.
    some = build_index(mesh.vertices, mesh.faces[near])
    return bool((signed_distances(some, places, within + _FAR) <= within).any())


def _standing(own: OwnSurface, places: F64) -> F64:
    """(n,) bool, which places a setup has left; all of them where it is cut from a bar."""
    if isinstance(own.side, CutBar):
        return np.ones(len(places), np.bool_)
    m, g = own.side.matrix, own.side.grid
    seen = places @ m[:3, :3].T + m[:3, 3]
    i = np.clip(np.round((seen[:, 0] - g.x0) / g.pitch).astype(int), 0, g.nx - 1)
    j = np.clip(np.round((seen[:, 1] - g.y0) / g.pitch).astype(int), 0, g.ny - 1)
    return np.asarray(seen[:, 2] <= own.side.field[j, i] + g.pitch)


def _least_reached(whole: Whole) -> tuple[float, float, float] | None:
    """Where most is left that no cutter of any side reaches, in stock space; none where that is nowhere."""
    most, place = 0.0, None
    for item in whole.surfaces:
        c = item.comparison
        left = np.where(c.reachable | ~np.isfinite(c.deviation), 0.0, c.deviation)
        j, i = np.unravel_index(int(left.argmax()), left.shape)
        if left[j, i] > most:
            most = float(left[j, i])
            x, y, z = float(c.grid.xs[i]), float(c.grid.ys[j]), float(c.under[j, i])
            at = item.space.frame.back @ [*c.grid.point_at(x, y, z), 1.0]
            place = (float(at[0]), float(at[1]), float(at[2]))
    return place


_TAB_WORDS = {
    "beside": ("tab-beside", "{n} tabs do not touch the part, one at {at}", "move them to where the part is"),
    "nothing": ("tab-on-nothing", "{n} tabs end outside the stock, one at {at}", "move them to where there is a frame"),
    "short": ("tab-short", "{n} tabs end before the frame, one at {at}", "move them out to the outline of the part"),
    "cut": ("tab-gone", "{n} tabs are cut away, one at {at}", "move them, or keep the operations off them"),
}


def whole_row(plan: Plan) -> str:
    """The row of the sheet that findings on the finished block concern: the turn-over, or the finest operation."""
    if plan.faces is not None:
        return ROW
    return str(finest_operation([operation for setup in plan.setups for operation in setup.worked]).number)


def whole_findings(plan: Plan, whole: Whole, row: str, units: Units = "mm") -> list[Finding]:
    """Findings on the finished block, over all setups; `row` is that of :func:`whole_row`."""
    if len(whole.surfaces) < 2:
        return []
    found = [] if plan.faces is None else _joined_findings(plan, plan.faces, whole, units)
    mm, numbers = length_in(units), whole.numbers()
    if whole.thin is not None:
        found += thin_findings(whole.thin, row, mm)
    if whole.uncut is not None and whole.uncut.share > 0:
        found.append(
            Finding(
                "not-cut",
                "stop",
                row,
                f"{100 * whole.uncut.share:.1f} % of the surface of the part is not cut by any setup: up to "
                f"{mm(round(whole.uncut.most, 1))} of stock remain",
                "cut deeper, add a setup or a smaller cutter, or accept it and carve it by hand",
                whole.uncut.place,
            )
        )
    # Uncut surface is not reached either: it is reported once.
    corners = numbers.get("unreachable", 0.0) - (0.0 if whole.uncut is None else whole.uncut.share)
    if corners > 0.02:
        found.append(
            Finding(
                "no-side-reaches",
                "caution",
                row,
                f"{true_in_words(numbers, mm)}; on {100 * corners:.0f} % more is left in corners that "
                f"no cutter of any side reaches, up to {mm(numbers['leftover_max_unreachable'])}",
                "finish with a smaller cutter, add a side, or sand them",
                _least_reached(whole),
            )
        )
    return found


def _joined_findings(plan: Plan, faces: Faces, whole: Whole, units: Units) -> list[Finding]:
    """On the tabs and the frame of a part of several faces, and on what of it is not cut."""
    mm, found = length_in(units), list[Finding]()
    for what, tabs in _bad_tabs(plan, faces, whole.surfaces).items():
        if tabs:
            code, text, advice = _TAB_WORDS[what]
            at = ", ".join(f"{axis}{value:.1f}" for axis, value in zip("XYZ", tabs[0].at, strict=True))
            found.append(Finding(code, "stop", ROW, text.format(n=len(tabs), at=at), advice, tabs[0].at))
    if whole.ridge > LITTLE:
        found.append(
            Finding(
                "ridge",
                "caution",
                ROW,
                f"a ridge of {mm(round(whole.ridge, 2))} is left between the faces beside the part",
                "make the overrun larger",
                whole.ridge_at,
            )
        )
    if whole.held is not None:
        found.append(
            Finding(
                "not-free",
                "stop",
                ROW,
                "the part is not cut free: a web of stock, up to "
                f"{mm(round(max(whole.ridge, HELD), 1))} high, connects it with its frame besides the tabs",
                "cut deeper from both sides, with longer cutters, or use stock of less height",
                whole.held,
            )
        )
    return found
