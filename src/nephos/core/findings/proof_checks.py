"""Findings that the proof tells: what the cutter meets, what it leaves, what holds the part, and how well the time is
used."""

from collections.abc import Callable

import numpy as np
import shapely

from nephos.core.finding import Finding, Fix, Level
from nephos.core.findings.context import Context
from nephos.core.findings.finished import in_program
from nephos.core.linking.air_cuts import NOTHING
from nephos.core.machine.machine import machine_of
from nephos.core.plan.clamping import KeepOut
from nephos.core.setups.registry import kind_of
from nephos.core.stages.setup_outcome import Outcome, SetupOutcome
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.strategies.registry import strategy
from nephos.core.toolpath import Kind
from nephos.core.units import Units, length_in, number_in

DEEP = 0.1
"""More (mm) than the stepdown at once is no rounding."""
TOUCH = 0.02
"""Share of the path that may be deeper than the stepdown without a word."""
SLIVER = 0.2
"""A last layer of less than this share of the stepdown is not worth a trip."""
AIRY = 0.25
"""From this share of the feed length in air on it is worth saying."""
SHORT = 500.0
"""Nothing is said of the air in so little cutting (mm)."""
_GRIP = 15.0
"""What a collet holds of a cutter, mm."""


def _xy(c: Context, move: int) -> str:
    """Where a move ends, in words."""
    (x, y, _), _ = c.at(move)
    return in_program(c.space, x, y, c.number)


def _rapids(c: Context) -> list[Finding]:
    depth = c.outcome.rapid_depth
    if not depth.any():
        return []
    worst = int(depth.argmax())
    return [
        Finding(
            "rapid-in-block",
            "stop",
            c.row,
            f"a rapid goes {c.mm(float(depth[worst]))} deep through the block at {_xy(c, worst)}",
            "raise the clearance of the setup",
            *c.at(worst),
        )
    ]


def _gouges(c: Context) -> list[Finding]:
    """Moves that go into the model deeper than the tolerance."""
    limit = c.space.plan.tolerance
    deep = [item for item in c.outcome.gouges if item.depth > limit]
    if not deep:
        return []
    move = deep[0].move
    others = len(deep) - 1
    more = f", and in {others} more move{'s' if others > 1 else ''}" if others else ""
    return [
        Finding(
            "gouge",
            "stop",
            c.row,
            f"the model is gouged {c.mm(deep[0].depth)} deep at {_xy(c, move)}{more}",
            "make the tolerance smaller or leave more stock",
            deep[0].place,
            float(c.ends[move]),
        )
    ]


def _depths(c: Context) -> list[Finding]:
    """Deeper at once than the stepdown, for more than a touch at a wall that was left standing."""
    stepdown = c.operation.settings.figures.stepdown
    if stepdown is None or not strategy(c.operation.strategy).stepped:
        return []
    cut = np.where(c.outcome.kinds == Kind.CUT, c.outcome.depths, 0.0)
    # What a level leaves under the minimum stock comes on top of the next one.
    deep, lengths = cut > stepdown + c.operation.settings.figures.minimum + DEEP, c.outcome.lengths
    if lengths[deep].sum() <= TOUCH * lengths[cut > 0].sum():
        return []
    worst = int(cut.argmax())
    advice, fixes = "rough it first", tuple[Fix, ...]()
    if c.operation.cut_from is not None:
        advice = "let it start higher (cut from), at what is really cleared"
    elif c.operation.settings.figures.minimum > 0:
        # What is thinner than the minimum stock may be left at several levels, and is then met at once.
        advice = "make the minimum stock smaller: thin walls were left at the levels over it"
        setup, number = c.space.setup.parent_id, c.operation.number
        fixes = (Fix("Minimum stock 0", {"do": "set_minimum", "setup": setup, "operation": number, "minimum": 0.0}),)
    return [
        Finding(
            "deep-cut",
            "caution",
            c.row,
            f"it takes {c.mm(float(cut[worst]))} at once at {_xy(c, worst)}, more than the stepdown of "
            f"{c.mm(stepdown)}",
            advice,
            *c.at(worst),
            fixes=fixes,
        )
    ]


def _full_material(c: Context) -> list[Finding]:
    """A finisher that has to take away, on average along its path, more than it is thick."""
    stepover = c.operation.settings.figures.stepover
    gain = next((item for item in c.gains if item.number == c.operation.number), None)
    if stepover is None or gain is None or c.operation.role != "finish":
        return []
    length = float(c.outcome.lengths[c.outcome.kinds == Kind.CUT].sum())
    thick = gain.removed / max(length * stepover, 1e-9)
    if thick <= c.operation.cutter.diameter:
        return []
    return [
        Finding(
            "not-roughed",
            "caution",
            c.row,
            f"it has to take away {c.mm(thick)} on average, more than the cutter diameter",
            "rough it first",
        )
    ]


def _air(c: Context) -> list[Finding]:
    cutting = c.outcome.kinds != Kind.RAPID
    lengths = np.where(cutting, c.outcome.lengths, 0.0)
    idle = c.outcome.in_air(c.space.plan.block_pitch)
    if not (cutting & ~idle).any():
        return (
            []
            if not lengths.any()
            else [
                Finding(
                    "nothing-cut",
                    "note",
                    c.row,
                    "it cuts nothing: what it would take away is gone already",
                    "switch it off or delete it",
                )
            ]
        )
    total, air = float(lengths.sum()), float(lengths[idle].sum())
    if total < SHORT or air < AIRY * total:
        return []
    advice = (
        "let it go only where more is left than a limit"
        if c.operation.role == "finish"
        else "give it a narrower boundary, or let it start lower"
    )
    return [Finding("air", "note", c.row, f"{100 * air / total:.0f} % of its path is in air", advice)]


def _slivers(c: Context) -> list[Finding]:
    stepdown = c.operation.settings.figures.stepdown
    if stepdown is None or not strategy(c.operation.strategy).stepped:
        return []
    points, kinds, depths = c.outcome.points, c.outcome.kinds, c.outcome.depths
    level = (kinds == Kind.CUT) & (points[1:, 2] == points[:-1, 2]) & (depths > NOTHING)
    if not level.any():
        return []
    last = level & (points[1:, 2] < points[1:, 2][level].min() + 1e-3)
    # What is really taken there: extra levels at level ground lie close to others, but not over them.
    thin = float(np.average(depths[last], weights=c.outcome.lengths[last] + 1e-9))
    if thin >= SLIVER * stepdown:
        return []
    return [
        Finding(
            "sliver",
            "note",
            c.row,
            f"its last layer is {c.mm(thin)} thin",
            "cut a little less deep, or change the stepdown",
            *c.at(int(np.flatnonzero(last)[0])),
        )
    ]


_STRUCK: dict[str, tuple[str, Level, str, str]] = {
    "flutes": (
        "cut-beyond-flutes",
        "caution",
        "the cutter is {depth} deeper in the material than its flutes are long",
        "use one with longer flutes, or take the material away in an earlier operation",
    ),
    "shank": (
        "shank-in-wall",
        "stop",
        "the shank goes {depth} into the material",
        "use a cutter with a thinner or longer neck, or clear the wall first",
    ),
    "holder": (
        "holder-in-wall",
        "stop",
        "the holder goes {depth} into the material",
        "give the cutter a longer stickout, or clear the stock above first",
    ),
}


def _struck(c: Context) -> list[Finding]:
    """What above the flutes meets material, each kind once, where it is worst."""
    worst: dict[str, tuple[float, int]] = {}
    for name, depth, move in c.outcome.struck:
        worst[name] = max(worst.get(name, (0.0, 0)), (depth, move))
    found = []
    for name, (depth, move) in worst.items():
        code, level, text, advice = _STRUCK[name]
        fixes: tuple[Fix, ...] = ()
        if name == "flutes" and c.operation.settings.figures.layer == 0.0:
            layer = round(0.8 * c.operation.cutter.flute_length, 1)
            fixes = (
                Fix(
                    f"Go down in layers of {c.mm(layer)}",
                    {
                        "do": "set_layer",
                        "setup": c.space.setup.parent_id,
                        "operation": c.operation.number,
                        "depth": layer,
                    },
                ),
            )
        found.append(Finding(code, level, c.row, text.format(depth=c.mm(depth)), advice, *c.at(move), fixes=fixes))
    return found


def _lowest(c: Context) -> list[Finding]:
    """Too deep for the cutter, or for the stock."""
    found = []
    if not np.isfinite(c.outcome.points[1:, 2]).any():
        return []
    move = int(np.nanargmin(c.outcome.points[1:, 2]))
    lowest = float(c.outcome.points[move + 1, 2])
    deep, cutter = float(c.space.stock_high[2]) - lowest, c.operation.cutter
    if not cutter.holder and deep > cutter.overall_length - _GRIP:
        found.append(
            Finding(
                "cutter-short",
                "caution",
                c.row,
                f"the cutter goes {c.mm(deep)} below the top of the stock but is only {c.mm(cutter.overall_length)} "
                "long with "
                "what the collet holds",
                "use a longer cutter, or clear the stock above the model first",
                *c.at(move),
            )
        )
    return found + kind_of(c.space.setup).depth_findings(c, lowest, move)


def bed_cut(c: Context, lowest: float, move: int) -> list[Finding]:
    """The cutter goes under the stock, down to `lowest` (mm in the frame) in a move."""
    found = []
    bed = float(c.space.stock_low[2]) - lowest
    if bed > c.operation.settings.figures.through + 1e-3:
        found.append(
            Finding(
                "into-bed",
                "stop",
                c.row,
                f"the cutter goes {c.mm(bed)} under the stock",
                "raise the model or take thicker stock",
                *c.at(move),
            )
        )
    return found


def core_cut(c: Context, lowest: float, move: int) -> list[Finding]:
    """The cutter goes into the core of a bar, down to the radius `lowest` (mm) in a move."""
    core = float(c.space.stock_low[2])
    if lowest >= core - 1e-3:
        return []
    return [
        Finding(
            "core-cut",
            "stop",
            c.row,
            f"the cutter goes {c.mm(core - lowest)} into the core",
            "make the core thinner, or cut less deep",
            *c.at(move),
        )
    ]


def _travel(c: Context) -> list[Finding]:
    span = np.nanmax(c.outcome.points, axis=0) - np.nanmin(c.outcome.points, axis=0)
    return [
        Finding(
            "beyond-travel",
            "stop",
            c.row,
            f"the program travels {c.mm(float(span[axis]))} along {name}, more than the {c.machine.name} can "
            f"({c.mm(c.machine.travel[axis])})",
            "use a narrower boundary",
        )
        for axis, name in enumerate("XYZ")
        if name in kind_of(c.space.setup).checked_axes and span[axis] > c.machine.travel[axis]
    ]


def _outline_of(item: KeepOut) -> shapely.Geometry:
    x, y = item.at
    if item.shape == "cylinder":
        return shapely.Point(x, y).buffer(item.size[0] / 2, 64)
    return shapely.box(x - item.half[0], y - item.half[1], x + item.half[0], y + item.half[1])


def _keep_outs(c: Context) -> list[Finding]:
    """Cutter, shank and holder against clamps and screws along every move."""
    found = []
    setup = c.space.setup
    points = c.outcome.points
    known = np.isfinite(points[:-1]).all(axis=1) & np.isfinite(points[1:]).all(axis=1)
    bodies = [("cutter", c.operation.cutter.radius, 0.0), *c.operation.cutter.bodies]
    for item in setup.keep_outs:
        shape = _outline_of(item)
        top = item.foot + item.size[2]
        hit: tuple[float, int, str] | None = None
        for name, radius, foot in bodies:
            low = np.minimum(points[:-1, 2], points[1:, 2]) + foot
            near = np.flatnonzero(known & (low < top))
            if not len(near):
                continue
            paths = shapely.linestrings(np.stack([points[near, :2], points[near + 1, :2]], axis=1))
            close = radius - shapely.distance(paths, shape)
            worst = int(close.argmax())
            if close[worst] > 1e-6 and (hit is None or close[worst] > hit[0]):
                hit = (float(close[worst]), int(near[worst]), "cutter" if name == "flutes" else name)
        if hit:
            found.append(
                Finding(
                    "keep-out-hit",
                    "stop",
                    c.row,
                    f"the {hit[2]} goes {c.mm(hit[0])} into {item.name}",
                    "move it, or keep the operation away from it with a boundary",
                    *c.at(hit[1]),
                )
            )
    return found


Check = Callable[[Context], list[Finding]]
OF_MOTION: tuple[Check, ...] = (_rapids, _gouges, _struck, _keep_outs, _lowest, _travel)
"""Checks of any moves with a cutter, wherever they come from."""
OF_OPERATIONS: tuple[Check, ...] = (*OF_MOTION, _depths, _full_material, _slivers, _air)
"""Checks of each operation. A new one is a function here."""


def motion_findings(space: SetupSpace, outcome: Outcome, start: float, units: Units) -> list[Finding]:
    """What moves meet, from `start` seconds on."""
    context = Context(
        space,
        (),
        outcome,
        np.cumsum(outcome.seconds) + start,
        machine_of(space.plan.machine),
        length_in(units),
        number_in(units),
    )
    return [finding for check in OF_MOTION for finding in check(context)]


def outcome_findings(done: SetupOutcome, units: Units = "mm") -> list[Finding]:
    """What the proof tells, with lengths in words in `units`."""
    found: list[Finding] = []
    mm, number = length_in(units), number_in(units)
    machine = machine_of(done.space.plan.machine)
    starts, before = {}, 0.0
    for outcome in done.outcomes:
        starts[outcome.operation.number] = before
        context = Context(
            done.space, done.proof.gains, outcome, np.cumsum(outcome.seconds) + before, machine, mm, number
        )
        found += [finding for check in OF_OPERATIONS for finding in check(context)]
        before += outcome.total_seconds
    return kind_of(done.space.setup).findings(done, found, starts, units)
