"""Leakage at mains voltage through a body-model network; current in A, rms and peak.

`earth` measures the current in the protective earth conductor, `touch` the current from an
accessible part to earth, `patient` that from an applied part; in normal condition or with one
single fault, the neutral or the earth open (IEC 60601-1 8.7). The methods are those of IEC 62353:
direct, differential (what leaves by the line and does not come back), alternative (both poles tied
and fed without mains). The network weights frequency: the medical device of IEC 60601-1 figure
12 (1 kΩ; 10 kΩ with 15 nF) or that of IEC 60990 figure 4 (1500 Ω and 0.22 µF, 500 Ω; 10 kΩ, 22 nF).
The supply voltage is re-measured and the reading refers to it.
"""

from collections.abc import Mapping
from typing import Annotated, Literal

from pydantic import Field, model_validator

from loricate.core.kinds.mains import mains_demands, scaled, why_not_at_mains
from loricate.core.kinds.outputs import TIME_SLOT, level_causes
from loricate.core.kinds.registry import Demand, Kind, KindSettings, LimitSlot, register
from loricate.core.limits.limit import Limit
from loricate.core.measuring.actions import Connect, Ending, Procedure, Role, put_on
from loricate.core.measuring.grading import Cause, Measured
from loricate.core.measuring.readings import Reading
from loricate.core.products.product import EarthTerminal, Terminal
from loricate.core.quantities import (
    CURRENT,
    VOLTAGE,
    Amperes,
    Fraction,
    Hertz,
    Seconds,
    Volts,
)  # fmt: skip


class LeakageSettings(KindSettings):
    """Which leakage, at which supply, in which condition, by which method and network."""

    path: Literal["earth", "touch", "patient"] = Field(default="earth", title="Leakage path")
    method: Literal["direct", "differential", "alternative"] = Field(
        default="direct",
        title="Method",
        description="Differential: line less neutral. Alternative: both poles tied, no mains",
    )
    condition: Literal["normal", "open_neutral", "open_earth"] = Field(
        default="normal", title="Condition", description="Normal, or one single fault"
    )
    network: Literal["iec60601", "iec60990", "none"] = Field(
        default="iec60990", title="Body network", description="None: 1 kΩ, without weighting"
    )
    line: Terminal = Field(default="L", title="Line terminal")
    neutral: Terminal = Field(default="N", title="Neutral terminal")
    earth: EarthTerminal = Field(
        default="PE", title="Earth terminal", description="`none` where the unit has no earth"
    )
    part: Terminal | None = Field(
        default=None, title="Accessible or applied part", description="For touch and patient"
    )
    supply: Annotated[Volts, Field(gt=0)] = Field(default=230.0, title="Supply voltage")
    nominal: Annotated[Volts, Field(gt=0)] | None = Field(
        default=None, title="Scaled to", description="The current is scaled to this supply"
    )
    frequency: Annotated[Hertz, Field(gt=0)] = Field(default=50.0, title="Supply frequency")
    polarity: Literal["normal", "reversed"] = Field(default="normal", title="Polarity")
    switch: Literal["on", "off"] = Field(
        default="on", title="Unit's own switch", description="A cue tells the operator to move it"
    )
    dwell: Annotated[Seconds, Field(gt=0)] = Field(default=1.0, title="Dwell")
    load_current: Annotated[Amperes, Field(ge=0)] = Field(
        default=0.0,
        title="Load current when on",
        description="At least this proves that the unit is on; more than this, that it is not off",
    )
    tolerance: Annotated[Fraction, Field(gt=0, lt=1)] = Field(
        default=0.05, title="Supply tolerance", description="Departure of the supply still accepted"
    )

    @model_validator(mode="after")
    def _fits_together(self) -> "LeakageSettings":
        if self.method == "differential" and self.path != "earth":
            raise ValueError("method differential measures the earth path; choose path earth.")
        if self.method == "alternative" and self.condition != "normal":
            raise ValueError("method alternative has no mains, so condition must be normal.")
        if self.condition == "open_earth" and (self.earth is None or self.path == "earth"):
            raise ValueError(
                "condition open_earth needs an earth terminal and a path other than earth."
            )
        return self

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        used: dict[str, tuple[str, ...]] = {"line": (self.line,), "neutral": (self.neutral,)}
        if self.earth is not None:
            used["earth"] = (self.earth,)
        if self.path != "earth":
            # No product has a terminal of empty name, so a touch step without a part is refused.
            used["part"] = (self.part or "",)
        return used


def procedure(settings: LeakageSettings, limits: Mapping[str, Limit]) -> Procedure:
    """Supply the unit, wait out the dwell, report leakage, supply and load current.

    With ``nominal`` the leakage is scaled to that supply, I·V_nominal/V_measured (IEC 62353).
    """
    points = {"line": (settings.line,), "neutral": (settings.neutral,)}
    if settings.earth is not None and settings.condition != "open_earth":
        points["earth"] = (settings.earth,)
    if settings.path != "earth":
        points["body"] = (settings.part or "",)
    yield Connect(Role.LEAKAGE, points)
    output = yield from put_on(
        Role.LEAKAGE,
        {
            "path": "earth" if settings.path == "earth" else "touch",
            "method": settings.method,
            "neutral": "open" if settings.condition == "open_neutral" else "closed",
            "network": settings.network,
            "polarity": settings.polarity,
            "level_v": settings.supply,
            "frequency_hz": settings.frequency,
            "dwell_s": settings.dwell,
        },
    )
    supply = output.reading("voltage", VOLTAGE)
    load = output.reading("load_current", CURRENT)
    names = [name for name in ("current", "peak_current") if name in output.summary]
    leaking = [output.reading(name, CURRENT) for name in names]
    if settings.nominal is not None:
        leaking = [scaled(each, settings.nominal, supply) for each in leaking]
    readings = (*leaking, supply, load, output.time_at_level)
    if output.ending is not Ending.FINISHED:
        return Measured(readings, (Cause.OVER_LIMIT,))
    causes = level_causes(output, supply, "voltage", settings.supply, settings.tolerance)
    if not causes and _is_switched_wrong(settings, load):
        causes = (Cause.NO_CONTACT if settings.switch == "on" else Cause.SWITCHED_ON,)
    return Measured(readings, causes)


def _is_switched_wrong(settings: LeakageSettings, load: Reading) -> bool:
    """Whether the load current says that the unit is not switched as the step wants it.

    An open neutral lets no load current flow, nor does the alternative method.
    """
    if settings.condition == "open_neutral" or settings.method == "alternative":
        return False
    if settings.switch == "on":
        return settings.load_current > 0 and not load.value >= settings.load_current
    return settings.load_current > 0 and not load.value <= settings.load_current


def demands(settings: LeakageSettings, limits: Mapping[str, Limit]) -> tuple[Demand, ...]:
    """The supply must reach the voltage and hold it."""
    return mains_demands(settings.supply, settings.frequency, settings.dwell)


LEAKAGE = register(
    Kind(
        name="leakage",
        title="Leakage",
        settings=LeakageSettings,
        limits={
            "current": LimitSlot(CURRENT, title="Leakage current, rms"),
            "peak_current": LimitSlot(CURRENT, title="Leakage current, peak"),
            "voltage": LimitSlot(VOLTAGE, title="Supply voltage"),
            "load_current": LimitSlot(CURRENT, title="Load current"),
            **TIME_SLOT,
        },
        measured_as={"supply": "voltage", "dwell": "time_at_level"},
        judged_by=("current", "peak_current"),
        procedure=procedure,
        demands=demands,
        programmed_s=lambda settings: settings.dwell,
        why_not=why_not_at_mains,
    )
)
