"""In which order roughing goes about: nothing before its neighbours outside of it, one hole and one pit before the
next, little positioning."""

from collections.abc import Iterator
from itertools import pairwise

import numpy as np
import pytest
import shapely
from demo.roughing import by_level
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import MultiPolygon, Point, Polygon, box

from cutting import op, run
from meshes import grid_mesh
from nephos.core.cutters import SHAPES, standard_cutter
from nephos.core.linking.pass_order import in_short_order
from nephos.core.mesh.model import Mesh
from nephos.core.plan.boundary import Limit
from nephos.core.stages import path as path_stage
from nephos.core.stock.block import box_block
from nephos.core.stock.sweep import sweep
from nephos.core.strategies import rough_offset
from nephos.core.strategies.clearing.levels import wide_heights
from nephos.core.strategies.clearing.regions import Layer, Region, cut_in_order, nearest_to, stacked
from nephos.core.strategies.rough_offset import inner_rings, level_ring, nested_rings, ring_paths, roughly
from nephos.core.toolpath import Kind, Pass

pytestmark = pytest.mark.long

STEP, RADIUS = 2.0, 3.0


def length(paths: list[np.ndarray]) -> float:
    return sum(float(shapely.LineString(path).length) for path in paths)


def holed(columns: int, rows: int) -> Polygon:
    """A plate with round holes, 40 mm apart."""
    plate = box(0, 0, 40 * columns, 40 * rows)
    for i in range(columns):
        for j in range(rows):
            plate = plate.difference(Point(20 + 40 * i, 20 + 40 * j).buffer(8))
    return plate


@pytest.mark.parametrize("plate", [box(0, 0, 50, 30), holed(2, 1), holed(3, 2)])
def test_all_rings_are_gone_round_once(plate: Polygon) -> None:
    paths = list(ring_paths(plate, STEP, RADIUS, True))
    nested = [ring for polygon in nested_rings(plate, STEP, RADIUS) for ring in (polygon.exterior, *polygon.interiors)]
    assert len(paths) == len(nested)
    assert length(paths) == pytest.approx(sum(ring.length for ring in nested), rel=1e-3)
    assert all(np.allclose(path[0], path[-1]) for path in paths)


def test_no_ring_comes_before_its_neighbours_outside_of_it() -> None:
    plate = holed(3, 2)
    gone: list[shapely.LineString] = []
    depth = {}
    level, todo = 0, [plate]
    while todo:
        for polygon in todo:
            for ring in (polygon.exterior, *polygon.interiors):
                depth[round(ring.length, 6), round(ring.centroid.x, 3), round(ring.centroid.y, 3)] = level
        # Thinned as they are when they are gone round.
        todo = [piece.simplify(0.01) for polygon in todo for piece in inner_rings(polygon, STEP, RADIUS, roughly)]
        level += 1
    for path in ring_paths(plate, STEP, RADIUS, True):
        line = shapely.LineString(path)
        mine = depth[
            round(line.length, 6),
            round(shapely.LinearRing(path).centroid.x, 3),
            round(shapely.LinearRing(path).centroid.y, 3),
        ]
        if mine:
            assert min(line.distance(other) for other in gone) < 1.5 * RADIUS, "one beside it is done"
        gone.append(line)


def test_the_cutter_stays_about_one_hole_before_the_next() -> None:
    plate = holed(4, 1)
    paths = list(ring_paths(plate, STEP, RADIUS, True, np.zeros(2)))
    hops = np.array([np.hypot(*(b[0] - a[-1])) for a, b in pairwise(paths)])
    # From hole to hole it is 24 mm and more: three times for four holes, once to the outline and back, not once for
    # each ring.
    assert (hops > 20).sum() <= 8
    polygons = list(nested_rings(plate, STEP, RADIUS))
    plain = [np.asarray(ring.coords) for polygon in polygons for ring in (polygon.exterior, *polygon.interiors)]
    plainly = sum(float(np.hypot(*(b[0] - a[-1]))) for a, b in pairwise(plain))
    assert hops.sum() < 0.5 * plainly


def passes_of(regions: list[Region]):
    """Cuts a region in one ring."""

    def cut(k: int, at: np.ndarray | None) -> Iterator[Pass]:
        yield level_ring(np.asarray(regions[k].polygon.exterior.coords), regions[k].level)

    return cut


def test_regions_are_cut_to_their_bottom_the_nearest_first() -> None:
    pits = [
        Layer(-2.0, MultiPolygon([box(x, 0, x + 10, 10) for x in (60, 0, 20, 40)])),
        Layer(-4.0, MultiPolygon([box(x, 2, x + 6, 8) for x in (2, 22, 42, 62)])),
    ]
    regions = stacked(pits, 1.0, 0.01)
    order = [
        (float(item.start[0]) // 20, float(item.start[2]))
        for item in cut_in_order(regions, passes_of(regions), np.zeros(2))
    ]
    assert [level for _, level in order] == [-2, -4] * 4
    assert [place for place, _ in order[::2]] == [0, 1, 2, 3]


def test_what_stands_lower_than_all_that_is_cut_above_it_is_cut_too() -> None:
    """After an earlier roughing most of a level may be clear where something stands on the next."""
    layers = [
        Layer(-2.0, box(0, 0, 4, 20)),
        Layer(-4.0, box(2, 0, 30, 20)),
        Layer(-6.0, MultiPolygon([box(2, 0, 8, 20), box(40, 0, 50, 9)])),
    ]
    regions = stacked(layers, 1.0, 0.01)
    assert [region.above for region in regions] == [(), (0,), (1,), ()]
    order = [float(item.start[2]) for item in cut_in_order(regions, passes_of(regions), np.zeros(2))]
    assert order == [-2, -4, -6, -6]


def test_a_piece_under_two_others_waits_for_both() -> None:
    layers = [Layer(-2.0, MultiPolygon([box(0, 0, 8, 8), box(20, 0, 28, 8)])), Layer(-4.0, box(4, 0, 24, 8))]
    regions = stacked(layers, 1.0, 0.01)
    assert regions[2].above == (0, 1)
    assert [float(item.start[2]) for item in cut_in_order(regions, passes_of(regions))] == [-2, -2, -4]


def test_level_ground_of_its_own_comes_between_two_levels() -> None:
    layers = [
        Layer(-2.0, box(0, 0, 30, 8)),
        Layer(-3.0, box(9, 0, 30, 8), own=True),
        Layer(-4.0, box(0, 0, 10, 8)),
        Layer(-6.0, box(0, 0, 10, 8)),
    ]
    assert [region.above for region in stacked(layers, 1.0, 0.01)] == [(), (0,), (0, 1), (2,)]


def test_nothing_is_cut_under_a_piece_that_is_left_to_a_smaller_cutter() -> None:
    layers = [Layer(-2.0, box(0, 0, 1, 2)), Layer(-4.0, box(0, 0, 10, 2))]
    (region,) = stacked(layers, 4.0, 0.01)
    assert region.polygon.bounds[0] == pytest.approx(1.01) and region.above == ()


def test_the_nearest_of_none_is_the_first() -> None:
    shapes = [box(10, 0, 11, 1), box(1, 0, 2, 1)]
    assert (
        nearest_to(None, shapes) == 0
        and nearest_to(np.zeros(2), shapes) == 1
        and nearest_to(np.zeros(2), shapes[:1]) == 0
    )


def tray() -> Mesh:
    """Six round pits, 10 mm deep, in a plate of 90 x 60 mm."""
    x, y = np.meshgrid(np.linspace(0, 90, 181), np.linspace(0, 60, 121))
    rho = np.hypot((x % 30) - 15, (y % 30) - 15)
    return grid_mesh(x, y, np.where(rho < 12, 12 - 10 * np.sqrt(np.clip(1 - (rho / 12) ** 2, 0, 1)), 12.0))


def positioning(mesh: Mesh) -> float:
    done = run(
        mesh,
        op(
            "rough_offset",
            standard_cutter("flat", 4, 1),
            10,
            {"boundary": Limit(boundary="box")},
            stepover=1.6,
            stepdown=1.0,
            leave=0.3,
        ),
        size=(90, 60, 13),
    )
    outcome = done.outcomes[0]
    steps = np.linalg.norm(np.diff(outcome.points, axis=0), axis=1)
    return float(np.nansum(steps[outcome.kinds == Kind.RAPID]))


def test_pit_by_pit_takes_half_the_positioning_of_level_by_level(monkeypatch: pytest.MonkeyPatch) -> None:
    mesh = tray()
    pit_by_pit = positioning(mesh)

    monkeypatch.setattr(rough_offset, "level_regions", by_level)
    monkeypatch.setattr(path_stage, "in_short_order", lambda passes, *_: passes)
    assert pit_by_pit <= 0.5 * positioning(mesh)


def hops(passes: tuple[Pass, ...]) -> float:
    return float(sum(np.hypot(*(b.start - a.end)[:2]) for a, b in pairwise(passes)))


def taken(passes: tuple[Pass, ...], diameter: float) -> dict[bytes, float]:
    """What each pass takes out of a block, mm^3 of its cells' columns, by its places in any order of going round."""
    block, profile = box_block((0, 0, 0), (100, 60, 10), 0.5), standard_cutter("flat", diameter, 1).profile
    top, found = block.top.copy(), {}
    for item in passes:
        before = float(top.sum(dtype=np.float64))
        touched, all_cut = np.full(top.shape, -1, np.int32), np.ones(len(item.points) - 1, np.uint8)
        sweep(top, touched, block.grid, np.ascontiguousarray(item.points), all_cut, 0, profile)
        corners = np.unique(item.points, axis=0)
        found[corners.tobytes()] = before - float(top.sum(dtype=np.float64))
    return found


def test_what_is_apart_is_finished_before_the_cutter_goes_over_to_the_next() -> None:
    passes = tuple(
        Pass(np.array([[x, y, z], [x + 20, y, z]], float)) for z in (8, 6, 4) for y in (10, 12) for x in (10, 60)
    )
    ordered = in_short_order(passes, 6.0, 3.0)
    assert [item.start[0] for item in ordered] == [10] * 6 + [60] * 6
    assert [item.start[2] for item in ordered] == [8, 8, 6, 6, 4, 4] * 2


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 10_000), st.integers(1, 40), st.sampled_from([2.0, 6.0]))
def test_in_another_order_each_pass_takes_what_it_took(seed: int, count: int, diameter: float) -> None:
    random = np.random.default_rng(seed)
    passes = []
    for k in range(count):
        points = random.uniform((5, 5), (95, 55)) + np.cumsum(random.uniform(-8, 8, (random.integers(2, 6), 2)), axis=0)
        closed = bool(random.integers(0, 2)) and len(points) > 2
        points = np.vstack([points, points[:1]]) if closed else points
        passes.append(Pass(np.column_stack([points, np.full(len(points), 9.0 - 8.0 * k / count)]), closed=closed))
    ordered = in_short_order(tuple(passes), diameter, diameter / 2)
    assert len(ordered) == count and taken(ordered, diameter) == pytest.approx(taken(tuple(passes), diameter), abs=1e-3)
    assert all((item.start == item.end).all() for item in ordered if item.closed)


def test_the_order_is_not_longer_than_the_one_given() -> None:
    random = np.random.default_rng(7)
    places = random.uniform((5, 5), (95, 55), (120, 2))
    passes = tuple(Pass(np.array([[x, y, 5.0], [x + 1.0, y, 5.0]])) for x, y in places)
    assert hops(in_short_order(passes, 0.5, 0.2)) < 0.3 * hops(passes)
    assert in_short_order(passes[:2], 0.5, 0.2) == passes[:2] and in_short_order((), 0.5, 0.2) == ()


def test_heights_count_by_what_lies_level_at_them() -> None:
    heights = np.array([5.0, 5.004, 2.0, 2.0, 7.0])
    areas = np.array([60.0, 60.0, 40.0, 30.0, 100.0])
    assert wide_heights(heights, areas, 90) == pytest.approx([7.0, 5.0])
    assert wide_heights(heights, areas, 50) == pytest.approx([7.0, 5.0, 2.0])
    assert wide_heights(np.empty(0), np.empty(0), 1) == []


@settings(max_examples=40, deadline=None)
@given(st.sampled_from([shape for shape in SHAPES if shape != "drill"]), st.floats(0.5, 20), st.integers(0, 1000))
def test_heights_of_an_underside_are_the_same_at_once_and_one_by_one(shape: str, diameter: float, seed: int) -> None:
    profile = standard_cutter(shape, diameter).profile
    rho = np.random.default_rng(seed).uniform(0, 1.1 * profile.radius, (3, 7))
    rho[0, 0], rho[0, 1], rho[0, 2] = 0.0, profile.flat, profile.radius
    told = profile.heights(rho)
    assert told.shape == rho.shape
    for many, one in zip(told.ravel(), rho.ravel(), strict=True):
        assert many == pytest.approx(profile.height(float(one)), abs=1e-9)
