"""The report of a job as a document: what was cut with what, how long it takes, how true it is."""

from dataclasses import asdict
from typing import Any

import numpy as np

from nephos.core.arrays import F64
from nephos.core.finding import Finding
from nephos.core.machine.job_time import job_time
from nephos.core.machine.machine import machine_of
from nephos.core.setups.registry import kind_of
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.strategies.registry import strategy


def _moved(document: Any, by: F64) -> Any:
    """A document with all that stands under `place` moved."""
    if isinstance(document, list | tuple):
        return [_moved(item, by) for item in document]
    if not isinstance(document, dict):
        return document
    return {
        key: (np.array(value) + by).tolist() if key == "place" and value is not None else _moved(value, by)
        for key, value in document.items()
    }


def setup_report(done: SetupOutcome, findings: list[Finding], origin: F64) -> dict[str, Any]:
    """One setup's part of report.json (documented in docs/report.md).

    Places count from `origin` (3,) in the orientation frame: (0, 0, 0) there, or the work zero.
    """
    setup, space = done.space.setup, done.space
    matrix = setup.frame(space.plan.stock).matrix
    matrix[:3, 3] -= origin
    where: dict[int, list[tuple[str, tuple[int, int]]]] = {}
    for program in done.programs:
        for number, lines in zip(program.numbers, program.lines, strict=True):
            where.setdefault(number, []).append((program.name, lines))
    operations = []
    for outcome in done.outcomes:
        operation = outcome.operation
        # In a tile there may be nothing to do for an operation.
        file, lines = where.get(operation.number, [("", (0, 0))])[0]
        operations.append(
            {
                "number": operation.number,
                "name": strategy(operation.strategy).title,
                "cutter": operation.cutter.model_dump(),
                "file": file,
                "lines": list(lines),
                "files": [{"file": name, "lines": list(span)} for name, span in where.get(operation.number, [])],
                "moves": len(outcome.kinds),
                "cut_length": round(outcome.path.length(False), 3),
                "rapid_length": round(outcome.path.length(True), 3),
                "seconds": round(outcome.total_seconds, 2),
            }
        )
    time = job_time(
        [outcome.total_seconds for outcome in done.outcomes],
        [outcome.operation.cutter.number for outcome in done.outcomes],
        machine_of(space.plan.machine),
    )
    low, high = kind_of(space.setup).stock_box(space.plan)
    x0, y0, z0 = map(float, low - origin)
    x1, y1, z1 = map(float, high - origin)
    return {
        "id": setup.id,
        "kind": setup.works_as,
        "smallest_overrun": None if done.overrun is None else round(done.overrun[0], 4),
        "matrix": matrix.tolist(),
        **kind_of(space.setup).report(done, origin),
        "zero": {**setup.zero.model_dump(), "words": setup.zero_in_words()},
        "stock": {"x0": x0, "y0": y0, "z0": z0, "x1": x1, "y1": y1, "z1": z1},
        "operations": operations,
        "compare": done.comparison.numbers(),
        "worst": _moved([asdict(item) for item in done.proof.worst], -origin),
        "gains": [asdict(item) for item in done.proof.gains],
        "pieces": _moved([asdict(item) for item in done.proof.pieces], -origin),
        "time": {**asdict(time), "total": time.total},
        "findings": _moved([finding.as_dict() for finding in findings], -origin),
    }
