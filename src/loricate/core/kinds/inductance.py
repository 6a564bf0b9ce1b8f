"""Inductance of windings in H, and leakage inductance: from one side with others shorted.

L = X/(2πf) of the series form, referred to the side that is driven. What the fixture adds is taken
out by its open and shorted zero at each path and frequency (``core.measuring.impedance``), and both
values are kept. A winding whose reactance is a capacitance is none; beyond the meter's range it is
open.
"""

from collections.abc import Iterator, Mapping
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, model_validator

from loricate.core.documents import fault_at
from loricate.core.kinds.advice import Advice, Considered, Severity
from loricate.core.kinds.kind import (
    Demand,
    KindSettings,
    Limits,
    LimitSlot,
    NominalPlace,
    Point,
    Points,
)
from loricate.core.limits.limit import Code, Limit, LimitSource
from loricate.core.measuring.actions import (
    Asking,
    At,
    Connect,
    Energise,
    FixtureZero,
    Procedure,
    do,
)
from loricate.core.measuring.grading import Cause, Fault, Measured
from loricate.core.measuring.impedance import ImpedancePath, corrected, inductance_h
from loricate.core.measuring.readings import Bound, Measurand, Reading
from loricate.core.measuring.roles import IMPEDANCE
from loricate.core.products.families.section import Terminal
from loricate.core.products.product import Product
from loricate.core.quantities import (
    FREQUENCY,
    INDUCTANCE,
    RATIO,
    RESISTANCE,
    VOLTAGE,
    Fraction,
    Henries,
    Hertz,
    Seconds,
    Volts,
    display,
)

LOOSE = 0.5
USUAL = 0.1  # tolerance
NOMINAL = LimitSource(engineer="the nominal inductance of this step")


class CoilPoint(BaseModel):
    """One winding by its ends, and the inductance that it should have."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: Code = Field(title="Name")
    high: Terminal = Field(title="High terminal")
    low: Terminal = Field(title="Low terminal")
    short: tuple[Terminal, ...] = Field(
        default=(), title="Shorted", description="Pins joined with each other: of a leakage"
    )
    nominal: Annotated[Henries, Field(gt=0)] = Field(title="Nominal inductance")
    tolerance: Annotated[Fraction, Field(gt=0, lt=1)] = Field(default=USUAL, title="Tolerance")


class Inductance(KindSettings):
    """The signal, and each winding with its nominal value."""

    name = "inductance"
    title = "Inductance"
    slots = {
        "inductance": LimitSlot(INDUCTANCE, title="Inductance"),
        "resistance": LimitSlot(RESISTANCE, title="Series resistance"),
    }
    judged_by = ()
    meters = ("impedance",)
    advises = ("loose_inductance",)

    coils: tuple[CoilPoint, ...] = Field(min_length=1, max_length=40, title="Windings")
    tie: tuple[Terminal, ...] = Field(
        default=(), title="Tied", description="Pins that the step joins with each other"
    )
    level: Annotated[Volts, Field(gt=0)] = Field(default=1.0, title="Signal", description="rms")
    frequency: Annotated[Hertz, Field(gt=0)] = Field(default=1000.0, title="Frequency")
    dwell: Annotated[Seconds, Field(gt=0)] = Field(default=0.2, title="Dwell")

    @model_validator(mode="after")
    def _fit(self) -> "Inductance":
        names = [each.name for each in self.coils]
        if len(set(names)) < len(names):
            raise fault_at("coils", "has a name twice", "each needs its own.")
        for place, each in enumerate(self.coils):
            if each.high == each.low:
                raise fault_at(f"coils[{place}].low", "is its high terminal", "name the other end.")
            if {each.high, each.low} <= set(each.short) or len(each.short) == 1:
                raise fault_at(f"coils[{place}].short", "shorts what it measures", "name others.")
        if len(self.tie) == 1:
            raise fault_at("tie", "has one pin alone", "name those that it is joined with.")
        return self

    def points(self, product: Product) -> Points:
        """Each winding."""
        return tuple(
            Point(each.name, {"coil": each, "terminals": (each.high, each.low, *each.short)})
            for each in self.coils
        )

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        ends = (end for each in self.coils for end in (each.high, each.low, *each.short))
        return {"coils": tuple(dict.fromkeys(ends)), "tie": self.tie}

    def shares_terminals(self) -> bool:
        return True

    def impedance_paths(self) -> tuple[ImpedancePath, ...]:
        return tuple(dict.fromkeys(self._path(each) for each in self.coils))

    def _path(self, coil: CoilPoint) -> ImpedancePath:
        return ImpedancePath(coil.high, coil.low, self.frequency)

    def place_of_nominal(self, measurand: Measurand) -> NominalPlace | None:
        """Each winding has its own."""
        names = [each.name for each in self.coils]
        if measurand.quantity != "inductance" or measurand.point not in names:
            return None
        place = ("settings", "coils", names.index(measurand.point))
        return NominalPlace((*place, "nominal"), (*place, "tolerance"), USUAL)

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Measure each winding, and take the fixture out of it."""
        readings: list[Reading] = []
        faults: list[Fault] = []
        for number, point in enumerate(points, start=1):
            yield from do(At(point.name, number, len(points)))
            found, fault = yield from self._one(point.values["coil"])
            readings += [each.at(point.name) for each in found]
            faults += fault
        return Measured(tuple(readings), tuple(faults))

    def _one(self, coil: CoilPoint) -> Asking[tuple[tuple[Reading, ...], tuple[Fault, ...]]]:
        zero = yield from do(FixtureZero(self._path(coil)))
        terminals: dict[str, tuple[str, ...]] = {"high": (coil.high,), "low": (coil.low,)}
        if coil.short:
            terminals["short"] = coil.short
        if self.tie:
            terminals["tie"] = self.tie
        yield from do(Connect(IMPEDANCE, terminals))
        programme = {
            "level_v": self.level,
            "frequency_hz": self.frequency,
            "dwell_s": self.dwell,
        }
        output = yield from do(Energise(IMPEDANCE, programme))
        size = output.reading("impedance", RESISTANCE)
        if size.bound is not Bound.EXACT:
            text = f"{coil.name} is open between {coil.high} and {coil.low}."
            return (size,), (Fault(Cause.OPEN, coil.name, text),)
        measured = complex(output.summary["resistance"], output.summary["reactance"])
        ohms = measured if zero is None else corrected(measured, zero)
        relative = size.uncertainty / size.value if size.value else 0.0
        if ohms.imag < 0:
            text = f"{coil.name} is a capacitance between {coil.high} and {coil.low}, no winding."
            return (size,), (Fault(Cause.WRONG_COMPONENT, coil.name, text),)
        found = []
        for quantity, dimension, value, before, spread in (
            (
                "inductance",
                INDUCTANCE,
                inductance_h(ohms, self.frequency),
                inductance_h(measured, self.frequency),
                inductance_h(complex(0, abs(ohms)), self.frequency),
            ),
            ("resistance", RESISTANCE, ohms.real, measured.real, abs(ohms)),
        ):
            reading = Reading(
                quantity,
                before,
                dimension,
                uncertainty=relative * spread,
                instrument=size.instrument,
            )
            if zero is not None:
                reading = reading.corrected("zero", value, relative * spread)
            found.append(reading)
        return tuple(found), ()

    def judged(self, points: Points, limits: Limits) -> Limits:
        """The inductance of each winding, at its tolerance unless a limit is written."""
        found = dict(limits)
        for each in self.coils:
            own = Limit(
                dimension=INDUCTANCE.name,
                minimum=each.nominal * (1 - each.tolerance),
                maximum=each.nominal * (1 + each.tolerance),
                source=NOMINAL,
            )
            found.setdefault(Measurand("inductance", each.name), own)
        return found

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """The meter must give the signal at this frequency."""
        return (
            Demand(IMPEDANCE, "level_v", self.level, VOLTAGE, "level"),
            Demand(IMPEDANCE, "frequency_hz", self.frequency, FREQUENCY, "frequency"),
        )

    def programmed_s(self, points: Points) -> float:
        return self.dwell * len(self.coils)

    def fails_when_empty(self, limits: Limits) -> bool:
        return True

    def advice(self, step: Considered) -> Iterator[Advice]:
        """A tolerance that lets shorted turns pass."""
        loosest = max(each.tolerance for each in self.coils)
        if loosest > LOOSE:
            yield Advice(
                "loose_inductance",
                Severity.WARNING,
                f"it lets an inductance be off by {display(loosest, RATIO, 2)}: shorted turns and "
                "a wide gap pass.",
                f"Set {display(LOOSE, RATIO, 2)} or less.",
            )
