"""Stops that somebody took upon himself: they still show, but no longer keep files from being posted."""

from collections.abc import Iterable
from typing import Any

from nephos.core.plan.schema import Plan

Seen = dict[str, Any]
"""A finding as it is sent, with `overridden`: the reason that somebody gave, or empty."""


def seen(plan: Plan, findings: Iterable[dict[str, Any]]) -> list[Seen]:
    """Findings with the overrides of a plan. An override holds for a finding only as it was then: another number, and it stops again."""
    reasons = {(item.code, item.row, item.text): item.reason for item in plan.overrides}
    return [finding | {"overridden": reasons.get((finding["code"], finding["row"], finding["text"]), "")} for finding in findings]


def standing(findings: Iterable[Seen]) -> list[Seen]:
    """The stops that nobody has overridden."""
    return [finding for finding in findings if finding["level"] == "stop" and not finding["overridden"]]
