"""What the proof tells of a setup: how true it is, where it is worst, what each operation brought, and which pieces it
fell into."""

from collections.abc import Callable
from dataclasses import asdict, replace
from math import ceil
from typing import Any

import numpy as np

from nephos.core.arrays import F32, F64
from nephos.core.cutters.profile import Profile
from nephos.core.errors import Refused
from nephos.core.parallel import Report
from nephos.core.pipeline.key_sets import SetupKeys
from nephos.core.pipeline.keys import compare_limit, finest_operation
from nephos.core.pipeline.outcome import Proof
from nephos.core.pipeline.pieces import PieceHistory, piece_from
from nephos.core.pipeline.space import SetupSpace
from nephos.core.pipeline.store import Result, as_result
from nephos.core.pipeline.work import Work
from nephos.core.plan.operation import Operation
from nephos.core.setups.kind import CompareTask
from nephos.core.setups.registry import kind_of
from nephos.core.setups.seams import SeamStep
from nephos.core.stock.block import Block, Grid
from nephos.core.stock.compare import Comparison, laid_over
from nephos.core.stock.gain import Gain, gains
from nephos.core.stock.worst import Worst, most_left, worst_gouges
from nephos.core.surface.gouge import Gouge
from nephos.core.surface.index import SurfaceIndex
from nephos.core.surface.reach import touched_by_ball

BALLS = (6.0, 4.0, 3.0, 2.0, 1.5, 1.0, 0.5)
"""Diameters (mm) of balls that are tried in corners that no cutter of the job reaches."""
_SAMPLES = 2000
_FAR_OFF = 20.0
"""With an assumed error the cuts may go so deep (mm) into the model."""
_STEEP = 0.5
"""Cosine of the slope from which on ground counts as a wall: 60 degrees."""


def normals_of(under: F32, pitch: float) -> F64:
    """(ny, nx, 3) unit vectors out of a height field."""
    gy, gx = np.gradient(under.astype(np.float64), pitch)
    vectors = np.stack([-gx, -gy, np.ones_like(gx)], axis=-1)
    return np.asarray(vectors / np.linalg.norm(vectors, axis=-1, keepdims=True), np.float64)


def _balls_that_would(
    space: SetupSpace, c: Comparison, normals: F64, cutters: list[Profile], tolerance: float
) -> list[tuple[float, float]]:
    if not isinstance(space.index, SurfaceIndex):
        return []
    corners = np.flatnonzero((np.isfinite(c.deviation) & ~c.reachable & (c.deviation > c.limit)).ravel())
    if not len(corners):
        return []
    chosen = corners[:: ceil(len(corners) / _SAMPLES)]
    j, i = np.divmod(chosen, c.grid.nx)
    points = np.column_stack([c.grid.xs[i], c.grid.ys[j], c.under[j, i].astype(np.float64)])
    finest = min(2 * (cutter.corner or cutter.radius) for cutter in cutters)
    found = [
        (d, touched_by_ball(space.index, points, normals[j, i], d / 2, space.floor, max(c.limit, tolerance)))
        for d in BALLS
        if d < finest
    ]
    return [(d, round(share, 3)) for d, share in found]


def _compared(
    space: SetupSpace,
    work: Work,
    todo: list[Operation],
    blocks: list[Block],
    block: Block,
    gouges: list[Gouge],
    before: Comparison | None,
    steps: Callable[[Comparison], tuple[SeamStep, ...]],
    with_errors: bool,
    report: Report,
) -> Result:
    plan, setup = space.plan, space.setup
    finest, limit = finest_operation(todo), compare_limit(plan, setup)
    cutters = [operation.cutter.profile for operation in todo if operation.cutter.shape != "drill"] or [
        finest.cutter.profile
    ]
    deepest = gouges[0].depth if gouges else plan.tolerance / 4
    # Measured on the columns: the block is another than the moves make, or than the model.
    measured = with_errors or not kind_of(space.setup).follows_model
    c = kind_of(space.setup).compared(
        space,
        work,
        CompareTask(block, finest, cutters, limit, _FAR_OFF if measured else deepest, report),
    )
    if 0 < min(c.deviation.shape) < 2:
        raise Refused(
            f"the block's pitch of {block.grid.pitch:g} mm is as coarse as the part: set a finer pitch in the accuracy of the "
            "stock"
        )
    if not c.deviation.size:
        raise Refused(
            f"nothing of the model lies where operation {finest.number} goes: move the model, or give the operation another "
            "boundary"
        )
    if measured:
        deep = float(-np.nanmin(c.deviation, initial=0.0))
        c = replace(c, gouge=deep if with_errors or deep > limit else gouges[0].depth if gouges else 0.0)
    elif not gouges:
        c = replace(c, gouge=0.0)
    rows, columns = block.grid.window((c.grid.x0, c.grid.y0), (c.grid.xs[-1], c.grid.ys[-1]))
    inside = np.isfinite(c.deviation)
    normals = normals_of(c.under, c.grid.pitch)
    steep = inside & (normals[..., 2] < _STEEP) & c.reachable & (c.deviation > limit)
    told: dict[str, Any] = {
        "limit": limit,
        "gouge": c.gouge,
        "worst": [
            asdict(item) for item in (*worst_gouges(gouges, plan.tolerance), *most_left(c, block.top[rows, columns]))
        ],
        "gains": [
            asdict(item)
            for item in gains(
                # Kept by place in the order: a new number changes nothing here.
                list(range(len(todo))),
                [block.volume for block in blocks],
                [block.top for block in blocks[1:]],
                c.grid.pitch,
                (rows, columns),
                c.under,
                inside,
                limit,
            )
        ],
        "balls": _balls_that_would(space, c, normals, cutters, plan.tolerance),
        "walls": float(steep.sum() / max(inside.sum(), 1)),
    }
    c = c if before is None else laid_over(before, c)
    told["steps"] = [asdict(item) for item in steps(c)]
    told["gouge"] = c.gouge
    return as_result(
        c.grid.facts() | told, deviation=c.deviation, reachable=c.reachable.astype(np.uint8), under=c.under
    )


def proof_of(
    space: SetupSpace,
    work: Work,
    keys: SetupKeys,
    todo: list[Operation],
    blocks: list[Block],
    shown: Block,
    before: Comparison | None,
    steps: Callable[[Comparison], tuple[SeamStep, ...]],
    gouges: list[Gouge],
    report: Report,
) -> Proof:
    """Compare and sort a finished block.

    `blocks` are the stock and the block after each operation, `shown` the finished one with the errors that are assumed
    for slides, `before` the compare of the tiles before this one, `steps` finds those at the seams, `gouges` those of all operations, the deepest first.
    """
    kept = work.stage(
        keys.compare,
        "compare",
        lambda: _compared(space, work, todo, blocks, shown, gouges, before, steps, shown is not blocks[-1], report),
    )
    pieces = work.stage(
        keys.pieces,
        "pieces",
        lambda: kind_of(space.setup).sorted_pieces(PieceHistory(space, work, keys, todo, blocks)),
    )
    f, a = kept.facts, kept.arrays
    comparison = Comparison(
        Grid.from_facts(f), a["deviation"], a["reachable"].astype(bool), f["limit"], a["under"], f["gouge"]
    )
    return Proof(
        comparison,
        tuple(Worst(tuple(w["place"]), w["deviation"], w["reachable"]) for w in f["worst"]),
        tuple(Gain(**(g | {"number": todo[g["number"]].number})) for g in f["gains"]),
        tuple((d, share) for d, share in f["balls"]),
        f["walls"],
        tuple(piece_from(facts, todo) for facts in pieces.facts["pieces"]),
        pieces.arrays["sorting"],
        tuple(SeamStep(**(step | {"place": tuple(step["place"])})) for step in f["steps"]),
    )
