"""Which ball would get into a corner."""

import numpy as np

from nephos.core.arrays import F64
from nephos.core.cutters.profile import Profile
from nephos.core.surface.drop import drop_points
from nephos.core.surface.index import SurfaceIndex


def touched_by_ball(
    index: SurfaceIndex, points: F64, normals: F64, radius: float, floor: float, within: float
) -> float:
    """The share of points of a surface that a ball of `radius` comes to within `within` mm of, seen from above.

    A ball that touches a point has its centre a radius along the normal from it. It can be there if the drop-cutter
    puts it no higher there.

    Parameters
    ----------
    points, normals : (n, 3) float64 places on the surface above `floor` and unit vectors out of the material.
    """
    if not len(points):
        return 1.0
    centres = points + radius * normals
    tips = drop_points(index, np.ascontiguousarray(centres[:, :2]), Profile.of(0.0, radius), floor)
    # Lifted straight up by h, the ball is h times the upward part of the normal farther from its point.
    lifted = (tips - (centres[:, 2] - radius)) * np.maximum(normals[:, 2], 0.0)
    return float((lifted <= within).mean())
