"""Where an operation goes into the model: along its moves, and along the arcs that a post writes in their place."""

from dataclasses import replace

import numpy as np

from nephos.core.arrays import F64
from nephos.core.parallel import Report
from nephos.core.pipeline.programs import step_of
from nephos.core.pipeline.space import SetupSpace
from nephos.core.pipeline.store import Result, as_result
from nephos.core.plan.operation import Operation
from nephos.core.post.arcs import with_arcs
from nephos.core.post.read import read_program
from nephos.core.post.schema import shipped_posts
from nephos.core.post.write import write_program
from nephos.core.surface.gouge import Gouge, gouges_along
from nephos.core.toolpath import Toolpath

LEADS = 2
"""Moves that bring the cutter over the beginning of an operation: to the height, then across."""


def gouges_from(result: Result) -> tuple[Gouge, ...]:
    """The gouges that a stage kept, the deepest first."""
    return tuple(
        Gouge((x, y, z), depth, int(move))
        for (x, y, z, depth), move in zip(result.arrays["places"].tolist(), result.arrays["moves"], strict=True)
    )


def _kept(found: tuple[Gouge, ...], moves: list[int]) -> Result:
    places = np.array([[*item.place, item.depth] for item in found]).reshape(-1, 4)
    return as_result({}, places=places, moves=np.array(moves, np.int64))


def gouges_of_moves(space: SetupSpace, points: F64, operation: Operation, report: Report) -> Result:
    """Where the moves of an operation go into the model: `places` (n, 4) x, y, z, depth, and the numbers of the `moves`."""
    found = gouges_along(space.index, points, operation.cutter.profile, space.plan.tolerance, report)
    return _kept(found, [item.move for item in found])


def gouges_of_arcs(space: SetupSpace, path: Toolpath, operation: Operation, report: Report) -> Result:
    """As :func:`gouges_of_moves`, of the arcs that a post writes in the place of moves."""
    post = shipped_posts()["rs274-metric-arcs"].model_copy(update={"decimals": 4})
    arcs = with_arcs(path, space.plan.tolerance)
    program = write_program(post, "part", [], [replace(step_of(operation, path, space.plan), arcs=arcs)], 0.0)
    reading = read_program(program.text)
    found = gouges_along(space.index, reading.points, operation.cutter.profile, space.plan.tolerance, report)
    at = np.searchsorted(program.move_lines[0], reading.lines[[item.move for item in found]])
    moves = arcs.ends[np.minimum(at, len(arcs.ends) - 1)] + LEADS
    return _kept(found, moves.tolist())
