"""Power: the unit runs at mains and what it draws is held against its plate.

Active power in W, current in A, power factor as a fraction, supply re-measured in V. With
``nominal`` the power is scaled to that supply as a resistive load's, P·(V_nominal/V_measured)².
An element of the wrong rating, or one of two that is open, shows here and nowhere else.
"""

import math
from collections.abc import Mapping
from typing import Annotated

from pydantic import Field

from loricate.core.kinds.mains import mains_demands, scaled, why_not_at_mains
from loricate.core.kinds.outputs import TIME_SLOT, level_causes
from loricate.core.kinds.registry import Demand, Kind, KindSettings, LimitSlot, register
from loricate.core.limits.limit import Limit
from loricate.core.measuring.actions import Connect, Ending, Procedure, Role, put_on
from loricate.core.measuring.grading import Cause, Measured
from loricate.core.measuring.readings import Bound, Reading
from loricate.core.products.product import EarthTerminal, Terminal
from loricate.core.quantities import (
    CURRENT,
    POWER,
    RATIO,
    VOLTAGE,
    Fraction,
    Hertz,
    Seconds,
    Volts,
)


class PowerSettings(KindSettings):
    """The supply, and how long the unit runs before it is read."""

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

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        used: dict[str, tuple[str, ...]] = {"line": (self.line,), "neutral": (self.neutral,)}
        return used if self.earth is None else {**used, "earth": (self.earth,)}


def procedure(settings: PowerSettings, limits: Mapping[str, Limit]) -> Procedure:
    """Run the unit for the dwell and report what it draws at the end."""
    points = {"line": (settings.line,), "neutral": (settings.neutral,)}
    if settings.earth is not None:
        points["earth"] = (settings.earth,)
    yield Connect(Role.LEAKAGE, points)
    output = yield from put_on(
        Role.LEAKAGE,
        {
            "path": "none",
            "method": "direct",
            "neutral": "closed",
            "polarity": "normal",
            "level_v": settings.supply,
            "frequency_hz": settings.frequency,
            "dwell_s": settings.dwell,
        },
    )
    supply = output.reading("voltage", VOLTAGE)
    current = output.reading("current", CURRENT, "load_current")
    power = output.reading("power", POWER)
    factor = power_factor(power, supply, current)
    if settings.nominal is not None:
        power = scaled(power, settings.nominal, supply, power=2)
    readings = (power, current, factor, supply, output.time_at_level)
    if output.ending is not Ending.FINISHED:
        return Measured(readings, (Cause.OVER_LIMIT,))
    causes = level_causes(output, supply, "voltage", settings.supply, settings.tolerance)
    return Measured(readings, causes)


def power_factor(power: Reading, supply: Reading, current: Reading) -> Reading:
    """P over V·I, its relative uncertainty that of all three; NaN where nothing is drawn."""
    apparent = supply.value * current.value
    is_known = Bound.EXACT is power.bound is supply.bound is current.bound and apparent > 0
    if not is_known:
        return Reading("power_factor", math.nan, RATIO, instrument=power.instrument)
    value = power.value / apparent
    relative = math.hypot(supply.uncertainty / supply.value, current.uncertainty / current.value)
    spread = math.hypot(value * relative, power.uncertainty / apparent)
    return Reading("power_factor", value, RATIO, uncertainty=spread, instrument=power.instrument)


def demands(settings: PowerSettings, limits: Mapping[str, Limit]) -> tuple[Demand, ...]:
    """The supply must reach the voltage and hold it."""
    return mains_demands(settings.supply, settings.frequency, settings.dwell)


POWER_KIND = register(
    Kind(
        name="power",
        title="Power",
        settings=PowerSettings,
        limits={
            "power": LimitSlot(POWER, title="Active power"),
            "current": LimitSlot(CURRENT, title="Current"),
            "power_factor": LimitSlot(RATIO, title="Power factor"),
            "voltage": LimitSlot(VOLTAGE, title="Supply voltage"),
            **TIME_SLOT,
        },
        measured_as={"supply": "voltage", "dwell": "time_at_level"},
        judged_by=("power", "current", "power_factor"),
        procedure=procedure,
        demands=demands,
        programmed_s=lambda settings: settings.dwell,
        why_not=why_not_at_mains,
    )
)
