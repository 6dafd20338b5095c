"""Keys of the stages of a plan, and outlines of its boundaries."""

import shapely

from nephos.core.arrays import F64
from nephos.core.mesh.model import Mesh
from nephos.core.plan.place import Placed, placed_model
from nephos.core.plan.schema import Plan
from nephos.core.report.setup_results import Reports
from nephos.core.stages.of_plan import SetupStages, stages_of
from nephos.core.stages.outline import OutlineStage
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work


def keys_of(stages: SetupStages) -> list[str]:
    """The keys of all that is kept of a setup."""
    reports = Reports.of(stages)
    return [stage.key for stage in stages.all()] + [reports.summary.key, reports.findings.key, reports.files]


def all_keys(plan: Plan) -> dict[str, list[str]]:
    """The keys of all that is kept of each setup that is worked out, by its id."""
    return {name: keys_of(stages) for name, stages in stages_of(plan).items() if stages.operations}


def work_with(mesh: Mesh) -> Work:
    """A calculation with one mesh, in an empty store."""
    return Work(MemoryStore(), lambda _: mesh)


def outline(plan: Plan, key: str, mesh: Mesh) -> shapely.Geometry:
    """The outline of a boundary in the first setup of a plan."""
    return work_with(mesh).of(OutlineStage.of(plan, plan.setups[0], key))


def placed_all(plan: Plan, support: F64) -> dict[str, Placed]:
    """Where each model lies in the stock, all by the same points of a mesh."""
    return {model.id: placed_model(support, model, plan.stock) for model in plan.models}
