"""Posted programs of several faces, run by an interpreter and a model of the stock that share nothing with ours."""

import numpy as np
import pytest
import trimesh

from face_check import File, Tool, check_faces, moves_of
from face_jobs import operation
from hard_meshes import ball_mesh
from meshes import ellipsoid
from nephos.core.cutters import standard_cutter
from nephos.core.mesh.model import Mesh, joined
from nephos.core.plan.joined_faces import Faces, FaceTab
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.stock import Stock
from nephos.core.stages.run import run_plan
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work

pytestmark = pytest.mark.long

SIZE = (60.0, 40.0, 26.0)
TOLERANCE = 0.03
"""Resolution (mm) of the sampled check."""


def lumpy() -> Mesh:
    """An egg with bumps of a quarter of a millimetre."""
    egg = ellipsoid((16.0, 9.0, 8.0), 32)
    rng = np.random.default_rng(4)
    return Mesh(egg.vertices * (1 + rng.normal(0, 0.012, (len(egg.vertices), 1))), egg.faces)


def pair() -> Mesh:
    """Two overlapping balls of different size: a waist that is undercut from above."""
    return joined([ball_mesh((-6.0, 0.0, 0.0), 8.0, 32), ball_mesh((7.0, 0.0, 1.0), 6.0, 32)])


def cavity() -> Mesh:
    """A ball with a closed cavity."""
    return joined([ball_mesh((0.0, 0.0, 0.0), 9.0, 32), ball_mesh((0.0, 0.0, 0.0), 4.0, 24, inwards=True)])


MESHES = {"lumpy": lumpy, "pair": pair, "cavity": cavity}


def plan_for(sides: tuple[str, ...], mesh: Mesh, pitch: float, post: str, unit: str) -> Plan:
    flat, ball = standard_cutter("flat", 4, 1), standard_cutter("ball", 3, 2)
    setups = []
    for k, side in enumerate(sides):
        rough = operation(10 + 20 * k, "rough_offset", flat, "box", "inside", stepdown=2.5, stepover=1.6, leave=0.3)
        finish = operation(20 + 20 * k, "finish_raster", ball, "silhouette", "outside", stepover=0.7, outline="on")
        setups.append(FaceSetup(id=f"s{k}", name=f"S{k}", side=side, overrun=2.2, operations=(rough, finish)))
    half = float(np.ptp(mesh.vertices[:, 0])) / 2
    tabs = tuple(
        FaceTab(id=f"t{angle}", at=(30 + sign * half, 20, 13), angle=angle, width=5, thickness=3, inward=3)
        for sign, angle in ((1, 0), (-1, 180))
    )
    return Plan.model_validate(
        {
            "stock": Stock(length=SIZE[0], width=SIZE[1], thickness=SIZE[2]),
            "models": (
                Model(
                    id="m",
                    name="m",
                    mesh="m",
                    placement=Placement(align=("centre", "centre", "centre"), offset=(0, 0, 0)),
                ),
            ),
            "setups": tuple(setups),
            "faces": Faces(parting=13, parting_y=20, border=6, tabs=tabs),
            "pitch": pitch,
            "post": post,
            "post_unit": unit,
        }
    )


def programs_of(done: list[SetupOutcome]) -> list[tuple[np.ndarray, list[File]]]:
    found = []
    for item in done:
        matrix = np.array(item.space.matrix)
        matrix[:3, 3] -= item.space.zero
        cutters = {outcome.operation.number: outcome.operation.cutter for outcome in item.outcomes}
        files = [
            File(program.text.decode(), Tool(cutters[program.numbers[0]].shape, cutters[program.numbers[0]].radius))
            for program in item.programs
        ]
        found.append((matrix, files))
    return found


@pytest.mark.parametrize(
    ("name", "sides", "pitch", "post", "unit"),
    [
        ("lumpy", ("top", "bottom"), 0.3, "rs274-metric", "mm"),
        ("pair", ("top", "front", "bottom", "back"), 0.5, "rs274-metric", "in"),
        ("cavity", ("front", "back"), 0.4, "rs274-metric", "mm"),
        pytest.param("pair", ("top", "bottom", "top"), 0.3, "rs274-metric", "mm", marks=pytest.mark.slow),
        pytest.param("lumpy", ("left", "right", "top", "bottom"), 0.5, "rs274-metric", "in", marks=pytest.mark.slow),
    ],
)
def test_programs_gouge_nothing_and_no_rapid_meets_stock(
    name: str, sides: tuple[str, ...], pitch: float, post: str, unit: str
) -> None:
    mesh = MESHES[name]()
    done = list(run_plan(plan_for(sides, mesh, pitch, post, unit), lambda _: mesh, Work(MemoryStore())))
    first = done[0].space
    placed = first.mesh.moved(np.linalg.inv(first.matrix))
    seen = check_faces(trimesh.Trimesh(placed.vertices, placed.faces, process=False), SIZE, programs_of(done))
    assert seen.gouge <= TOLERANCE
    assert seen.rapids == 0
    # After each setup the remaining volume by our gains equals that of the cloud.
    whole, removed = SIZE[0] * SIZE[1] * SIZE[2], 0.0
    for item, left in zip(done, seen.left, strict=True):
        removed += sum(gain.removed for gain in item.proof.gains)
        assert left == pytest.approx(1 - removed / whole, abs=0.02)


def test_the_check_sees_a_gouge_a_rapid_and_what_is_cut() -> None:
    """A flat cutter through a block: the check itself can fail."""
    block = trimesh.creation.box((10, 10, 4))
    block.apply_translation((20, 20, 5))
    text = "G21\nG0 Z30\nG0 X5 Y20\nG0 Z12\nG1 X35 F500\nG0 Z30\n"
    tool = Tool("flat", 2.0)
    fine = check_faces(block, (40, 40, 12), [(np.eye(4), [File(text, tool)])])
    assert fine.gouge == 0.0 and fine.rapids == 0 and fine.left == [1.0]
    deep = check_faces(block, (40, 40, 12), [(np.eye(4), [File(text.replace("Z12", "Z6.5"), tool)])])
    assert deep.gouge == pytest.approx(0.5, abs=0.05), "the top of the block lies at 7 mm"
    assert deep.rapids > 0, "it goes down at a rapid"
    slot = 5.5 * (30 * 4 + np.pi * 4) / (40 * 40 * 12)
    assert 1 - deep.left[0] == pytest.approx(slot, rel=0.1)
    inch = "G20\nG0 Z1\nG0 X0 Y0\nG1 Z0.1 F10\nG2 X1 Y1 I1 J0\nG3 X0 Y2 I-1 J0\n"
    arcs = [tips for _, tips in moves_of(inch)]
    assert arcs[-2][-1] == pytest.approx([25.4, 25.4, 2.54]) and arcs[-1][-1] == pytest.approx([0, 50.8, 2.54])
    assert np.hypot(arcs[-2][:, 0] - 25.4, arcs[-2][:, 1]) == pytest.approx(25.4)
