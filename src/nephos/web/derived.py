"""What follows from a plan without calculating: boxes, findings, estimates, what is up to date, how long it takes."""

from typing import Any

import numpy as np
from django.db import connection

from nephos.core.cutters import Cutter
from nephos.core.cutters.feeds import chip_sum, propose
from nephos.core.estimate.estimate import EstimateInput
from nephos.core.estimate.estimate_input import estimate_input
from nephos.core.estimate.stock_estimate import DrawnHeightMap
from nephos.core.findings.faces import most_push, registration_step, tabs_hold
from nephos.core.findings.overrides import Seen, seen, standing
from nephos.core.findings.placement import placement_findings
from nephos.core.findings.plan_checks import boundary_findings, operation_findings
from nephos.core.findings.reach import reach_findings
from nephos.core.findings.stickout import stickout_findings
from nephos.core.machine.job_time import calibrate, job_time
from nephos.core.machine.machine import machine_of
from nephos.core.memo import Memo
from nephos.core.mesh.orientation import slab_height, undercut
from nephos.core.plan.bar_place import swept_diameter
from nephos.core.plan.model import Model
from nephos.core.plan.operation import Operation
from nephos.core.plan.parting import ground_height, height_below_parting
from nephos.core.plan.place import Placed, linear_of, placed_model
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.report.job_results import JobReports
from nephos.core.report.setup_results import Reports
from nephos.core.setups.registry import kind_of
from nephos.core.stages.of_plan import SetupStages, stages_of
from nephos.core.stages.overrun import RimStage, overrun_for
from nephos.core.strategies.cut_out import shown_tabs
from nephos.core.strategies.registry import strategy
from nephos.core.units import number_in
from nephos.web.board_answers import (
    seam_cost_answers,
    told_before,
    told_once,
    with_share,
)
from nephos.web.jobs import shop_cutters
from nephos.web.models import RealTime, Result
from nephos.web.summaries import Known, height_map_of, known, outline_keys, outline_rims


def _operation_state(
    operation: Operation, done: dict[str, dict[str, Any]], blocked: str, stages: SetupStages
) -> dict[str, Any]:
    mine = stages.operations.get(operation.number)
    if mine is None:
        return {"state": "off"}
    if blocked:
        return {"state": "blocked", "reason": blocked}
    facts = done.get(mine.moves.key)
    if facts is None or mine.block.key not in done or mine.frames.key not in done:
        return {"state": "out of date"}
    return {
        "state": "current",
        "seconds": facts["seconds"],
        "moves": facts["moves"],
        "keys": {"moves": mine.moves.key, "frames": mine.frames.key},
    }


def _feeds(plan: Plan, operation: Operation) -> dict[str, Any]:
    """The sum behind an operation's feed, what would be proposed for the material, and which numbers are its own."""
    cutter = operation.cutter
    p = propose(cutter, plan.stock.material, machine_of(plan.machine))
    own = [
        name
        for name in ("feed", "plunge_feed", "spindle")
        if getattr(operation, name) not in (None, getattr(cutter, name))
    ]
    return {
        "sum": chip_sum(operation.cutting_feed, cutter.flutes, operation.spindle_speed, plan.units),
        "own": own,
        "kept": p.kept,
        "proposed": {"feed": p.feed, "plunge_feed": p.plunge_feed, "spindle": p.spindle},
        "proposed_sum": chip_sum(p.feed, cutter.flutes, p.spindle, plan.units),
    }


_TABS: Memo[list[dict[str, Any]]] = Memo(64)
"""Where tabs stand, lately asked for: most changes move none."""


def _tabs(plan: Plan, setup: Setup, operation: Operation, outline: str | None) -> list[dict[str, Any]]:
    """Where the tabs of a cut-out stand on its drawn outline: number of the outline, share of its length, place in the
    setup."""
    if operation.settings.held is None or outline is None:
        return []
    matrix = setup.frame(plan.stock).matrix
    corners = np.array([[0.0, 0.0, 0.0], plan.stock.size]) @ matrix[:3, :3].T + matrix[:3, 3]
    (x0, y0), (x1, y1) = corners.min(axis=0)[:2].tolist(), corners.max(axis=0)[:2].tolist()
    settings = operation.settings
    seams = setup.seams
    key = (outline, settings.model_dump_json(), operation.cutter.radius, x0, y0, x1, y1, seams)
    return _TABS.get(
        key,
        lambda: [
            {"outline": k, "share": share, "at": at}
            for k, share, at in shown_tabs(*outline_rims(outline), settings, operation.cutter, (x0, y0, x1, y1), seams)
        ],
    )


_SLABS: Memo[float | None] = Memo(64)
_UNDERCUTS: Memo[float] = Memo(64)


def _model_state(plan: Plan, model: Model, box: Placed, item: Known) -> dict[str, Any]:
    """A model as it lies, what is known of its mesh, and what might be done to it."""
    linear = linear_of(model.placement)
    sunk = model.placement.sink / max(float(box.size[2]), 1e-9)
    at = (item.key, item.state, linear.tobytes())
    return {
        "state": item.state,
        "reason": item.reason,
        "look": item.key,
        "facts": item.facts,
        "low": box.low.tolist(),
        "high": box.high.tolist(),
        "size": box.size.tolist(),
        "scale": box.scale.tolist(),
        "matrices": box.matrices.tolist(),
        "percent": float(100 * box.scale[0] / item.look.unit),
        "slab": _SLABS.get((*at, float(box.scale[2])), lambda: slab_height(item.look, linear, float(box.scale[2])))
        if item.state == "ready"
        else None,
        "undercut": _UNDERCUTS.get((*at, sunk), lambda: undercut(item.look, linear, sunk)),
        "swept": None if plan.held_bar is None else swept_diameter(model, item.look, plan.stock),
    }


def _operations(
    plan: Plan,
    setup: Setup,
    stages: SetupStages,
    done: dict[str, dict[str, Any]],
    drawn: dict[str, dict[str, Any]],
    height_map: DrawnHeightMap | None,
    shown: list[Any],
    blocked: str,
    like: dict[int, dict[str, Any]] | None,
) -> list[dict[str, Any]]:
    """The operations of a setup: what they are called, how they stand, what they will cost; of a tile all but the last
    are `like` those of the first tile."""
    outlines = outline_keys(plan, setup)
    operations = []
    share = _share_of(plan, setup, shown)
    for operation, parent in [(step, whole.number) for whole in setup.operations for step in whole.steps]:
        kind = strategy(operation.strategy)
        if like is not None and operation.number in like:
            old = like[operation.number]
            state = _operation_state(operation, done, blocked, stages)
            kept = {name: value for name, value in old.items() if name not in _STATE}
            operations.append(with_share(kept | state, share))
            continue
        item = {
            "number": operation.number,
            "parent": parent,
            "title": kind.title,
            "summary": kind.summary,
            "line": f"{operation.cutter.name} · {kind.describe(operation.settings, operation.cutter, number_in(plan.units))}",
            "outline": operation.cutter.outline(),
            "cutter": operation.cutter.model_dump(),
            "stickout": operation.cutter.reach,
            "feeds": _feeds(plan, operation),
            **_operation_state(operation, done, blocked, stages),
        }
        boundary = outlines.get(operation.boundary.boundary)
        item["tabs"] = _tabs(
            plan, setup, operation, boundary if boundary in drawn and "loops" in drawn[boundary] else None
        )
        if shown:
            ground = estimate_input(
                plan, setup, operation, shown, drawn.get(outlines.get(operation.boundary.boundary, "")), height_map
            )
            estimate = kind.estimate(operation.settings, operation.cutter, 0.0, ground)
            item["estimate"] = estimate.__dict__
            # Once the time is known, the curve goes through it.
            item["curve"] = _curve(
                operation, ground, item.get("seconds", estimate.seconds) / max(estimate.seconds, 1e-9)
            )
        operations.append(with_share(item, share))
    return operations


_STATE = ("state", "reason", "seconds", "moves", "keys")


def _share_of(plan: Plan, setup: Setup, shown: list[Any]) -> float:
    """Which share of the models a part of a setup cuts."""
    if not shown:
        return 1.0
    frame = setup.frame(plan.stock)
    boxes = np.array([frame.box(box.low, box.high) for _, box, _ in shown])
    return kind_of(setup).share_of(boxes[:, 0, :2].min(axis=0), boxes[:, 1, :2].max(axis=0))


def _time(plan: Plan, setup: Setup, operations: list[dict[str, Any]]) -> dict[str, Any]:
    """How long a setup takes with changes and waits, and what it will really take by the times that were entered."""
    machine = machine_of(plan.machine)
    by_number = {item["number"]: item for item in operations}
    on = [(operation, by_number[operation.number]) for operation in setup.worked]
    seconds = [float(item.get("seconds") or item.get("estimate", {}).get("seconds", 0.0)) for _, item in on]
    time = job_time(seconds, [operation.cutter.number for operation, _ in on], machine)
    calibration = calibrate(list(RealTime.objects.filter(machine=machine.id).values_list("calculated", "real")))
    return {
        "moves": time.moves,
        "changes": time.changes,
        "waits": time.waits,
        "total": time.total,
        "calculated": all("seconds" in item for _, item in on),
        **calibration.__dict__,
    }


def _setup(
    plan: Plan,
    setup: Setup,
    shown: list[Any],
    blocked: str,
    like: dict[int, dict[str, Any]] | None,
    shop: dict[int, Cutter],
    stages: SetupStages,
) -> dict[str, Any]:
    wanted = [stage.key for item in stages.operations.values() for stage in (item.moves, item.block, item.frames)]
    reports = Reports.of(stages) if stages.operations else None
    if reports is not None:
        wanted += [reports.summary.key, reports.findings.key, reports.files]
    done = dict(Result.objects.filter(key__in=wanted).values_list("key", "facts"))
    outlines = outline_keys(plan, setup)
    drawn = dict(Result.objects.filter(key__in=outlines.values()).values_list("key", "facts"))
    drawn_yet, height_map = height_map_of(plan, setup)
    operations = _operations(plan, setup, stages, done, drawn, height_map, shown, blocked, like)
    # A verdict that is older than what it is about is none: without findings the setup is not up to date.
    judged = done.get(reports.findings.key) if reports is not None else None
    summary = done.get(reports.summary.key) if reports is not None and judged else None
    files = "" if reports is None else reports.files
    told = [
        finding.as_dict()
        for finding in told_once(
            setup,
            operation_findings(plan, setup)
            + reach_findings(plan, setup, shown)
            + stickout_findings(plan, setup, shop)
            + boundary_findings(plan, setup, {name: drawn[key] for name, key in outlines.items() if key in drawn}),
        )
    ]
    return {
        "id": setup.id,
        "works_as": setup.works_as,
        "side": setup.side_in_words,
        "size": setup.frame(plan.stock).high.tolist(),
        "whole": setup.parent_id,
        "tile": kind_of(setup).part_answer(plan),
        "turn": _turn(plan, setup),
        "bar": _bar(plan, setup),
        "ground": None if plan.faces is None else ground_height(plan, setup),
        "parting": None if plan.faces is None else height_below_parting(plan, setup, 0.0),
        "zero": setup.zero_in_words(plan.units),
        "post_unit": plan.own_post.unit,
        "matrix": setup.frame(plan.stock).matrix.tolist(),
        "zero_at": setup.frame(plan.stock).zero.tolist(),
        "outlines": {name: {"key": key, **drawn[key]} if key in drawn else None for name, key in outlines.items()},
        "drawn": drawn_yet or not shown,
        "operations": operations,
        "summary_key": reports.summary.key if reports is not None and summary else None,
        "summary": summary,
        "programs": done[files]["programs"] if summary and files in done else None,
        "files_key": files,
        "compare_key": stages.compare.key if summary else None,
        "pieces_key": stages.pieces.key if summary else None,
        "time": _time(plan, setup, operations),
        "told": told,
        "findings": seen(plan, judged["findings_in" if plan.units == "in" else "findings"] if judged else []),
    }


def _bar(plan: Plan, setup: Setup) -> dict[str, Any] | None:
    """What holds the bar of a rotary setup, and the reference radius of its unrolled surface; none of another one."""
    held = setup.holding
    return None if held is None else {"radius": setup.frame(plan.stock).radius, **held.model_dump()}


def _turn(plan: Plan, setup: Setup) -> dict[str, Any] | None:
    """What hands do between the setup before and this one."""
    on = [item for item in plan.setups if item.on or item is setup]
    at = on.index(setup)
    if at == 0:
        return None
    return kind_of(setup).turn_answer(plan, on[at - 1])


def _faces(plan: Plan, boxes: list[Placed]) -> dict[str, Any] | None:
    """What follows for a part of several faces."""
    if plan.faces is None:
        return None
    corners = {setup.id: RimStage.of(plan, setup).key for setup in plan.setups if setup.worked}
    kept = dict(Result.objects.filter(key__in=corners.values()).values_list("key", "facts"))
    smallest = {
        setup.id: overrun_for(plan, setup, float(kept[corners[setup.id]]["tip"]))
        for setup in plan.setups
        if setup.id in corners and corners[setup.id] in kept
    }
    return {
        "hold": tabs_hold(plan, plan.faces, boxes),
        "push": most_push(plan),
        "step": registration_step(plan, plan.faces, boxes),
        "smallest": smallest,
    }


def _whole(plan: Plan, reports: JobReports | None) -> tuple[dict[str, Any] | None, list[dict[str, Any]]]:
    """What is known of the whole job, and its findings."""
    if reports is None:
        return None, []
    key, findings = reports.summary.key, reports.findings.key
    kept = dict(Result.objects.filter(key__in=[key, findings]).values_list("key", "facts"))
    facts = kept.get(key)
    if facts is None or "compare" not in facts or findings not in kept:
        return None, []
    told = kept[findings]["findings_in" if plan.units == "in" else "findings"]
    names = {setup.id: setup.name for setup in plan.setups}
    makers = [names[maker] for maker in reports.makers]
    return {"key": key, "makers": makers, **{name: facts[name] for name in ("compare", "ridge", "pieces")}}, told


_DERIVED: Memo[dict[str, Any]] = Memo(64)


def _stamp() -> tuple[object, ...]:
    """What changes whenever anything kept changes that an answer about a plan goes by."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT (SELECT count(*) FROM nephos_result), (SELECT max(created) FROM nephos_result), "
            "(SELECT max(id) FROM nephos_realtime), (SELECT count(*) FROM nephos_realtime), "
            "(SELECT count(*) FROM nephos_mesh WHERE state = 'ready'), (SELECT count(*) FROM nephos_mesh), "
            "(SELECT md5(string_agg(data::text, '' ORDER BY id)) FROM nephos_cutter WHERE deleted IS NULL)"
        )
        found: tuple[object, ...] = cursor.fetchone()
    return found


def derived(plan: Plan) -> dict[str, Any]:
    """What follows from a plan without calculating. Many windows look at the same few plans: the answer is remembered
    while it holds."""
    key = (plan.model_dump_json(), _stamp())
    return _DERIVED.get(key, lambda: _derived(plan))


def _derived(plan: Plan) -> dict[str, Any]:
    items = known(plan.models)
    placed = {
        model.id: placed_model(items[model.id].look.support, model, plan.stock)
        for model in plan.models
        if model.id in items
    }
    sure = {key: bool(item.facts["unit"]["sure"]) for key, item in items.items()}
    findings = placement_findings(plan, placed, {key: item.look for key, item in items.items()}, sure)
    models = {
        model.id: _model_state(plan, model, placed[model.id], items[model.id])
        if model.id in items
        else {"state": "reading"}
        for model in plan.models
    }
    first: list[Seen] = seen(plan, [finding.as_dict() for finding in findings])
    shown = [
        (model, placed[model.id], items[model.id].look) for model in plan.models if model.shown and model.id in placed
    ]
    blocked = next((item["text"] for item in standing(first)), "") if shown else "the job has no model yet"
    blocked = blocked or next((item.reason for item in items.values() if item.state == "refused"), "")
    cut_as = plan.as_cut()
    graph = stages_of(cut_as)
    setups: list[dict[str, Any]] = []
    first_of: dict[str, dict[int, dict[str, Any]]] = {}
    shop = {cutter.number: cutter for cutter in shop_cutters()}
    for setup in cut_as.setups:
        answer = _setup(cut_as, setup, shown, blocked, first_of.get(setup.parent_id), shop, graph[setup.id])
        first_of.setdefault(setup.parent_id, {item["number"]: item for item in answer["operations"]})
        before = [item for other in setups if other["whole"] == setup.parent_id for item in other["findings"]]
        answer["findings"] = [item for item in answer["findings"] if not told_before(item, before)]
        setups.append(answer)
    told = [finding for setup in setups for finding in setup.pop("told")]
    reports = JobReports.of(cut_as)
    whole, more = _whole(cut_as, reports)
    return {
        "models": models,
        "findings": first + seen(plan, told + more),
        "setups": setups,
        "seam_costs": seam_cost_answers(plan, shown),
        "faces": _faces(plan, [box for _, box, _ in shown]),
        "joined": reports is not None,
        "whole": whole,
        "pitch": plan.block_pitch,
    }


def standing_stops(plan: Plan) -> list[Seen]:
    """All stops of a plan, by its settings and by its proof, that nobody has overridden."""
    whole = derived(plan)
    return standing([*whole["findings"], *(finding for setup in whole["setups"] for finding in setup["findings"])])


def _curve(operation: Operation, ground: EstimateInput, scale: float) -> list[list[float]]:
    """Seconds over stepover, `scale` times the estimate, for the small drawing that shows what a finer step costs."""
    kind = strategy(operation.strategy)
    stepover = operation.settings.figures.stepover
    if not stepover:
        return []
    points = []
    for share in np.geomspace(0.02, 0.6, 24):
        value = float(share * operation.cutter.diameter)
        settings = operation.settings.model_copy(update={"stepover": value})
        points.append(
            [round(value, 4), round(scale * kind.estimate(settings, operation.cutter, 0.0, ground).seconds, 1)]
        )
    return points
