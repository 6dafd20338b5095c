"""Narrow ground in rings: the wall first, and little of what is left of the open side then."""

import numpy as np
import pytest
import shapely
import shapely.affinity
from shapely.geometry import MultiLineString, Polygon, box

from cutting import op, run
from meshes import grid_mesh
from nephos.core.cutters import standard_cutter
from nephos.core.plan.boundary import Limit
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.strategies.clearing.wall_first import NarrowGround
from nephos.core.strategies.rough_offset import level_ring
from nephos.core.toolpath import Pass

STEP = 2.0
LEAST = 3.0


def ring_of(polygon: Polygon) -> Pass:
    return level_ring(np.asarray(polygon.exterior.coords), 5.0)


def length(passes: list[Pass]) -> float:
    return sum(float(shapely.LineString(item.points[:, :2]).length) for item in passes)


def test_along_the_wall_comes_before_the_open_side_across() -> None:
    band = box(0, 0, 60, 1.2)
    first, later = NarrowGround(band, shapely.LineString([(-10, 0), (70, 0)]), STEP, 0.01).parted(ring_of(band), LEAST)
    assert length(first + later) == pytest.approx(band.length), "all of the ring, in two turns"
    (wall,) = first
    assert wall.points[:, 1].max() == pytest.approx(0, abs=0.01) and np.ptp(wall.points[:, 0]) == pytest.approx(
        60, abs=0.6
    )
    assert not wall.closed and not any(item.closed for item in later)


def test_wide_ground_is_gone_round_as_ever() -> None:
    ground = box(0, 0, 60, 2.5)
    ring = ring_of(ground)
    assert NarrowGround(ground, shapely.LineString([(-10, 0), (70, 0)]), STEP, 0.01).parted(ring, LEAST) == ([ring], [])


def test_ground_between_walls_is_gone_round_as_ever() -> None:
    slot = box(0, 0, 60, 1.0)
    ring = ring_of(slot)
    assert NarrowGround(slot, slot.exterior, STEP, 0.01).parted(ring, LEAST) == ([ring], [])


def test_where_no_walls_are_known_rings_stay_whole() -> None:
    band = shapely.affinity.rotate(box(0, 0, 60, 1.0), 31.7)
    ring = ring_of(band)
    assert NarrowGround(band, MultiLineString(), STEP, 0.01).parted(ring, LEAST) == ([ring], [])


def test_only_the_narrow_end_of_a_piece_is_parted() -> None:
    piece = box(0, 0, 20, 10).union(box(20, 0, 60, 1.0))
    first, later = NarrowGround(piece, shapely.LineString([(-10, 0), (70, 0)]), STEP, 0.01).parted(
        ring_of(piece), LEAST
    )
    assert length(first + later) == pytest.approx(piece.length)
    beside = shapely.MultiLineString([item.points[:, :2] for item in later])
    assert beside.bounds[0] > 19 and beside.bounds[3] < 1.1 and beside.length == pytest.approx(41, abs=2.5)


def corners() -> SetupOutcome:
    """A square pit, 10 mm deep, roughed with a 6 mm cutter and its corners with a 3 mm one."""
    x, y = np.meshgrid(np.linspace(0, 60, 121), np.linspace(0, 50, 101))
    mesh = grid_mesh(x, y, np.where((np.abs(x - 30) < 22) & (np.abs(y - 25) < 17), 3.0, 13.0))
    settings = {"boundary": Limit(boundary="box")}
    return run(
        mesh,
        op("rough_offset", standard_cutter("flat", 6, 1), 10, settings, stepdown=3.0, stepover=2.5, leave=0.3),
        op("rough_offset", standard_cutter("flat", 3, 2), 20, settings, stepdown=1.5, stepover=1.2, leave=0.3),
        size=(60, 50, 14),
    )


def test_corners_of_a_pit_are_cut_with_little_air() -> None:
    done = corners()
    second = done.outcomes[1]
    feeding = second.kinds != 0
    assert second.lengths[feeding].sum() > 100, "there is something to cut in the corners"
    air = second.lengths[second.in_air(0.25)].sum()
    assert air < 0.06 * second.lengths[feeding].sum()
