"""Setups as documents: frame, zero, operations, results, time."""

from collections.abc import Collection, Mapping
from dataclasses import asdict, dataclass

from nephos.core.answers.documents import (
    BarInfo,
    FindingAnswer,
    OperationAnswer,
    OutlineAnswer,
    ProgramAnswer,
    SetupAnswer,
    SummaryAnswer,
    TileAnswer,
    TimeAnswer,
    TurnAnswer,
)
from nephos.core.answers.findings import with_overrides
from nephos.core.answers.kept import Facts, Kept, Shown, height_map_key, outline_keys
from nephos.core.answers.operations import SetupKnown, operation_answers
from nephos.core.cutters import Cutter
from nephos.core.finding import Finding
from nephos.core.findings.plan_checks import boundary_findings, operation_findings
from nephos.core.findings.reach import reach_findings
from nephos.core.findings.stickout import stickout_findings
from nephos.core.machine.job_time import calibrate, job_time
from nephos.core.machine.machine import machine_of
from nephos.core.plan.parting import ground_height, height_below_parting
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.report.setup_results import Reports
from nephos.core.setups.registry import kind_of
from nephos.core.stages.of_plan import SetupStages


@dataclass(frozen=True)
class SetupKeys:
    """Keys of all that a setup is described by. `reports` : none where no operation is worked out."""

    stages: SetupStages
    reports: Reports | None
    outlines: dict[str, str]
    height_map: str

    @classmethod
    def of(cls, stages: SetupStages) -> "SetupKeys":
        """Those of a setup of a plan as it is cut."""
        plan, setup = stages.plan, stages.setup
        reports = Reports.of(stages) if stages.operations else None
        return cls(stages, reports, outline_keys(plan, setup), height_map_key(plan, setup))

    def all(self) -> set[str]:
        """All of them."""
        found = {
            stage.key for item in self.stages.operations.values() for stage in (item.moves, item.block, item.frames)
        }
        found |= {*self.outlines.values(), self.height_map}
        if self.reports is not None:
            found |= {self.reports.summary.key, self.reports.findings.key, self.reports.files}
        return found


@dataclass(frozen=True)
class JobKnown:
    """What the setups of a plan, as it is cut, are described by. `facts` : of all results that are kept. `shown` : the
    models that are cut. `blocked` : why nothing can be calculated; empty otherwise. `shop` : cutters by number."""

    plan: Plan
    kept: Kept
    facts: Mapping[str, Facts]
    shown: list[Shown]
    blocked: str
    shop: Mapping[int, Cutter]


def setup_answer(
    known: JobKnown, keys: SetupKeys, like: Mapping[int, OperationAnswer] | None
) -> tuple[SetupAnswer, list[Finding]]:
    """A setup, with the findings on its settings. Operations of a later tile are `like` those of the first."""
    plan, stages, facts = known.plan, keys.stages, known.facts
    setup = stages.setup
    map_drawn = keys.height_map in facts
    usable = map_drawn and "refused" not in facts[keys.height_map]
    height_map = known.kept.height_map(keys.height_map) if usable else None
    own = SetupKnown(plan, setup, stages, facts, keys.outlines, height_map, known.shown, known.blocked)
    operations, frame = operation_answers(own, known.kept, like), setup.frame(plan.stock)
    summary, programs, findings = _results(plan, keys, facts)
    outlines = {
        name: OutlineAnswer.model_validate({"key": key, **facts[key]}) if key in facts else None
        for name, key in keys.outlines.items()
    }
    answer = SetupAnswer(
        id=setup.id,
        works_as=setup.works_as,
        side=setup.side_in_words,
        size=_point(frame.high.tolist()),
        whole=setup.parent_id,
        tile=_tile(plan, setup),
        turn=_turn(plan, setup),
        bar=_bar(plan, setup),
        ground=None if plan.faces is None else ground_height(plan, setup),
        parting=None if plan.faces is None else height_below_parting(plan, setup, 0.0),
        zero=setup.zero_in_words(plan.units),
        post_unit=plan.own_post.unit,
        matrix=frame.matrix.tolist(),
        zero_at=_point(frame.zero.tolist()),
        outlines=outlines,
        drawn=map_drawn or not known.shown,
        operations=operations,
        summary_key=None if keys.reports is None or summary is None else keys.reports.summary.key,
        summary=summary,
        programs=programs,
        files_key="" if keys.reports is None else keys.reports.files,
        compare_key=stages.compare.key if summary else None,
        pieces_key=stages.pieces.key if summary else None,
        time=_time(known, setup, operations),
        findings=findings,
    )
    return answer, _settings_findings(known, keys)


def _results(
    plan: Plan, keys: SetupKeys, facts: Mapping[str, Facts]
) -> tuple[SummaryAnswer | None, list[ProgramAnswer] | None, list[FindingAnswer]]:
    """Summary, files and findings of a calculated setup. Without current findings it is not up to date."""
    if keys.reports is None:
        return None, None, []
    judged = facts.get(keys.reports.findings.key)
    summary, files = facts.get(keys.reports.summary.key), facts.get(keys.reports.files)
    if judged is None:
        return None, None, []
    findings = with_overrides(plan, judged["findings_in" if plan.units == "in" else "findings"])
    if summary is None:
        return None, None, findings
    programs = None if files is None else [ProgramAnswer.model_validate(item) for item in files["programs"]]
    return SummaryAnswer.model_validate(summary), programs, findings


def _settings_findings(known: JobKnown, keys: SetupKeys) -> list[Finding]:
    """Findings on the settings of a setup; of tiles, those of the first alone."""
    plan, setup = known.plan, keys.stages.setup
    if not kind_of(setup).is_first_part:
        return []
    drawn = {name: dict(known.facts[key]) for name, key in keys.outlines.items() if key in known.facts}
    return [
        *operation_findings(plan, setup),
        *reach_findings(plan, setup, known.shown),
        *stickout_findings(plan, setup, dict(known.shop)),
        *boundary_findings(plan, setup, drawn),
    ]


def _time(known: JobKnown, setup: Setup, operations: Collection[OperationAnswer]) -> TimeAnswer:
    """How long a setup takes with tool changes and waits, and what the entered times make of it."""
    machine = machine_of(known.plan.machine)
    by_number = {item.number: item for item in operations}
    worked = [by_number[operation.number] for operation in setup.worked]
    seconds = [item.seconds or (item.estimate.seconds if item.estimate else 0.0) for item in worked]
    time = job_time(seconds, [operation.cutter.number for operation in setup.worked], machine)
    calibration = calibrate(list(known.kept.real_times(machine.id)))
    return TimeAnswer(
        moves=time.moves,
        changes=time.changes,
        waits=time.waits,
        total=time.total,
        calculated=all(item.seconds is not None for item in worked),
        **asdict(calibration),
    )


def _tile(plan: Plan, setup: Setup) -> TileAnswer | None:
    """Where a tile lies on the board; none where the setup is cut whole."""
    found = kind_of(setup).part_answer(plan)
    return None if found is None else TileAnswer.model_validate(found)


def _bar(plan: Plan, setup: Setup) -> BarInfo | None:
    """What holds the bar of a rotary setup, and the reference radius of its unrolled surface; none of another one."""
    held = setup.holding
    if held is None:
        return None
    return BarInfo.model_validate({"radius": setup.frame(plan.stock).radius, **held.model_dump()})


def _turn(plan: Plan, setup: Setup) -> TurnAnswer | None:
    """What hands do between the setup before and this one; none for the first."""
    on = [item for item in plan.setups if item.on or item is setup]
    at = on.index(setup)
    return None if at == 0 else TurnAnswer.model_validate(kind_of(setup).turn_answer(plan, on[at - 1]))


def _point(numbers: list[float]) -> tuple[float, float, float]:
    return numbers[0], numbers[1], numbers[2]
