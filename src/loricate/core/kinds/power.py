"""Power: the unit runs at mains and what it draws is held against its plate.

Active power in W, current in A, power factor as a fraction, supply re-measured in V. With
``nominal`` the power is scaled to that supply as a resistive load's, P·(V_nominal/V_measured)².
An element of the wrong rating, or one of two that is open, shows here and nowhere else.
"""

import math
from collections.abc import Iterator, Mapping
from typing import Annotated

from pydantic import Field

from loricate.core.kinds.advice import Advice, Considered, Severity
from loricate.core.kinds.kind import Demand, KindSettings, Limits, LimitSlot, Points
from loricate.core.kinds.mains import mains_demands, passes_when_off, scaled, why_not_at_mains
from loricate.core.kinds.outputs import TIME_SLOT, level_faults
from loricate.core.measuring.actions import Connect, Ending, Energise, Procedure, Programme, do
from loricate.core.measuring.grading import Cause, Fault, Measured
from loricate.core.measuring.readings import Bound, Measurand, Reading
from loricate.core.measuring.roles import LEAKAGE
from loricate.core.products.families.section import Terminal
from loricate.core.products.product import EarthTerminal, Product
from loricate.core.quantities import (
    CURRENT,
    POWER,
    POWER_FACTOR,
    VOLTAGE,
    Fraction,
    Hertz,
    Seconds,
    Volts,
)


class Power(KindSettings):
    """The supply, and how long the unit runs before it is read."""

    name = "power"
    title = "Power"
    slots = {
        "power": LimitSlot(POWER, title="Active power"),
        "current": LimitSlot(CURRENT, title="Current"),
        "power_factor": LimitSlot(POWER_FACTOR, title="Power factor"),
        "voltage": LimitSlot(VOLTAGE, title="Supply voltage"),
        **TIME_SLOT,
    }
    measured_as = {"supply": "voltage", "dwell": "time_at_level"}
    metered_as = {"current": "load_current"}
    judged_by = ("power", "current", "power_factor")
    advises = ("empty_nest", "plate_is_loose")
    meters = ("voltage", "load_current", "power")

    line: Terminal = Field(default="L", title="Line terminal")
    neutral: Terminal = Field(default="N", title="Neutral terminal")
    earth: EarthTerminal = Field(
        default="PE", title="Earth terminal", description="`none` where the unit has no earth"
    )
    supply: Annotated[Volts, Field(gt=0)] = Field(default=230.0, title="Supply voltage")
    nominal: Annotated[Volts, Field(gt=0)] | None = Field(
        default=None, title="Scaled to", description="The power of a resistive load at this supply"
    )
    frequency: Annotated[Hertz, Field(gt=0)] = Field(default=50.0, title="Supply frequency")
    dwell: Annotated[Seconds, Field(gt=0)] = Field(default=2.0, title="Dwell")
    tolerance: Annotated[Fraction, Field(gt=0, lt=1)] = Field(
        default=0.05, title="Supply tolerance", description="Departure of the supply still accepted"
    )

    @classmethod
    def why_not(cls, product: Product) -> str:
        return why_not_at_mains(product)

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        used: dict[str, tuple[str, ...]] = {"line": (self.line,), "neutral": (self.neutral,)}
        return used if self.earth is None else {**used, "earth": (self.earth,)}

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Run the unit for the dwell and report what it draws at the end."""
        terminals = {"line": (self.line,), "neutral": (self.neutral,)}
        if self.earth is not None:
            terminals["earth"] = (self.earth,)
        yield from do(Connect(LEAKAGE, terminals))
        programme: Programme = {
            "path": "none",
            "method": "direct",
            "neutral": "closed",
            "polarity": "normal",
            "level_v": self.supply,
            "frequency_hz": self.frequency,
            "dwell_s": self.dwell,
        }
        output = yield from do(Energise(LEAKAGE, programme))
        supply = output.reading("voltage", VOLTAGE)
        current = output.reading("current", CURRENT, "load_current")
        power = output.reading("power", POWER)
        factor = power_factor(power, supply, current)
        if self.nominal is not None:
            power = scaled(power, self.nominal, supply, power=2)
        readings = (power, current, factor, supply, output.time_at_level)
        if output.ending is not Ending.FINISHED:
            return Measured(readings, (Fault(Cause.OVER_LIMIT),))
        faults = level_faults(output, supply, "voltage", self.supply, self.tolerance)
        return Measured(readings, faults)

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """The supply must reach the voltage and hold it."""
        return mains_demands(self.supply, self.frequency, self.dwell)

    def programmed_s(self, points: Points) -> float:
        return self.dwell

    def wants_switch(self) -> str:
        return "on"

    def fails_when_empty(self, limits: Limits) -> bool:
        return any(bool(limit.minimum) for limit in limits.values())

    def advice(self, step: Considered) -> Iterator[Advice]:
        if not self.fails_when_empty(step.limits):
            yield from passes_when_off()
        rated, limit = step.product.rated_power, step.limits.get(Measurand("power"))
        if rated is None or limit is None:
            return
        is_low = limit.minimum is None or limit.minimum < rated / 2
        is_high = limit.maximum is None or limit.maximum > rated * 2
        if is_low or is_high:
            side = "minimum" if is_low else "maximum"
            yield Advice(
                "plate_is_loose",
                Severity.WARNING,
                f"its power {limit.text} has no {side} near the plate's rating.",
                f"Set a {side} nearer to it.",
            )


def power_factor(power: Reading, supply: Reading, current: Reading) -> Reading:
    """P over V·I, its relative uncertainty that of all three; NaN where nothing is drawn."""
    apparent = supply.value * current.value
    is_known = Bound.EXACT is power.bound is supply.bound is current.bound and apparent > 0
    if not is_known:
        return Reading("power_factor", math.nan, POWER_FACTOR, instrument=power.instrument)
    value = power.value / apparent
    relative = math.hypot(supply.uncertainty / supply.value, current.uncertainty / current.value)
    spread = math.hypot(value * relative, power.uncertainty / apparent)
    return Reading(
        "power_factor", value, POWER_FACTOR, uncertainty=spread, instrument=power.instrument
    )
