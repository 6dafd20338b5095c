"""The parting of a part of several faces, and the ground beside it."""

import numpy as np

from nephos.core.arrays import F64
from nephos.core.plan.joined_faces import Faces
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup


def parting_point(plan: Plan, faces: Faces) -> F64:
    """(3,) a point of the parting, in stock space: on the planes that each side and its opposite share."""
    y = plan.stock.width / 2 if faces.parting_y is None else faces.parting_y
    return np.array([plan.stock.length / 2, y, faces.parting])


def ground_height(plan: Plan, setup: Setup) -> float:
    """Height, in the frame of a setup, of the ground beside the part: its overrun below the parting, and not below the
    stock."""
    return height_below_parting(plan, setup, setup.past_parting)


def height_below_parting(plan: Plan, setup: Setup, overrun: float) -> float:
    """Height, in the frame of a setup, `overrun` mm below the parting of a part of several faces, and not below the
    stock; 0 for a part of one face."""
    if plan.faces is None:
        return 0.0
    parting = float((setup.frame(plan.stock).matrix @ [*parting_point(plan, plan.faces), 1.0])[2])
    return max(parting - overrun, 0.0)
