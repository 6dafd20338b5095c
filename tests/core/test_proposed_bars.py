"""Proposals for parts that rotate: which way the finisher goes, how thick the core is, and cutters that reach."""

from collections.abc import Sequence

import numpy as np
import pytest

from hard_meshes import revolved
from nephos.command.sample import sample_cutters
from nephos.core.cutters import Cutter
from nephos.core.findings.bar_terrain import bar_terrain
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.summary import quick_look
from nephos.core.plan.bar_stress import HeldBar
from nephos.core.plan.force import cutting_push, elastic_modulus
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.operation import Operation
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.stock import Stock
from nephos.core.proposals.rotary import proposed_rotary
from nephos.core.setups.bar_findings import BENDS
from nephos.core.stages.run import run_plan
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work

pytestmark = pytest.mark.long


def proposed(mesh: Mesh, cutters: Sequence[Cutter] | None = None, **words) -> Plan:
    """What is proposed for a mesh, with the sample shop's cutters or others."""
    plan = Plan(
        stock=Stock(length=100, width=100, thickness=100),
        setups=(FaceSetup(id="a", name="a"),),
        models=(Model(id="m", name="m", mesh="m", placement=Placement()),),
    )
    look = quick_look(mesh)
    shown = [(plan.models[0], placed_model(look.support, plan.models[0], plan.stock), look)]
    return proposed_rotary(plan, shown, sample_cutters() if cutters is None else cutters, **words)


def turned(*profile: tuple[float, float]) -> Mesh:
    """A part turned about an upright axis, by (radius, height), with many samples on its ends and shoulders."""
    return revolved([(0.01, profile[0][1]), *profile, (0.01, profile[-1][1])], (0, 0), around=90)


def bladed() -> Mesh:
    """A part whose section is a star with six deep flutes, the same all along."""
    angle = np.linspace(0, 2 * np.pi, 120, endpoint=False)
    radius = 14 + 6 * np.cos(6 * angle)
    ring = np.column_stack([radius * np.cos(angle), radius * np.sin(angle)])
    n = len(ring)
    low, high = np.column_stack([ring, np.zeros(n)]), np.column_stack([ring, np.full(n, 90.0)])
    vertices = np.concatenate([low, high, [[0, 0, 0], [0, 0, 90.0]]])
    k, m = np.arange(n), np.roll(np.arange(n), -1)
    sides = np.concatenate([np.stack([k, m, m + n], 1), np.stack([k, m + n, k + n], 1)])
    ends = np.concatenate([np.stack([np.full(n, 2 * n), m, k], 1), np.stack([np.full(n, 2 * n + 1), k + n, m + n], 1)])
    return Mesh(vertices, np.concatenate([sides, ends]).astype(np.int32))


def test_a_turned_part_with_shoulders_is_finished_round_and_a_fluted_one_along() -> None:
    """Along X every line would go up and down the shoulders, round the bar in and out of the flutes."""
    discs = turned((8, 0), (8, 20), (18, 20), (18, 26), (8, 26), (8, 50), (20, 50), (20, 56), (8, 56), (8, 80))
    (around,) = proposed(discs).setups
    (along,) = proposed(bladed()).setups
    assert [o.strategy for o in around.operations if o.strategy.startswith("finish")] == ["finish_helix"]
    assert [o.strategy for o in along.operations if o.strategy.startswith("finish")] == ["finish_raster"]


def test_the_core_grows_with_the_bar() -> None:
    cores = [proposed(turned((r, 0), (r, 4 * r))).setups[0].rotary.core for r in (8, 20, 60, 100)]
    assert cores == sorted(cores) and cores[-1] >= 20
    given = proposed(turned((20, 0), (20, 80)), core=6.0).setups[0].rotary
    assert given.core == 6.0, "a core that is asked for is kept"


def test_a_slender_part_is_cut_in_steps_that_it_bears() -> None:
    plan = proposed(turned((4, 0), (7, 220)))
    (setup,) = plan.setups
    rotary = setup.rotary
    push = max(cutting_push(plan, item) for item in setup.operations)
    radii = np.linspace(4.0, 7.0, 400)
    bar = HeldBar(radii, (plan.stock.length - rotary.grip) / 400, centre=True)
    assert bar.bends(push, elastic_modulus(plan.stock.material)) <= 2 * BENDS
    usual = proposed(turned((20, 0), (20, 60))).setups[0].operations[0]
    assert setup.operations[0].settings.stepdown < usual.settings.stepdown


def test_deep_flutes_get_a_second_roughing() -> None:
    grooves = [point for x in range(10, 70, 10) for point in ((16, x), (6, x), (6, x + 5.5), (16, x + 5.5))]
    (setup,) = proposed(turned((16, 0), *grooves, (16, 76))).setups
    roughs = [item.cutter.diameter for item in setup.operations if item.strategy == "rough_raster"]
    assert len(roughs) == 2 and roughs[1] < 5.5 < roughs[0], "grooves of 5.5 mm are roughed before they are finished"


@pytest.mark.parametrize("centre", [True, False])
def test_an_even_bar_bends_and_is_stressed_as_in_the_books(centre: bool) -> None:
    radius, length, push, modulus = 5.0, 200.0, 30.0, 5000.0
    bar = HeldBar(np.full(800, radius), length / 800, centre)
    inertia = np.pi * radius**4 / 4
    expected = push * length**3 / ((48 if centre else 3) * modulus * inertia)
    assert bar.bends(push, modulus) == pytest.approx(expected, rel=0.01)
    moment = push * length / (4 if centre else 1)
    assert bar.stress(push).max() == pytest.approx(moment * radius / inertia, rel=0.01)


def test_a_thin_place_bends_most_in_the_middle() -> None:
    def with_thin(at: int) -> float:
        radii = np.full(400, 8.0)
        radii[at : at + 20] = 3.0
        return HeldBar(radii, 0.5, centre=True).bends(30.0, 5000.0)

    assert with_thin(190) > 3 * with_thin(5)


def test_a_cutter_reaches_the_bottom_of_a_groove_that_is_wider_than_it() -> None:
    mesh = turned((16, 0), (16, 30), (6, 30), (6, 40), (16, 40), (16, 70))
    plan = proposed(mesh)
    look = quick_look(mesh)
    placed = [(plan.models[0], placed_model(look.support, plan.models[0], plan.stock), look)]
    terrain = bar_terrain(plan, plan.setups[0], placed)
    assert terrain is not None
    cutters = {cutter.diameter: cutter for cutter in sample_cutters() if cutter.shape == "flat"}
    middle = terrain.covered.any(axis=0).nonzero()[0]
    middle = middle[len(middle) // 2]
    groove = terrain.tips(cutters[6.0])[:, middle - 3 : middle + 4].min()
    assert groove == pytest.approx(6.0, abs=0.3)
    assert terrain.tips(cutters[6.0])[:, middle - 30].min() == pytest.approx(16.0, abs=0.1)
    assert terrain.tips(max(cutters.values(), key=lambda cutter: cutter.diameter))[:, middle].min() > 10


def test_where_no_cutter_gets_deep_the_usual_ones_are_proposed_all_the_same() -> None:
    """The findings then say what meets the part; an empty sheet would say nothing."""
    mesh = turned((30, 0), (30, 10), (4, 10), (4, 16), (30, 16), (30, 40))
    stubby = [cutter for cutter in sample_cutters() if cutter.shape in {"flat", "ball"}][:2]
    (setup,) = proposed(mesh, stubby).setups
    assert {item.strategy.split("_")[0] for item in setup.operations} == {"rough", "finish"}


LEG = ((9, 0), (9, 12), (6, 20), (6, 60), (11, 70), (11, 90))


def test_a_leg_is_parted_last_and_its_ends_stay_thick_until_then() -> None:
    mesh = turned(*LEG)
    plan = proposed(mesh).model_copy(update={"pitch": 0.5})
    (setup,) = plan.setups
    *before, last = setup.operations
    assert last.strategy == "parting_groove"
    assert last.settings.diameter >= setup.rotary.core

    def beside(operations: list[Operation]) -> np.ndarray:
        """Smallest radius at each place from the chuck to the tailstock, off the model."""
        part = plan.model_copy(update={"setups": (setup.model_copy(update={"operations": tuple(operations)}),)})
        (done,) = run_plan(part, lambda _: mesh, Work(MemoryStore()))
        assert done.comparison.gouge <= 0.01
        assert "kept-off-end" not in {item.code for item in outcome_findings(done)}
        x = done.block.grid.xs
        off = (x < done.space.mesh.low[0] - 0.6) | (x > done.space.mesh.high[0] + 0.6)
        return done.block.top.min(axis=0)[off]

    rough = beside(before)
    # Beside the ends the roughing cutter, half over the end, goes no deeper than the end is thick.
    assert rough.min() >= 9.0 - 0.01
    parted = beside([*before, last])
    assert parted.min() == pytest.approx(last.settings.diameter / 2, abs=0.02)


FINIAL = ((14, 0), (14, 10), (6, 20), (9, 45), (5, 60), (2, 68), (0.5, 70))


def reversed_along(mesh: Mesh) -> Mesh:
    return Mesh(mesh.vertices * [1, 1, -1], np.ascontiguousarray(mesh.faces[:, ::-1]))


def test_a_part_with_one_tip_has_its_blunt_end_at_the_chuck_and_a_groove_there_alone() -> None:
    finial = turned(*FINIAL)
    for mesh in (finial, reversed_along(finial)):
        plan = proposed(mesh)
        (setup,) = plan.setups
        assert setup.rotary.chuck == "left" and setup.rotary.thick_ends == "chuck"
        *_, last = setup.operations
        assert last.strategy == "parting_groove" and last.settings.ends == "left"
        points = placed_model(quick_look(mesh).support, plan.models[0], plan.stock).matrix
        moved = mesh.moved(points).vertices
        radius = np.hypot(moved[:, 1] - plan.stock.width / 2, moved[:, 2] - plan.stock.thickness / 2)
        thick = moved[radius > 13.5, 0]
        assert thick.max() < plan.stock.length / 2
        assert radius.max() <= plan.stock.width / 2


def test_beside_the_chuck_the_bar_stays_thick_and_the_tip_is_cut_past() -> None:
    mesh = turned(*FINIAL)
    plan = proposed(mesh).model_copy(update={"pitch": 0.5})
    (setup,) = plan.setups
    before = setup.model_copy(update={"operations": setup.operations[:-1]})
    (done,) = run_plan(plan.model_copy(update={"setups": (before,)}), lambda _: mesh, Work(MemoryStore()))
    x, radii = done.block.grid.xs, done.block.top.min(axis=0)
    low, high = float(done.space.mesh.low[0]), float(done.space.mesh.high[0])
    assert radii[x < low - 0.6].min() >= 14.0 - 0.01
    assert radii[(x > high + 0.6) & (x < high + 2.0)].max() <= setup.rotary.core / 2 + 0.6
    assert done.comparison.gouge <= 0.01


def test_without_a_cutter_for_grooves_a_blunt_free_end_keeps_a_spigot() -> None:
    mesh = turned(*LEG)
    thick = [cutter for cutter in sample_cutters() if cutter.shape != "flat" or cutter.diameter >= 10]
    short = [cutter.model_copy(update={"flute_length": 6.0, "stickout": 8.0}) for cutter in thick]
    (setup,) = proposed(mesh, short).setups
    # The leg is thinner at its free end, 18 mm, than at the chuck.
    assert setup.rotary.thick_ends == "none" and setup.rotary.core < setup.rotary.spigot <= 0.8 * 18.0
    assert all(item.strategy != "parting_groove" for item in setup.operations)


def test_one_number_is_one_cutter_and_no_roughing_is_repeated_on_bars() -> None:
    """With short thin cutters only the thick ones reach: what is left out, and what stands out farther, is the same in
    all operations."""
    grooves = [point for x in range(10, 70, 10) for point in ((16, x), (6, x), (6, x + 5.5), (16, x + 5.5))]
    for mesh in (
        turned((30, 0), (30, 20), (14, 30), (14, 90), (30, 100), (30, 120)),
        turned((16, 0), *grooves, (16, 76)),
    ):
        (setup,) = proposed(mesh).setups
        cutters: dict[int, set[str]] = {}
        for item in setup.operations:
            cutters.setdefault(item.cutter.number, set()).add(item.cutter.model_dump_json())
        assert all(len(found) == 1 for found in cutters.values())
        roughs = [item.cutter.diameter for item in setup.operations if item.role == "rough"]
        assert roughs == sorted(set(roughs), reverse=True)
