"""What the page reads of tiles: windows, slides, costs of seams, and the share of an operation in each tile."""

from typing import Any, Literal

import numpy as np

from nephos.core.finding import Finding
from nephos.core.findings.overrides import Seen
from nephos.core.pipeline.keys import assumed
from nephos.core.plan.place import to_setup, turned_size, zero_in_words
from nephos.core.plan.schema import Plan, Setup
from nephos.core.plan.seams import seam_costs
from nephos.core.plan.tile_setups import found_in_words, slide_in_words, tile_in_words, tile_share
from nephos.core.plan.tiles import Tile, Tiles


def share_of(plan: Plan, setup: Setup, shown: list[Any]) -> float:
    """Which share of the models a tile cuts."""
    if setup.tile is None or not shown:
        return 1.0
    matrix = to_setup(plan.stock, setup)
    ends = np.concatenate([[box.low, box.high] for _, box, _ in shown]) @ matrix[:3, :3].T + matrix[:3, 3]
    (x0, y0), (x1, y1) = ends.min(axis=0)[:2].tolist(), ends.max(axis=0)[:2].tolist()
    return tile_share(setup, (x0, y0), (x1, y1))


def with_share(item: dict[str, Any], share: float) -> dict[str, Any]:
    """An operation's costs in a tile: `whole` are those of all tiles."""
    if share == 1.0 and "whole" not in item:
        return item
    whole = item.get("whole") or item.get("estimate")
    if whole is None:
        return item
    seconds = whole["seconds"] * share
    return item | {"whole": whole, "estimate": whole | {"seconds": seconds}}


def tile_answer(plan: Plan, setup: Setup) -> dict[str, Any] | None:
    """Where a tile lies; none where the setup is none."""
    tile = setup.tile
    if tile is None:
        return None
    width, depth, _ = map(float, turned_size(plan.stock, setup))
    x0, y0, x1, y1 = tile.window()
    axis: Literal["x", "y"] = "x" if tile.core[2] - tile.core[0] < width - 1e-6 else "y"
    return {
        "of": tile.of,
        "number": tile.number,
        "count": tile.count,
        "core": tile.core,
        "window": (max(x0, 0.0), max(y0, 0.0), min(x1, width), min(y1, depth)),
        "slid": tile.slid,
        "strip": tile.blend is not None,
        "assumed": assumed(plan, setup),
        "words": tile_in_words(tile, axis, plan.units),
    }


def seam_cost_answers(plan: Plan, shown: list[Any]) -> dict[str, dict[str, Any]]:
    """What seams cost along the board, by the setup that is cut in tiles."""
    found = {}
    for setup in plan.setups:
        if setup.tiles is None:
            continue
        axis: Literal["x", "y"] = "x" if setup.tiles.seams_x else "y"
        costs = seam_costs(plan, setup, [(model, look) for model, _, look in shown], axis)
        found[setup.id] = {"at": costs.at.round(1).tolist(), "cost": costs.cost.round(3).tolist()}
    return found


def told_before(item: Seen, before: list[Seen]) -> bool:
    """Whether an earlier tile has the same note."""
    same = [other for other in before if (other["code"], other["row"]) == (item["code"], item["row"])]
    return item["level"] == "note" and bool(same)


def told_once(setup: Setup, findings: list[Finding]) -> list[Finding]:
    """Findings on the settings of operations are given with the first tile only."""
    return findings if setup.tile is None or (setup.tile.number == 1 and setup.tile.blend is None) else []


def slide_answer(plan: Plan, tiles: Tiles, before: Tile, setup: Setup) -> dict[str, Any]:
    """What hands do between two tiles."""
    if setup.tile is None:
        raise ValueError("this setup is no tile")
    return {
        "slide": True,
        "axis": None,
        "angle": 0.0,
        "words": slide_in_words(tiles, before, setup.tile, plan.units),
        "found": found_in_words(tiles, setup.tile, plan.units),
        "check": f"the zero: {zero_in_words(setup, plan.units)}",
    }
