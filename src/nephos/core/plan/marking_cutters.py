"""Cutters that are proposed for dowel holes and score marks."""

from math import ceil

from nephos.core.cutters import Cutter, standard_cutter

_OUT_OF_THE_COLLET = 40.0
"""Length (mm) of a drill beyond its flutes."""


def dowel_drill(diameter: float, depth: float) -> Cutter:
    """A drill for dowel holes of a diameter and a depth, mm."""
    flutes = ceil(depth + 5)
    change = {"name": f"{diameter:g} mm drill", "feed": 600.0, "plunge_feed": 200.0, "spindle": 6000.0}
    lengths = {"flute_length": flutes, "overall_length": flutes + _OUT_OF_THE_COLLET}
    return standard_cutter("drill", diameter, 90).model_copy(update=change | lengths)


def score_cutter() -> Cutter:
    """A cutter for score marks."""
    change = {"name": "6 mm V, 60°", "feed": 600.0, "plunge_feed": 200.0, "spindle": 16000.0, "angle": 60.0}
    return standard_cutter("v", 6.0, 91).model_copy(update=change)
