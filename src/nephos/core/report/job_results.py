"""Results of a job of several setups, as they are kept for the page: its figures and its solid, and its findings."""

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from nephos.core.findings.faces import whole_findings, whole_row
from nephos.core.mesh.model import joined
from nephos.core.parallel import Report
from nephos.core.plan.schema import Plan
from nephos.core.stages.of_plan import job_stages
from nephos.core.stages.seen import whole_seen
from nephos.core.stages.stage import KeptResult, Resolver
from nephos.core.stages.store import Result, as_result
from nephos.core.stages.whole import SolidsStage, WholeStage
from nephos.core.surface.index import build_index
from nephos.core.surface.inside import signed_distances

SHOWN_DEVIATION = 3.0
"""Deviations of the finished block from the model are drawn up to this one (mm)."""
STOCK_SURFACE = 255
"""Stands for the surface of the stock, which no setup has cut, in `left_by`."""


@dataclass(frozen=True, eq=False)
class JobSummaryStage(KeptResult):
    """Figures of the finished block, and its solids as one mesh.

    Arrays: `vertices` (n, 3) float32 in stock space, `faces` (m, 3), `deviation` (n,) from the model in mm, `left_by`
    (m,) uint8, the setup that made each face (255: none), `missed` (n,) uint8, 1 where no cutter of that setup
    reaches."""

    name: ClassVar[str] = "whole"
    version: ClassVar[int] = 12

    whole: WholeStage
    solids: SolidsStage

    def compute(self, work: Resolver, report: Report) -> Result:
        """The figures and the mesh."""
        whole, pieces = work.of(self.whole), work.of(self.solids)
        mesh = joined([piece.mesh for piece in pieces])
        first = whole.surfaces[0].space
        model = first.mesh.moved(np.asarray(np.linalg.inv(first.matrix), np.float64))
        deviation = signed_distances(build_index(model.vertices, model.faces), mesh.vertices, SHOWN_DEVIATION)
        facts = {
            "compare": whole.numbers(),
            "ridge": whole.ridge,
            "pieces": [{"volume": piece.volume, "low": piece.low, "high": piece.high} for piece in pieces],
        }
        middles, corners = mesh.vertices[mesh.faces].mean(axis=1), len(mesh.vertices)
        owner, missed = whole.makers(np.concatenate([mesh.vertices, middles]))
        return as_result(
            facts,
            vertices=mesh.vertices.astype(np.float32),
            faces=mesh.faces,
            deviation=deviation,
            left_by=np.where(owner[corners:] < 0, STOCK_SURFACE, owner[corners:]).astype(np.uint8),
            missed=missed[:corners].astype(np.uint8),
        )


@dataclass(frozen=True, eq=False)
class JobFindingsStage(KeptResult):
    """Findings on the part after all setups, in millimetres and in inches. `plan` : nothing but what they read. `row` :
    of the sheet, that they concern."""

    name: ClassVar[str] = "findings"
    version: ClassVar[int] = 7

    whole: WholeStage
    plan: Plan
    row: str

    def compute(self, work: Resolver, report: Report) -> Result:
        """The findings. It takes milliseconds."""
        whole = work.of(self.whole)
        return as_result(
            {
                "findings": [item.as_dict() for item in whole_findings(self.plan, whole, self.row)],
                "findings_in": [item.as_dict() for item in whole_findings(self.plan, whole, self.row, "in")],
            }
        )


@dataclass(frozen=True, eq=False)
class JobReports:
    """What is kept of a job of several setups for the page. `makers` : ids of the setups that `left_by` counts."""

    summary: JobSummaryStage
    findings: JobFindingsStage
    makers: tuple[str, ...]

    @classmethod
    def of(cls, plan: Plan) -> "JobReports | None":
        """Those of a plan as it is cut; none where one setup alone leaves the part."""
        job = job_stages(plan)
        if not job.is_joined:
            return None
        findings = JobFindingsStage(job.whole, whole_seen(plan), whole_row(plan))
        return cls(JobSummaryStage(job.whole, job.solids), findings, tuple(item.setup.id for item in job.setups))
