"""Findings on stickout: one cutter has one stickout, in the list of cutters and on the machine."""

from collections.abc import Mapping

from nephos.core.cutters import Cutter
from nephos.core.finding import Finding, Fix
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.units import size_in

_SAME = 0.05
"""Stickouts that differ by less than this (mm) are the same."""


def _fix(setup: Setup, operation: Operation, length: float, text: str) -> tuple[Fix, ...]:
    """A fix for an operation of the sheet itself; that of a finer cutter has no row of its own."""
    if operation.number not in {item.number for item in setup.operations}:
        return ()
    edit = {"do": "stick_out", "setup": setup.parent_id, "operation": operation.number, "length": length}
    return (Fix(f"Stickout {text}", edit),)


def stickout_findings(plan: Plan, setup: Setup, shop: Mapping[int, Cutter]) -> list[Finding]:
    """Operations whose cutter must stand out another length than in an operation before, or than the list of cutters
    says; each cutter of a setup once."""
    size, found = size_in(plan.units), []
    first: dict[int, Operation] = {}
    for operation in setup.worked:
        cutter = operation.cutter
        before = first.setdefault(cutter.number, operation)
        row = str(operation.number)
        if abs(before.cutter.reach - cutter.reach) > _SAME:
            longer = min(max(before.cutter.reach, cutter.reach), cutter.overall_length)
            found.append(
                Finding(
                    "two-stickouts",
                    "caution",
                    row,
                    f"'{cutter.name}' stands out {size(cutter.reach)} here and {size(before.cutter.reach)} in "
                    "operation "
                    f"{before.number}",
                    "give both the longer stickout, so that it is put in once",
                    fixes=_fix(setup, operation, longer, size(longer)),
                )
            )
        known = shop.get(cutter.number)
        if before is operation and known is not None and abs(known.reach - cutter.reach) > _SAME:
            out = "pull it out" if cutter.reach > known.reach else "push it in"
            found.append(
                Finding(
                    "stickout-other",
                    "note",
                    row,
                    f"'{cutter.name}' must stand out {size(cutter.reach)}; the list of cutters has {size(known.reach)}",
                    f"{out} to {size(cutter.reach)} and measure its length again, or change the list",
                    fixes=_fix(setup, operation, known.reach, size(known.reach))
                    if known.reach <= cutter.overall_length
                    else (),
                )
            )
    return found
