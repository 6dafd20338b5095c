"""What the page reads of tiles: windows, slides, costs of seams, and the share of an operation in each tile."""

from typing import Any

from nephos.core.finding import Finding
from nephos.core.findings.overrides import Seen
from nephos.core.plan.schema import Plan
from nephos.core.plan.seams import seam_costs
from nephos.core.plan.setups.setup import Setup
from nephos.core.setups.registry import kind_of


def with_share(item: dict[str, Any], share: float) -> dict[str, Any]:
    """An operation's costs in a tile: `whole` are those of all tiles."""
    if share == 1.0 and "whole" not in item:
        return item
    whole = item.get("whole") or item.get("estimate")
    if whole is None:
        return item
    seconds = whole["seconds"] * share
    return item | {"whole": whole, "estimate": whole | {"seconds": seconds}}


def seam_cost_answers(plan: Plan, shown: list[Any]) -> dict[str, dict[str, Any]]:
    """What seams cost along the board, by the setup that is cut in tiles."""
    found = {}
    for setup in plan.setups:
        if not setup.seams:
            continue
        axis = setup.seams[0][0]
        costs = seam_costs(plan, setup, [(model, look) for model, _, look in shown], axis)
        found[setup.id] = {"at": costs.at.round(1).tolist(), "cost": costs.cost.round(3).tolist()}
    return found


def told_before(item: Seen, before: list[Seen]) -> bool:
    """Whether an earlier tile has the same note."""
    same = [other for other in before if (other["code"], other["row"]) == (item["code"], item["row"])]
    return item["level"] == "note" and bool(same)


def told_once(setup: Setup, findings: list[Finding]) -> list[Finding]:
    """Findings on the settings of operations are given with the first tile only."""
    return findings if kind_of(setup).is_first_part else []
