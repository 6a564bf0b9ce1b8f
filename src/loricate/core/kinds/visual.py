"""Visual check: questions answered by a person with pass, fail or not applicable.

No quantity is measured, so there is nothing to limit; a single `fail` fails the step.
"""

from collections.abc import Mapping
from typing import Annotated

from pydantic import Field

from loricate.core.errors import ProcedureError
from loricate.core.kinds.registry import ANSWERED_OUTCOMES, Demand, Kind, KindSettings, register
from loricate.core.limits.limit import Limit
from loricate.core.measuring.actions import Answer, Ask, Procedure
from loricate.core.measuring.grading import Cause, Measured

CHOICES = ("pass", "fail", "not applicable")


class VisualSettings(KindSettings):
    """The questions to answer, in order."""

    questions: tuple[Annotated[str, Field(min_length=1, max_length=200)], ...] = Field(
        min_length=1, title="Questions", description="Each is answered pass, fail or not applicable"
    )


def procedure(settings: VisualSettings, limits: Mapping[str, Limit]) -> Procedure:
    """Ask every question; stop at the first fail, for the rest no longer matters."""
    notes = []
    for question in settings.questions:
        answer = yield Ask(question, CHOICES)
        if not isinstance(answer, Answer) or answer.choice not in CHOICES:
            raise ProcedureError(f"A visual check was sent {answer!r} instead of an answer.")
        if answer.choice != "pass" or answer.note:
            notes.append(f"{question} {answer.choice}. {answer.note}".strip())
        if answer.choice == "fail":
            return Measured(causes=(Cause.ANSWERED_FAIL,), note=" ".join(notes))
    return Measured(note=" ".join(notes))


def demands(settings: VisualSettings, limits: Mapping[str, Limit]) -> tuple[Demand, ...]:
    """A visual check needs no instrument."""
    return ()


VISUAL = register(
    Kind(
        name="visual",
        title="Visual check",
        settings=VisualSettings,
        limits={},
        procedure=procedure,
        demands=demands,
        outcomes=ANSWERED_OUTCOMES,
        programmed_s=lambda settings: 0.0,
    )
)
