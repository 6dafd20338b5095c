"""Checks of a finished part of several faces: uncut surface, and webs to the frame."""

import numpy as np
import pytest

from face_jobs import EGG, cut, egg_plan, egg_setup
from meshes import box_mesh, ellipsoid
from nephos.core.findings.faces import whole_findings
from nephos.core.findings.reach import reach_findings
from nephos.core.mesh.model import Mesh, joined
from nephos.core.mesh.summary import quick_look
from nephos.core.plan.operation import Operation
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan
from nephos.core.plan.stock import Stock
from nephos.core.stages.cut_free import ALLOWANCE, near_tabs, tab_skin, uncut_surface
from nephos.core.stages.of_plan import job_stages
from nephos.core.stock.columns import CutSide
from nephos.core.stock.over_surface import outside_of, remaining_thickness, surface_samples

pytestmark = pytest.mark.long

SIZE = np.array([40.0, 30.0, 20.0])


def side(field: np.ndarray, matrix: np.ndarray | None = None) -> CutSide:
    """What a setup from above has cut, on a grid of half a millimetre."""
    from nephos.core.stock.block import Grid

    ny, nx = field.shape
    return CutSide("a", np.eye(4) if matrix is None else matrix, Grid(0.25, 0.25, 0.5, nx, ny), field, field)


def level(height: float) -> np.ndarray:
    return np.full((60, 80), height, np.float32)


def test_what_stands_over_a_place_is_as_thick_as_it_is() -> None:
    """A block of 20 mm cut down to 12 and 17 mm: over a level surface at 10 mm, and to its side."""
    field = level(12.0)
    field[:, 40:] = 17.0
    points = np.array([[10.0, 15, 10], [30, 15, 10], [30, 15, 10], [10, 15, 13]])
    normals = np.array([[0.0, 0, 1], [0, 0, 1], [-1, 0, 0], [0, 0, 1]])
    found = remaining_thickness(points, normals, [side(field)], SIZE, 30.0)
    assert found == pytest.approx([2.0, 7.0, 30.0, 0.0], abs=0.3)
    # At 13 mm the high part begins at x = 20; the lower bound begins half a cell farther in.
    (beside,) = remaining_thickness(np.array([[30.0, 15, 13]]), np.array([[-1.0, 0, 0]]), [side(field)], SIZE, 30.0)
    assert beside == pytest.approx(9.5, abs=0.5)
    assert outside_of(np.array([[-1.0, 5, 5], [10, 5, 12.5], [10, 5, 5]]), [side(field)], SIZE) == pytest.approx(
        [1.0, 0.5, -5.0]
    )


def test_places_lie_evenly_on_the_surface() -> None:
    box = box_mesh((0, 0, 0), (10, 20, 5))
    points, normals = surface_samples(box.vertices, box.faces, 7000)
    assert len(points) == 7000 and np.linalg.norm(normals, axis=1) == pytest.approx(np.ones(7000))
    # 200, 200, 50, 50, 100 and 100 of 700 mm^2.
    for axis, share in ((2, 4 / 7), (0, 2 / 7), (1, 1 / 7)):
        assert np.mean(np.abs(normals[:, axis]) > 0.99) == pytest.approx(share, abs=0.01)
    top = points[normals[:, 2] > 0.99]
    assert np.histogram2d(top[:, 0], top[:, 1], (4, 4))[0] == pytest.approx(np.full((4, 4), 125), abs=25)


def test_uncut_surface_is_measured_as_a_share_of_the_part() -> None:
    """A box of 20 x 10 x 8, cut to its top and beside it on three sides: the fourth side is not cut."""
    part = box_mesh((10, 10, 0), (30, 20, 8))
    field = level(0.0)
    field[20:40, 20:60] = 8.0
    field[20:40, 60:] = 20.0
    found = uncut_surface(part, [side(field)], SIZE, border=6.0)
    below = 2 * (20 * 10 + 20 * 8 + 10 * 8)
    assert found.share == pytest.approx(80 / below, abs=0.02)
    assert found.most == pytest.approx(6.0), "no farther than the frame"
    assert found.place is not None and found.place[0] == pytest.approx(30.0)


def test_hollows_inside_and_shells_inside_one_another_are_no_surface_to_be_cut() -> None:
    """A closed hollow, and a ball inside the solid: nobody can cut there, and nobody has to."""
    outer = box_mesh((10, 10, 2), (30, 20, 18))
    hollow = box_mesh((14, 12, 5), (26, 18, 15))
    inside_out = type(hollow)(hollow.vertices, np.ascontiguousarray(hollow.faces[:, ::-1]))
    field = level(0.0)
    field[20:40, 20:60] = 18.0
    under = np.diag([1.0, 1, -1, 1])
    under[2, 3] = 20.0
    low = level(0.0)
    low[20:40, 20:60] = 18.0
    for more in (inside_out, hollow):
        found = uncut_surface(joined([outer, more]), [side(field), side(low, under)], SIZE, border=6.0)
        assert found.share == 0.0 and found.most == 0.0


def test_a_tab_has_its_footprint_on_the_part() -> None:
    tab = egg_plan().faces.tabs[0]
    at = np.array([[48.0, 22, 10], [47, 24, 10], [47, 26, 10], [47, 22, 13], [30, 22, 10]])
    assert near_tabs(at, (tab,), 6.0, 0.0).tolist() == [True, True, False, False, False]
    assert near_tabs(at, (tab,), 6.0, 2.0).tolist() == [True, True, True, True, False]


# Plans


def test_a_part_that_two_sides_cut_free_is_free() -> None:
    plan = egg_plan()
    done, whole = cut(plan)
    assert whole.held is None and whole.uncut is not None and whole.uncut.share == 0.0
    assert not {"not-free", "not-cut"} & {item.code for item in whole_findings(plan, whole, done)}


def test_a_web_all_round_in_thick_stock_is_a_stop_with_its_numbers() -> None:
    """Both sides stop 3 mm before the middle: a web of about 6 mm holds the egg all round, off the tabs too."""

    def short(setup):
        cut_to = {"cut_to": 7.0}
        return setup.model_copy(update={"operations": tuple(o.model_copy(update=cut_to) for o in setup.operations)})

    plan = egg_plan()
    plan = plan.model_copy(update={"setups": tuple(short(setup) for setup in plan.setups)})
    done, whole = cut(plan)
    found = {item.code: item for item in whole_findings(plan, whole, done)}
    assert found["not-free"].level == found["not-cut"].level == "stop"
    assert whole.ridge == pytest.approx(6.6, abs=0.2), "with what roughing leaves on both sides"
    assert whole.uncut is not None and 0.1 < whole.uncut.share < 0.5
    assert whole.numbers()["leftover_max_unreachable"] > 3.0
    assert whole.numbers()["within_tolerance"] < 1 - whole.uncut.share
    look = quick_look(EGG)
    placed = [(model, placed_model(look.support, model, plan.stock), look) for model in plan.models]
    (early,) = [item for item in reach_findings(plan, plan.setups[0], placed) if item.code == "not-deep-enough"]
    assert early.level == "note" and not early.fixes, "the other side may cut there: nothing is sunk for it"


def test_an_uncut_middle_is_seen_at_two_pitches() -> None:
    """Sides that stop short of the middle, in stock of twice the height."""
    shares = []
    for pitch in (0.25, 0.5):
        plan = egg_plan(stock=Stock(length=60, width=44, thickness=20), pitch=pitch)
        first = egg_setup("a", "top", 10)
        plan = plan.model_copy(update={"setups": (first, plan.setups[1])})
        operations = tuple(o.model_copy(update={"cut_to": 6.0}) for o in first.operations)
        half: Plan = plan.model_copy(
            update={"setups": (first.model_copy(update={"operations": operations}), plan.setups[1])}
        )
        _, whole = cut(half, ellipsoid((18, 10, 7)))
        assert whole.uncut is not None
        shares.append(whole.uncut.share)
    assert shares[0] == pytest.approx(shares[1], abs=0.04)


def test_a_mesh_that_is_inside_out_has_the_same_uncut_surface() -> None:
    part = box_mesh((10, 10, 0), (30, 20, 8))
    reversed_ = Mesh(part.vertices, np.ascontiguousarray(part.faces[:, ::-1]))
    field = level(0.0)
    field[20:40, 20:60] = 8.0
    field[20:40, 60:] = 20.0
    as_it_is, inside_out = (uncut_surface(mesh, [side(field)], SIZE, border=6.0) for mesh in (part, reversed_))
    assert inside_out.share == pytest.approx(as_it_is.share, abs=0.01) and inside_out.most == as_it_is.most


@pytest.mark.parametrize("pitch", [0.12, 0.5])
def test_what_roughing_leaves_on_tabs_is_no_web(pitch: float) -> None:
    """At a fine pitch the layer on the sides of a tab is several cells wide."""
    wide = tuple(
        setup.model_copy(
            update={
                "operations": (
                    setup.operations[0].model_copy(
                        update={"settings": setup.operations[0].settings.model_copy(update={"leave": 0.9})}
                    ),
                    setup.operations[1],
                )
            }
        )
        for setup in egg_plan().setups
    )
    _, whole = cut(egg_plan(setups=wide, pitch=pitch))
    assert whole.held is None


def test_the_skin_on_tabs_is_that_of_the_side_which_leaves_most() -> None:
    first, second = egg_plan().setups
    finish_only = second.model_copy(update={"operations": second.operations[1:]})
    # Stock to leave of 0.3 mm, and levels 2 mm apart.
    assert tab_skin((first, finish_only)) == tab_skin((first,)) == pytest.approx(0.3 + 2.0 + ALLOWANCE)
    assert tab_skin((finish_only,)) == ALLOWANCE
    rough, *others = first.operations
    fine = rough.model_copy(update={"settings": rough.settings.model_copy(update={"stepdown": 0.5, "leave": 0.1})})
    twice = first.model_copy(update={"operations": (rough, fine.model_copy(update={"number": 12}), *others)})
    assert tab_skin((twice,)) == pytest.approx(0.3 + 0.5 + ALLOWANCE), "the finest levels count"


def _freed_key(plan: Plan) -> str:
    freed = job_stages(plan).whole.freed
    assert freed is not None
    return freed.key


def test_the_uncut_surface_is_calculated_again_when_anything_that_it_reads_changes() -> None:
    plan = egg_plan()
    faces, first = plan.faces, plan.setups[0]
    rough = first.operations[0]

    def with_first(operation: Operation) -> Plan:
        setup = first.model_copy(update={"operations": (operation, first.operations[1])})
        return plan.model_copy(update={"setups": (setup, plan.setups[1])})

    changed = [
        plan.model_copy(update={"faces": faces.model_copy(update={"border": 7.0})}),
        plan.model_copy(
            update={
                "faces": faces.model_copy(
                    update={"tabs": (faces.tabs[0].model_copy(update={"inward": 3.0}), faces.tabs[1])}
                )
            }
        ),
        plan.model_copy(update={"stock": plan.stock.model_copy(update={"thickness": 22.0})}),
        with_first(rough.model_copy(update={"cutter": rough.cutter.model_copy(update={"diameter": 5.0})})),
        with_first(rough.model_copy(update={"settings": rough.settings.model_copy(update={"leave": 0.5})})),
    ]
    keys = [_freed_key(item) for item in (plan, *changed)]
    assert len(set(keys)) == len(keys)
    assert _freed_key(plan.model_copy(update={"units": "in"})) == keys[0]
