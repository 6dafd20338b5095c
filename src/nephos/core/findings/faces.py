"""Findings on parts that are cut from several faces: overrun, border, frame, tabs, and where the stock is found again."""

from nephos.core.findings.plan_checks import Finding
from nephos.core.pipeline.whole import Whole
from nephos.core.plan.schema import Plan
from nephos.core.units import Units, length_in

LITTLE = 0.02
"""A ridge of less than this (mm) is none."""


def whole_findings(plan: Plan, whole: Whole, units: Units = "mm") -> list[Finding]:
    """What the finished block tells, over all setups."""
    if whole.ridge <= LITTLE:
        return []
    mm = length_in(units)
    return [
        Finding(
            "ridge",
            "caution",
            "faces",
            f"a ridge of {mm(whole.ridge)} is left between the faces beside the part",
            "make the overrun larger, or the parting nearer to the middle of the outline",
            whole.ridge_at,
        )
    ]
