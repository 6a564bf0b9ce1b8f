"""Repetitions: a step done several times in one attempt, of which so many must pass.

It stops as soon as it is decided: enough have passed, or so many have not that enough cannot any
more. What did not run decides at once, for nothing more can be measured. Every repetition's
readings stay, numbered from 1.
"""

from collections.abc import Sequence
from dataclasses import replace

from pydantic import BaseModel, ConfigDict, Field, model_validator

from loricate.core.documents import fault_at
from loricate.core.measuring.grading import Cause, Repetition, StepGrade, Verdict


class Repeat(BaseModel):
    """How often a step is done, and how often it must pass."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    times: int = Field(ge=2, le=100, title="Times", description="It stops early when decided")
    needed: int | None = Field(
        default=None, ge=1, title="Must pass", description="All of them by default"
    )

    @model_validator(mode="after")
    def _can_be_met(self) -> "Repeat":
        if self.needed is not None and self.needed > self.times:
            reason = f"{self.needed} passes are more than {self.times} times can give"
            raise fault_at("needed", reason, f"ask for at most {self.times}.")
        return self

    @property
    def passes_needed(self) -> int:
        """How many repetitions must pass."""
        return self.times if self.needed is None else self.needed

    @property
    def text(self) -> str:
        """The rule in words."""
        if self.passes_needed == self.times:
            return f"{self.times} times, each must pass"
        return f"{self.times} times, {self.passes_needed} must pass"


def decision(repeat: Repeat, verdicts: Sequence[Verdict]) -> Verdict | None:
    """The verdict of the repetitions so far, or None while the next one can still decide it.

    It is a fail only if so many failed outright that the undecided ones could not have saved it.
    """
    if Verdict.NOT_RUN in verdicts:
        return Verdict.NOT_RUN
    spare = repeat.times - repeat.passes_needed
    passed, failed = verdicts.count(Verdict.PASS), verdicts.count(Verdict.FAIL)
    if passed >= repeat.passes_needed:
        return Verdict.PASS
    if len(verdicts) - passed > spare:
        return Verdict.FAIL if failed > spare else Verdict.INCONCLUSIVE
    return None


def grade_repetitions(repeat: Repeat, grades: Sequence[StepGrade]) -> StepGrade:
    """One grade of all repetitions, with the readings of each.

    Its cause is that of the first repetition with the verdict that decided. Raises ValueError
    while nothing is decided.
    """
    verdict = decision(repeat, [each.verdict for each in grades])
    if verdict is None:
        raise ValueError(f"{len(grades)} of {repeat.times} repetitions decide nothing yet.")
    cause = next((each.cause for each in grades if each.verdict is verdict), Cause.NONE)
    return StepGrade(
        verdict,
        Cause.NONE if verdict is Verdict.PASS else cause,
        tuple(
            replace(reading, repetition=number)
            for number, each in enumerate(grades, start=1)
            for reading in each.readings
        ),
        tuple(
            replace(fault, repetition=number)
            for number, each in enumerate(grades, start=1)
            for fault in each.faults
        ),
        tuple(
            Repetition(number, each.verdict, each.cause)
            for number, each in enumerate(grades, start=1)
        ),
        tuple(doubt for each in grades for doubt in each.doubts),
    )


def repetitions_text(repeat: Repeat, verdicts: Sequence[Verdict]) -> str:
    """What came of the repetitions, in words."""
    passed = list(verdicts).count(Verdict.PASS)
    stopped = "" if len(verdicts) == repeat.times else f"; stopped after {len(verdicts)}"
    return f"{passed} passed of {repeat.text}{stopped}."
