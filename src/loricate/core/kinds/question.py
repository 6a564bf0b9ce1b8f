"""Question: one question with choices of the engineer's own, some of which pass.

No quantity is measured; an answer outside ``passing`` fails the step with the answer as its note.
"""

from typing import Annotated

from pydantic import Field, model_validator

from loricate.core.documents import fault_at
from loricate.core.errors import ProcedureError
from loricate.core.kinds.kind import ANSWERED_OUTCOMES, KindSettings, Limits, Points
from loricate.core.measuring.actions import Ask, Procedure, do
from loricate.core.measuring.grading import Cause, Fault, Measured

Choice = Annotated[str, Field(min_length=1, max_length=60)]


class Question(KindSettings):
    """What is asked, what may be answered, and which answers pass."""

    name = "question"
    title = "Question"
    outcomes = ANSWERED_OUTCOMES

    question: str = Field(min_length=1, max_length=200, title="Question")
    choices: tuple[Choice, ...] = Field(default=("yes", "no"), min_length=2, title="Choices")
    passing: tuple[Choice, ...] = Field(
        default=("yes",), min_length=1, title="Choices that pass", description="All others fail"
    )

    @model_validator(mode="after")
    def _passing_are_choices(self) -> "Question":
        unknown = [choice for choice in self.passing if choice not in self.choices]
        if unknown:
            reason = f"names '{unknown[0]}', which is no choice"
            raise fault_at("passing", reason, f"there are {', '.join(self.choices)}.")
        if len(set(self.choices)) < len(self.choices):
            raise fault_at("choices", "has an answer twice", "each needs its own.")
        return self

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Ask, and judge the answer."""
        answer = yield from do(Ask(self.question, self.choices, passing=self.passing[0]))
        if answer.choice not in self.choices:
            raise ProcedureError(f"A question was sent {answer!r} instead of an answer.")
        note = f"{self.question} {answer.choice}. {answer.note}".strip()
        faults = () if answer.choice in self.passing else (Fault(Cause.ANSWERED_FAIL),)
        return Measured(faults=faults, note=note)
