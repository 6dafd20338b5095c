"""How near the estimates of finishing and cutting out come on the sample shop, on an uncut block and after roughing.

`python -m demo.finishing [strategy ...]`; without words, all of them.
"""

import sys

import numpy as np

from demo.roughing import Case, operation_of, plan_of, told, worked
from nephos.core.toolpath import Kind

MESHES = (
    ("heron-plaque", 236),
    ("moth-roundel", None),
    ("fen-chart", 300),
    ("dragonfly", None),
    ("tray", None),
    ("pits", None),
)
WAYS: tuple[tuple[str, str, float, dict[str, float]], ...] = (
    ("finish_raster", "ball", 3, {"stepover": 0.4, "angle": 30.0}),
    ("finish_offset", "ball", 3, {"stepover": 0.4}),
    ("finish_waterline", "ball", 3, {"stepdown": 0.5, "steeper": 60.0}),
    ("finish_waterline", "ball", 3, {"stepdown": 0.4, "steeper": 35.0}),
    ("finish_steep_shallow", "ball", 3, {"stepover": 0.4}),
    ("cut_out", "flat", 6, {"stepdown": 4.0, "tabs": 5}),
)
ROUGHED = (
    operation_of(10, "flat", 10, boundary="silhouette", stepdown=4.0, stepover=4.0, leave=0.5, ramp_angle=5.0),
    operation_of(20, "ball", 6, boundary="silhouette", stepdown=2.0, stepover=1.6, leave=0.3, ramp_angle=5.0),
)


def main(words: list[str]) -> None:
    """Print a line for each operation on each mesh."""
    print(
        f"{'mesh':14} {'operation':14} {'settings':36} {'after':7} {'told':>7} {'taken':>7} {'ratio':>6} {'lifts':>6}"
    )
    for mesh, long in MESHES:
        for key, shape, diameter, settings in WAYS:
            if words and key not in words:
                continue
            last = operation_of(30, shape, diameter, key, "silhouette", **settings)
            for before, after in (((), "nothing"), (ROUGHED, "rough")):
                plan = plan_of(Case(mesh, long, (*before, last)))
                estimate, outcome = told(plan)[-1], worked(plan)[-1]
                lifts = np.count_nonzero(np.diff((outcome.kinds == Kind.RAPID).astype(int)) == 1)
                said = " ".join(f"{name} {value:g}" for name, value in settings.items())
                print(
                    f"{mesh:14} {key:14} {said:36} {after:7} {estimate:7.0f} {outcome.total_seconds:7.0f} "
                    f"{estimate / outcome.total_seconds:6.2f} {lifts:6}",
                    flush=True,
                )


if __name__ == "__main__":
    main(sys.argv[1:])
