"""What is proposed for parts of several faces holds, fits, and cuts the part true."""

import numpy as np
import pytest

from face_jobs import BALL, EGG, FLAT, cut, egg_plan
from meshes import ellipsoid, grid_mesh
from nephos.core.cutters import standard_cutter, usual_cutters
from nephos.core.errors import Refused
from nephos.core.findings.faces import (
    faces_findings,
    most_push,
    tabs_hold,
    whole_findings,
)
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.summary import quick_look
from nephos.core.pipeline.proposed_faces import _refuse_open, proposed_faces, stock_for
from nephos.core.pipeline.store import MemoryStore
from nephos.core.pipeline.work import Work
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Model, Placement, Plan, Setup, Stock, parse_plan


def test_proposals_cut_an_egg_from_two_and_from_four_faces() -> None:
    for kind in ("two-faces", "four-faces"):
        plan = egg_plan(setups=(), faces=None, pitch=0.4, stock=Stock(length=80, width=44, thickness=24))
        look = quick_look(EGG)
        shown = [(plan.models[0], placed_model(look.support, plan.models[0], plan.stock), look)]
        proposed = proposed_faces(plan, kind, lambda _: EGG, shown, (FLAT, BALL), Work(MemoryStore()))
        done, whole = cut(proposed)
        stops = [f for item in done for f in outcome_findings(item) if f.level == "stop"]
        stops += [f for f in whole_findings(proposed, whole, done) if f.level == "stop"]
        assert not stops
        assert whole.numbers()["gouge_max"] <= 0.01 and whole.ridge < 0.02
        assert parse_plan(proposed.model_dump(mode="json")) == proposed


@pytest.mark.parametrize("kind", ["two-faces", "four-faces"])
@pytest.mark.parametrize("half", [(30.0, 15.0, 8.0), (150.0, 40.0, 12.0)])
def test_what_is_proposed_holds_by_its_tabs_and_does_not_bend_its_frame(kind, half: tuple[float, float, float]) -> None:
    part = ellipsoid(half)
    look, cutters = quick_look(part), usual_cutters()
    x, y, z = stock_for(np.array(part.size), kind, cutters, egg_plan())
    plan = egg_plan(setups=(), faces=None, stock=Stock(length=x, width=y, thickness=z))
    placed = placed_model(look.support, plan.models[0], plan.stock)
    proposed = proposed_faces(
        plan, kind, lambda _: part, [(plan.models[0], placed, look)], cutters, Work(MemoryStore())
    )
    assert tabs_hold(proposed, proposed.faces, [placed]) >= 2 * most_push(proposed)
    codes = {item.code for item in faces_findings(proposed, [placed])}
    assert not codes & {"tabs-weak", "frame-bends", "frame-thin", "border-narrow"}
    for setup in proposed.setups:
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
    plan = Plan(stock=Stock(length=120, width=110, thickness=16), models=(model,), setups=(Setup(id="a", name="a"),))
    look = quick_look(top)
    shown = [(model, placed_model(look.support, model, plan.stock), look)]
    cutters = [standard_cutter("flat", 6, 1), standard_cutter("ball", 3, 2)]
    for kind in ("two-faces", "four-faces"):
        with pytest.raises(Refused, match=r"open on one side.*Flat back.*Hollow the back"):
            proposed_faces(plan, kind, lambda _: top, shown, cutters, Work(MemoryStore()))
    # A solid with a hole in it is none.
    holed = Mesh(EGG.vertices, np.ascontiguousarray(EGG.faces[20:]))
    _refuse_open([(model, shown[0][1], look)], lambda _: holed, Work(MemoryStore()))
