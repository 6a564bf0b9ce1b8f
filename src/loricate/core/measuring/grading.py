"""Grading: a pure function of readings, limits, uncertainty and decision rule.

Sources: ILAC-G8:09/2019 and JCGM 106 for decision rules, ISO 14253-1 for the guard band.
"""

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from loricate.core.limits.limit import Limit
from loricate.core.measuring.curves import Curve
from loricate.core.measuring.readings import Bound, Doubt, Measurand, Reading, contradictions


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
    SWAPPED = "swapped"  # two contacts exchanged explain what was seen
    HIGH_RESISTANCE = "high_resistance"
    WRONG_COMPONENT = "wrong_component"
    MISSING = "missing"
    REVERSED = "reversed"
    NOT_SEEN = "not_seen"  # a position of a switch whose wiring never came
    INTERMITTENT = "intermittent"  # it breaks off for moments
    SWITCHED_ON = "switched_on"
    ANSWERED_FAIL = "answered_fail"
    NOT_A_NUMBER = "not_a_number"
    UNDECIDED = "undecided"  # a bounded or guard-banded reading cannot decide
    UNIT_HALTED = "unit_halted"
    SKIPPED = "skipped"  # the step's ``when`` was not met, and it is not required
    CONDITION_NOT_MET = "condition_not_met"  # the step is required, and its ``when`` was not met
    ABORTED = "aborted"
    INTERRUPTED = "interrupted"
    INSTRUMENT = "instrument"
    GUARD_OPEN = "guard_open"


class DecisionRule(BaseModel):
    """How uncertainty enters the verdict.

    ``simple`` accepts at the limit. ``guarded`` moves each limit in by r·U; a reading in the band
    on either side of the limit is a conditional pass or fail, which is inconclusive. ``r`` is 1, or
    0.83 for 95 % (ISO 14253-1).
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    rule: Literal["simple", "guarded"] = Field(default="simple", title="Rule")
    r: Annotated[float, Field(gt=0, le=1)] = Field(
        default=1.0, title="r of guarded", description="1, or 0.83 for 95 %"
    )

    def guard_band(self, uncertainty: float) -> float:
        """Width w of the guard band in the reading's unit, from expanded U (k = 2)."""
        return self.r * uncertainty if self.rule == "guarded" else 0.0


class Band(StrEnum):
    """Where a reading lies: inside its limit, inside but nearer than its caution, or outside."""

    GOOD = "good"
    CAUTION = "caution"
    BAD = "bad"


@dataclass(frozen=True, slots=True)
class Grade:
    """The verdict of one reading against one limit; margin is a fraction of the limit.

    ``guarded`` says what a guard band made of it: pass, conditional pass, conditional fail or fail.
    ``band`` is None where the reading is no number.
    """

    verdict: Verdict
    cause: Cause = Cause.NONE
    margin: float | None = None
    guarded: str = ""
    band: Band | None = None


@dataclass(frozen=True, slots=True)
class GradedReading:
    """A reading with the limit it was held against (if any) and the grade.

    ``ungraded`` says why a reading that has a limit was not held against it. ``repetition`` counts
    from 1 within an attempt at a step that is repeated.
    """

    reading: Reading
    limit: Limit | None = None
    grade: Grade | None = None
    repetition: int = 1
    ungraded: str = ""


@dataclass(frozen=True, slots=True)
class Repetition:
    """What came of one repetition of a step within an attempt; ``number`` counts from 1."""

    number: int
    verdict: Verdict
    cause: Cause


@dataclass(frozen=True, slots=True)
class Fault:
    """One thing found wrong outright: its cause, at which point, and a sentence where there is one.

    One that ``gives_way`` holds only where no limit is failed: a source that ran out of volts into
    a bad bond has found the bad bond. ``contacts`` are those of the unit that it is about.
    """

    cause: Cause
    point: str = ""
    text: str = ""
    gives_way: bool = False
    repetition: int = 1
    contacts: tuple[str, ...] = ()

    @property
    def sentence(self) -> str:
        """What was found, in words; empty where the cause of the whole step says as much."""
        if self.text or not self.point:
            return self.text
        words = str(self.cause).replace("_", " ")
        return f"{words[:1].upper()}{words[1:]}: {self.point}."


@dataclass(frozen=True, slots=True)
class Measured:
    """What a procedure hands back: readings, every fault found outright, curves of its own.

    ``ungraded`` says by measurand why its limit is not to be held against it: the reading is said
    and decides nothing. ``doubts`` are why the readings are not to be believed. ``position`` is
    where the unit's own switch was seen to stand at the end. ``retargeted`` are limits that
    somebody changed for this device, in place of the step's own.
    """

    readings: tuple[Reading, ...] = ()
    faults: tuple[Fault, ...] = ()
    note: str = ""
    curves: tuple[Curve, ...] = ()
    ungraded: Mapping[Measurand, str] = field(default_factory=dict)
    doubts: tuple[Doubt, ...] = ()
    position: str = ""
    retargeted: Mapping[Measurand, Limit] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class StepGrade:
    """The verdict of a step with everything that led to it; repetitions where it has some."""

    verdict: Verdict
    cause: Cause
    readings: tuple[GradedReading, ...] = ()
    faults: tuple[Fault, ...] = ()
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
        return Grade(Verdict.INCONCLUSIVE, Cause.NOT_A_NUMBER, guarded="not a number")
    space = margin(reading.value, limit)
    sides = []
    if limit.maximum is not None:
        sides.append(_against_maximum(reading, limit.maximum, rule))
    if limit.minimum is not None:
        sides.append(_against_minimum(reading, limit.minimum, rule))
    verdict, cause, guarded = max(sides, key=lambda side: _SEVERITY[side[0]])
    return Grade(verdict, cause, space, guarded, _band(reading, limit, verdict))


def _band(reading: Reading, limit: Limit, verdict: Verdict) -> Band | None:
    """What is undecided or passes beyond its caution is to be looked at."""
    if verdict is Verdict.FAIL:
        return Band.BAD
    if verdict is not Verdict.PASS:
        return Band.CAUTION
    is_high = limit.caution_above is not None and reading.value > limit.caution_above
    is_low = limit.caution_below is not None and reading.value < limit.caution_below
    # A reading under the floor is not near a maximum, nor one over the range near a minimum.
    is_near = (is_high and reading.bound is not Bound.BELOW) or (
        is_low and reading.bound is not Bound.ABOVE
    )
    return Band.CAUTION if is_near else Band.GOOD


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
    return max(verdicts, key=_SEVERITY.__getitem__, default=Verdict.NOT_RUN)


def grade_step(
    measured: Measured, limits: Mapping[Measurand, Limit], rule: DecisionRule
) -> StepGrade:
    """Grade everything a procedure measured, after every correction.

    Where anything is doubted nothing is decided. A fault found outright fails the step. A limit
    whose reading never came leaves the step inconclusive, so that a procedure cannot pass by
    staying silent; so does a step all of whose limits stay ungraded.
    """
    graded = []
    limits = {**limits, **{m: own for m, own in measured.retargeted.items() if m in limits}}
    for reading in measured.readings:
        limit = limits.get(reading.measurand)
        reason = measured.ungraded.get(reading.measurand, "") if limit is not None else ""
        if limit is None or reason:
            graded.append(GradedReading(reading, limit, ungraded=reason))
        else:
            graded.append(GradedReading(reading, limit, grade(reading, limit, rule)))
    doubts = measured.doubts + contradictions(measured.readings)
    verdict, cause = _decided(measured, doubts, limits, graded)
    is_failed = any(
        reading.grade is not None and reading.grade.verdict is Verdict.FAIL for reading in graded
    )
    faults = tuple(fault for fault in measured.faults if not (fault.gives_way and is_failed))
    return StepGrade(verdict, cause, tuple(graded), faults, doubts=doubts)


def _decided(
    measured: Measured,
    doubts: Sequence[Doubt],
    limits: Mapping[Measurand, Limit],
    graded: Sequence[GradedReading],
) -> tuple[Verdict, Cause]:
    if doubts:
        return Verdict.INCONCLUSIVE, Cause.IMPLAUSIBLE
    outright = next((fault for fault in measured.faults if not fault.gives_way), None)
    if outright is not None:
        return Verdict.FAIL, outright.cause
    grades = [reading.grade for reading in graded if reading.grade is not None]
    decisive = max(grades, key=lambda found: _SEVERITY[found.verdict], default=None)
    if decisive is not None and decisive.verdict is Verdict.FAIL:
        return decisive.verdict, decisive.cause
    if measured.faults:
        return Verdict.FAIL, measured.faults[0].cause
    if limits.keys() - {reading.reading.measurand for reading in graded}:
        return Verdict.INCONCLUSIVE, Cause.UNDECIDED
    if decisive is None:
        is_silent = bool(limits)  # each of them stayed ungraded
        return (Verdict.INCONCLUSIVE, Cause.UNDECIDED) if is_silent else (Verdict.PASS, Cause.NONE)
    return decisive.verdict, decisive.cause


def grade_unit(step_verdicts: Iterable[Verdict]) -> Verdict:
    """A unit passes when every step passed; a step that did not run leaves it inconclusive."""
    verdict = worst(step_verdicts)
    return Verdict.INCONCLUSIVE if verdict is Verdict.NOT_RUN else verdict
