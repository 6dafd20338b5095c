"""What follows from a plan without calculating: models, setups, findings, times, and what is up to date."""

from collections.abc import Mapping

from nephos.core.answers.documents import (
    DerivedAnswer,
    FacesAnswer,
    FindingAnswer,
    ModelAnswer,
    OperationAnswer,
    ReadingModel,
    SeamCostAnswer,
    SetupAnswer,
    WholeAnswer,
)
from nephos.core.answers.findings import finding_answers, is_repeated, open_stops, with_overrides
from nephos.core.answers.kept import Facts, Kept, KnownModel, Shown
from nephos.core.answers.setups import JobKnown, SetupKeys, setup_answer
from nephos.core.finding import Finding
from nephos.core.findings.faces import most_push, registration_step, tabs_hold
from nephos.core.findings.placement import placement_findings
from nephos.core.memo import Memo
from nephos.core.mesh.orientation import slab_height, undercut
from nephos.core.plan.bar_place import swept_diameter
from nephos.core.plan.model import Model
from nephos.core.plan.place import Placed, linear_of, placed_model
from nephos.core.plan.schema import Plan
from nephos.core.plan.seams import seam_costs
from nephos.core.report.job_results import JobReports
from nephos.core.stages.of_plan import stages_of
from nephos.core.stages.overrun import RimStage, overrun_for


def derived(plan: Plan, kept: Kept) -> DerivedAnswer:
    """All that follows from a plan and what is kept.

    Raises
    ------
    Refused
        Where the mesh of a model is gone.
    """
    items = kept.models(plan.models)
    placed = {
        model.id: placed_model(items[model.id].summary.support, model, plan.stock)
        for model in plan.models
        if model.id in items
    }
    shown = [
        (model, placed[model.id], items[model.id].summary)
        for model in plan.models
        if model.shown and model.id in placed
    ]
    findings = _placement(plan, placed, items)
    cut_as = plan.as_cut()
    keys = [SetupKeys.of(stages) for stages in stages_of(cut_as).values()]
    joined, rims = JobReports.of(cut_as), _rim_keys(plan)
    wanted = {key for item in keys for key in item.all()} | set(rims.values())
    wanted |= set() if joined is None else {joined.summary.key, joined.findings.key}
    facts = kept.facts(wanted)
    shop = {cutter.number: cutter for cutter in kept.cutters()}
    known = JobKnown(cut_as, kept, facts, shown, _blocked(items, shown, findings), shop)
    setups, on_settings = _setups(known, keys)
    whole, on_whole = _whole(cut_as, joined, facts)
    return DerivedAnswer(
        models={model.id: _model(plan, model, placed.get(model.id), items.get(model.id)) for model in plan.models},
        findings=[*findings, *finding_answers(plan, on_settings), *on_whole],
        setups=setups,
        seam_costs=_seam_costs(plan, shown),
        faces=_faces(plan, [box for _, box, _ in shown], rims, facts),
        joined=joined is not None,
        whole=whole,
        pitch=plan.block_pitch,
    )


def all_open_stops(answer: DerivedAnswer) -> list[FindingAnswer]:
    """All stops of a plan, by its settings and by its proof, that nobody has overridden."""
    return open_stops([*answer.findings, *(finding for setup in answer.setups for finding in setup.findings)])


def _placement(plan: Plan, placed: Mapping[str, Placed], items: Mapping[str, KnownModel]) -> list[FindingAnswer]:
    """Findings on models and stock."""
    sure = {key: bool(item.facts["unit"]["sure"]) for key, item in items.items()}
    summaries = {key: item.summary for key, item in items.items()}
    return finding_answers(plan, placement_findings(plan, dict(placed), summaries, sure))


def _blocked(items: Mapping[str, KnownModel], shown: list[Shown], findings: list[FindingAnswer]) -> str:
    """Why nothing can be calculated; empty where it can."""
    if not shown:
        return "the job has no model yet"
    stop = next((item.text for item in open_stops(findings)), "")
    return stop or next((item.reason for item in items.values() if item.state == "refused"), "")


def _setups(known: JobKnown, keys: list[SetupKeys]) -> tuple[list[SetupAnswer], list[Finding]]:
    """All setups, and the findings on their settings. A note of an earlier tile is not given again."""
    answers: list[SetupAnswer] = []
    found: list[Finding] = []
    first_of: dict[str, dict[int, OperationAnswer]] = {}
    for item in keys:
        parent = item.stages.setup.parent_id
        answer, on_settings = setup_answer(known, item, first_of.get(parent))
        first_of.setdefault(parent, {operation.number: operation for operation in answer.operations})
        before = [finding for other in answers if other.whole == parent for finding in other.findings]
        kept = [finding for finding in answer.findings if not is_repeated(finding, before)]
        answers.append(answer.model_copy(update={"findings": kept}))
        found += on_settings
    return answers, found


_SLABS: Memo[float | None] = Memo(64)
_UNDERCUTS: Memo[float] = Memo(64)


def _model(plan: Plan, model: Model, box: Placed | None, item: KnownModel | None) -> ModelAnswer | ReadingModel:
    """A model as it lies, what is known of its mesh, and what might be done to it."""
    if box is None or item is None:
        return ReadingModel(state="reading")
    linear = linear_of(model.placement)
    sunk, tall = model.placement.sink / max(float(box.size[2]), 1e-9), float(box.scale[2])
    at = (item.key, item.state, linear.tobytes())
    slab = None
    if item.state == "ready":
        slab = _SLABS.get((*at, tall), lambda: slab_height(item.summary, linear, tall))
    return ModelAnswer.model_validate(
        {
            "state": item.state,
            "reason": item.reason,
            "look": item.key,
            "facts": item.facts,
            "low": box.low.tolist(),
            "high": box.high.tolist(),
            "size": box.size.tolist(),
            "scale": box.scale.tolist(),
            "matrices": box.matrices.tolist(),
            "percent": float(100 * box.scale[0] / item.summary.unit),
            "slab": slab,
            "undercut": _UNDERCUTS.get((*at, sunk), lambda: undercut(item.summary, linear, sunk)),
            "swept": None if plan.held_bar is None else swept_diameter(model, item.summary, plan.stock),
        }
    )


def _rim_keys(plan: Plan) -> dict[str, str]:
    """Keys of the rims that overruns are measured by, by setup; empty but for a part of several faces."""
    if plan.faces is None:
        return {}
    return {setup.id: RimStage.of(plan, setup).key for setup in plan.setups if setup.worked}


def _faces(plan: Plan, boxes: list[Placed], rims: Mapping[str, str], facts: Mapping[str, Facts]) -> FacesAnswer | None:
    """What follows for a part of several faces."""
    if plan.faces is None:
        return None
    smallest = {
        setup.id: overrun_for(plan, setup, float(facts[rims[setup.id]]["tip"]))
        for setup in plan.setups
        if rims.get(setup.id) in facts
    }
    return FacesAnswer(
        hold=tabs_hold(plan, plan.faces, boxes),
        push=most_push(plan),
        step=registration_step(plan, plan.faces, boxes),
        smallest=smallest,
    )


def _whole(
    plan: Plan, reports: JobReports | None, facts: Mapping[str, Facts]
) -> tuple[WholeAnswer | None, list[FindingAnswer]]:
    """What is known of the part after all setups, and the findings on it."""
    if reports is None:
        return None, []
    summary, judged = facts.get(reports.summary.key), facts.get(reports.findings.key)
    if summary is None or judged is None or "compare" not in summary:
        return None, []
    names = {setup.id: setup.name for setup in plan.setups}
    makers = [names[maker] for maker in reports.makers]
    answer = WholeAnswer.model_validate({**summary, "key": reports.summary.key, "makers": makers})
    return answer, with_overrides(plan, judged["findings_in" if plan.units == "in" else "findings"])


def _seam_costs(plan: Plan, shown: list[Shown]) -> dict[str, SeamCostAnswer]:
    """What seams cost along the board, by the setup that is cut in tiles."""
    found = {}
    for setup in plan.setups:
        if not setup.seams:
            continue
        costs = seam_costs(plan, setup, [(model, summary) for model, _, summary in shown], setup.seams[0][0])
        found[setup.id] = SeamCostAnswer(at=costs.at.round(1).tolist(), cost=costs.cost.round(3).tolist())
    return found
