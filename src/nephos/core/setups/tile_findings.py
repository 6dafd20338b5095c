"""Findings on tiles: seams and marks against board, model and machine; and what the proof tells at the seams."""

import numpy as np

from nephos.core.finding import Finding, Fix
from nephos.core.machine.machine import machine_of
from nephos.core.plan.place import Placed
from nephos.core.plan.schema import Plan
from nephos.core.plan.seams import longest_tile
from nephos.core.plan.setups.tiled import TiledSetup
from nephos.core.plan.setups.tiling import FAR, Axis, Tile
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.units import Units, length_in, number_in

_STEP = 0.05
"""A step at a seam of more than this (mm) gets a finding."""
_LEAST_OVERRUN = 0.5
"""A slide by hand is off by less (mm)."""
_AXES: tuple[Axis, Axis] = ("x", "y")


def tile_findings(plan: Plan, setup: TiledSetup, boxes: list[Placed]) -> list[Finding]:
    """What the seams of a setup alone tell."""
    tiles = setup.tiles
    found = []
    mm = length_in(plan.units)
    machine, size = machine_of(plan.machine), setup.frame(plan.stock).high
    again = {"do": "cut_in_tiles", "setup": setup.id}
    for axis, length in zip(_AXES, size[:2], strict=True):
        seams = tiles.seams(axis)
        off = [at for at in seams if not 0 < at < length]
        if off:
            found.append(
                Finding(
                    "seam-off-board",
                    "caution",
                    setup.id,
                    f"the seam at {axis.upper()} {mm(off[0])} is not on the board ({mm(float(length))} long)",
                    "move it, or take it out",
                    fixes=(Fix("Propose seams", again | {"axis": axis}),),
                )
            )
        ends = np.array([0.0, *(at for at in seams if 0 < at < length), float(length)])
        widest, longest = float(np.diff(ends).max()), longest_tile(machine, setup, tiles, axis)
        if seams and widest > longest + 1e-6:
            found.append(
                Finding(
                    "tile-beyond-travel",
                    "stop",
                    setup.id,
                    f"a tile is {mm(widest)} long along {axis.upper()}; with its overrun the {machine.name} cuts "
                    f"{mm(longest)}",
                    "move its seams, or cut more tiles",
                    fixes=(Fix("Propose seams", again | {"axis": axis}),),
                )
            )
    if tiles.overrun < _LEAST_OVERRUN:
        found.append(
            Finding(
                "tile-overrun-small",
                "note",
                setup.id,
                f"the overrun is {mm(tiles.overrun)}: a slide that is longer by more leaves a line uncut at the seam",
                f"make it {mm(_LEAST_OVERRUN)} or more",
                fixes=(
                    Fix(
                        f"Make it {mm(_LEAST_OVERRUN)}",
                        {"do": "change_tiles", "setup": setup.id, "change": {"overrun": _LEAST_OVERRUN}},
                    ),
                ),
            )
        )
    return found + _mark_findings(plan, setup, boxes)


def _mark_findings(plan: Plan, setup: TiledSetup, boxes: list[Placed]) -> list[Finding]:
    """Dowel holes and score marks that lie in the box of a model, or that no operation makes."""
    mm, number = length_in(plan.units), number_in(plan.units)
    found = []
    tiles = setup.tiles
    if tiles.slide == "fence":
        return []
    kind = "dowel hole" if tiles.slide == "dowels" else "score mark"
    if not any(operation.on and operation.boundary.boundary == "marks" for operation in setup.operations):
        found.append(
            Finding(
                "marks-not-made",
                "caution",
                setup.id,
                f"the board is slid by {kind}s, but no operation makes them",
                "add their operation, or slide along a fence",
                fixes=(
                    Fix("Slide along a fence", {"do": "change_tiles", "setup": setup.id, "change": {"slide": "fence"}}),
                ),
            )
        )
    matrix = setup.frame(plan.stock).matrix
    spots = np.array([spot for part in setup.parts(plan.stock) for spot in part.marks]).reshape(-1, 2)
    for box in boxes:
        ends = np.array([box.low, box.high]) @ matrix[:3, :3].T + matrix[:3, 3]
        low, high = ends.min(axis=0)[:2], ends.max(axis=0)[:2]
        inside = spots[((spots > low) & (spots < high)).all(axis=1)]
        if len(inside):
            x, y = inside[0]
            found.append(
                Finding(
                    "mark-in-model",
                    "caution",
                    setup.id,
                    f"a {kind} at X{number(float(x))} Y{number(float(y))} lies in the model",
                    f"take a wider board, or make the inset of the marks smaller than {mm(tiles.inset)}",
                )
            )
            break
    return found


def seam_findings(done: SetupOutcome, tile: Tile, units: Units = "mm") -> list[Finding]:
    """Tabs at a seam of the tile that was cut, and the steps at the seams once all tiles are cut."""
    mm, number = length_in(units), number_in(units)
    found = []
    x0, y0, x1, y1 = tile.core
    for tab in done.tabs:
        (x, y), reach = tab.middle, _reach(done, tab.operation)
        sides = ((x0, x), (y0, y), (x1, x), (y1, y))
        near = [k for k, (seam, at) in enumerate(sides) if tile.past[k] < FAR and abs(at - seam) < reach]
        # Of the two tiles at a seam the one after it says so.
        if any(k < 2 for k in near) and x0 - reach < x < x1 + reach and y0 - reach < y < y1 + reach:
            found.append(
                Finding(
                    "tab-on-seam",
                    "caution",
                    str(tab.operation),
                    f"a tab lies on the seam, at X{number(round(x, 1))} Y{number(round(y, 1))} of the board",
                    "move the seam or the tab",
                    (x, y, tab.height),
                )
            )
            break
    for step in done.proof.steps:
        if abs(step.most) < _STEP:
            continue
        found.append(
            Finding(
                "step-at-seam",
                "caution",
                tile.of,
                f"at the seam at {step.axis.upper()} {mm(step.at)} the surface steps "
                f"{'up' if step.most > 0 else 'down'} by "
                f"{mm(abs(step.most))} at most, {mm(abs(step.mean))} on average",
                "check the slide and the zero, or cut a strip beside the seam",
                (*step.place, float(done.space.stock_high[2])),
            )
        )
    return found


def _reach(done: SetupOutcome, number: int) -> float:
    """How near (mm) to a seam the middle of a tab may not be."""
    operation = next(item.operation for item in done.outcomes if item.operation.number == number)
    held = operation.settings.held
    return (held.tab_length if held is not None else 0.0) / 2 + operation.cutter.radius
