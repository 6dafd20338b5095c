"""Tiles and slides in words."""

from nephos.core.plan.setups.tiling import Axis, Tile
from nephos.core.units import Units, size_in


def tile_in_words(tile: Tile, axis: Axis = "x", units: Units = "mm") -> str:
    """From where to where a tile goes on the board."""
    say = size_in(units)
    low, high = (tile.core[0], tile.core[2]) if axis == "x" else (tile.core[1], tile.core[3])
    return f"{axis.upper()} {say(low)} to {say(high)}"


def slide_in_words(before: Tile, after: Tile, units: Units = "mm") -> str:
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
    along = {"fence": " along the fence", "dowels": "", "marks": " along the fence"}[after.slide]
    return f"slide the board {' and '.join(parts)}{along}"


def found_in_words(after: Tile, units: Units = "mm") -> str:
    """How the board is found again after a slide."""
    say = size_in(units)
    if after.blend is not None:
        return "as this tile was found before"
    if after.slide == "dowels":
        return (
            f"two dowels of {say(after.mark_size[0])} in the bed: the holes that the tile before has drilled, "
            f"{say(after.marks_past)} past the seam, come over them"
        )
    if after.slide == "marks":
        return "the score marks on both edges of the board come to the mark on the fence"
    return "by a stop at the fence, or measured from the end of the board"
