"""Leakage at mains voltage through a body-model network; current in A, rms and peak.

`earth` measures the current in the protective earth conductor, `touch` the current from an
accessible part to earth, `patient` that from an applied part; in normal condition or with one
single fault, the neutral or the earth open (IEC 60601-1 8.7). The methods are those of IEC 62353:
direct, differential (what leaves by the line and does not come back), alternative (both poles tied
and fed without mains). The network weights frequency: the medical device of IEC 60601-1 figure
12 (1 kΩ; 10 kΩ with 15 nF) or that of IEC 60990 figure 4 (1500 Ω and 0.22 µF, 500 Ω; 10 kΩ, 22 nF).
The supply voltage is re-measured and the reading refers to it.

With path patient and no part named, every applied part of the product is a point of its own: each
is measured in turn and held against the limits of its own type.
"""

from collections.abc import Iterator, Mapping
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from loricate.core.documents import fault_at
from loricate.core.kinds.advice import Advice, Considered
from loricate.core.kinds.kind import (
    Demand,
    KindSettings,
    Limits,
    LimitSlot,
    Point,
    Points,
)
from loricate.core.kinds.mains import mains_demands, passes_when_off, scaled, why_not_at_mains
from loricate.core.kinds.outputs import TIME_SLOT, beyond_the_meter, level_faults
from loricate.core.measuring.actions import At, Connect, Ending, Energise, Procedure, Programme, do
from loricate.core.measuring.grading import Cause, Fault, Measured
from loricate.core.measuring.readings import Reading
from loricate.core.measuring.roles import LEAKAGE
from loricate.core.products.families.section import Terminal
from loricate.core.products.product import EarthTerminal, Product
from loricate.core.quantities import (
    CURRENT,
    VOLTAGE,
    Amperes,
    Fraction,
    Hertz,
    Seconds,
    Volts,
)


class Leakage(KindSettings):
    """Which leakage, at which supply, in which condition, by which method and network."""

    name = "leakage"
    title = "Leakage"
    slots = {
        "current": LimitSlot(CURRENT, title="Leakage current, rms", side="maximum"),
        "peak_current": LimitSlot(CURRENT, title="Leakage current, peak", side="maximum"),
        "voltage": LimitSlot(VOLTAGE, title="Supply voltage"),
        "load_current": LimitSlot(CURRENT, title="Load current"),
        **TIME_SLOT,
    }
    measured_as = {"supply": "voltage", "dwell": "time_at_level"}
    judged_by = ("current", "peak_current")
    advises = ("empty_nest", "limit_out_of_reach")
    meters = ("voltage", "current", "load_current")

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
        default=None,
        title="Accessible or applied part",
        description="For touch and patient; without it, patient measures every applied part",
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

    @classmethod
    def why_not(cls, product: Product) -> str:
        return why_not_at_mains(product)

    @model_validator(mode="after")
    def _fits_together(self) -> "Leakage":
        if self.method == "differential" and self.path != "earth":
            raise fault_at("path", "is not what method differential measures", "choose earth.")
        if self.method == "alternative" and self.condition != "normal":
            raise fault_at(
                "condition", "needs mains, and method alternative has none", "choose normal."
            )
        if self.condition == "open_earth" and (self.earth is None or self.path == "earth"):
            place = "earth" if self.earth is None else "path"
            reason = "is not fit for condition open_earth"
            raise fault_at(place, reason, "give an earth terminal and a path other than earth.")
        if self.path == "touch" and self.part is None:
            raise fault_at("part", "is missing for path touch", "give the accessible part.")
        return self

    def points(self, product: Product) -> Points:
        """The part that is measured, of its own type; without one, every applied part."""
        if self.path == "earth":
            return (Point(),)
        parts = product.applied_parts
        if self.part is None:
            return tuple(
                Point(part.id, {"terminals": part.terminals, "applied_part": part.type})
                for part in parts
            )
        values: dict[str, Any] = {"terminals": (self.part,)}
        types = [part.type for part in parts if self.part in part.terminals]
        if self.path == "patient" and types:
            values["applied_part"] = types[0]
        return (Point(values=values),)

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        used: dict[str, tuple[str, ...]] = {"line": (self.line,), "neutral": (self.neutral,)}
        if self.earth is not None:
            used["earth"] = (self.earth,)
        if self.path != "earth" and self.part is not None:
            used["part"] = (self.part,)
        return used

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Supply the unit, wait out the dwell, report leakage, supply and load current.

        So at each point. With ``nominal`` the leakage is scaled to that supply,
        I·V_nominal/V_measured (IEC 62353).
        """
        readings: list[Reading] = []
        faults: list[Fault] = []
        for number, point in enumerate(points, start=1):
            if len(points) > 1:
                yield from do(At(point.name, number, len(points)))
            measured = yield from self._measure(point)
            readings += [reading.at(point.name) for reading in measured.readings]
            faults += [Fault(fault.cause, point.name) for fault in measured.faults]
        return Measured(tuple(readings), tuple(faults))

    def _measure(self, point: Point) -> Procedure:
        terminals = {"line": (self.line,), "neutral": (self.neutral,)}
        if self.earth is not None and self.condition != "open_earth":
            terminals["earth"] = (self.earth,)
        if self.path != "earth":
            terminals["body"] = point.values["terminals"]
        yield from do(Connect(LEAKAGE, terminals))
        programme: Programme = {
            "path": "earth" if self.path == "earth" else "touch",
            "method": self.method,
            "neutral": "open" if self.condition == "open_neutral" else "closed",
            "network": self.network,
            "polarity": self.polarity,
            "level_v": self.supply,
            "frequency_hz": self.frequency,
            "dwell_s": self.dwell,
        }
        output = yield from do(Energise(LEAKAGE, programme))
        supply = output.reading("voltage", VOLTAGE)
        load = output.reading("load_current", CURRENT)
        names = [name for name in ("current", "peak_current") if name in output.summary]
        leaking = [output.reading(name, CURRENT) for name in names]
        if self.nominal is not None:
            leaking = [scaled(reading, self.nominal, supply) for reading in leaking]
        readings = (*leaking, supply, load, output.time_at_level)
        if output.ending is not Ending.FINISHED:
            return Measured(readings, (Fault(Cause.OVER_LIMIT),))
        faults = level_faults(output, supply, "voltage", self.supply, self.tolerance)
        if not faults and self._is_switched_wrong(load):
            faults = (Fault(Cause.NO_CONTACT if self.switch == "on" else Cause.SWITCHED_ON),)
        return Measured(readings, faults)

    def _is_switched_wrong(self, load: Reading) -> bool:
        """Whether the load current says that the unit is not switched as the step wants it.

        An open neutral lets no load current flow, nor does the alternative method.
        """
        if self.condition == "open_neutral" or self.method == "alternative":
            return False
        if self.switch == "on":
            return self.load_current > 0 and not load.value >= self.load_current
        return self.load_current > 0 and not load.value <= self.load_current

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """The supply must reach the voltage and hold it."""
        return mains_demands(self.supply, self.frequency, self.dwell)

    def programmed_s(self, points: Points) -> float:
        return self.dwell * max(1, len(points))

    def wants_switch(self) -> str:
        return self.switch

    def fails_when_empty(self, limits: Limits) -> bool:
        wants_load = self.load_current > 0 and self.switch == "on"
        return (wants_load and self.condition != "open_neutral") or any(
            bool(limit.minimum) for limit in limits.values()
        )

    def advice(self, step: Considered) -> Iterator[Advice]:
        if not self.fails_when_empty(step.limits):
            yield from passes_when_off()
        yield from beyond_the_meter(step, LEAKAGE)
