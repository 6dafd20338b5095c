"""Results of a setup beside its blocks: report, findings and programs, as they are kept for the page."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import partial
from typing import ClassVar

import numpy as np

from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.parallel import Report, silent
from nephos.core.plan.clamping import KeepOut
from nephos.core.post.checksum import check_word
from nephos.core.post.write import Program
from nephos.core.report.setup_report import setup_report
from nephos.core.setups.registry import kind_of
from nephos.core.stages.canonical import key_of
from nephos.core.stages.of_plan import SetupStages
from nephos.core.stages.outcome import OutcomeStage
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.stages.stage import KeptResult, Resolver
from nephos.core.stages.store import Result, as_result
from nephos.core.stages.work import Work
from nephos.core.stock.frames import shown_bottom, shown_grid, shown_top


def findings_result(done: SetupOutcome) -> Result:
    """What the proof of a setup finds, with lengths in words in millimetres and in inches. It takes milliseconds."""
    return as_result(
        {
            "findings": [finding.as_dict() for finding in outcome_findings(done)],
            "findings_in": [finding.as_dict() for finding in outcome_findings(done, "in")],
        }
    )


def summary_result(done: SetupOutcome) -> Result:
    """The report of a setup, with the heights (float32) of its block as the page draws it: `top` after all operations,
    `first` before them and `under` its underside."""
    # Files and lines follow from the post and findings from more than this: they are kept under keys of their own.
    report = setup_report(replace(done, programs=()), [], np.zeros(3))
    del report["findings"], report["operations"]
    grid = shown_grid(done.shown.grid)
    report["grid"], report["compare_grid"] = grid.facts(), done.comparison.grid.facts()
    report["block_key"] = done.block_key
    report["partial"] = done.first.field is not None or not kind_of(done.space.setup).is_first_part
    return as_result(
        report,
        top=shown_top(done.shown, grid),
        first=shown_top(done.first, grid),
        under=shown_bottom(done.first, grid),
    )


def program_result(program: Program, title: str) -> Result:
    """A posted file: its text, where its lines begin (`offsets`), and the line of each move by operation."""
    text = np.frombuffer(program.text, np.uint8)
    offsets = np.concatenate([[0], np.flatnonzero(text == 10) + 1]).astype(np.int64)
    arrays = {f"lines_{number}": lines.astype(np.int32) for number, (_, lines) in program.found.items()}
    facts = {
        "name": program.name,
        "numbers": list(program.numbers),
        "title": title,
        "check": check_word(program.text),
        "firsts": {str(number): first for number, (first, _) in program.found.items()},
    }
    return as_result(facts, text=text, offsets=offsets, **arrays)


def program_list_result(done: SetupOutcome) -> Result:
    """The files of a setup in the order that they are run in."""
    by_number = {outcome.operation.number: outcome for outcome in done.outcomes}
    listed = [
        {
            "name": p.name,
            "size": len(p.text),
            "numbers": list(p.numbers),
            "seconds": sum(by_number[number].total_seconds for number in p.numbers),
            "cutters": sorted({by_number[number].operation.cutter.name for number in p.numbers}),
        }
        for p in done.programs
    ]
    return as_result({"programs": listed})


@dataclass(frozen=True, eq=False)
class SummaryStage(KeptResult):
    """The report of a setup, with the heights of its block as the page draws it."""

    name: ClassVar[str] = "summary"
    version: ClassVar[int] = 17

    outcome: OutcomeStage

    def compute(self, work: Resolver, report: Report) -> Result:
        """The report."""
        return summary_result(work.of(self.outcome))


@dataclass(frozen=True, eq=False)
class FindingsStage(KeptResult):
    """Findings on a calculated setup: cheap, and of all that the plan says now."""

    name: ClassVar[str] = "findings"
    version: ClassVar[int] = 5

    outcome: OutcomeStage
    keep_outs: tuple[KeepOut, ...]

    def compute(self, work: Resolver, report: Report) -> Result:
        """The findings, in millimetres and in inches."""
        done = work.of(self.outcome)
        setup = done.space.setup.model_copy(update={"keep_outs": self.keep_outs})
        return findings_result(replace(done, space=replace(done.space, setup=setup)))


@dataclass(frozen=True, eq=False)
class Reports:
    """What is kept of a setup for the page: its report, its findings, and the list of its files; each file is kept
    under the key of the list with its name."""

    summary: SummaryStage
    findings: FindingsStage
    files: str

    @classmethod
    def of(cls, stages: SetupStages) -> "Reports":
        """Those of a setup of a plan."""
        plan, setup = stages.plan, stages.setup
        outcome = OutcomeStage.of(stages)
        findings = FindingsStage(outcome, setup.keep_outs)
        # Files name the stops that were overridden, as they are found now.
        overridden = (plan.overrides, plan.units, findings) if plan.overrides else None
        coolants = tuple(operation.coolant for operation in setup.worked)
        files = key_of("program", _FILES, outcome, plan.own_post, coolants, overridden)
        return cls(SummaryStage(outcome), findings, files)


_FILES = 10
"""Version of the files: raised when others come to be written for the same plan."""


def setup_results(
    done: SetupOutcome, reports: Reports, work: Work, title: str
) -> Iterator[tuple[str, str, Callable[[], Result]]]:
    """Key and stage of all of them, each with what makes it."""
    for program in done.programs:
        yield f"{reports.files}/{program.name}", "program", partial(program_result, program, title)
    yield reports.files, "program", partial(program_list_result, done)
    for stage in (reports.summary, reports.findings):
        yield stage.key, stage.name, partial(stage.compute, work, silent)
