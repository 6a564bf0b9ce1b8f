"""A kind of its own: a rotor is turned at two speeds, its rate and its bearing's warmth are read.

It comes with an instrument of a new sort; nothing of the product knows of either.
"""

from collections.abc import Mapping
from typing import Annotated

from pydantic import Field

from loricate.core.kinds.kind import (
    Demand,
    KindSettings,
    Limits,
    LimitSlot,
    Point,
    Points,
    register,
)
from loricate.core.measuring.actions import (
    Acquire,
    Asking,
    At,
    Connect,
    Energise,
    Entry,
    Form,
    Hold,
    Off,
    Output,
    Procedure,
    Programme,
    Source,
    do,
)
from loricate.core.measuring.curves import Column, Curve
from loricate.core.measuring.grading import Cause, Fault, Measured
from loricate.core.measuring.holding import For, Settled
from loricate.core.measuring.readings import Measurand, Reading
from loricate.core.measuring.roles import register_role
from loricate.core.products.families.section import Terminal
from loricate.core.products.product import Product
from loricate.core.quantities import (
    RATE,
    TEMPERATURE,
    TIME,
    VOLTAGE,
    Celsius,
    PerSecond,
    Seconds,
    parse,
)

TACHOMETER = register_role(
    "tachometer",
    "Tachometer",
    {"rate": RATE, "warmth": TEMPERATURE},
    sets=("level_v", "dwell_s"),
    reports=("rate", "warmth"),
)
ROOM = (
    Entry("room", "Room", TEMPERATURE, target="23 °C"),
    Entry("grease", "Grease", choices=("thin", "thick")),
)
SPEEDS = {"slow": 12.0, "fast": 24.0}  # volts


class Spin(KindSettings):
    """The rotor's terminals, and what it must come to."""

    name = "spin"
    title = "Spin"
    slots = {
        "rate": LimitSlot(RATE, needed=True, title="Rate of turning", side="minimum"),
        "warmth": LimitSlot(TEMPERATURE, title="Bearing", side="maximum"),
    }
    meters = ("rate", "warmth")

    high: Terminal = Field(title="High terminal")
    low: Terminal = Field(title="Low terminal")
    dwell: Annotated[Seconds, Field(gt=0)] = Field(default=0.5, title="Dwell at each speed")
    fastest: Annotated[PerSecond, Field(gt=0)] = Field(default=100.0, title="Bursts above")
    coldest: Celsius = Field(default=-20.0, title="Not below")
    thorough: bool = Field(default=False, title="Thorough", description="Asks, holds and records")

    def points(self, product: Product) -> Points:
        return tuple(Point(name, {"level_v": volts}) for name, volts in SPEEDS.items())

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        return {"high": (self.high,), "low": (self.low,)}

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        readings, faults = [], []
        if self.thorough:
            form = yield from do(Form("The rotor as it lies there", ROOM))
            readings.append(Reading("room", parse(form.values["room"], TEMPERATURE), TEMPERATURE))
        yield from do(Connect(TACHOMETER, {"high": (self.high,), "low": (self.low,)}))
        for number, point in enumerate(points, start=1):
            yield from do(At(point.name, number, len(points)))
            programme = {"level_v": point.values["level_v"], "dwell_s": self.dwell}
            if self.thorough:
                output, held_s = yield from self._held(programme)
                readings.append(Reading("held", held_s, TIME, point.name, instrument="TA1"))
            else:
                output = yield from do(Energise(TACHOMETER, programme))
            rate = output.reading("rate", RATE).at(point.name)
            readings += [rate, output.reading("warmth", TEMPERATURE).at(point.name)]
            if not rate.value > 0:
                faults.append(Fault(Cause.NO_CONTACT, point.name, "The rotor stands still."))
        rates = [reading for reading in readings if reading.quantity == "rate"]
        curve = Curve(
            "spin_up",
            Column("voltage", VOLTAGE, tuple(SPEEDS.values())),
            (Column("rate", RATE, tuple(reading.value for reading in rates)),),
        )
        warm = Measurand("warmth", "slow")
        reason = {warm: "it had no time to warm"} if warm in limits else {}
        return Measured(tuple(readings), tuple(faults), curves=(curve,), ungraded=reason)

    def _held(self, programme: Programme) -> Asking[tuple[Output, float]]:
        """Turn the rotor until it has turned steadily for a while, and fetch the record of it."""
        yield from do(Source(TACHOMETER, {**programme, "dwell_s": 60.0}))
        held = yield from do(Hold(TACHOMETER, (Settled("rate", 0.01, 0.3), For(50.0))))
        output = yield from do(Off(TACHOMETER))
        yield from do(Acquire(TACHOMETER, "turning"))
        return output, held.held_s

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        return (Demand(TACHOMETER, "level_v", max(SPEEDS.values()), VOLTAGE, "level_v"),)

    def programmed_s(self, points: Points) -> float:
        return self.dwell * len(points)

    def fails_when_empty(self, limits: Limits) -> bool:
        return True


register(Spin)
