"""Feeds and speeds proposed from the chip load, and how deep and how hard a cutter bites."""

from dataclasses import dataclass
from math import pi

from nephos.core.cutters.cutter import Cutter
from nephos.core.machine.machine import Machine
from nephos.core.materials import Material
from nephos.core.units import Units, feed_in, length_in

_REFERENCE = 6.0
"""Diameter (mm) of the cutter that a material's chip load is given for."""


@dataclass(frozen=True)
class Proposal:
    """Proposed spindle speed (1/min) and feeds (mm/min), with the chip a tooth takes (mm) and what was kept to limits.

    `kept` says which limit decided, in words; empty where the material alone did.
    """

    spindle: float
    feed: float
    plunge_feed: float
    chip: float
    kept: tuple[str, ...]


def working_diameter(cutter: Cutter) -> float:
    """The diameter that does most of the cutting: a tapered ball's tip, half of a pointed cutter's."""
    if cutter.shape == "tapered-ball":
        return cutter.tip_diameter
    return cutter.diameter / 2 if cutter.shape in {"v", "engraver"} else cutter.diameter


def propose(cutter: Cutter, material: Material, machine: Machine) -> Proposal:
    """Speed from the material's surface speed, feed = chip load x flutes x speed, both kept within the machine's
    limits.

    The chip load grows with the diameter, between a quarter and twice that of a 6 mm cutter. Straight down a third of
    the feed is proposed, for drills all of it at half the chip."""
    kept = []
    diameter = working_diameter(cutter)
    spindle = material.surface_speed * 1000 / (pi * diameter)
    if spindle > machine.spindle_limit:
        spindle = machine.spindle_limit
        kept.append("the spindle's limit")
    spindle = max(round(spindle / 100) * 100.0, 100.0)
    chip = material.chip_load * min(max(diameter / _REFERENCE, 0.25), 2.0)
    feed = chip * cutter.flutes * spindle
    limit = min(machine.feed_limit[:2])
    if feed > limit:
        feed = limit
        kept.append("the machine's feed")
    plunge = min(feed / (2 if cutter.shape == "drill" else 3), machine.feed_limit[2])
    return Proposal(spindle, max(round(feed, -1), 10.0), max(round(plunge, -1), 10.0), chip, tuple(kept))


def chip_sum(feed: float, flutes: int, spindle: float, units: Units) -> str:
    """The sum behind a feed in words: what each tooth takes."""
    return (
        f"{feed_in(units)(feed)} = {length_in(units)(feed / (flutes * spindle))} a tooth × {flutes} × {spindle:g}/min"
    )
