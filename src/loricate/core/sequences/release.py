"""Releasing a sequence: a clean review, or a reason for each finding that is left."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from loricate.core.errors import Finding
from loricate.core.review import ReviewFinding, Severity


@dataclass(frozen=True, slots=True)
class Accepted:
    """A finding that the engineer leaves as it is: by rule and step, and why."""

    rule: str
    step: str
    reason: str


def open_findings(
    found: Iterable[ReviewFinding], accepted: Sequence[Accepted]
) -> tuple[Finding, ...]:
    """The errors and warnings for which no reason is given; notes need none."""
    answered = {(each.rule, each.step) for each in accepted}
    return tuple(
        Finding(
            f"accepted.{each.rule}" + (f"@{each.step}" if each.step else ""),
            f"{each.severity} left without a reason: {each.reason} {each.remedy}",
        )
        for each in found
        if each.severity is not Severity.NOTE and (each.rule, each.step) not in answered
    )


@dataclass(frozen=True, slots=True)
class Left:
    """A finding that was left at a release, with the reason and who gave it."""

    severity: str
    rule: str
    step: str
    finding: str
    reason: str
    by: str


def left_findings(
    found: Iterable[ReviewFinding], accepted: Sequence[Accepted], by: str
) -> tuple[Left, ...]:
    """What was left, as certificates say it: the errors and warnings with their reasons."""
    reasons = {(each.rule, each.step): each.reason for each in accepted}
    return tuple(
        Left(each.severity, each.rule, each.step, each.reason, reasons[each.rule, each.step], by)
        for each in found
        if each.severity is not Severity.NOTE and (each.rule, each.step) in reasons
    )
