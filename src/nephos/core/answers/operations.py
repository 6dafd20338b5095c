"""Operations as documents: state, feeds, tabs, costs."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from nephos.core.answers.documents import (
    EstimateAnswer,
    FeedNumbers,
    FeedsAnswer,
    MoveKeys,
    OperationAnswer,
    TabAnswer,
)
from nephos.core.answers.kept import Facts, Kept, Shown
from nephos.core.cutters.feeds import chip_sum, propose
from nephos.core.estimate.estimate import EstimateInput
from nephos.core.estimate.estimate_input import estimate_input
from nephos.core.estimate.stock_estimate import DrawnHeightMap
from nephos.core.machine.machine import machine_of
from nephos.core.memo import Memo
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.setups.registry import kind_of
from nephos.core.stages.of_plan import SetupStages
from nephos.core.strategies.cut_out import shown_tabs
from nephos.core.strategies.registry import strategy
from nephos.core.units import number_in

_CURVE = np.geomspace(0.02, 0.6, 24)
"""Stepovers of a curve of costs, in diameters of the cutter."""


@dataclass(frozen=True)
class SetupKnown:
    """What the operations of a setup are described by. `facts` : of kept results. `outlines` : keys of drawn
    boundaries. `blocked` : why nothing can be calculated; empty otherwise."""

    plan: Plan
    setup: Setup
    stages: SetupStages
    facts: Mapping[str, Facts]
    outlines: Mapping[str, str]
    height_map: DrawnHeightMap | None
    shown: list[Shown]
    blocked: str

    def drawn(self, boundary: str) -> Facts | None:
        """The facts of a boundary; none where it is not drawn yet."""
        return self.facts.get(self.outlines.get(boundary, ""))


def operation_answers(
    known: SetupKnown, kept: Kept, like: Mapping[int, OperationAnswer] | None
) -> list[OperationAnswer]:
    """The operations of a setup. Of a tile all but state and share of the costs is as in the first tile, `like`."""
    share, answers = _share(known), []
    for operation, parent in [(step, whole.number) for whole in known.setup.operations for step in whole.steps]:
        state = _state(known, operation)
        if like is not None and operation.number in like:
            answer = like[operation.number].model_copy(update=state)
        else:
            answer = _described(known, kept, operation, parent, state)
        answers.append(_with_share(answer, share))
    return answers


def _state(known: SetupKnown, operation: Operation) -> dict[str, Any]:
    """Whether an operation is calculated as it is now."""
    found: dict[str, Any] = {"reason": None, "seconds": None, "moves": None, "keys": None}
    mine = known.stages.operations.get(operation.number)
    if mine is None:
        return found | {"state": "off"}
    if known.blocked:
        return found | {"state": "blocked", "reason": known.blocked}
    facts = known.facts.get(mine.moves.key)
    if facts is None or mine.block.key not in known.facts or mine.frames.key not in known.facts:
        return found | {"state": "out of date"}
    keys = MoveKeys(moves=mine.moves.key, frames=mine.frames.key)
    return found | {"state": "current", "seconds": facts["seconds"], "moves": facts["moves"], "keys": keys}


def _described(
    known: SetupKnown, kept: Kept, operation: Operation, parent: int, state: dict[str, Any]
) -> OperationAnswer:
    """All that is said of an operation."""
    plan, kind, cutter = known.plan, strategy(operation.strategy), operation.cutter
    estimate, curve = None, list[tuple[float, float]]()
    if known.shown:
        drawn = known.drawn(operation.boundary.boundary)
        ground = estimate_input(
            plan, known.setup, operation, known.shown, None if drawn is None else dict(drawn), known.height_map
        )
        found = kind.estimate(operation.settings, cutter, 0.0, ground)
        estimate = EstimateAnswer(**asdict(found))
        # Once the time is known, the curve goes through it.
        seconds = state["seconds"] if state["seconds"] is not None else found.seconds
        curve = _curve(operation, ground, seconds / max(found.seconds, 1e-9))
    return OperationAnswer(
        number=operation.number,
        parent=parent,
        title=kind.title,
        summary=kind.summary,
        line=f"{cutter.name} · {kind.describe(operation.settings, cutter, number_in(plan.units))}",
        outline=cutter.outline(),
        cutter=cutter,
        stickout=cutter.reach,
        feeds=_feeds(plan, operation),
        tabs=_tabs(known, kept, operation),
        estimate=estimate,
        curve=curve,
        **state,
    )


def _feeds(plan: Plan, operation: Operation) -> FeedsAnswer:
    """The chip load of an operation, what is proposed for the material, and which numbers are its own."""
    cutter = operation.cutter
    p = propose(cutter, plan.stock.material, machine_of(plan.machine))
    own = [
        name
        for name in ("feed", "plunge_feed", "spindle")
        if getattr(operation, name) not in (None, getattr(cutter, name))
    ]
    return FeedsAnswer(
        sum=chip_sum(operation.cutting_feed, cutter.flutes, operation.spindle_speed, plan.units),
        own=own,
        kept=list(p.kept),
        proposed=FeedNumbers(feed=p.feed, plunge_feed=p.plunge_feed, spindle=p.spindle),
        proposed_sum=chip_sum(p.feed, cutter.flutes, p.spindle, plan.units),
    )


_TABS: Memo[list[TabAnswer]] = Memo(64)
"""Cache: places of tabs. Most changes move none."""


def _tabs(known: SetupKnown, kept: Kept, operation: Operation) -> list[TabAnswer]:
    """Places of the tabs of a cut-out on its drawn outline; none before that is drawn."""
    drawn = known.drawn(operation.boundary.boundary)
    if operation.settings.held is None or drawn is None or "loops" not in drawn:
        return []
    outline = known.outlines[operation.boundary.boundary]
    frame, settings, seams = known.setup.frame(known.plan.stock), operation.settings, known.setup.seams
    low, high = frame.box(np.zeros(3), np.array(known.plan.stock.size))
    (x0, y0), (x1, y1) = low[:2].tolist(), high[:2].tolist()
    key = (outline, settings.model_dump_json(), operation.cutter.radius, x0, y0, x1, y1, seams)
    return _TABS.get(
        key,
        lambda: [
            TabAnswer(outline=k, share=share, at=at)
            for k, share, at in shown_tabs(*kept.rims(outline), settings, operation.cutter, (x0, y0, x1, y1), seams)
        ],
    )


def _curve(operation: Operation, ground: EstimateInput, scale: float) -> list[tuple[float, float]]:
    """Seconds over stepover, `scale` times the estimate, for the small drawing of what a finer step costs."""
    kind = strategy(operation.strategy)
    if not operation.settings.figures.stepover:
        return []
    points = []
    for share in _CURVE:
        value = float(share * operation.cutter.diameter)
        settings = operation.settings.model_copy(update={"stepover": value})
        seconds = kind.estimate(settings, operation.cutter, 0.0, ground).seconds
        points.append((round(value, 4), round(scale * seconds, 1)))
    return points


def _share(known: SetupKnown) -> float:
    """Share of the models that a part of a setup cuts."""
    if not known.shown:
        return 1.0
    frame = known.setup.frame(known.plan.stock)
    boxes = np.array([frame.box(box.low, box.high) for _, box, _ in known.shown])
    return kind_of(known.setup).share_of(boxes[:, 0, :2].min(axis=0), boxes[:, 1, :2].max(axis=0))


def _with_share(item: OperationAnswer, share: float) -> OperationAnswer:
    """The costs of an operation in a tile; those of all tiles beside them."""
    total = item.all_tiles or item.estimate
    if (share == 1.0 and item.all_tiles is None) or total is None:
        return item
    own = total.model_copy(update={"seconds": total.seconds * share})
    return item.model_copy(update={"all_tiles": total, "estimate": own})
