"""Findings: what a person must know before pressing start, each with its number, place and way out.

Those on model, stock and zero are in :mod:`nephos.core.plan.fit`.
"""

from dataclasses import asdict, dataclass
from typing import Any, Literal

import numpy as np

from nephos.core.arrays import F64
from nephos.core.machine.kinematics import machine_named
from nephos.core.paths.cut_out import CutOutSettings
from nephos.core.plan.edits.operations import free_number
from nephos.core.plan.keys import finest_operation
from nephos.core.plan.outcome import Outcome, SetupOutcome
from nephos.core.plan.schema import Operation, Plan, Setup
from nephos.core.units import Say, Units, feed_in, length_in, number_in

Level = Literal["stop", "caution", "note"]


@dataclass(frozen=True)
class Way:
    """A way out of a finding that the application can do itself: what the button says, and the edit."""

    label: str
    edit: dict[str, Any]


@dataclass(frozen=True)
class Finding:
    """Something checked that a person must know.

    `row` is the row of the route sheet that it concerns: "stock", a model's id or an operation's
    number. `place` is a point in setup space, `moment` seconds from the start of the program; `ways`
    are those ways out that are one press away.
    """

    code: str
    level: Level
    row: str
    text: str
    way_out: str
    place: tuple[float, float, float] | None = None
    moment: float | None = None
    ways: tuple[Way, ...] = ()

    def as_dict(self) -> dict[str, Any]:
        """As it is sent and written."""
        return asdict(self)


def operation_findings(plan: Plan, setup: Setup) -> list[Finding]:
    """What the settings alone tell."""
    found = []
    machine = machine_named(plan.machine)
    feed = feed_in(plan.units)
    cutters: dict[int, str] = {}
    working = [operation for operation in setup.operations if operation.on]
    for operation in working:
        row, cutter = str(operation.number), operation.cutter
        other = cutters.setdefault(cutter.number, cutter.name)
        if other != cutter.name:
            found.append(Finding("one-number-two-cutters", "stop", row,
                                 f"cutter number {cutter.number} is both '{other}' and '{cutter.name}'",
                                 "give one of them another number",
                                 ways=(Way(f"Make it number {free_number(plan)}", {
                                     "do": "renumber_cutter", "setup": setup.id, "operation": operation.number}),)))
        if operation.cutting_feed > max(machine.feed_limit[:2]):
            found.append(Finding("feed-beyond", "caution", row,
                                 f"the feed of {feed(operation.cutting_feed)} is more than the {machine.name} can do "
                                 f"({feed(max(machine.feed_limit[:2]))})", "lower the feed"))
        if operation.spindle_speed > machine.spindle_limit:
            found.append(Finding("spindle-beyond", "caution", row,
                                 f"{operation.spindle_speed:g} turns a minute are more than the spindle can do "
                                 f"({machine.spindle_limit:g})", "lower the speed"))
        found += _holding_findings(plan, operation)
    if working and not any(operation.strategy.startswith("finish") for operation in working):
        found.append(Finding("no-finish", "note", str(working[-1].number), "nothing finishes what roughing leaves",
                             "add a finishing operation"))
    return found


def _holding_findings(plan: Plan, operation: Operation) -> list[Finding]:
    """Whether what is cut free is held, and strongly enough for the cutter's push (in newtons)."""
    settings = operation.settings
    if not isinstance(settings, CutOutSettings) or settings.skin > 0 or settings.side == "inside":
        return []
    row = str(operation.number)
    if settings.tab_count == 0:
        return [Finding("nothing-holds", "stop", row, "the part is cut through and nothing holds it",
                        "add tabs or leave an onion skin")]
    mm = length_in(plan.units)
    material, cutter = plan.stock.material, operation.cutter
    chip = operation.cutting_feed / (cutter.flutes * operation.spindle_speed)
    push = material.cutting_force * settings.stepdown * chip * cutter.flutes
    # Wood shears along the grain at about a third of what it takes to cut it; half of that is kept in reserve.
    hold = settings.tab_count * settings.tab_length * settings.tab_height * material.cutting_force / 6
    if hold < push:
        tabs = f"{settings.tab_count} tabs of {mm(settings.tab_length)} x {mm(settings.tab_height)}"
        return [Finding("tabs-weak", "caution", row, f"{tabs} hold {hold:.0f} N against {push:.0f} N of the cutter",
                        "make them longer, higher or more")]
    return []


_STRUCK = {
    "flutes": ("cut-beyond-flutes", "caution", "the cutter is {depth} deeper in the material than its flutes are long",
               "use one with longer flutes, or take the material away in an earlier operation"),
    "shank": ("shank-in-wall", "stop", "the shank goes {depth} into the material",
              "use a cutter with a thinner or longer neck, or clear the wall first"),
    "holder": ("holder-in-wall", "stop", "the holder goes {depth} into the material",
               "let the cutter stand out farther, or clear the stock above first"),
}


def _struck_findings(outcome: Outcome, mm: Say, ends: F64) -> list[Finding]:
    """What above the flutes meets material, each kind once, where it is worst."""
    worst: dict[str, tuple[float, int]] = {}
    for name, depth, move in outcome.struck:
        worst[name] = max(worst.get(name, (0.0, 0)), (depth, move))
    found = []
    for name, (depth, move) in worst.items():
        code, level, text, way = _STRUCK[name]
        x, y, z = map(float, outcome.points[move + 1])
        found.append(Finding(code, level, str(outcome.operation.number), text.format(depth=mm(depth)), way,  # type: ignore[arg-type]
                             (x, y, z), float(ends[move])))
    return found


def outcome_findings(done: SetupOutcome, tolerance: float, units: Units = "mm") -> list[Finding]:
    """What the proof tells, with lengths in words in `units`."""
    found = []
    mm = length_in(units)

    def number(value: float) -> str:
        return number_in(units)(round(value, 1))

    before = 0.0
    machine = machine_named(done.space.plan.machine)
    for outcome in done.outcomes:
        row = str(outcome.operation.number)
        ends = np.cumsum(outcome.seconds) + before
        worst = int(outcome.rapid_depth.argmax()) if len(outcome.rapid_depth) else 0
        if len(outcome.rapid_depth) and outcome.rapid_depth[worst] > 0:
            x, y, z = map(float, outcome.points[worst + 1])
            found.append(Finding("rapid-in-block", "stop", row,
                                 f"a rapid goes {mm(float(outcome.rapid_depth[worst]))} deep through the block "
                                 f"at X{number(x)} Y{number(y)}", "raise the clearance of the setup",
                                 (x, y, z), float(ends[worst])))
        lowest = float(np.nanmin(outcome.points[:, 2]))
        deep = float(done.space.stock_high[2]) - lowest
        cutter = outcome.operation.cutter
        if not cutter.holder and deep > cutter.overall_length - 15:
            found.append(Finding("cutter-short", "caution", row,
                                 f"the cutter goes {mm(deep)} below the top of the stock but is only "
                                 f"{mm(cutter.overall_length)} long with what the collet holds",
                                 "use a longer cutter, or clear the stock above the model first"))
        found += _struck_findings(outcome, mm, ends)
        bed = float(done.space.stock_low[2]) - lowest
        meant = getattr(outcome.operation.settings, "through", 0.0)
        if bed > meant + 1e-3:
            found.append(Finding("into-bed", "stop", row, f"the cutter goes {mm(bed)} under the stock",
                                 "raise the model or take thicker stock", None))
        span = np.nanmax(outcome.points, axis=0) - np.nanmin(outcome.points, axis=0)
        for axis, name in enumerate("XYZ"):
            if span[axis] > machine.travel[axis]:
                found.append(Finding("beyond-travel", "stop", row,
                                     f"the program travels {mm(float(span[axis]))} along {name}, more than the "
                                     f"{machine.name} can ({mm(machine.travel[axis])})", "use a narrower boundary"))
        before = float(ends[-1]) if len(ends) else before
    numbers = done.comparison.numbers()
    # What is left concerns the cutter that decides what could be reached.
    last = str(finest_operation([outcome.operation for outcome in done.outcomes]).number)
    if numbers.get("gouge_max", 0.0) > tolerance:
        j, i = np.unravel_index(np.nanargmin(done.comparison.deviation), done.comparison.deviation.shape)
        g = done.comparison.grid
        place = (g.x0 + float(i) * g.pitch, g.y0 + float(j) * g.pitch, 0.0)
        found.append(Finding("gouge", "stop", last, f"the model is gouged {mm(numbers['gouge_max'])} deep at "
                             f"X{number(place[0])} Y{number(place[1])}", "make the tolerance smaller or leave more stock",
                             place))
    if numbers.get("could_reach", 0.0) > 0.05:
        found.append(Finding("left-over", "note", last,
                             f"on {100 * numbers['could_reach']:.0f} % of the area more is left than the scallop, "
                             "where this cutter could still reach", "make the stepover smaller"))
    if numbers.get("unreachable", 0.0) > 0.02:
        found.append(Finding("unreachable", "note", last,
                             f"{100 * numbers['unreachable']:.0f} % of the area is in corners that this cutter "
                             f"cannot reach, up to {mm(numbers['leftover_max_unreachable'])}",
                             "finish with a smaller cutter, or sand them"))
    return found
