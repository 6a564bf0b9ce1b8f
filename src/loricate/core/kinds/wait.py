"""Wait: time passes with nothing energised, so that a unit can cool, settle or come to its load.

Seconds of real time; it measures nothing and passes when the time is over.
"""

from collections.abc import Mapping
from typing import Annotated

from pydantic import Field

from loricate.core.kinds.registry import Demand, Kind, KindSettings, register
from loricate.core.limits.limit import Limit
from loricate.core.measuring.actions import Procedure, Wait
from loricate.core.measuring.grading import Measured
from loricate.core.quantities import Seconds


class WaitSettings(KindSettings):
    """How long."""

    time: Annotated[Seconds, Field(gt=0, le=86_400)] = Field(title="Time")


def procedure(settings: WaitSettings, limits: Mapping[str, Limit]) -> Procedure:
    """Let the time pass."""
    yield Wait(settings.time)
    return Measured()


def demands(settings: WaitSettings, limits: Mapping[str, Limit]) -> tuple[Demand, ...]:
    """Waiting needs no instrument."""
    return ()


WAIT = register(
    Kind(
        name="wait",
        title="Wait",
        settings=WaitSettings,
        limits={},
        procedure=procedure,
        demands=demands,
        outcomes=frozenset({"pass"}),
        programmed_s=lambda settings: settings.time,
    )
)
