"""Findings: what a person must know before pressing start, each with its number, place and fix.

Here those that the settings tell. Those on model, stock and zero are in :mod:`nephos.core.findings.placement`, those
that the proof tells in :mod:`nephos.core.findings.proof_checks`."""

from collections.abc import Mapping
from typing import Any

import numpy as np
import shapely

from nephos.core.finding import Finding, Fix
from nephos.core.machine.machine import machine_of
from nephos.core.mesh.curves import smoothed
from nephos.core.plan.edits.operations import free_cutter_number
from nephos.core.plan.force import cutting_push
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.plan.tab_stress import shear_limit
from nephos.core.units import feed_in, length_in, number_in


def operation_findings(plan: Plan, setup: Setup) -> list[Finding]:
    """What the settings alone tell."""
    found = []
    machine = machine_of(plan.machine)
    feed = feed_in(plan.units)
    cutters: dict[int, str] = {}
    working = setup.worked
    for operation in working:
        row, cutter = str(operation.number), operation.cutter
        other = cutters.setdefault(cutter.number, cutter.name)
        if other != cutter.name:
            found.append(
                Finding(
                    "one-number-two-cutters",
                    "stop",
                    row,
                    f"cutter number {cutter.number} is both '{other}' and '{cutter.name}'",
                    "give one of them another number",
                    fixes=(
                        Fix(
                            f"Make it number {free_cutter_number(plan)}",
                            {"do": "renumber_cutter", "setup": setup.id, "operation": operation.number},
                        ),
                    ),
                )
            )
        if operation.cutting_feed > max(machine.feed_limit[:2]):
            found.append(
                Finding(
                    "feed-beyond",
                    "caution",
                    row,
                    f"the feed of {feed(operation.cutting_feed)} is more than the {machine.name} can do "
                    f"({feed(max(machine.feed_limit[:2]))})",
                    "lower the feed",
                )
            )
        if operation.spindle_speed > machine.spindle_limit:
            found.append(
                Finding(
                    "spindle-beyond",
                    "caution",
                    row,
                    f"{operation.spindle_speed:g} turns a minute are more than the spindle can do "
                    f"({machine.spindle_limit:g})",
                    "lower the speed",
                )
            )
        found += _holding_findings(plan, operation)
    if working and not any(operation.role == "finish" for operation in working):
        found.append(
            Finding(
                "no-finish",
                "note",
                str(working[-1].number),
                "nothing finishes what roughing leaves",
                "add a finishing operation",
            )
        )
    return found


def _holding_findings(plan: Plan, operation: Operation) -> list[Finding]:
    """Whether what is cut free is held, and strongly enough for the cutter's push (in newtons)."""
    held = operation.settings.held
    if held is None or held.skin > 0 or held.side == "inside":
        return []
    row = str(operation.number)
    if held.tab_count == 0:
        return [
            Finding(
                "nothing-holds",
                "stop",
                row,
                "the part is cut through and nothing holds it",
                "add tabs or leave an onion skin",
            )
        ]
    mm = length_in(plan.units)
    push = cutting_push(plan, operation)
    hold = held.tab_count * held.tab_length * held.tab_height * shear_limit(plan.stock.material)
    if hold < push:
        tabs = f"{held.tab_count} tabs of {mm(held.tab_length)} x {mm(held.tab_height)}"
        return [
            Finding(
                "tabs-weak",
                "caution",
                row,
                f"{tabs} hold {hold:.0f} N against {push:.0f} N of the cutter",
                "make them longer, higher or more",
            )
        ]
    return []


def boundary_findings(plan: Plan, setup: Setup, drawn: Mapping[str, dict[str, Any]]) -> list[Finding]:
    """What is wrong with boundaries: those that cross themselves, are empty or cannot be drawn, or leave the stock.

    `drawn` are the facts of the outlines that are worked out already, by the boundary's id.
    """
    found = []
    mm, number = length_in(plan.units), number_in(plan.units)
    low, high = np.zeros(2), setup.frame(plan.stock).high[:2]
    users = {operation.boundary.boundary for operation in setup.worked}
    for item in plan.boundaries:
        for curve in item.curves if item.source == "drawn" else ():
            ring = shapely.LinearRing(smoothed(np.array(curve.points)) if curve.smooth else curve.points)
            if not ring.is_simple:
                crossing = shapely.node(ring).geoms[0].coords[-1]
                found.append(
                    Finding(
                        "boundary-crossing",
                        "stop" if item.id in users else "caution",
                        item.id,
                        f"a curve of '{item.name}' crosses itself near X{number(round(crossing[0], 1))} "
                        f"Y{number(round(crossing[1], 1))}",
                        "move its points so that inside and outside are clear",
                    )
                )
                break
        facts = drawn.get(item.id, {})
        # What is drawn in the view of one setup cannot be drawn in that of another, which does not matter there.
        mine = item.id in users or (item.setup or plan.setups[0].id) == setup.id
        if "refused" in facts and mine:
            found.append(
                Finding(
                    "boundary-empty",
                    "stop" if item.id in users else "caution",
                    item.id,
                    facts["refused"].split(":")[0],
                    facts["refused"].partition(":")[2].strip() or "change it",
                )
            )
        elif "low" in facts and item.id in users:
            out = max(*(low - facts["low"]), *(np.add(facts["low"], facts["box"]) - high))
            if out > 1e-3:
                found.append(
                    Finding(
                        "boundary-out",
                        "caution",
                        item.id,
                        f"'{item.name}' reaches {mm(float(out))} out of the stock",
                        "what is beside the stock is not cut; make it smaller, or take larger stock",
                    )
                )
    return found
