"""A new kind of setup is one module: a face at two angles, added here, is planned, cut, proved, posted and kept."""

from typing import Literal

import numpy as np
import pytest

from cutting import TOLERANCE, op, worst_gouge
from meshes import ellipsoid
from nephos.core.arrays import F64
from nephos.core.cutters import standard_cutter
from nephos.core.mesh.model import Mesh
from nephos.core.plan.edits import apply_edit
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.ranges import Angle
from nephos.core.plan.schema import Plan, parse_plan
from nephos.core.plan.setups import registry
from nephos.core.plan.setups.face import FaceSetup, SideUpSetup
from nephos.core.plan.stock import Stock
from nephos.core.post.read import read_program
from nephos.core.report.setup_report import setup_report
from nephos.core.rotation import turning
from nephos.core.setups.registry import kind_of
from nephos.core.stages.run import run_plan
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work
from nephos.core.stock.sweep import RAPID_DEPTH

pytestmark = pytest.mark.long


class TiltedSetup(SideUpSetup):
    """A face that is rotated by `angle` about X, and by `tilt` about Y: on an angle plate."""

    kind: Literal["tilted"] = "tilted"
    tilt: Angle = 0.0

    @property
    def rotation(self) -> F64:
        """(3, 3) rotation that brings the face up."""
        return turning(self.angle, self.tilt, 0.0)

    @property
    def side_in_words(self) -> str:
        """Which side of the stock lies up."""
        return f"side at {self.angle:g}° about X and {self.tilt:g}° about Y"


EGG = ellipsoid((14, 9, 7))
STOCK = Stock(length=40, width=30, thickness=24)
ROUGH = op("rough_offset", standard_cutter("flat", 4, 1), 10, stepdown=2.0, stepover=1.6, leave=0.4)
FINISH = op("finish_raster", standard_cutter("ball", 3, 2), 20, stepover=0.5)


@pytest.fixture(autouse=True)
def tilted_kind(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(registry._KINDS, "tilted", TiltedSetup)


def plan_of(*setups: SideUpSetup) -> Plan:
    """An egg in the middle of its stock."""
    middle = Placement(align=("centre", "centre", "centre"), offset=(0.0, 0.0, 0.0))
    models = (Model(id="m", name="egg", mesh="egg", placement=middle),)
    return Plan(stock=STOCK, models=models, setups=setups, pitch=0.4)


def tilted(key: str = "t") -> TiltedSetup:
    """The setup of the new kind, with a roughing and a finishing."""
    return TiltedSetup(id=key, name="Tilted", angle=25.0, tilt=-15.0, operations=(ROUGH, FINISH))


@pytest.fixture(scope="module")
def done() -> SetupOutcome:
    return next(run_plan(plan_of(tilted()), lambda _: EGG, Work(MemoryStore())))


def test_a_document_with_the_new_kind_is_read_and_written() -> None:
    plan = plan_of(tilted())
    document = plan.model_dump(mode="json")
    assert document["setups"][0]["kind"] == "tilted" and document["setups"][0]["tilt"] == -15.0
    assert parse_plan(document) == plan
    unknown = document | {"setups": [document["setups"][0] | {"kind": "lathe"}]}
    with pytest.raises(Exception, match="no kind of setup 'lathe'"):
        parse_plan(unknown)


def test_edits_keep_the_kind() -> None:
    plan = apply_edit(plan_of(tilted()), lambda _: None, {"do": "change_setup", "setup": "t", "change": {"tilt": 10.0}})
    assert isinstance(plan.setups[0], TiltedSetup) and plan.setups[0].tilt == 10.0


def test_no_move_gouges_and_no_rapid_is_in_the_block(done: SetupOutcome) -> None:
    frame = plan_of(tilted()).setups[0].frame(STOCK)
    assert np.allclose(frame.matrix[:3, :3] @ frame.matrix[:3, :3].T, np.eye(3))
    # The egg as the setup sees it, placed by hand: its middle is the middle of the stock.
    middle = frame.matrix @ [*(np.array(STOCK.size) / 2), 1.0]
    seen = Mesh(EGG.vertices @ frame.matrix[:3, :3].T + middle[:3], EGG.faces)
    assert np.allclose(seen.low, done.space.mesh.low, atol=1e-6)
    for k, outcome in enumerate(done.outcomes):
        assert worst_gouge(done, k) <= TOLERANCE
        assert outcome.rapid_depth.max() <= RAPID_DEPTH


def test_what_is_cut_is_true_where_the_setup_sees_it(done: SetupOutcome) -> None:
    numbers = done.comparison.numbers()
    assert numbers["gouge_max"] <= TOLERANCE
    assert numbers["leftover_p50"] < 0.03, "scallops of 0.02 mm"
    assert done.block.volume < np.prod(STOCK.size)


def test_text_read_back_equals_the_plan(done: SetupOutcome) -> None:
    assert [program.name for program in done.programs] and len(done.programs) == 2
    for program, outcome in zip(done.programs, done.outcomes, strict=True):
        reading = read_program(program.text)
        lowest = float(np.nanmin(reading.points[:, 2]))
        assert lowest == pytest.approx(float(np.nanmin(outcome.points[:, 2])) - float(done.space.zero[2]), abs=1e-3)
    report = setup_report(done, [], np.zeros(3))
    assert report["kind"] == "face" and np.allclose(np.array(report["matrix"]), done.space.frame.matrix)


def test_a_face_after_it_begins_with_what_it_left() -> None:
    after = FaceSetup(id="b", name="Top", operations=(ROUGH.model_copy(update={"number": 30}),))
    first, second = run_plan(plan_of(tilted(), after), lambda _: EGG, Work(MemoryStore()))
    whole = kind_of(second.space.setup).first_block(second.space.plan)
    assert second.first.volume == pytest.approx(first.block.volume, rel=0.02)
    assert second.first.volume < 0.9 * whole.volume
