"""What is proposed for parts of several faces holds, fits, and cuts the part true."""

import numpy as np
import pytest

from face_jobs import BALL, EGG, FLAT, cut, egg_plan
from graph import work_with
from meshes import ellipsoid, grid_mesh
from nephos.core.cutters import Cutter, standard_cutter, usual_cutters
from nephos.core.errors import Refused
from nephos.core.findings.faces import (
    faces_findings,
    most_push,
    tabs_hold,
    whole_findings,
    whole_row,
)
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.findings.terrain import Shown
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.summary import quick_look
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan, parse_plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.stock import Stock
from nephos.core.proposals.coarse_cuts import coarse_removed
from nephos.core.proposals.faces import FOUR_FACES, TWO_FACES, Sides, _refuse_open, proposed_faces, stock_for
from nephos.core.proposals.needed_sides import LEAST_SHARE, own_shares
from nephos.core.proposals.way import Job
from nephos.core.proposals.ways import way
from nephos.core.stages.of_plan import job_stages
from nephos.core.stages.run import run_plan
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work

pytestmark = pytest.mark.long


def test_proposals_cut_an_egg_from_two_and_from_four_faces() -> None:
    for sides in (TWO_FACES, FOUR_FACES):
        plan = egg_plan(setups=(), faces=None, pitch=0.4, stock=Stock(length=80, width=44, thickness=24))
        look = quick_look(EGG)
        shown = [(plan.models[0], placed_model(look.support, plan.models[0], plan.stock), look)]
        proposed = proposed_faces(plan, sides, lambda _: EGG, shown, (FLAT, BALL), Work(MemoryStore()))
        done, whole = cut(proposed)
        stops = [f for item in done for f in outcome_findings(item) if f.level == "stop"]
        stops += [f for f in whole_findings(proposed, whole, done) if f.level == "stop"]
        assert not stops
        assert whole.numbers()["gouge_max"] <= 0.01 and whole.ridge < 0.02
        assert parse_plan(proposed.model_dump(mode="json")) == proposed


def _shown(part: Mesh, plan: Plan) -> list[Shown]:
    look = quick_look(part)
    return [(plan.models[0], placed_model(look.support, plan.models[0], plan.stock), look)]


def _proposed(part: Mesh, sides: Sides, cutters: list[Cutter]) -> Plan:
    x, y, z = stock_for(np.array(part.size), sides, cutters, egg_plan())
    plan = egg_plan(setups=(), faces=None, stock=Stock(length=x, width=y, thickness=z))
    return proposed_faces(plan, sides, lambda _: part, _shown(part, plan), cutters, Work(MemoryStore()))


def _long(shape: str, diameter: float, number: int, reach: float) -> Cutter:
    usual = standard_cutter(shape, diameter, number)
    lengths = {
        "shank_diameter": diameter,
        "flute_length": min(4 * diameter, reach),
        "stickout": reach,
        "overall_length": reach + 22.0,
        "holder": ({"diameter": 30.0, "length": 40.0},),
    }
    return Cutter.model_validate(usual.model_dump() | lengths)


@pytest.mark.parametrize("sides", [TWO_FACES, FOUR_FACES])
@pytest.mark.parametrize("half", [(30.0, 15.0, 8.0), (150.0, 40.0, 12.0)])
def test_what_is_proposed_holds_by_its_tabs_and_does_not_bend_its_frame(
    sides: Sides, half: tuple[float, float, float]
) -> None:
    part = ellipsoid(half)
    proposed = _proposed(part, sides, usual_cutters())
    placed = placed_model(quick_look(part).support, proposed.models[0], proposed.stock)
    assert tabs_hold(proposed, proposed.faces, [placed]) >= 2 * most_push(proposed)
    codes = {item.code for item in faces_findings(proposed, [placed])}
    assert not codes & {"tabs-weak", "frame-bends", "frame-thin", "border-narrow"}
    # Three sides clear all of a convex part.
    for setup in proposed.setups[:3]:
        rough, *others = (o for o in setup.operations if o.strategy == "rough_offset")
        assert min(2 * half[0] / 15, 8.0) <= rough.cutter.diameter <= 12.0, "as thick as the part allows"
        assert all(o.cutter.diameter < rough.cutter.diameter for o in others)
        assert setup.operations[-1].strategy == "finish_raster"
        for o in setup.operations[:-1]:
            assert o.settings.stepover == pytest.approx(0.4 * o.cutter.diameter), "settings follow the cutter"


def test_an_open_scan_is_not_cut_from_several_faces() -> None:
    """It has no underside: from behind it would be milled hollow."""
    x, y = np.meshgrid(np.linspace(0, 40, 41), np.linspace(0, 30, 31))
    sheet = grid_mesh(x, y, 6 + 2 * np.sin(x / 5) * np.cos(y / 4))
    top = Mesh(
        sheet.vertices, np.ascontiguousarray(sheet.faces[sheet.vertices[sheet.faces][:, :, 2].min(axis=1) > 1.0])
    )
    placement = Placement(align=("centre", "centre", "centre"), offset=(0, 0, 0))
    model = Model(id="m", name="scan", mesh="m", placement=placement)
    plan = Plan(
        stock=Stock(length=120, width=110, thickness=16), models=(model,), setups=(FaceSetup(id="a", name="a"),)
    )
    look = quick_look(top)
    shown = [(model, placed_model(look.support, model, plan.stock), look)]
    cutters = [standard_cutter("flat", 6, 1), standard_cutter("ball", 3, 2)]
    for sides in (TWO_FACES, FOUR_FACES):
        with pytest.raises(Refused, match=r"open on one side.*Flat back.*Hollow the back"):
            proposed_faces(plan, sides, lambda _: top, shown, cutters, Work(MemoryStore()))
    # A solid with a hole in it is none.
    holed = Mesh(EGG.vertices, np.ascontiguousarray(EGG.faces[20:]))
    _refuse_open([(model, shown[0][1], look)], work_with(holed))


def test_a_side_that_needs_a_thick_finisher_keeps_it_for_itself() -> None:
    """A wide part is deep from its front and back only: its upper and lower face are cut with the fine ball."""
    cutters = [
        _long("flat", 10, 1, 60.0),
        _long("flat", 3, 2, 26.0),
        _long("ball", 6, 3, 60.0),
        _long("ball", 2, 4, 26.0),
    ]
    proposed = _proposed(ellipsoid((45.0, 38.0, 10.0)), FOUR_FACES, cutters)
    diameters = {setup.side: setup.operations[-1].cutter.diameter for setup in proposed.setups}
    assert diameters == {"top": 2.0, "bottom": 2.0, "front": 6.0, "back": 6.0}


@pytest.mark.parametrize("half", [(60.0, 40.0, 22.0), (60.0, 40.0, 6.0)])
def test_no_roughing_is_repeated_with_the_cutter_before(half: tuple[float, float, float]) -> None:
    """Where the second cutter is too short and another takes its place, that is not the first once more."""
    cutters = [_long("flat", 10, 1, 70.0), _long("flat", 4, 2, 12.0), _long("ball", 6, 3, 70.0)]
    setups = _proposed(ellipsoid(half), TWO_FACES, cutters).setups
    for setup in setups:
        roughings = [o for o in setup.operations if o.strategy == "rough_offset"]
        assert len({o.cutter.number for o in roughings}) == len(roughings)
        assert setup.operations[-1].strategy == "finish_raster"
    numbers = [o.number for setup in setups for o in setup.operations]
    assert numbers == [10 * (k + 1) for k in range(len(numbers))]


@pytest.mark.parametrize(
    ("half", "sides"),
    [((40.0, 20.0, 2.0), ["top", "bottom"]), ((30.0, 12.0, 12.0), ["top", "front", "bottom", "back"])],
)
def test_a_flat_part_asked_for_from_four_faces_gets_two(half: tuple[float, float, float], sides: list[str]) -> None:
    """What front and back see of its rim, top and underside cut as well: they would go through air."""
    part = ellipsoid(half)
    plan = egg_plan(setups=(), faces=None, stock=Stock(length=30, width=30, thickness=30))
    shown = _shown(part, plan)
    answer = way("four-faces").for_job(Job(plan, shown, usual_cutters(), lambda _: part, Work(MemoryStore())))
    proposed = answer.plan
    assert bool(answer.notes) == (len(sides) == 2), "it is said that there are two"
    assert [setup.side for setup in proposed.setups] == sides
    shares = own_shares(plan, shown)
    # By symmetry both have as much to themselves.
    assert shares["front"] == pytest.approx(shares["back"], abs=0.02)
    assert (shares["front"] > LEAST_SHARE) == (len(sides) == 4)
    codes = {item.code for item in faces_findings(proposed, [_shown(part, proposed)[0][1]])}
    assert not codes & {"frame-thin", "border-narrow"}


def test_the_last_of_four_sides_is_not_roughed_where_the_others_left_nothing() -> None:
    """Three sides and the border clear a convex part; of a part with a pit in its back the last one has to."""
    egg = ellipsoid((30.0, 13.0, 12.0))
    setups = _proposed(egg, FOUR_FACES, usual_cutters()).setups
    first = [setup.operations[0].cutter.number for setup in setups]
    assert setups[0].operations[0].strategy == setups[1].operations[0].strategy == "rough_offset"
    largest = setups[0].operations[0].cutter.number
    assert [number == largest for number in first] == [True, True, True, False]
    numbers = [o.number for setup in setups for o in setup.operations]
    assert numbers == [10 * (k + 1) for k in range(len(numbers))]


def test_what_each_roughing_finds_is_known_before_it_is_calculated() -> None:
    """Of a ball: the stock round it within the border, less the tabs; what lies within three cells of it may not
    count."""
    part = ellipsoid((20.0, 20.0, 20.0))
    plan = _proposed(part, TWO_FACES, usual_cutters())
    found = coarse_removed(plan, _shown(part, plan))
    assert plan.faces is not None
    border, near = plan.faces.border, 3 * max(plan.stock.size) / 100
    inside = np.pi * (20 + border) ** 2 * plan.stock.thickness
    tabs = sum(tab.thickness * tab.width * border for tab in plan.faces.tabs)
    least, most = (inside - tabs - 4 / 3 * np.pi * radius**3 for radius in (20 + near, 20.0))
    assert 0.95 * least < sum(found.values()) < 1.03 * most
    top, bottom = (sum(found[o.number] for o in setup.operations if o.number in found) for setup in plan.setups)
    assert top > bottom > 0, "the first side clears the border, and the second what hangs over"


def test_the_levels_that_roughing_leaves_on_round_tabs_are_no_ridge() -> None:
    """Above the middle of a tab they are up to a stepdown high. The last side is not roughed and leaves none itself."""
    part = ellipsoid((30.0, 13.0, 12.0))
    plan = _proposed(part, FOUR_FACES, usual_cutters()).model_copy(update={"pitch": 0.2})
    work = Work(MemoryStore())
    list(run_plan(plan, lambda _: part, work))
    whole = work.of(job_stages(plan).whole)
    assert whole.ridge < 0.05, whole.ridge_at
    assert not {item.code for item in whole_findings(plan, whole, whole_row(plan))} & {"ridge", "not-free", "not-cut"}
