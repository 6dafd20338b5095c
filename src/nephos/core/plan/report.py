"""The report of a job as a document: what was cut with what, how long it takes, how true it is."""

from dataclasses import asdict
from typing import Any

from nephos.core.machine.job_time import job_time
from nephos.core.machine.kinematics import machine_named
from nephos.core.paths.registry import strategy
from nephos.core.plan.checks import Finding
from nephos.core.plan.outcome import SetupOutcome
from nephos.core.plan.place import zero_in_words


def setup_report(done: SetupOutcome, findings: list[Finding]) -> dict[str, Any]:
    """One setup's part of report.json (documented in docs/report.md)."""
    setup, space = done.space.setup, done.space
    where: dict[int, list[tuple[str, tuple[int, int]]]] = {}
    for program in done.programs:
        for number, lines in zip(program.numbers, program.lines, strict=True):
            where.setdefault(number, []).append((program.name, lines))
    operations = []
    for outcome in done.outcomes:
        operation = outcome.operation
        file, lines = where[operation.number][0]
        operations.append({
            "number": operation.number, "name": strategy(operation.strategy).title,
            "cutter": operation.cutter.model_dump(), "file": file, "lines": list(lines),
            "files": [{"file": name, "lines": list(span)} for name, span in where[operation.number]],
            "moves": len(outcome.kinds), "cut_length": round(outcome.path.length(False), 3),
            "rapid_length": round(outcome.path.length(True), 3), "seconds": round(outcome.total_seconds, 2),
        })
    time = job_time([outcome.total_seconds for outcome in done.outcomes], [outcome.operation.cutter.number for outcome in done.outcomes],
                    machine_named(space.plan.machine))
    x0, y0, z0 = map(float, space.stock_low)
    x1, y1, z1 = map(float, space.stock_high)
    return {
        "id": setup.id, "zero": {**setup.zero.model_dump(), "words": zero_in_words(setup)},
        "stock": {"x0": x0, "y0": y0, "z0": z0, "x1": x1, "y1": y1, "z1": z1},
        "operations": operations, "compare": done.comparison.numbers(),
        "worst": [asdict(item) for item in done.proof.worst], "gains": [asdict(item) for item in done.proof.gains],
        "pieces": [asdict(item) for item in done.proof.pieces], "time": {**asdict(time), "total": time.total},
        "findings": [finding.as_dict() for finding in findings],
    }
