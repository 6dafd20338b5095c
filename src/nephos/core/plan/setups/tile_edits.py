"""Tiles of a setup: seams, slides, marks, and strips beside a seam that came out with a step."""

from itertools import pairwise
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from nephos.core.cutters import Cutter
from nephos.core.errors import Refused
from nephos.core.machine.machine import machine_of
from nephos.core.plan.edits.registry import Looks, edit
from nephos.core.plan.edits.setups import next_number, setup_named, with_setup
from nephos.core.plan.marking_cutters import dowel_drill, score_cutter
from nephos.core.plan.operation import Operation
from nephos.core.plan.place import placed_model
from nephos.core.plan.ranges import Place
from nephos.core.plan.schema import Plan
from nephos.core.plan.seams import longest_tile, proposed_seams, seam_costs
from nephos.core.plan.setups.setup import Setup
from nephos.core.plan.setups.tiled import TiledSetup, strip_operation
from nephos.core.plan.setups.tiling import Axis, SlideError, Strip, Tiles
from nephos.core.strategies.registry import strategy

Id = Annotated[str, Field(min_length=1, max_length=40)]
Number = Annotated[int, Field(ge=1, le=400)]


def _tiled(plan: Plan, key: str) -> TiledSetup:
    """The setup with that id, which is cut in tiles."""
    setup = setup_named(plan, key)
    if not isinstance(setup, TiledSetup):
        raise Refused("this setup is not cut in tiles: cut it in tiles first")
    return setup


def _changed(plan: Plan, setup: TiledSetup, change: dict[str, Any]) -> Plan:
    tiles = Tiles.model_validate(setup.tiles.model_dump() | change)
    if tiles.slide == "fence":
        # Along a fence no marks are made: their operation would have nothing to cut.
        setup = setup.model_copy(update={"operations": setup.without_marks()})
    return with_setup(plan, setup.model_copy(update={"tiles": tiles}))


def _first_tiles(plan: Plan, setup: Setup, seams: dict[str, Any]) -> Plan:
    """The plan with a whole setup cut in tiles."""
    tiles = Tiles.model_validate(seams)
    return with_setup(plan, setup.remade(TiledSetup, tiles=tiles, operations=_both_ways(setup)))


def _both_ways(setup: Setup) -> tuple[Operation, ...]:
    """The operations, with those that go round and climb set to both ways: the path of a tile is open, and to climb on
    each level the cutter would go back over the board in the air."""
    return tuple(
        item.model_copy(update={"settings": item.settings.model_copy(update={"direction": "both"})})
        if strategy(item.strategy).goes_round and item.settings.figures.direction == "climb"
        else item
        for item in setup.operations
    )


def _later_tile(setup: TiledSetup, axis: Axis, seam: int) -> int | None:
    """The tile after the slide over a seam; none with seams along both axes, where several slides go over it."""
    tiles = setup.tiles
    if tiles.seams("y" if axis == "x" else "x"):
        return None
    return seam + 1 if tiles.order == "forward" else setup.count - seam + 1


def _with_lasting_zero(plan: Plan, setup: TiledSetup, looks: Looks) -> Setup:
    """The setup with its zero at the underside if earlier tiles cut away the top surface at the zero of a later tile.

    That is so with seams along both axes, and where an operation reaches the edge of the stock at the seams."""
    tiles, zero = setup.tiles, setup.zero
    if zero.z != "top" or zero.at is not None:
        return setup
    lost = bool(tiles.seams_x and tiles.seams_y)
    if not lost:
        k = 1 if tiles.seams_x else 0
        end, size = (zero.y if k else zero.x), float(setup.frame(plan.stock).high[k])
        matrix = setup.frame(plan.stock).matrix
        reach = 1.0 + max((operation.cutter.diameter for operation in setup.worked), default=0.0)
        for model in (item for item in plan.models if item.shown):
            placed = placed_model(looks(model).support, model, plan.stock)
            ends = np.array([placed.low, placed.high]) @ matrix[:3, :3].T + matrix[:3, 3]
            low, high = float(ends[:, k].min()), float(ends[:, k].max())
            lost |= end == "centre" or (low if end == "low" else size - high) < reach
    return setup.model_copy(update={"zero": zero.model_copy(update={"z": "bottom"})}) if lost else setup


def _seams(name: Axis) -> str:
    return f"seams_{name}"


@edit
def cut_in_tiles(
    plan: Plan,
    looks: Looks,
    setup: Id,
    axis: Axis = "x",
    count: Annotated[int, Field(ge=2, le=40)] | None = None,
    size: Annotated[float, Field(gt=1, le=10_000)] | None = None,
) -> Plan:
    """Cut a setup in tiles along an axis, with seams over plain ground: as few as the machine needs, so many, or each
    no longer than a size."""
    found = setup_named(plan, setup)
    if not found.can_be_tiled:
        raise Refused("a bar that rotates is not cut in tiles: cut a shorter bar")
    old = found.tiles if isinstance(found, TiledSetup) else None
    length = float(found.frame(plan.stock).high[0 if axis == "x" else 1])
    longest = longest_tile(machine_of(plan.machine), found, old, axis)
    shown = [(model, looks(model)) for model in plan.models if model.shown]
    seams = proposed_seams(seam_costs(plan, found, shown, axis), length, min(longest, size or longest), count)
    if isinstance(found, TiledSetup):
        cut = _changed(plan, found, {_seams(axis): seams, "errors": (), "strips": ()})
    else:
        cut = _first_tiles(plan, found, {_seams(axis): seams})
    return with_setup(cut, _with_lasting_zero(cut, _tiled(cut, setup), looks))


@edit
def cut_whole(plan: Plan, setup: Id) -> Plan:
    """Take the tiles of a setup away, with the marks that they made."""
    found = setup_named(plan, setup)
    return with_setup(plan, found.whole()) if isinstance(found, TiledSetup) else plan


@edit
def change_tiles(plan: Plan, setup: Id, change: dict[str, Any]) -> Plan:
    """Change what all tiles of a setup share: overrun, order, zero, slide, marks."""
    return _changed(plan, _tiled(plan, setup), change)


@edit
def move_seam(plan: Plan, setup: Id, seam: Number, at: Place, axis: Axis = "x") -> Plan:
    """Move a seam to another place along its axis."""
    found = _tiled(plan, setup)
    seams = list(found.tiles.seams(axis))
    if seam > len(seams):
        raise Refused("that seam is no longer in the job")
    length = float(found.frame(plan.stock).high[0 if axis == "x" else 1])
    low, high = ([0.0, *seams][seam - 1], [*seams, length][seam])
    if not low + 1 <= at <= high - 1:
        raise Refused(f"the seam must lie between {low + 1:g} and {high - 1:g} mm, where its neighbours are")
    seams[seam - 1] = round(at, 2)
    return _changed(plan, found, {_seams(axis): seams})


@edit
def add_seam(plan: Plan, setup: Id, axis: Axis = "x") -> Plan:
    """Cut the longest tile along an axis in two, at its middle."""
    found = setup_named(plan, setup)
    length = float(found.frame(plan.stock).high[0 if axis == "x" else 1])
    seams = [0.0, *(found.tiles.seams(axis) if isinstance(found, TiledSetup) else ()), length]
    wide = [b - a for a, b in pairwise(seams)]
    k = wide.index(max(wide))
    made = sorted([*seams[1:-1], round((seams[k] + seams[k + 1]) / 2, 1)])
    if isinstance(found, TiledSetup):
        return _changed(plan, found, {_seams(axis): made, "errors": (), "strips": ()})
    return _first_tiles(plan, found, {_seams(axis): made})


@edit
def drop_seam(plan: Plan, setup: Id, seam: Number, axis: Axis = "x") -> Plan:
    """Take a seam out; with the last one the setup is cut whole."""
    found = _tiled(plan, setup)
    tiles = found.tiles
    left = [at for k, at in enumerate(tiles.seams(axis), 1) if k != seam]
    if not left and not tiles.seams("y" if axis == "x" else "x"):
        return cut_whole(plan, setup)
    return _changed(plan, found, {_seams(axis): left, "errors": (), "strips": ()})


@edit
def assume_slide_error(plan: Plan, setup: Id, tile: Number, change: dict[str, Any]) -> Plan:
    """Assume that the board lies wrong after the slide to a tile, to see the step at the seam."""
    found = _tiled(plan, setup)
    if not 2 <= tile <= found.count:
        raise Refused("there is no slide to that tile")
    tiles = found.tiles
    old = next((item for item in tiles.errors if item.tile == tile), SlideError(tile=tile))
    made = SlideError.model_validate(old.model_dump() | change)
    kept = [item.model_dump() for item in tiles.errors if item.tile != tile]
    return _changed(plan, found, {"errors": kept if made.none else [*kept, made.model_dump()]})


@edit
def add_strip(
    plan: Plan,
    setup: Id,
    seam: Number,
    height: Annotated[float, Field(gt=0, le=10)],
    side: Literal["before", "after"] = "before",
    width: Annotated[float, Field(ge=1, le=1000)] = 40.0,
    axis: Axis = "x",
) -> Plan:
    """Finish again beside a seam that came out with a step: the side that stands higher is lowered towards the seam.

    The step is assumed for the slide to the tile after the seam, so that the proof shows what comes of it."""
    found = _tiled(plan, setup)
    tiles = found.tiles
    if strip_operation(found) is None:
        raise Refused("nothing is finished in this setup: there is no finishing that a strip could repeat")
    strip = Strip(axis=axis, seam=seam, side=side, height=height, width=width)
    kept = [item.model_dump() for item in tiles.strips if (item.axis, item.seam) != (axis, seam)]
    change: dict[str, Any] = {"strips": [*kept, strip.model_dump()]}
    later = _later_tile(found, axis, seam)
    if later is not None:
        # Of the two tiles at the seam the later one was set wrongly.
        up = (side == "after") == (tiles.order == "forward")
        error = SlideError(tile=later, dz=height if up else -height)
        others = [item.model_dump() for item in tiles.errors if item.tile != later]
        change["errors"] = [*others, error.model_dump()]
    return _changed(plan, found, change)


@edit
def drop_strip(plan: Plan, setup: Id, seam: Number, axis: Axis = "x") -> Plan:
    """Take the strip beside a seam away, and the step that was assumed for it."""
    found = _tiled(plan, setup)
    tiles = found.tiles
    kept = [item.model_dump() for item in tiles.strips if (item.axis, item.seam) != (axis, seam)]
    later = _later_tile(found, axis, seam)
    errors = [item.model_dump() for item in tiles.errors if item.tile != later]
    return _changed(plan, found, {"strips": kept, "errors": errors})


@edit
def mark_slides(plan: Plan, setup: Id, slide: Literal["dowels", "marks"], cutter: Cutter | None = None) -> Plan:
    """Slide by dowel holes or score marks, with the operation that makes them at the beginning of the setup. Without a
    cutter, with one that serves."""
    found = _tiled(plan, setup)
    tiles = Tiles.model_validate(found.tiles.model_dump() | {"slide": slide})
    drilled = slide == "dowels"
    depth = plan.stock.thickness + 10.0
    usual = dowel_drill(tiles.diameter, depth) if drilled else score_cutter()
    change = {"diameter": tiles.diameter} if drilled else {}
    making = Operation.model_validate(
        {
            "number": next_number(plan),
            "strategy": "drill" if drilled else "score",
            "cutter": (cutter or usual).model_copy(update=change),
            "boundary": {"boundary": "marks", "contain": "centre"},
            "settings": {"depth": depth, "through": 10.0} if drilled else {"depth": 0.5},
        }
    )
    operations = (making, *found.without_marks())
    return with_setup(plan, found.model_copy(update={"tiles": tiles, "operations": operations}))
