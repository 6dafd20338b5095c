"""The report of a job as a document: what was cut with what, how long it takes, how true it is."""

from dataclasses import asdict
from typing import Any

import numpy as np

from nephos.core.arrays import F64
from nephos.core.finding import Finding
from nephos.core.machine.job_time import job_time
from nephos.core.machine.machine import machine_of
from nephos.core.pipeline.keys import axis_of, bar_position
from nephos.core.pipeline.outcome import SetupOutcome
from nephos.core.plan.place import bar_radius, to_setup, zero_in_words
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


def _rotary(done: SetupOutcome, origin: F64) -> dict[str, Any]:
    """Bar, core and axis of a rotary setup; of a face on a bar where its programs rotate it to; nothing of another
    one."""
    setup, plan = done.space.setup, done.space.plan
    if setup.rotary is None:
        position = bar_position(plan, setup)
        return {} if position is None else {"a_position": position}
    axis = axis_of(plan)
    square = None if plan.stock.kind == "round" else [plan.stock.width, plan.stock.thickness]
    return {
        "bar": {"diameter": 2 * bar_radius(plan.stock), "length": plan.stock.length, "square": square},
        "core": setup.rotary.core,
        "rotary": setup.rotary.model_dump(),
        "axis": {"along": "X", "y": 0.0, "z": float(-origin[2])},
        "a_sign": axis.sense,
        "a_word": axis.word,
        "a_per_turn": axis.per_turn,
        "a_feed": "inverse" if axis.inverse else "minute",
    }


def _tile(done: SetupOutcome, origin: F64) -> dict[str, Any]:
    """Window, slide and steps of a tile; nothing of another setup. Places count from `origin`."""
    tile = done.space.setup.tile
    if tile is None:
        return {}
    shift = [*origin[:2], *origin[:2]]
    low, high = done.space.stock_low[:2], done.space.stock_high[:2]
    window = np.clip(tile.window(), [*low, *low], [*high, *high])
    return {
        "tile": {
            "of": tile.of,
            "number": tile.number,
            "count": tile.count,
            "core": (np.array(tile.core) - shift).tolist(),
            "window": (window - shift).tolist(),
            "slid": list(tile.slid),
            "zero": np.round(done.space.zero, 6).tolist(),
            "files": [program.name for program in done.programs],
            "strip": None if tile.blend is None else tile.blend.model_dump(),
            "error": None if tile.error is None else tile.error.model_dump(),
        },
        "steps": [asdict(item) for item in done.proof.steps],
    }


def setup_report(done: SetupOutcome, findings: list[Finding], origin: F64) -> dict[str, Any]:
    """One setup's part of report.json (documented in docs/report.md).

    Places count from `origin` (3,) in the orientation frame: (0, 0, 0) there, or the work zero.
    """
    setup, space = done.space.setup, done.space
    matrix = to_setup(space.plan.stock, setup)
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
    low, high = space.stock_low, space.stock_high
    if setup.kind == "rotary":
        half = np.array([0.0, space.plan.stock.width / 2, space.plan.stock.thickness / 2])
        low, high = -half, half + np.array([space.plan.stock.length, 0.0, 0.0])
    x0, y0, z0 = map(float, low - origin)
    x1, y1, z1 = map(float, high - origin)
    return {
        "id": setup.id,
        "kind": setup.kind,
        "side": setup.side,
        "angle": setup.angle,
        "overrun": setup.overrun,
        "smallest_overrun": None if done.overrun is None else round(done.overrun[0], 4),
        "matrix": matrix.tolist(),
        **_tile(done, origin),
        "zero": {**setup.zero.model_dump(), "words": zero_in_words(setup)},
        **_rotary(done, origin),
        "stock": {"x0": x0, "y0": y0, "z0": z0, "x1": x1, "y1": y1, "z1": z1},
        "operations": operations,
        "compare": done.comparison.numbers(),
        "worst": _moved([asdict(item) for item in done.proof.worst], -origin),
        "gains": [asdict(item) for item in done.proof.gains],
        "pieces": _moved([asdict(item) for item in done.proof.pieces], -origin),
        "time": {**asdict(time), "total": time.total},
        "findings": _moved([finding.as_dict() for finding in findings], -origin),
    }
