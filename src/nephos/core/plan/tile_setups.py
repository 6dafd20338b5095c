"""The plan as it is cut: each setup with tiles becomes one setup a tile, and one for each strip beside a seam.

All tiles of a setup share its orientation frame, its operations and their numbers. Each has a window, a zero and files
of its own, and begins with the block that the one before it left."""

from dataclasses import dataclass

from nephos.core.plan.place import turned_size, zero_in_frame
from nephos.core.plan.schema import KeepOut, Operation, Plan, Setup
from nephos.core.plan.tiles import FAR, Axis, Blend, Box, Strip, Tile, Tiles
from nephos.core.units import Units, size_in

_NAME = 60
_LEAST = 0.5
"""A seam nearer to an end of the board (mm) cuts off no tile."""
_ROOM = 0.5
"""Roughing makes so much (mm) more room past a seam than the finishing cutter needs."""


@dataclass(frozen=True)
class _Cell:
    """One rectangle between seams, by its place along X and Y."""

    column: int
    row: int
    core: Box


def cut_plan(plan: Plan) -> Plan:
    """The plan with its tiled setups taken apart; the plan itself where there is none."""
    if all(setup.tiles is None for setup in plan.setups):
        return plan
    return plan.model_copy(update={"setups": tuple(tile for setup in plan.setups for tile in tile_setups(plan, setup))})


def _cells(plan: Plan, setup: Setup, tiles: Tiles) -> list[_Cell]:
    width, depth, _ = map(float, turned_size(plan.stock, setup))
    xs = (0.0, *(seam for seam in tiles.seams_x if _LEAST < seam < width - _LEAST), width)
    ys = (0.0, *(seam for seam in tiles.seams_y if _LEAST < seam < depth - _LEAST), depth)
    cells = [_Cell(i, j, (xs[i], ys[j], xs[i + 1], ys[j + 1])) for j in range(len(ys) - 1) for i in range(len(xs) - 1)]
    return cells if tiles.order == "forward" else cells[::-1]


def tile_count(setup: Setup) -> int:
    """How many tiles a setup is cut in; 1 where it has no seams."""
    tiles = setup.tiles
    return 1 if tiles is None else (len(tiles.seams_x) + 1) * (len(tiles.seams_y) + 1)


def _reference(cell: _Cell, tiles: Tiles) -> tuple[float, float]:
    """The corner of a tile that its zero is counted from: that at the end which the board is worked from."""
    x0, y0, x1, y1 = cell.core
    return (x0, y0) if tiles.order == "forward" else (x1, y1)


def _mark_spots(cell: _Cell, tiles: Tiles, size: tuple[float, float]) -> tuple[tuple[float, float], ...]:
    """The dowel holes or score marks that a tile is found again by after the slide to it: one near each edge."""
    sign = 1.0 if tiles.order == "forward" else -1.0
    off = sign * tiles.past if tiles.slide == "dowels" else 0.0
    x, y = _reference(cell, tiles)
    if tiles.seams_x:
        return (x + off, tiles.inset), (x + off, size[1] - tiles.inset)
    return (tiles.inset, y + off), (size[0] - tiles.inset, y + off)


def _marks_made(cells: list[_Cell], k: int, tiles: Tiles, size: tuple[float, float]) -> tuple[tuple[float, float], ...]:
    """What tile k makes: the marks for the next one; the first also drills the dowel holes that it lies on itself."""
    if tiles.slide == "fence":
        return ()
    made = _mark_spots(cells[k + 1], tiles, size) if k + 1 < len(cells) else ()
    return (*_mark_spots(cells[0], tiles, size), *made) if k == 0 and tiles.slide == "dowels" else made


SCORE = 0.2
"""So wide (mm) a score mark is drawn."""


def _mark_size(tiles: Tiles) -> tuple[float, float]:
    """How large a mark is on the plan: a hole, or a line from the edge of the board inward."""
    if tiles.slide == "dowels":
        return tiles.diameter, tiles.diameter
    length = max(2 * tiles.inset, SCORE)
    return (SCORE, length) if tiles.seams_x else (length, SCORE)


def _zero_at(plan: Plan, setup: Setup, cell: _Cell, tiles: Tiles) -> tuple[float, float, float]:
    x, y, z = map(float, zero_in_frame(plan.stock, setup))
    if tiles.zero == "stock":
        return x, y, z
    along = _reference(cell, tiles)
    if tiles.zero == "mark" and tiles.slide == "dowels":
        width, depth, _ = map(float, turned_size(plan.stock, setup))
        spot = _mark_spots(cell, tiles, (width, depth))[0]
        return (*spot, z)
    return (along[0] if tiles.seams_x else x, along[1] if tiles.seams_y else y, z)


def _ref(cell: _Cell, cells: list[_Cell], tiles: Tiles) -> str:
    if tiles.zero != "seam":
        return tiles.zero
    return "end" if cell is cells[0] else "seam"


def _moved_along(setup: Setup, slid: tuple[float, float]) -> tuple[KeepOut, ...]:
    """Clamps stay where they are on the machine: on the board they move along."""
    return tuple(
        item.model_copy(update={"at": (item.at[0] + slid[0], item.at[1] + slid[1])}) for item in setup.keep_outs
    )


def tile_setups(plan: Plan, setup: Setup) -> tuple[Setup, ...]:
    """One setup for each tile in the order of cutting, then one for each strip; the setup itself where it has no
    tiles."""
    tiles = setup.tiles
    if tiles is None:
        return (setup,)
    cells = _cells(plan, setup, tiles)
    width, depth, _ = map(float, turned_size(plan.stock, setup))
    errors = {error.tile: error for error in tiles.errors if not error.none}
    first = _reference(cells[0], tiles)
    found = []
    for k, cell in enumerate(cells):
        here = _reference(cell, tiles)
        slid = here[0] - first[0], here[1] - first[1]
        x0, y0, x1, y1 = cell.core
        seams = x0 > 0, y0 > 0, x1 < width - 1e-9, y1 < depth - 1e-9
        later = (False, False, True, True) if tiles.order == "forward" else (True, True, False, False)
        past = [
            (tiles.overrun if next_one else 0.0) if seam else FAR for seam, next_one in zip(seams, later, strict=True)
        ]
        tile = Tile(
            of=setup.id,
            number=k + 1,
            count=len(cells),
            core=cell.core,
            past=(past[0], past[1], past[2], past[3]),
            slid=slid,
            ref=_ref(cell, cells, tiles),
            marks=_marks_made(cells, k, tiles, (width, depth)),
            mark_size=_mark_size(tiles),
            seams=(*(("x", at) for at in tiles.seams_x), *(("y", at) for at in tiles.seams_y)),
            error=errors.get(k + 1),
        )
        found.append(
            _with_tile(
                plan,
                setup,
                cell,
                tiles,
                tile,
                f"{setup.id}.{k + 1}",
                f"{setup.name[:_NAME]}, tile {k + 1} of {len(cells)}",
            )
        )
    whole = [*found, *(made for strip in tiles.strips for made in _strip_setups(setup, tiles, found, cells, strip))]
    last = whole[-1]
    if last.tile is not None:
        whole[-1] = last.model_copy(update={"tile": last.tile.model_copy(update={"final": True})})
    return tuple(whole)


def _with_tile(plan: Plan, setup: Setup, cell: _Cell, tiles: Tiles, tile: Tile, key: str, name: str) -> Setup:
    zero = setup.zero.model_copy(update={"at": _zero_at(plan, setup, cell, tiles)})
    return setup.model_copy(
        update={
            "id": key,
            "name": name,
            "tiles": None,
            "tile": tile,
            "zero": zero,
            "keep_outs": _moved_along(setup, tile.slid),
        }
    )


def tile_share(setup: Setup, low: tuple[float, float], high: tuple[float, float]) -> float:
    """Which share of a box (two corners x, y) a tile cuts; 1 where the setup is no tile."""
    if setup.tile is None:
        return 1.0
    x0, y0, x1, y1 = setup.tile.window()
    wide = min(x1, high[0]) - max(x0, low[0])
    deep = min(y1, high[1]) - max(y0, low[1])
    area = (high[0] - low[0]) * (high[1] - low[1])
    return max(wide, 0.0) * max(deep, 0.0) / area if area > 0 else 1.0


def window_of(setup: Setup, operation: Operation) -> Box | None:
    """Where the axis of an operation's cutter may be in a tile; none where the setup is no tile.

    What is finished up to the overrun is roughed farther, so that the finishing cutter does not meet the full stock
    there."""
    if setup.tile is None:
        return None
    if operation.role == "finish":
        return setup.tile.window()
    widest = max((step.cutter.radius for step in setup.worked if step.role == "finish"), default=0.0)
    return setup.tile.window(max(widest - operation.cutter.radius, 0.0) + _ROOM)


def strip_operation(setup: Setup) -> Operation | None:
    """What a strip is finished with: the finishing of the setup with the thinnest cutter, without its limits to what is
    left."""
    finishing = [step for step in setup.worked if step.role == "finish"]
    if not finishing:
        return None
    finest = min(finishing, key=lambda step: step.cutter.diameter)
    change = {name: 0.0 for name in ("rest", "layer") if hasattr(finest.settings, name)}
    return finest.model_copy(update={"settings": finest.settings.model_copy(update=change), "fine": None})


def _strip_setups(setup: Setup, tiles: Tiles, found: list[Setup], cells: list[_Cell], strip: Strip) -> list[Setup]:
    """The strip beside a seam, in each tile that has it on the side which stands higher."""
    operation = strip_operation(setup)
    if operation is None:
        return []
    seam = tiles.seams(strip.axis)[strip.seam - 1]
    low, high = (0, 2) if strip.axis == "x" else (1, 3)
    mine, towards = (high, -1) if strip.side == "before" else (low, 1)
    # The step lies where the tile on the other side stops cutting: up to there the strip is lowered by all of it.
    cut_before = (towards > 0) == (tiles.order == "forward")
    at = seam + towards * ((tiles.overrun if cut_before else 0.0) + operation.cutter.radius)
    made = []
    for cell, whole in zip(cells, found, strict=True):
        if abs(cell.core[mine] - seam) > 1e-9 or whole.tile is None:
            continue
        core, past = list(cell.core), list(whole.tile.past)
        far = low if mine == high else high
        core[far] = max(at - strip.width, core[low]) if towards < 0 else min(at + strip.width, core[high])
        past[far] = 0.0
        blend = Blend(
            axis=strip.axis, at=at, towards=towards, height=strip.height, width=max(abs(core[far] - at), _ROOM)
        )
        tile = whole.tile.model_copy(update={"core": tuple(core), "past": tuple(past), "marks": (), "blend": blend})
        key = f"{whole.id}s{strip.seam}{'' if strip.axis == 'x' else 'y'}{strip.side[0]}"
        name = f"{whole.name}, strip at seam {strip.seam}"
        made.append(whole.model_copy(update={"id": key, "name": name, "tile": tile, "operations": (operation,)}))
    return made


def tile_in_words(tile: Tile, axis: Axis = "x", units: Units = "mm") -> str:
    """From where to where a tile goes on the board."""
    say = size_in(units)
    low, high = (tile.core[0], tile.core[2]) if axis == "x" else (tile.core[1], tile.core[3])
    return f"{axis.upper()} {say(low)} to {say(high)}"


def slide_in_words(tiles: Tiles, before: Tile, after: Tile, units: Units = "mm") -> str:
    """What hands do between two tiles, as a sentence without its end."""
    say = size_in(units)
    if after.blend is not None:
        if after.slid == before.slid:
            return "leave the board as it is clamped"
        return f"slide the board back to where tile {after.number} was cut"
    x, y = after.slid[0] - before.slid[0], after.slid[1] - before.slid[1]
    parts = []
    if abs(x) > 1e-9:
        parts.append(f"{say(abs(x))} to the {'left' if x > 0 else 'right'}")
    if abs(y) > 1e-9:
        parts.append(f"{say(abs(y))} to the {'front' if y > 0 else 'back'}")
    along = {"fence": " along the fence", "dowels": "", "marks": " along the fence"}[tiles.slide]
    return f"slide the board {' and '.join(parts)}{along}"


def found_in_words(tiles: Tiles, after: Tile, units: Units = "mm") -> str:
    """How the board is found again after a slide."""
    say = size_in(units)
    if after.blend is not None:
        return "as this tile was found before"
    if tiles.slide == "dowels":
        return (
            f"two dowels of {say(tiles.diameter)} in the bed: the holes that the tile before has drilled, "
            f"{say(tiles.past)} past the seam, come over them"
        )
    if tiles.slide == "marks":
        return "the score marks on both edges of the board come to the mark on the fence"
    return "by a stop at the fence, or measured from the end of the board"
