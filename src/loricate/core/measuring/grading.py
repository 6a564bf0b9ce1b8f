"""Grading: a pure function of readings, limits, uncertainty and decision rule.

Sources: ILAC-G8:09/2019 and JCGM 106 for decision rules, ISO 14253-1 for the guard band.
"""

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from loricate.core.limits.limit import Limit
from loricate.core.measuring.readings import Bound, Doubt, Reading, contradictions


class Verdict(StrEnum):
    """What came of a reading, step, unit or run."""

    PASS = "pass"
    FAIL = "fail"
    INCONCLUSIVE = "inconclusive"
    NOT_RUN = "not_run"


class Cause(StrEnum):
    """Why a verdict is not a pass."""

    NONE = ""
    BREAKDOWN = "breakdown"
    ARC = "arc"
    OVER_LIMIT = "over_limit"
    UNDER_LIMIT = "under_limit"
    LEVEL_NOT_REACHED = "level_not_reached"
    OVERSTRESS = "overstress"  # more than the step asks for was put on the unit
    IMPLAUSIBLE = "implausible"  # what the instrument says cannot be true
    OPEN = "open"
    SHORT = "short"
    MISWIRE = "miswire"
    NO_CONTACT = "no_contact"
    SWITCHED_ON = "switched_on"
    ANSWERED_FAIL = "answered_fail"
    NOT_A_NUMBER = "not_a_number"
    UNDECIDED = "undecided"  # a bounded or guard-banded reading cannot decide
    UNIT_HALTED = "unit_halted"
    SKIPPED = "skipped"  # the step's condition was not met, and it is not required
    CONDITION_NOT_MET = "condition_not_met"  # the step is required, and its condition was not met
    ABORTED = "aborted"
    INTERRUPTED = "interrupted"
    INSTRUMENT = "instrument"
    GUARD_OPEN = "guard_open"


class DecisionRule(BaseModel):
    """How uncertainty enters the verdict.

    ``simple`` accepts at the limit. ``guarded`` moves each limit in by r·U; a reading in the band
    on either side of the limit is conditional, and a conditional outcome is inconclusive. ``r`` is
    1, or 0.83 for 95 % (ISO 14253-1).
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    rule: Literal["simple", "guarded"] = Field(default="simple", title="Rule")
    r: Annotated[float, Field(gt=0, le=1)] = Field(
        default=1.0, title="r of guarded", description="1, or 0.83 for 95 %"
    )

    def guard_band(self, uncertainty: float) -> float:
        """Width w of the guard band in the reading's unit, from expanded U (k = 2)."""
        return self.r * uncertainty if self.rule == "guarded" else 0.0


@dataclass(frozen=True, slots=True)
class Grade:
    """The verdict of one reading against one limit; margin is a fraction of the limit."""

    verdict: Verdict
    cause: Cause = Cause.NONE
    margin: float | None = None
    outcome: str = ""


@dataclass(frozen=True, slots=True)
class GradedReading:
    """A reading with the limit it was held against (if any) and the grade.

    ``repetition`` counts from 1 within an attempt at a step that is repeated.
    """

    reading: Reading
    limit: Limit | None
    grade: Grade | None
    repetition: int = 1


@dataclass(frozen=True, slots=True)
class Repetition:
    """What came of one repetition of a step within an attempt; ``number`` counts from 1."""

    number: int
    verdict: Verdict
    cause: Cause


@dataclass(frozen=True, slots=True)
class Measured:
    """What a procedure hands back: its readings, and causes found outright (a breakdown).

    Causes in ``unless_failed`` hold where no limit is failed: a source that ran out of volts into
    a bad bond has found the bad bond. ``doubts`` are why the readings are not to be believed.
    """

    readings: tuple[Reading, ...] = ()
    causes: tuple[Cause, ...] = ()
    note: str = ""
    unless_failed: tuple[Cause, ...] = ()
    doubts: tuple[Doubt, ...] = ()


@dataclass(frozen=True, slots=True)
class StepGrade:
    """The verdict of a step with everything that led to it; repetitions where it has some."""

    verdict: Verdict
    cause: Cause
    readings: tuple[GradedReading, ...]
    repetitions: tuple[Repetition, ...] = ()
    doubts: tuple[Doubt, ...] = ()


def margin(value: float, limit: Limit) -> float | None:
    """How far ``value`` is inside the nearer limit, as a fraction of it; negative outside."""
    gaps = []
    if limit.maximum:
        gaps.append((limit.maximum - value) / abs(limit.maximum))
    if limit.minimum:
        gaps.append((value - limit.minimum) / abs(limit.minimum))
    return min(gaps) if gaps else None


def grade(reading: Reading, limit: Limit, rule: DecisionRule) -> Grade:
    """Hold one reading against one limit. What is no number never passes."""
    if not math.isfinite(reading.value):
        return Grade(Verdict.INCONCLUSIVE, Cause.NOT_A_NUMBER, outcome="not a number")
    space = margin(reading.value, limit)
    outcomes = []
    if limit.maximum is not None:
        outcomes.append(_against_maximum(reading, limit.maximum, rule))
    if limit.minimum is not None:
        outcomes.append(_against_minimum(reading, limit.minimum, rule))
    verdict, cause, outcome = max(outcomes, key=lambda each: _SEVERITY[each[0]])
    return Grade(verdict, cause, space, outcome)


_SEVERITY = {Verdict.PASS: 0, Verdict.NOT_RUN: 1, Verdict.INCONCLUSIVE: 2, Verdict.FAIL: 3}
_Outcome = tuple[Verdict, Cause, str]


def _past(value: float, edge: float) -> float:
    """``value - edge``, and nothing where floats cannot tell the two apart."""
    return 0.0 if math.isclose(value, edge, rel_tol=1e-9) else value - edge


def _against_maximum(reading: Reading, maximum: float, rule: DecisionRule) -> _Outcome:
    return _one_sided(reading, _past(reading.value, maximum), Bound.BELOW, Cause.OVER_LIMIT, rule)


def _against_minimum(reading: Reading, minimum: float, rule: DecisionRule) -> _Outcome:
    return _one_sided(reading, _past(minimum, reading.value), Bound.ABOVE, Cause.UNDER_LIMIT, rule)


def _one_sided(
    reading: Reading, excess: float, safe_bound: Bound, cause: Cause, rule: DecisionRule
) -> _Outcome:
    """Grade by ``excess``, how far the value is past the limit (negative inside).

    What differs from an edge by less than floats can tell apart counts as on it.

    A reading bounded towards the safe side passes when its bound is inside; one bounded towards
    the unsafe side fails when its bound is past the limit; otherwise it cannot decide.
    """
    band = rule.guard_band(reading.uncertainty)
    is_inside = excess <= -band or math.isclose(excess, -band, rel_tol=1e-9)
    if reading.bound is not Bound.EXACT:
        if reading.bound is safe_bound and is_inside:
            return Verdict.PASS, Cause.NONE, "pass"
        if reading.bound is not safe_bound and excess >= 0:
            return Verdict.FAIL, cause, "fail"
        return Verdict.INCONCLUSIVE, Cause.UNDECIDED, "bounded reading cannot decide"
    if is_inside:
        return Verdict.PASS, Cause.NONE, "pass"
    if excess <= 0:
        return Verdict.INCONCLUSIVE, Cause.UNDECIDED, "conditional pass"
    if excess <= band or math.isclose(excess, band, rel_tol=1e-9):
        return Verdict.INCONCLUSIVE, Cause.UNDECIDED, "conditional fail"
    return Verdict.FAIL, cause, "fail"


def worst(verdicts: Iterable[Verdict]) -> Verdict:
    """The verdict of a whole from its parts; of nothing: not run."""
    found = list(verdicts)
    return max(found, key=_SEVERITY.__getitem__) if found else Verdict.NOT_RUN


def grade_step(measured: Measured, limits: Mapping[str, Limit], rule: DecisionRule) -> StepGrade:
    """Grade everything a procedure measured, after every correction.

    Where anything is doubted nothing is decided. A cause found outright fails the step. A limit
    whose reading never came leaves the step inconclusive, so that a procedure cannot pass by
    staying silent.
    """
    graded = []
    for reading in measured.readings:
        limit = limits.get(reading.name)
        graded.append(GradedReading(reading, limit, grade(reading, limit, rule) if limit else None))
    doubts = measured.doubts + contradictions(measured.readings)
    verdict, cause = _decided(replace(measured, doubts=doubts), limits, graded)
    return StepGrade(verdict, cause, tuple(graded), doubts=doubts)


def _decided(
    measured: Measured, limits: Mapping[str, Limit], graded: Sequence[GradedReading]
) -> tuple[Verdict, Cause]:
    if measured.doubts:
        return Verdict.INCONCLUSIVE, Cause.IMPLAUSIBLE
    if measured.causes:
        return Verdict.FAIL, measured.causes[0]
    grades = [each.grade for each in graded if each.grade is not None]
    decisive = max(grades, key=lambda each: _SEVERITY[each.verdict], default=None)
    if measured.unless_failed and (decisive is None or decisive.verdict is not Verdict.FAIL):
        return Verdict.FAIL, measured.unless_failed[0]
    if decisive is not None and decisive.verdict is Verdict.FAIL:
        return decisive.verdict, decisive.cause
    if set(limits) - {each.reading.name for each in graded}:
        return Verdict.INCONCLUSIVE, Cause.UNDECIDED
    return (Verdict.PASS, Cause.NONE) if decisive is None else (decisive.verdict, decisive.cause)


def grade_unit(step_verdicts: Iterable[Verdict]) -> Verdict:
    """A unit passes when every step passed; a step that did not run leaves it inconclusive."""
    verdict = worst(step_verdicts)
    return Verdict.INCONCLUSIVE if verdict is Verdict.NOT_RUN else verdict
