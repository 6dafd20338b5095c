"""Findings as documents: with the reasons of overridden stops, and those that are open."""

from collections.abc import Iterable, Mapping
from typing import Any

from pydantic import TypeAdapter, ValidationError

from nephos.core.answers.documents import FindingAnswer, FixAnswer
from nephos.core.finding import Finding
from nephos.core.plan.edits import AnyEdit
from nephos.core.plan.schema import Plan

_EDIT: TypeAdapter[Any] = TypeAdapter(AnyEdit)


def _fix(document: Mapping[str, Any]) -> FixAnswer | None:
    """A fix; none where its edit is not known here: a result that was kept may be of an older version."""
    try:
        return FixAnswer(label=document["label"], edit=_EDIT.validate_python(document["edit"]))
    except ValidationError:
        return None


def with_overrides(plan: Plan, findings: Iterable[Mapping[str, Any]]) -> list[FindingAnswer]:
    """Findings as they are kept, with the overrides of a plan.

    An override holds for a finding only as it was then: with another number it is open again."""
    reasons = {(item.code, item.row, item.text): item.reason for item in plan.overrides}
    answers = []
    for finding in findings:
        reason = reasons.get((finding["code"], finding["row"], finding["text"]), "")
        fixes = [fix for fix in map(_fix, finding["fixes"]) if fix is not None]
        answers.append(FindingAnswer.model_validate({**finding, "fixes": fixes, "overridden": reason}))
    return answers


def finding_answers(plan: Plan, findings: Iterable[Finding]) -> list[FindingAnswer]:
    """Findings that were just made, with the overrides of a plan."""
    return with_overrides(plan, [finding.as_dict() for finding in findings])


def open_stops(findings: Iterable[FindingAnswer]) -> list[FindingAnswer]:
    """The stops that nobody has overridden."""
    return [finding for finding in findings if finding.level == "stop" and not finding.overridden]


def is_repeated(item: FindingAnswer, before: Iterable[FindingAnswer]) -> bool:
    """Whether an earlier tile has the same note."""
    return item.level == "note" and (item.code, item.row) in {(other.code, other.row) for other in before}
