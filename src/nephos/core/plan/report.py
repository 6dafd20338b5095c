"""The report of a job as a document: what was cut with what, how long it takes, how true it is."""

from typing import Any

from nephos.core.paths.registry import strategy
from nephos.core.plan.checks import Finding
from nephos.core.plan.outcome import SetupOutcome
from nephos.core.plan.place import zero_in_words


def setup_report(done: SetupOutcome, findings: list[Finding]) -> dict[str, Any]:
    """One setup's part of report.json (documented in docs/report.md)."""
    setup, space = done.space.setup, done.space
    where = {}
    for program in done.programs:
        for number, lines in zip(program.numbers, program.lines, strict=True):
            where[number] = (program.name, lines)
    operations = []
    for outcome in done.outcomes:
        operation = outcome.operation
        file, lines = where[operation.number]
        operations.append({
            "number": operation.number, "name": strategy(operation.strategy).title,
            "cutter": operation.cutter.model_dump(), "file": file, "lines": list(lines),
            "moves": len(outcome.kinds), "cut_length": round(outcome.path.length(False), 3),
            "rapid_length": round(outcome.path.length(True), 3), "seconds": round(outcome.total_seconds, 2),
        })
    x0, y0, z0 = map(float, space.stock_low)
    x1, y1, z1 = map(float, space.stock_high)
    return {
        "id": setup.id, "zero": {**setup.zero.model_dump(), "words": zero_in_words(setup)},
        "stock": {"x0": x0, "y0": y0, "z0": z0, "x1": x1, "y1": y1, "z1": z1},
        "operations": operations, "compare": done.comparison.numbers(),
        "findings": [finding.as_dict() for finding in findings],
    }
