"""Results of a setup beside its blocks: report, findings and programs, as they are kept for the page."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from functools import partial

import numpy as np

from nephos.core.findings.faces import whole_findings
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.pipeline.outcome import SetupOutcome
from nephos.core.pipeline.store import Result, as_result
from nephos.core.pipeline.whole import Whole
from nephos.core.plan.schema import Plan
from nephos.core.post.checksum import check_word
from nephos.core.post.write import Program
from nephos.core.report.setup_report import setup_report
from nephos.core.setups.registry import kind_of
from nephos.core.stock.frames import shown_bottom, shown_grid, shown_top


def findings_result(done: SetupOutcome) -> Result:
    """What the proof of a setup finds, with lengths in words in millimetres and in inches. It takes milliseconds."""
    return as_result(
        {
            "findings": [finding.as_dict() for finding in outcome_findings(done)],
            "findings_in": [finding.as_dict() for finding in outcome_findings(done, "in")],
        }
    )


def job_findings_result(plan: Plan, whole: Whole, done: Sequence[SetupOutcome]) -> Result:
    """Findings on the part after all setups, in millimetres and in inches."""
    return as_result(
        {
            "findings": [finding.as_dict() for finding in whole_findings(plan, whole, done)],
            "findings_in": [finding.as_dict() for finding in whole_findings(plan, whole, done, "in")],
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
    report["block_key"] = done.keys.shown
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


def setup_results(done: SetupOutcome, title: str) -> Iterator[tuple[str, str, Callable[[], Result]]]:
    """Key and stage of all of them, each with what makes it."""
    for program in done.programs:
        yield f"{done.keys.files}/{program.name}", "program", partial(program_result, program, title)
    yield done.keys.files, "program", partial(program_list_result, done)
    yield done.keys.summary, "summary", partial(summary_result, done)
    yield done.keys.findings, "findings", partial(findings_result, done)
