"""On the sample shop's reliefs, made small so that their detail is finer than the cutters: every cutter with every
strategy that takes it."""

from functools import cache, partial

import numpy as np
import pytest
from demo.reliefs import heron, moth

from cutting import TOLERANCE, op, run, worst_gouge
from nephos.core.cutters import SHAPES, Cutter, standard_cutter
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.mesh.formats.stl import read_stl, write_stl
from nephos.core.mesh.model import Mesh
from nephos.core.plan.boundary import Limit
from nephos.core.strategies.registry import strategies
from nephos.core.toolpath import Kind

pytestmark = pytest.mark.long

COARSER = {"moth-roundel": partial(moth, 0.55), "heron-plaque": partial(heron, 0.95)}
"""By their steps in mm: at 24 mm still a tenth of the smallest cutter's radius."""
LONG = 24.0
"""Millimetres that a relief is made long."""


@cache
def small(name: str) -> Mesh:
    """A relief of the sample shop, 24 mm long, lying on its foot, with a third of its triangles."""
    mesh = read_stl(write_stl(COARSER[name]()))
    scale = np.eye(4) * LONG / float(mesh.size[:2].max())
    scale[3, 3] = 1.0
    return mesh.moved(scale)


def operations_with(cutter: Cutter) -> list:
    """One operation of every strategy that follows the model and takes the cutter."""
    words = {"stepdown": 1.0, "stepover": 1.0, "leave": 0.15}
    found = []
    for key, kind in strategies().items():
        # Fronts are slow to work out on detail as fine as this: one cutter of theirs is enough here.
        skipped = {"pocket", "drill", "score", "cut_out"} | ({"rough_engagement"} if cutter.shape != "flat" else set())
        if "face" in kind.setup_kinds and cutter.shape in kind.shapes and key not in skipped:
            known = {name: value for name, value in words.items() if name in kind.settings.model_fields}
            found.append(op(key, cutter, 10 * len(found) + 10, {"boundary": Limit(boundary="silhouette")}, **known))
    return found


_SLOW = {"bull-nose", "v", "engraver"}
_CASES = [
    pytest.param(
        shape, "moth-roundel" if shape == "ball" else "heron-plaque", marks=pytest.mark.slow if shape in _SLOW else []
    )
    for shape in SHAPES
    if shape != "drill"
]


# Each shape on one of the reliefs, to save time; on both it was run by hand (docs/performance.md).
@pytest.mark.parametrize(("shape", "name"), _CASES)
def test_no_cutter_gouges_a_relief_of_the_sample(shape: str, name: str) -> None:
    cutter = standard_cutter(shape, 2, 5)
    mesh = small(name)
    size = (float(mesh.size[0]) + 6, float(mesh.size[1]) + 6, float(mesh.size[2]) + 3)
    done = run(mesh, *operations_with(cutter), size=size, pitch=0.2)
    for k, outcome in enumerate(done.outcomes):
        assert worst_gouge(done, k) <= TOLERANCE, outcome.operation.strategy
        assert outcome.rapid_depth.max(initial=0) == 0, f"{outcome.operation.strategy}: a rapid goes through the block"
        down = np.diff(outcome.points[:, 2])[outcome.kinds == Kind.RAPID]
        assert np.nanmin(down, initial=0) >= -(size[2] + 5), (
            "no rapid goes farther down than from the clearance to the foot"
        )
    codes = {finding.code for finding in outcome_findings(done) if finding.level == "stop"}
    assert codes == set(), codes


def test_the_proof_of_a_relief_agrees_with_the_true_mesh() -> None:
    """What the comparison calls a gouge is one: none where the cutter never goes into the mesh; and finer lines leave
    less."""
    mesh, cutter = small("heron-plaque"), standard_cutter("ball", 1, 5)
    size = (float(mesh.size[0]) + 6, float(mesh.size[1]) + 6, float(mesh.size[2]) + 3)
    left = []
    for stepover in (0.6, 0.3):
        done = run(
            mesh,
            op("finish_raster", cutter, 10, {"boundary": Limit(boundary="silhouette")}, stepover=stepover),
            size=size,
            pitch=0.1,
        )
        numbers = done.comparison.numbers()
        # A column's height is that at its middle, its foot may lie lower within a cell on a wall: the tolerance and no
        # more.
        assert worst_gouge(done) <= TOLERANCE and numbers["gouge_max"] <= TOLERANCE
        left.append(done.proof.gains[0].left)
    assert left[1] < left[0]
