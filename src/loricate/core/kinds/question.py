"""Question: one question with choices of the engineer's own, some of which pass.

No quantity is measured; an answer outside ``passing`` fails the step with the answer as its note.
"""

from collections.abc import Mapping
from typing import Annotated

from pydantic import Field, model_validator

from loricate.core.errors import ProcedureError
from loricate.core.kinds.registry import ANSWERED_OUTCOMES, Demand, Kind, KindSettings, register
from loricate.core.limits.limit import Limit
from loricate.core.measuring.actions import Answer, Ask, Procedure
from loricate.core.measuring.grading import Cause, Measured

Choice = Annotated[str, Field(min_length=1, max_length=60)]


class QuestionSettings(KindSettings):
    """What is asked, what may be answered, and which answers pass."""

    question: str = Field(min_length=1, max_length=200, title="Question")
    choices: tuple[Choice, ...] = Field(default=("yes", "no"), min_length=2, title="Choices")
    passing: tuple[Choice, ...] = Field(
        default=("yes",), min_length=1, title="Choices that pass", description="All others fail"
    )

    @model_validator(mode="after")
    def _passing_are_choices(self) -> "QuestionSettings":
        unknown = [each for each in self.passing if each not in self.choices]
        if unknown:
            raise ValueError(
                f"passing names '{unknown[0]}', which is no choice; there are "
                f"{', '.join(self.choices)}."
            )
        if len(set(self.choices)) < len(self.choices):
            raise ValueError("choices has an answer twice; each needs its own.")
        return self


def procedure(settings: QuestionSettings, limits: Mapping[str, Limit]) -> Procedure:
    """Ask, and judge the answer."""
    answer = yield Ask(settings.question, settings.choices, passing=settings.passing[0])
    if not isinstance(answer, Answer) or answer.choice not in settings.choices:
        raise ProcedureError(f"A question was sent {answer!r} instead of an answer.")
    note = f"{settings.question} {answer.choice}. {answer.note}".strip()
    causes = () if answer.choice in settings.passing else (Cause.ANSWERED_FAIL,)
    return Measured(causes=causes, note=note)


def demands(settings: QuestionSettings, limits: Mapping[str, Limit]) -> tuple[Demand, ...]:
    """A question needs no instrument."""
    return ()


QUESTION = register(
    Kind(
        name="question",
        title="Question",
        settings=QuestionSettings,
        limits={},
        procedure=procedure,
        demands=demands,
        outcomes=ANSWERED_OUTCOMES,
        programmed_s=lambda settings: 0.0,
    )
)
