"""Leakage at mains voltage through a body-model network, normal condition; current in A.

`earth` measures the current in the protective earth conductor, `touch` the current from an
accessible part to earth. The network weights frequency: the medical device of IEC 60601-1 figure
12 (1 kΩ; 10 kΩ with 15 nF) or that of IEC 60990 figure 4 (1500 Ω and 0.22 µF, 500 Ω; 10 kΩ, 22 nF).
The supply voltage is re-measured and the reading refers to it.
"""

from collections.abc import Mapping
from typing import Annotated, Literal

from pydantic import Field

from loricate.core.actions import Connect, Ending, Energise, Output, Procedure, Program, Role
from loricate.core.errors import ProcedureError
from loricate.core.grading import Cause, Measured
from loricate.core.kinds.registry import Demand, Kind, KindSettings, LimitSlot, register
from loricate.core.limits import Limit
from loricate.core.products import Terminal
from loricate.core.quantities import (
    CURRENT,
    FREQUENCY,
    TIME,
    VOLTAGE,
    Amperes,
    Fraction,
    Hertz,
    Seconds,
    Volts,
)  # fmt: skip


class LeakageSettings(KindSettings):
    """Which leakage, at which supply, through which network."""

    path: Literal["earth", "touch"] = Field(default="earth", title="Leakage path")
    network: Literal["iec60601", "iec60990"] = Field(default="iec60990", title="Body network")
    line: Terminal = Field(default="L", title="Line terminal")
    neutral: Terminal = Field(default="N", title="Neutral terminal")
    earth: Terminal | None = Field(default="PE", title="Earth terminal")
    part: Terminal | None = Field(default=None, title="Accessible part", description="For touch")
    supply: Annotated[Volts, Field(gt=0)] = Field(default=230.0, title="Supply voltage")
    frequency: Annotated[Hertz, Field(gt=0)] = Field(default=50.0, title="Supply frequency")
    polarity: Literal["normal", "reversed"] = Field(default="normal", title="Polarity")
    dwell: Annotated[Seconds, Field(gt=0)] = Field(default=1.0, title="Dwell")
    load_current: Annotated[Amperes, Field(ge=0)] = Field(
        default=0.0, title="Least load current", description="Proves that the unit is switched on"
    )
    tolerance: Annotated[Fraction, Field(gt=0, lt=1)] = Field(
        default=0.05, title="Supply tolerance", description="Shortfall of supply still accepted"
    )

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        used: dict[str, tuple[str, ...]] = {"line": (self.line,), "neutral": (self.neutral,)}
        if self.earth is not None:
            used["earth"] = (self.earth,)
        if self.path == "touch":
            # No product has a terminal of empty name, so a touch step without a part is refused.
            used["part"] = (self.part or "",)
        return used


def procedure(settings: LeakageSettings, limits: Mapping[str, Limit]) -> Procedure:
    """Supply the unit at mains, wait out the dwell, report leakage, supply and load current."""
    points = {"line": (settings.line,), "neutral": (settings.neutral,)}
    if settings.earth is not None:
        points["earth"] = (settings.earth,)
    if settings.path == "touch":
        points["body"] = (settings.part or "",)
    yield Connect(Role.LEAKAGE, points)
    yield Program(
        Role.LEAKAGE,
        {
            "path": settings.path,
            "network": settings.network,
            "polarity": settings.polarity,
            "level_v": settings.supply,
            "frequency_hz": settings.frequency,
            "dwell_s": settings.dwell,
        },
    )
    output = yield Energise(Role.LEAKAGE, hazardous=True)
    if not isinstance(output, Output):
        raise ProcedureError("A leakage step was sent no output.")
    current = output.reading("current", CURRENT)
    supply = output.reading("voltage", VOLTAGE)
    load = output.reading("load_current", CURRENT)
    causes: tuple[Cause, ...] = ()
    if output.ending is not Ending.FINISHED:
        causes = (Cause.OVER_LIMIT,)
    elif supply.value < settings.supply * (1 - settings.tolerance):
        causes = (Cause.LEVEL_NOT_REACHED,)
    elif load.value < settings.load_current:
        causes = (Cause.NO_CONTACT,)
    return Measured((current, supply, load), causes)


def demands(settings: LeakageSettings, limits: Mapping[str, Limit]) -> tuple[Demand, ...]:
    """The supply must reach the voltage."""
    return (
        Demand(Role.LEAKAGE, "level_v", settings.supply, VOLTAGE, "supply"),
        Demand(Role.LEAKAGE, "frequency_hz", settings.frequency, FREQUENCY, "frequency"),
        Demand(Role.LEAKAGE, "dwell_s", settings.dwell, TIME, "dwell"),
    )


LEAKAGE = register(
    Kind(
        name="leakage",
        title="Leakage",
        settings=LeakageSettings,
        limits={
            "current": LimitSlot(CURRENT, needed=True, title="Leakage current"),
            "voltage": LimitSlot(VOLTAGE, title="Supply voltage"),
            "load_current": LimitSlot(CURRENT, title="Load current"),
        },
        procedure=procedure,
        demands=demands,
        programmed_s=lambda settings: settings.dwell,
        hazardous=True,
    )
)
