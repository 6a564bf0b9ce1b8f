"""Temperature of the unit in °C, asked once: later steps correct their resistances with it.

It is typed, in °C or °F, or read from a thermometer, whose reading must have become steady. What is
typed is known as well as the thermometer that it was read from, whose uncertainty is a setting.
"""

from typing import Annotated, Literal

from pydantic import Field

from loricate.core.kinds.kind import Demand, KindSettings, Limits, LimitSlot, Points
from loricate.core.limits.limit import Limit, LimitSource
from loricate.core.measuring.actions import Enter, Hold, Off, Procedure, Source, do
from loricate.core.measuring.grading import Measured
from loricate.core.measuring.holding import For, Settled
from loricate.core.measuring.readings import Measurand, Reading
from loricate.core.measuring.roles import THERMOMETER
from loricate.core.quantities import TEMPERATURE, TIME, Celsius, Seconds, display, parse
from loricate.core.windings.temperature import LEAST_C, MOST_C

OVER_S = 5.0  # what it is programmed for beyond the longest wait
POSSIBLE = Limit(
    dimension=TEMPERATURE.name,
    minimum=LEAST_C,
    maximum=MOST_C,
    source=LimitSource(engineer="what a unit that is tested can have"),
)


class Temperature(KindSettings):
    """Where the temperature comes from."""

    name = "temperature"
    title = "Temperature of the unit"
    slots = {"temperature": LimitSlot(TEMPERATURE, title="Temperature")}
    judged_by = ()
    meters = ("temperature",)
    tells_temperature = True

    read: Literal["typed", "thermometer"] = Field(
        default="typed", title="Read", description="By the operator, or from an instrument"
    )
    question: str = Field(
        default="Temperature of the unit, as the thermometer at it shows?",
        min_length=1,
        max_length=200,
        title="Question",
        description="Where it is typed; °C or °F",
    )
    uncertainty: Annotated[Celsius, Field(gt=0)] = Field(
        default=1.0,
        title="Uncertainty of what is typed",
        description="Expanded, k = 2, as a difference in °C",
    )
    steady_within: Annotated[Celsius, Field(gt=0)] = Field(
        default=0.3, title="Steady within", description="A difference in °C, of a thermometer"
    )
    steady_for: Annotated[Seconds, Field(gt=0, le=600)] = Field(
        default=2.0, title="Steady for", description="Of a thermometer"
    )
    at_most: Annotated[Seconds, Field(gt=0, le=1800)] = Field(
        default=60.0, title="Waits at most", description="For a thermometer to become steady"
    )

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Ask, or wait until a thermometer is steady."""
        if self.read == "typed":
            answer = yield from do(Enter(self.question, TEMPERATURE))
            value = parse(answer.choice, TEMPERATURE)
            typed = Reading("temperature", value, TEMPERATURE, uncertainty=self.uncertainty)
            return Measured((typed,), note=answer.note)
        level = yield from do(Source(THERMOMETER, {"dwell_s": self.at_most + OVER_S}))
        held = None
        if level.look is not None:
            steady = Settled("temperature", 0.0, self.steady_for, by=self.steady_within)
            held = yield from do(Hold(THERMOMETER, (steady, For(self.at_most))))
        output = yield from do(Off(THERMOMETER))
        if held is None or not isinstance(held.met, Settled):
            waited = display(self.at_most, TIME, 2)
            return Measured(note=f"The thermometer did not become steady within {waited}.")
        return Measured((output.reading("temperature", TEMPERATURE),))

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """A thermometer, where it is not typed."""
        if self.read == "typed":
            return ()
        return (Demand(THERMOMETER, "dwell_s", self.at_most + OVER_S, TIME, "at_most"),)

    def programmed_s(self, points: Points) -> float:
        return self.steady_for if self.read == "thermometer" else 0.0

    def judged(self, points: Points, limits: Limits) -> Limits:
        """Without limits of its own it must be there all the same, and one that can be."""
        return limits or {Measurand("temperature"): POSSIBLE}
