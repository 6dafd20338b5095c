"""What a seam costs, from samples of the surface."""

import numpy as np
import pytest

from core.test_tiles import board
from meshes import grid_mesh
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.summary import quick_look
from nephos.core.plan.model import Placement
from nephos.core.plan.seams import seam_costs


def half_rough() -> Mesh:
    """A relief of 70 x 20 mm, rough on its left half and plain on the right one."""
    x, y = np.meshgrid(np.linspace(0, 70, 141), np.linspace(0, 20, 41))
    return grid_mesh(x, y, 3 + np.where(x < 35, 1.5 * np.sin(1.7 * x) * np.cos(1.3 * y), 0.0))


@pytest.mark.parametrize("mirrored", [False, True])
def test_a_seam_costs_less_over_plain_ground_of_a_mirrored_model_too(mirrored: bool) -> None:
    plan = board()
    placement = Placement(mirror=(mirrored, False, False))
    model = plan.models[0].model_copy(update={"placement": placement})
    costs = seam_costs(
        plan.model_copy(update={"models": (model,)}), plan.setups[0], [(model, quick_look(half_rough()))]
    )
    middle = plan.stock.length / 2
    left, right = costs.at < middle - 5, costs.at > middle + 5
    on_part = np.abs(costs.at - middle) < 30
    rough, plain = (right, left) if mirrored else (left, right)
    assert costs.cost[rough & on_part].mean() > 3 * costs.cost[plain & on_part].mean()
