"""Visual check: questions answered by a person with pass, fail or not applicable.

No quantity is measured, so there is nothing to limit; a single `fail` fails the step.
"""

from typing import Annotated

from pydantic import Field

from loricate.core.errors import ProcedureError
from loricate.core.kinds.kind import ANSWERED_OUTCOMES, KindSettings, Limits, Points
from loricate.core.measuring.actions import Ask, Procedure, do
from loricate.core.measuring.grading import Cause, Fault, Measured

CHOICES = ("pass", "fail", "not applicable")


class Visual(KindSettings):
    """The questions to answer, in order."""

    name = "visual"
    title = "Visual check"
    outcomes = ANSWERED_OUTCOMES

    questions: tuple[Annotated[str, Field(min_length=1, max_length=200)], ...] = Field(
        min_length=1, title="Questions", description="Each is answered pass, fail or not applicable"
    )

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Ask every question; stop at the first fail, for the rest no longer matters."""
        notes = []
        for question in self.questions:
            answer = yield from do(Ask(question, CHOICES))
            if answer.choice not in CHOICES:
                raise ProcedureError(f"A visual check was sent {answer!r} instead of an answer.")
            if answer.choice != "pass" or answer.note:
                notes.append(f"{question} {answer.choice}. {answer.note}".strip())
            if answer.choice == "fail":
                return Measured(faults=(Fault(Cause.ANSWERED_FAIL),), note=" ".join(notes))
        return Measured(note=" ".join(notes))
