"""Cutters: their dimensions agree, they go out and come back, feeds follow from the chip, shank and holder are
watched."""

import numpy as np
import pytest
from pydantic import ValidationError

from meshes import grid_mesh
from nephos.command.sample import sample_cutters
from nephos.command.warm import small_hill
from nephos.core.cutters import SHAPES, Cutter, HolderStep, standard_cutter
from nephos.core.cutters.exchange import read_cutters, to_csv, to_json
from nephos.core.cutters.feeds import chip_sum, propose
from nephos.core.errors import Refused
from nephos.core.findings.plan_checks import operation_findings
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.machine.machine import machine_of
from nephos.core.materials import shipped_material
from nephos.core.mesh.summary import quick_look
from nephos.core.plan.boundary import Limit
from nephos.core.plan.edits import apply_edit
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.stock import Stock
from nephos.core.proposals.one_face import proposed_sheet
from nephos.core.proposals.operations import nearest_cutter
from nephos.core.stages.run import run_setup
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work

SHED = machine_of("shed-router")


@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("diameter", [0.8, 3.0, 12.0])
def test_a_usual_cutter_of_every_shape_is_possible(shape: str, diameter: float) -> None:
    cutter = standard_cutter(shape, diameter)
    assert cutter.profile.radius == pytest.approx(diameter / 2) and cutter.profile.rim <= cutter.flute_length
    outline = np.array(cutter.outline())
    assert (np.diff(outline[:-1, 1]) >= -1e-9).all(), "the section is drawn from the tip upwards"
    assert outline[:, 0].max() == pytest.approx(max(diameter, cutter.shank_diameter) / 2)


@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("by", [0.01, 0.2])
def test_a_slimmer_cutter_lies_within_its_own_shape(shape: str, by: float) -> None:
    profile = standard_cutter(shape, 4.0).profile
    slim = profile.slimmer(by)
    assert slim.radius == pytest.approx(profile.radius - by)
    rho = np.linspace(0, profile.radius, 200)
    assert (slim.heights(rho) >= profile.heights(rho) - 1e-12).all()
    assert slim.heights(np.zeros(1))[0] == 0.0, "with the same tip"


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"flute_length": 80.0}, "longer than the whole cutter"),
        ({"stickout": 90.0}, "its stickout"),
        ({"shape": "bull-nose", "corner_radius": 4.0}, "3 mm or less"),
        ({"shape": "engraver", "tip_diameter": 7.0, "angle": 30.0}, "thicker"),
        ({"shape": "v", "angle": 10.0}, "larger angle"),
        ({"shape": "spoon"}, "flat"),
        ({"diameter": float("nan")}, "finite"),
    ],
)
def test_dimensions_that_cannot_be_are_refused_with_a_way_out(change: dict, said: str) -> None:
    with pytest.raises(ValidationError, match=said):
        Cutter.model_validate(standard_cutter("flat", 6).model_dump() | change)


def test_changing_the_shape_keeps_what_fits_and_fills_what_is_missing() -> None:
    v = Cutter.model_validate(standard_cutter("flat", 6).model_dump() | {"shape": "v"})
    assert v.angle == 60 and v.profile.rim == pytest.approx(3 / np.tan(np.radians(30)))
    back = Cutter.model_validate(v.model_dump() | {"shape": "flat"})
    assert back.angle == 0 and back.profile == standard_cutter("flat", 6).profile


@pytest.mark.parametrize(
    ("shape", "step", "scallop"),
    [
        ("ball", 0.6, 3 - np.sqrt(9 - 0.09)),
        ("flat", 2.0, 0.0),
        ("v", 0.2, 0.1 / np.tan(np.radians(30))),
        ("bull-nose", 4.2, 1 - np.sqrt(1 - 0.01)),
    ],
)
def test_scallop_in_closed_form(shape: str, step: float, scallop: float) -> None:
    assert standard_cutter(shape, 6).scallop(step) == pytest.approx(scallop)


def test_cutters_go_out_and_come_back_the_same() -> None:
    cutters = sample_cutters()
    assert {cutter.shape for cutter in cutters} == set(SHAPES)
    assert read_cutters("shop.json", to_json(cutters).encode()) == cutters
    assert read_cutters("shop.csv", to_csv(cutters).encode()) == cutters


def test_inches_in_a_table_become_millimetres() -> None:
    text = (
        "\ufeffNumber;Name;Shape;Unit;Diameter;flute_length;shank_diameter;overall_length;flutes;feed;plunge_feed;spindle;holder\n"
        "7;quarter;Bull-nose;in;0.25;0.75;0.25;2.5;2;60;20;18000;0.8 x 0.7 + 1.6 x 1.5\n"
    )
    (cutter,) = read_cutters("inch.csv", text.encode())
    assert cutter.diameter == pytest.approx(6.35) and cutter.feed == pytest.approx(1524) and cutter.flutes == 2
    assert [step.diameter for step in cutter.holder] == pytest.approx([20.32, 40.64])


@pytest.mark.parametrize(
    ("name", "data", "said"),
    [
        ("a.csv", b"number,diameter\n1,six\n", "line 2: diameter: 'six' is no number"),
        ("a.csv", b"diameter of it\n6\n", "no header line"),
        ("a.json", b"{", "not JSON"),
        ("a.json", b'{"cutters": {}}', "no list"),
        ("a.csv", b"\xff\xfe\x00", "UTF-8"),
        ("a.json", b"[]", "holds no cutter"),
        ("a.json", b'[{"number": 1}]', "cutter 1: name is missing"),
        ("a.csv", b"number,name,shape,diameter\n1,x,spoon,6\n", "line 2: shape: use one of flat"),
    ],
)
def test_a_bad_table_is_refused_with_the_line(name: str, data: bytes, said: str) -> None:
    with pytest.raises(Refused, match=said):
        read_cutters(name, data)
    doubled = to_json([standard_cutter("flat", 6, 3), standard_cutter("ball", 6, 3)])
    with pytest.raises(Refused, match="two cutters with the number 3"):
        read_cutters("b.json", doubled.encode())


def test_a_feed_is_chip_times_flutes_times_speed_within_the_machine() -> None:
    lime, brass = shipped_material("lime"), shipped_material("brass")
    six = standard_cutter("flat", 6)
    found = propose(six, brass, SHED)
    assert found.spindle == pytest.approx(180_000 / (np.pi * 6), abs=50) and found.kept == ()
    assert found.feed == pytest.approx(0.025 * 2 * found.spindle, abs=5)
    quick = propose(six, lime, SHED)
    assert quick.spindle == SHED.spindle_limit and quick.kept == ("the spindle's limit",)
    assert propose(standard_cutter("flat", 20), shipped_material("foam"), SHED).feed == SHED.feed_limit[0]
    assert chip_sum(1800, 2, 18000, "mm") == "1800 mm/min = 0.05 mm a tooth × 2 × 18000/min"


def test_two_cutters_under_one_number_are_parted_by_renumbering() -> None:
    one, other = standard_cutter("flat", 6, 1), standard_cutter("ball", 3, 1)
    operations = (
        Operation(number=10, strategy="rough_offset", cutter=one, settings={}),
        Operation(number=20, strategy="finish_raster", cutter=other, settings={}),
        Operation(number=30, strategy="finish_waterline", cutter=other, settings={}),
    )
    plan = Plan(
        stock=Stock(length=60, width=60, thickness=20), setups=(FaceSetup(id="a", name="a", operations=operations),)
    )
    found = [item for item in operation_findings(plan, plan.setups[0]) if item.code == "one-number-two-cutters"]
    assert [item.row for item in found] == ["20", "30"]
    after = apply_edit(plan, lambda model: None, found[0].fixes[0].edit)
    assert [operation.cutter.number for operation in after.setups[0].operations] == [1, 2, 2]
    assert "one-number-two-cutters" not in {item.code for item in operation_findings(after, after.setups[0])}


def stepped(cutter: Cutter, deep: float, down: float) -> list[str]:
    """What is struck by a job that cuts beside a block `deep` mm high, straight walled, in steps of `down`."""
    x, y = np.meshgrid(np.linspace(0, 40, 81), np.linspace(0, 30, 61))
    wall = grid_mesh(x, y, np.where(x < 20, deep, 0.0))
    model = Model(id="m", name="wall", mesh="m", placement=Placement(offset=(0.0, 0.0, -0.5)))
    operation = Operation(
        number=10,
        strategy="rough_offset",
        cutter=cutter,
        boundary=Limit(contain="centre"),
        settings={"stepdown": down, "stepover": 2.0, "leave": 0.0},
    )
    plan = Plan(
        stock=Stock(length=44, width=34, thickness=deep + 1),
        models=(model,),
        pitch=0.25,
        setups=(FaceSetup(id="a", name="a", operations=(operation,)),),
    )
    done = run_setup(plan, plan.setups[0], lambda _: wall, Work(MemoryStore()))
    return sorted(
        {item.code for item in outcome_findings(done)}
        & {"cut-beyond-flutes", "shank-in-wall", "holder-in-wall", "cutter-short"}
    )


@pytest.mark.parametrize(
    ("change", "down", "codes"),
    [
        ({}, 4.0, []),
        ({}, 15.0, []),
        ({"flute_length": 10.0}, 4.0, []),
        ({"flute_length": 10.0}, 15.0, ["cut-beyond-flutes"]),
        ({"flute_length": 10.0, "shank_diameter": 8.0}, 4.0, ["shank-in-wall"]),
        ({"stickout": 16.0, "holder": (HolderStep(diameter=20, length=20),)}, 4.0, []),
        (
            {"stickout": 13.0, "flute_length": 13.0, "holder": (HolderStep(diameter=20, length=20),)},
            4.0,
            ["holder-in-wall"],
        ),
    ],
)
def test_what_stands_over_the_flutes_is_watched(change: dict, down: float, codes: list[str]) -> None:
    usual = standard_cutter("flat", 4).model_dump() | {"flute_length": 16.0, "overall_length": 60.0}
    assert stepped(Cutter.model_validate(usual | change), 14.0, down) == codes


def test_a_sheet_is_proposed_from_what_the_shop_has() -> None:
    shop = sample_cutters()
    look = quick_look(small_hill(side=200, cells=60))
    model = Model(id="m1", name="hill", mesh="h")
    for thickness in (11.0, 60.0):
        plan = Plan(
            stock=Stock(length=224, width=224, thickness=thickness),
            models=(model,),
            setups=(FaceSetup(id="a", name="a"),),
        )
        sheet = proposed_sheet(plan, plan.setups[0], look, shop)
        assert sheet[0].strategy == "rough_offset" and sheet[-1].strategy == "cut_out"
        assert [item.number for item in sheet] == [10 * (k + 1) for k in range(len(sheet))]
        assert all(item.cutter.name in {cutter.name for cutter in shop} for item in sheet), (
            "only cutters that are there"
        )
        done = plan.model_copy(update={"setups": (FaceSetup(id="a", name="a", operations=sheet),)})
        assert not [item for item in operation_findings(done, done.setups[0]) if item.level == "stop"]
    assert nearest_cutter(shop, "ball", 50).diameter == 6
    assert nearest_cutter([shop[0]], "ball", 3).number == 2, "a usual one under a free number"
