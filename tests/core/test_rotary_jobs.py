"""Whole jobs on a bar as scripts run them, checked from the posted text alone; and edits and findings of bars."""

import json
from pathlib import Path

import numpy as np
import pytest
import trimesh

from core.test_rotary import BALL, EGG, FINISH, ROUGH, cut, operation, plan_of, star
from meshes import box_mesh, ellipsoid
from nephos.command.headless import run
from nephos.core.errors import Refused
from nephos.core.estimate.estimate_input import estimate_input
from nephos.core.finding import Finding
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.mesh.formats.stl import write_stl
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.summary import quick_look
from nephos.core.plan.bar_place import enclosing_circle, placed_points, swept_diameter
from nephos.core.plan.edits import apply_edit
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan
from nephos.core.plan.stock import Stock
from nephos.core.stages.run import run_plan
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work
from nephos.core.strategies.registry import strategy
from rotary_check import looked_at

pytestmark = pytest.mark.long

TOLERANCE = 0.01


def noisy() -> Mesh:
    """An egg with bumps of half a millimetre."""
    egg = ellipsoid((16.0, 7.0, 8.0), 32)
    rng = np.random.default_rng(5)
    return Mesh(egg.vertices * (1 + rng.normal(0, 0.02, (len(egg.vertices), 1))), egg.faces)


def ends_off(mesh: Mesh) -> Mesh:
    """The mesh without the faces at both of its ends: an open tube."""
    x = mesh.vertices[mesh.faces][:, :, 0].mean(axis=1)
    kept = np.abs(x - x.mean()) < 0.4 * np.ptp(x)
    return Mesh(mesh.vertices, np.ascontiguousarray(mesh.faces[kept]))


def finer(mesh: Mesh) -> Mesh:
    """The same surface in triangles of a millimetre."""
    fine = trimesh.Trimesh(mesh.vertices, mesh.faces, process=False).subdivide_to_size(1.0)
    return Mesh(np.asarray(fine.vertices, np.float64), np.ascontiguousarray(fine.faces, np.int32))


def overlapping() -> Mesh:
    """Two solids that go through one another, off their common middle."""
    a, b = box_mesh((-20, -4, -9), (20, 5, 9)), ellipsoid((12.0, 10.0, 6.0), 32)
    return Mesh(np.concatenate([a.vertices, b.vertices]), np.concatenate([a.faces, b.faces + len(a.vertices)]))


MESHES = {
    "noisy": noisy,
    "star": star,
    "open": lambda: ends_off(ellipsoid((25.0, 8.0, 8.0), 40)),
    "overlap": overlapping,
}


@pytest.mark.parametrize(
    ("name", "pitch"),
    [
        pytest.param("noisy", 0.2, marks=pytest.mark.slow),
        ("noisy", 0.5),
        pytest.param("star", 0.3, marks=pytest.mark.slow),
        pytest.param("open", 0.4, marks=pytest.mark.slow),
        ("overlap", 0.4),
    ],
)
def test_the_posted_text_gouges_nothing_and_goes_through_nothing(name: str, pitch: float, tmp_path: Path) -> None:
    (tmp_path / "part.stl").write_bytes(write_stl(MESHES[name]()))
    words = [str(tmp_path / "part.stl"), "--kind", "rotary", "--pitch", str(pitch), "--out", str(tmp_path)]
    assert run("cut", words) == 0
    seen = looked_at(tmp_path)
    setup = json.loads((tmp_path / "report.json").read_text())["setups"][0]
    assert seen.gouge <= TOLERANCE
    assert seen.rapids == 0
    assert seen.lowest >= setup["core"] / 2 - 1e-3
    rotary, length = setup["rotary"], setup["bar"]["length"]
    assert seen.low >= rotary["grip"] + rotary["clearance"] - 1e-3 and seen.high <= length - rotary["clearance"] + 1e-3
    assert not [item for item in setup["findings"] if item["level"] == "stop"]


def test_a_standing_part_in_metres_is_laid_down_along_the_bar(tmp_path: Path) -> None:
    tiny = Mesh(EGG.vertices[:, [1, 2, 0]] * 0.002, EGG.faces)
    (tmp_path / "part.stl").write_bytes(write_stl(tiny))
    words = [str(tmp_path / "part.stl"), "--kind", "rotary", "--pitch", "1", "--out", str(tmp_path)]
    assert run("cut", words) == 0
    setup = json.loads((tmp_path / "report.json").read_text())["setups"][0]
    # 0.12 m long, 0.052 m thick; a millimetre all round, and the next whole one.
    assert setup["bar"]["length"] > 120 and setup["bar"]["diameter"] == pytest.approx(52 + 2, abs=1.1)


def test_a_bar_and_a_core_that_are_given_are_kept_and_the_model_is_scaled_into_them(tmp_path: Path) -> None:
    (tmp_path / "part.stl").write_bytes(write_stl(EGG))
    words = [str(tmp_path / "part.stl"), "--kind", "rotary", "--bar", "20,120", "--core", "6", "--pitch", "0.8"]
    assert run("cut", [*words, "--out", str(tmp_path / "a")]) == 0
    setup = json.loads((tmp_path / "a" / "report.json").read_text())["setups"][0]
    assert setup["bar"] == {"diameter": 20.0, "length": 120.0, "square": None} and setup["core"] == 6.0
    assert setup["matrix"][0][3] == 0.0 and setup["matrix"][2][3] == -10.0 and setup["kind"] == "rotary"


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--bar", "20,120", "--size-x", "60"], "take a larger bar"),
        (["--bar", "40,30"], "take a longer bar"),
        (["--bar", "20,120", "--core", "20"], "make it thinner"),
        (["--bar", "0,120"], "leaves nothing to cut"),
    ],
)
def test_a_bar_that_cannot_hold_the_part_is_refused_in_one_line(
    words: list[str], said: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "part.stl").write_bytes(write_stl(EGG))
    assert run("cut", [str(tmp_path / "part.stl"), "--kind", "rotary", *words, "--out", str(tmp_path / "b")]) == 1
    lines = capsys.readouterr().err.strip().splitlines()
    assert all(line.startswith("nephos cut: ") for line in lines) and said in " ".join(lines)


def test_the_benchmarks_of_bars_print_what_the_yardsticks_print(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "part.stl").write_bytes(write_stl(ellipsoid((30.0, 10.0, 10.0), 80)))
    words = [
        str(tmp_path / "part.stl"),
        "--ball",
        "3",
        "--step-x",
        "1",
        "--step-a",
        "5",
        "--length",
        "60",
        "--floor",
        "2",
    ]
    assert run("bench", ["rotary-drop", *words]) == 0
    found = json.loads(capsys.readouterr().out)
    assert found["locations"] == 61 * 72 and 6 < found["mean_tip_r"] < 10
    assert run("bench", ["rotary-removal", "20", "20", "0.5", "2", "3", "0.5"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert found["rays"] == 41 * 180 and found["stamps"] == 41 * 360
    # The waves go from 0.45 to 0.75 of the radius.
    assert 4.5 < found["mean_left"] < 7.5


def moved(plan: Plan, **edit: object) -> Plan:
    return apply_edit(plan, lambda _: quick_look(EGG), edit)


def test_a_model_is_brought_onto_the_axis_by_its_circle_or_its_box() -> None:
    plan = plan_of(ROUGH)
    model = plan.models[0]
    aside = model.placement.model_copy(update={"offset": (4.0, 3.0, -2.0)})
    plan = plan.model_copy(update={"models": (model.model_copy(update={"placement": aside}),)})
    for by in ("circle", "box"):
        found = moved(plan, do="centre_on_axis", model="m", by=by)
        points = placed_points(found.models[0], quick_look(EGG), found.stock)
        y, z, radius = enclosing_circle(points)
        assert (y, z) == pytest.approx((15.0, 15.0), abs=1e-3) and radius == pytest.approx(13.0, abs=0.01)
        assert found.models[0].placement.offset[0] == pytest.approx(4.0), "along the bar it stays"


def test_a_model_is_brought_onto_the_axis_by_its_centre_of_mass() -> None:
    """A cone on its side, its circle and its box far from the middle of its volume; stretched as well."""
    cone = trimesh.creation.cone(12, 40, sections=128)
    # Upright in the bar's section: its middle lies a quarter of its height over its base.
    mesh = Mesh(np.asarray(cone.vertices, np.float64), np.ascontiguousarray(cone.faces, np.int32))
    look = quick_look(mesh)
    plan = plan_of(ROUGH, stock=Stock(kind="round", length=120, width=60, thickness=60))
    for size in (None, (20.0, 30.0, 50.0)):
        placement = plan.models[0].placement.model_copy(
            update={"size": size or (None, None, None), "linked": size is None}
        )
        free = plan.model_copy(update={"models": (plan.models[0].model_copy(update={"placement": placement}),)})
        found = apply_edit(free, lambda _: look, {"do": "centre_on_axis", "model": "m", "by": "mass"})
        points = placed_points(found.models[0], look, found.stock)
        low, height = points[:, 2].min(), np.ptp(points[:, 2])
        assert low + height / 4 == pytest.approx(30.0, abs=0.01 * height)
        assert points[:, 1].mean() == pytest.approx(30.0, abs=0.5)
    sheet = ends_off(box_mesh((-20, -5, -5), (20, 5, 5)))
    flat = Mesh(sheet.vertices * [1, 1, 0], sheet.faces)
    with pytest.raises(Refused, match="encloses no volume"):
        apply_edit(plan, lambda _: quick_look(flat), {"do": "centre_on_axis", "model": "m", "by": "mass"})


def test_a_model_is_laid_along_the_bar_and_the_bar_changed() -> None:
    plan = plan_of(ROUGH)
    stood = plan.models[0].placement.model_copy(update={"turn": (0.0, 90.0, 0.0)})
    plan = plan.model_copy(update={"models": (plan.models[0].model_copy(update={"placement": stood}),)})
    along = moved(plan, do="along_bar", model="m")
    assert np.ptp(placed_points(along.models[0], quick_look(EGG), along.stock)[:, 0]) == pytest.approx(60.0, abs=0.01)
    thicker = moved(along, do="set_bar", diameter=50.0)
    assert thicker.stock.width == thicker.stock.thickness == 50.0 and thicker.stock.kind == "round"
    assert swept_diameter(thicker.models[0], quick_look(EGG), thicker.stock) == pytest.approx(26.0, abs=0.01)
    fitted = moved(thicker, do="fit_bar", model="m", allowance=2.0)
    assert swept_diameter(fitted.models[0], quick_look(EGG), fitted.stock) == pytest.approx(46.0, abs=0.05)


def test_what_chuck_and_bending_and_overhangs_do_is_said() -> None:
    short = plan_of(FINISH, stock=Stock(kind="round", length=100, width=30, thickness=30))
    codes = {item.code for item in outcome_findings(cut(short))}
    assert "kept-off-end" in codes
    thin = plan_of(operation(10, "rough_raster", BALL, stepdown=6.0, stepover=1.5, leave=0.3))
    setup = thin.setups[0]
    free = setup.model_copy(update={"rotary": setup.rotary.model_copy(update={"core": 2.0, "tailstock": "none"})})
    found = outcome_findings(cut(thin.model_copy(update={"setups": (free,)})))
    assert any(item.code == "bar-bends" and "hold the bar with a tailstock" in item.advice for item in found)
    # A roof over a body overhangs; the bore of a tube does not: material under it stays.
    body, roof = finer(box_mesh((-25, -5, -5), (25, 5, 5))), finer(box_mesh((-15, -6, 8), (15, 6, 10)))
    mushroom = Mesh(
        np.concatenate([body.vertices, roof.vertices]), np.concatenate([body.faces, roof.faces + len(body.vertices)])
    )
    tube = Mesh(
        np.concatenate([EGG.vertices, 0.8 * EGG.vertices]),
        np.concatenate([EGG.faces, EGG.faces[:, ::-1] + len(EGG.vertices)]),
    )
    plan = plan_of(operation(10, "finish_raster", BALL, stepover=1.5))

    def overhangs(mesh: Mesh) -> list[Finding]:
        done = next(iter(run_plan(plan, lambda _: mesh, Work(MemoryStore()))))
        return [item for item in outcome_findings(done) if item.code == "overhang"]

    assert not overhangs(tube)
    found_over = overhangs(mushroom)
    assert len(found_over) == 1 and found_over[0].row == "m" and found_over[0].place is not None


@pytest.mark.parametrize("mesh", [EGG, star()], ids=["egg", "star"])
def test_a_bar_takes_about_as_long_as_was_said(mesh: Mesh) -> None:
    plan = plan_of(ROUGH, FINISH)
    look = quick_look(mesh)
    models = [(model, placed_model(look.support, model, plan.stock), look) for model in plan.models]
    done = next(iter(run_plan(plan, lambda _: mesh, Work(MemoryStore()))))
    for outcome in done.outcomes:
        operation = outcome.operation
        said = strategy(operation.strategy).estimate(
            operation.settings, operation.cutter, 0.0, estimate_input(plan, plan.setups[0], operation, models)
        )
        ratio = said.seconds / outcome.total_seconds
        assert 0.55 < ratio < 1.7, (operation.strategy, ratio)


def test_what_the_core_covers_of_the_model_is_said_with_its_depth() -> None:
    """An egg of 60 mm: its tips lie inside a core of 10 mm, little of them inside one of 2 mm."""
    found = {}
    for core in (2.0, 10.0):
        plan = plan_of(ROUGH)
        rotary = plan.setups[0].rotary.model_copy(update={"core": core})
        setup = plan.setups[0].model_copy(update={"rotary": rotary})
        done = cut(plan.model_copy(update={"setups": (setup,)}))
        found[core] = [item for item in outcome_findings(done) if item.code == "in-core"]
    assert not found[2.0]
    (said,) = found[10.0]
    assert "core of 10 mm" in said.text and "4.7 mm deep" in said.text
