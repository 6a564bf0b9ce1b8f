"""Wait: time passes with nothing energised, so that a unit can cool, settle or come to its load.

Seconds of real time; it measures nothing and passes when the time is over.
"""

from typing import Annotated

from pydantic import Field

from loricate.core.kinds.kind import KindSettings, Limits, Points
from loricate.core.measuring.actions import Procedure, Wait, do
from loricate.core.measuring.grading import Measured
from loricate.core.quantities import Seconds


class WaitStep(KindSettings):
    """How long."""

    name = "wait"
    title = "Wait"
    outcomes = frozenset({"pass"})

    time: Annotated[Seconds, Field(gt=0, le=86_400)] = Field(title="Time")

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Let the time pass."""
        yield from do(Wait(self.time))
        return Measured()

    def programmed_s(self, points: Points) -> float:
        return self.time
