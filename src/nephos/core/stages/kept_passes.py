"""Passes as they are kept, and read again."""

import numpy as np

from nephos.core.stages.store import Result, as_result
from nephos.core.toolpath import Pass, Passes


def passes_result(passes: Passes) -> Result:
    """Passes as arrays."""
    items = passes.passes
    return as_result(
        {
            "stay_down": passes.stay_down,
            "on_surface": passes.on_surface,
            "ramp_angle": passes.ramp_angle,
            "through": passes.through,
            "both": passes.both,
        },
        points=np.concatenate([item.points for item in items]) if items else np.empty((0, 3)),
        ends=np.cumsum([len(item.points) for item in items], dtype=np.int64),
        closed=np.array([item.closed for item in items], np.uint8),
        ramp=np.array([item.entry == "ramp" for item in items], np.uint8),
        plunging=np.array([item.plunging for item in items], np.uint8),
        helix=np.array([item.helix or (np.nan, np.nan) for item in items]).reshape(-1, 2),
        floor=np.array([item.floor for item in items], np.float64),
    )


def passes_from(result: Result) -> Passes:
    """The passes that :func:`passes_result` kept."""
    a = result.arrays
    pieces = np.split(a["points"], a["ends"][:-1]) if len(a["ends"]) else []
    items = tuple(
        Pass(
            points,
            bool(closed),
            "ramp" if ramp else "plunge",
            bool(plunging),
            None if np.isnan(helix[0]) else (float(helix[0]), float(helix[1])),
            float(floor),
        )
        for points, closed, ramp, plunging, helix, floor in zip(
            pieces, a["closed"], a["ramp"], a["plunging"], a["helix"], a["floor"], strict=True
        )
    )
    return Passes(items, **result.facts)
