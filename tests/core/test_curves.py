"""Closed curves: drawn, smooth, and out of drawings made here; boundaries made of them."""

import io

import ezdxf
import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from cutting import FLAT, from_zero, op, run
from graph import outline
from meshes import box_mesh
from nephos.core.errors import Refused
from nephos.core.mesh.curves import area_of, read_curves, smoothed
from nephos.core.plan.boundary import Boundary, Curve
from nephos.core.plan.model import Model
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.stock import Stock

pytestmark = pytest.mark.long

SQUARE = ((10.0, 10.0), (50.0, 10.0), (50.0, 40.0), (10.0, 40.0))


def dxf(draw, unit: int = 4) -> bytes:
    """A drawing made with a library of its own; unit 4 is millimetres, 1 inches, 0 none."""
    document = ezdxf.new()
    document.units = unit
    draw(document.modelspace())
    out = io.StringIO()
    document.write(out)
    return out.getvalue().encode()


def lines_and_arc(space) -> None:
    """A slot: two lines and two half circles, none of them closed alone."""
    space.add_line((0, 0), (20, 0))
    space.add_arc((20, 5), 5, -90, 90)
    space.add_line((20, 10), (0, 10))
    space.add_arc((0, 5), 5, 90, 270)


def test_lines_that_meet_become_one_curve() -> None:
    found = read_curves("slot.dxf", dxf(lines_and_arc))
    assert len(found.curves) == 1 and found.notes == ()
    assert shapely.Polygon(found.curves[0]).area == pytest.approx(200 + np.pi * 25, rel=2e-3)


@pytest.mark.parametrize(("unit", "side", "note"), [(4, 10.0, False), (1, 254.0, False), (0, 10.0, True)])
def test_the_unit_of_a_drawing_is_kept(unit: int, side: float, note: bool) -> None:
    found = read_curves(
        "s.dxf", dxf(lambda space: space.add_lwpolyline([(0, 0), (10, 0), (10, 10), (0, 10)], close=True), unit)
    )
    assert np.ptp(found.curves[0], axis=0) == pytest.approx([side, side], rel=1e-6)
    assert bool(found.notes) == note


def test_an_svg_stands_upright_and_in_millimetres() -> None:
    svg = (
        b'<svg xmlns="http://www.w3.org/2000/svg" width="2in" height="1in" viewBox="0 0 200 100">'
        b'<g transform="translate(50 0)"><path d="M0 0 H50 V20 H20 Z"/></g></svg>'
    )
    (curve,) = read_curves("a.svg", svg).curves
    assert np.ptp(curve, axis=0) == pytest.approx([12.7, 5.08])
    # The long side is at the top of the picture, so at the far side of the stock.
    top = curve[np.isclose(curve[:, 1], curve[:, 1].max())]
    assert np.ptp(top[:, 0]) == pytest.approx(12.7)


def test_a_curve_inside_another_is_a_hole() -> None:
    ring = np.array(SQUARE)
    inner = ring * 0.5 + 12
    assert area_of([ring, inner]).area == pytest.approx(1200 * 0.75)
    with pytest.raises(Refused, match="crosses itself"):
        area_of([np.array([[0, 0], [10, 10], [10, 0], [0, 10.0]])])


@settings(max_examples=40, deadline=None)
@given(st.integers(4, 12), st.floats(5, 80), st.integers(0, 999))
def test_a_smooth_curve_goes_through_its_handles_without_a_corner(count: int, radius: float, seed: int) -> None:
    rng = np.random.default_rng(seed)
    a = np.sort(np.linspace(0, 2 * np.pi, count, endpoint=False) + rng.uniform(-0.2, 0.2, count) / count)
    handles = radius * rng.uniform(0.9, 1.1, (count, 1)) * np.column_stack([np.cos(a), np.sin(a)])
    curve = smoothed(handles)
    assert all(np.hypot(*(curve - handle).T).min() < 1e-9 for handle in handles)
    step = np.diff(np.vstack([curve, curve[:2]]), axis=0)
    turn = np.abs((np.diff(np.arctan2(step[:, 1], step[:, 0])) + np.pi) % (2 * np.pi) - np.pi)
    assert turn.max() < 0.7, "no chord turns by as much as a corner"


def shape(*boundaries: Boundary) -> shapely.Geometry:
    plan = Plan(
        stock=Stock(length=70, width=60, thickness=10),
        models=(Model(id="m", name="m", mesh="m"),),
        boundaries=boundaries,
        setups=(FaceSetup(id="a", name="a"),),
    )
    return outline(plan, boundaries[0].id, box_mesh((0, 0, 0), (20, 20, 5)))


def test_loops_are_picked_off_by_a_spot_near_them() -> None:
    outer, inner = Curve(points=SQUARE), Curve(points=((20, 20), (30, 20), (30, 30), (20, 30)))
    other = Curve(points=((60, 5), (68, 5), (64, 9)))

    def drawn(*spots) -> shapely.Geometry:
        return shape(Boundary(id="b1", name="b", source="drawn", curves=(outer, inner, other), left_out=spots))

    assert drawn().area == pytest.approx(1200 - 100 + 16)
    assert drawn((29.0, 25.0)).area == pytest.approx(1200 + 16), "the hole is filled"
    assert drawn((63.0, 6.0)).area == pytest.approx(1100)
    assert drawn((11.0, 12.0), (29.0, 25.0)).area == pytest.approx(16)


def test_nothing_drawn_yet_says_what_to_do() -> None:
    with pytest.raises(Refused, match="add a curve or import a file"):
        shape(Boundary(id="b1", name="b", source="drawn"))


def test_a_drawn_curve_bounds_an_operation() -> None:
    x = Boundary(id="b1", name="b", source="drawn", curves=(Curve(points=((5, 5), (25, 5), (15, 25))),))
    change = {"boundary": {"boundary": "b1", "contain": "inside"}}
    done = from_zero(
        run(box_mesh((0, 0, 0), (24, 24, 1)), op("pocket", FLAT, change=change, depth=3.0), boundaries=(x,))
    )
    g = done.block.grid
    cut = done.block.top < -0.01
    xs, ys = np.meshgrid(g.xs, g.ys)
    inside = shapely.contains_xy(shapely.Polygon([(5, 5), (25, 5), (15, 25)]), xs, ys)
    assert cut.sum() > 100 and not (cut & ~inside).any()
