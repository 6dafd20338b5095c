"""Thin places of the finished part are found with the true thickness, and edges of round parts are none."""

from dataclasses import replace

import numpy as np
import pytest

from cutting import BALL, FLAT, op, run
from face_jobs import cut, egg_plan
from hard_meshes import revolved
from meshes import grid_mesh
from nephos.core.findings.faces import whole_findings
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.mesh.model import Mesh
from nephos.core.stock.block import box_block
from nephos.core.stock.thin import THIN, thin_places

pytestmark = pytest.mark.long


def dished(left: float) -> Mesh:
    """A plate of 24 mm with a round dish whose bottom is `left` mm over the stock's underside."""
    x, y = np.meshgrid(np.linspace(0, 24, 97), np.linspace(0, 24, 97))
    return grid_mesh(x, y, np.clip((np.hypot(x - 12, y - 12) - 6) * 1.2, left, 9.0 + left))


def test_a_plate_with_a_thin_floor_is_measured_square_to_its_surface() -> None:
    block = box_block((0, 0, 0), (20, 20, 10), 0.5)
    assert thin_places(block, np.ones(block.top.shape, np.bool_)) is None
    x = np.broadcast_to(block.grid.xs, block.top.shape)
    slope = np.float32(0.3) + x.astype(np.float32) * 0.5
    sloped = replace(block, high=np.minimum(block.high, slope[None]))
    found = thin_places(sloped, np.ones(block.top.shape, np.bool_))
    assert found is not None
    upright = 1 / np.hypot(1, 0.5)
    inner = sloped.grid.xs[1]
    assert found.least == pytest.approx((0.3 + 0.5 * inner) * upright, abs=0.01)
    assert found.share == pytest.approx((THIN / upright - 0.3) / 0.5 / 20, abs=0.06)


def test_a_dish_with_a_floor_of_half_a_millimetre_is_a_caution_with_the_number() -> None:
    rough = op("rough_offset", FLAT, 10, stepdown=3.0, stepover=2.4, leave=0.3)
    finish = op("finish_raster", BALL, 20, stepover=0.5)
    for left, said in ((0.5, True), (3.0, False)):
        done = run(dished(left), rough, finish, size=(32, 32, 10.0 + left))
        thin = [item for item in outcome_findings(done) if item.code == "thin"]
        assert bool(thin) == said
        if thin:
            assert "0.5 mm at the thinnest" in thin[0].text and thin[0].level == "caution"


def test_the_edge_of_an_egg_is_not_thin_but_a_shell_is() -> None:
    plan = egg_plan()
    done, whole = cut(plan)
    assert not [item for item in whole_findings(plan, whole, done) if item.code == "thin"]
    # A dome that is hollow from below, with a roof of 0.6 mm.
    t = np.linspace(0, np.pi / 2, 24)[:-1]
    outer = [(18 * np.cos(a), 7 * np.sin(a)) for a in t] + [(0.01, 7.0)]
    inner = [(15 * np.cos(a), 6.4 * np.sin(a)) for a in t] + [(0.01, 6.4)]
    cup = revolved(outer + inner[::-1], (0, 0))
    done, whole = cut(plan, cup)
    told = [item for item in whole_findings(plan, whole, done) if item.code == "thin"]
    assert len(told) == 1 and "0.6 mm at the thinnest" in told[0].text
