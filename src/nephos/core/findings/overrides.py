"""Overridden stops: they still show, but no longer keep files from being posted."""

from nephos.core.findings.plan_checks import operation_findings
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.plan.schema import Override
from nephos.core.stages.setup_outcome import SetupOutcome


def overridden(done: SetupOutcome) -> tuple[Override, ...]:
    """The overrides of a plan that still mean something for a setup: files tell those alone.

    Of operations only what is found now counts; what was overridden on models and stock is taken as it stands, as
    finding that again needs more than is at hand here."""
    plan = done.space.plan
    if not plan.overrides:
        return ()
    findings = operation_findings(plan, done.space.setup) + outcome_findings(done, plan.units)
    now = {(finding.code, finding.row, finding.text) for finding in findings}
    return tuple(item for item in plan.overrides if not item.row.isdigit() or (item.code, item.row, item.text) in now)
