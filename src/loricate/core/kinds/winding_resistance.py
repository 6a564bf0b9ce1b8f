"""Resistance of windings in Ω, four-wire between each two leads, with what the phases make of it.

The meter first reaches its current, and the volts must then stay within a share of themselves for a
time (``core.measuring.steady_current``); what does not become steady gives no resistance. The meter
takes its current out of the winding before anything is opened.

R at the reference temperature: (k + T_ref)/(k + T) (``core.windings.temperature``). Phases from
lead-to-lead resistances, and their unbalance by the definition that is set:
``core.windings.phases``.
"""

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import Annotated

from pydantic import Field

from loricate.core.kinds.advice import Advice, Considered, Severity
from loricate.core.kinds.corrected import CORRECTED, corrected_slot, of_conductor, untold_advice
from loricate.core.kinds.kind import Demand, KindSettings, Limits, LimitSlot, Point, Points
from loricate.core.kinds.outputs import falls_short, overstressed
from loricate.core.limits.limit import Limit, LimitSource
from loricate.core.measuring.actions import (
    Asking,
    At,
    Ending,
    Output,
    Procedure,
    Tell,
    UnitTemperature,
    do,
)
from loricate.core.measuring.grading import Cause, Fault, Measured
from loricate.core.measuring.readings import Bound, Measurand, Reading, resistance_of
from loricate.core.measuring.roles import LOW_RESISTANCE
from loricate.core.measuring.steady_current import SteadyBy, steady_current, without_fixture
from loricate.core.products.product import Product
from loricate.core.quantities import (
    CURRENT,
    RATIO,
    RESISTANCE,
    TIME,
    VOLTAGE,
    Amperes,
    Celsius,
    Fraction,
    Seconds,
    display,
)
from loricate.core.windings.phases import (
    Connection,
    LeadToLead,
    NoSuchPhases,
    PerPhase,
    Unbalance,
    per_phase,
    unbalance,
)
from loricate.core.windings.temperature import Conductor

DEFINED = {
    Unbalance.DEVIATION_OVER_MEAN: "greatest deviation from the mean, over the mean",
    Unbalance.SPREAD_OVER_MEAN: "greatest less least, over the mean",
    Unbalance.SPREAD_OVER_LEAST: "greatest less least, over the least",
}
THREE = 3
NOMINAL = LimitSource(engineer="the product's nominal resistance")
LOOSE = 0.05  # an unbalance that no sound winding comes near
USUAL_V = 10.0  # what such a meter gives at most, where the bench is not known
NOTHING = 0.01  # of its current that a meter gives into an open lead
WHY_NOT = "The product names no leads or windings; name them in its winding section."


class WindingResistance(KindSettings):
    """The current, how steady it must be, and what the resistances are told at."""

    name = "winding_resistance"
    title = "Winding resistance"
    slots = {
        "resistance": LimitSlot(RESISTANCE, title="Resistance as measured"),
        **corrected_slot("the reference temperature"),
        "unbalance": LimitSlot(RATIO, title="Unbalance", of_whole=True, side="maximum"),
        "phase_unbalance": LimitSlot(
            RATIO, title="Unbalance of the phases", of_whole=True, side="maximum"
        ),
    }
    meters = ("current", "voltage", "resistance")
    advises = ("coarse_steady", "limit_out_of_reach", "loose_unbalance", "no_temperature")

    current: Annotated[Amperes, Field(gt=0)] = Field(default=1.0, title="Test current")
    tolerance: Annotated[Fraction, Field(gt=0, lt=1)] = Field(
        default=0.05, title="Current tolerance", description="Departure still accepted"
    )
    steady_within: Annotated[Fraction, Field(gt=0, lt=0.1)] = Field(
        default=0.001, title="Steady within", description="A share of the volts"
    )
    steady_for: Annotated[Seconds, Field(gt=0, le=60)] = Field(
        default=0.5, title="Steady for", description="Or as long as the current took to rise"
    )
    at_most: Annotated[Seconds, Field(gt=0, le=1800)] = Field(
        default=60.0,
        title="Waits at most",
        description="For the current to be reached, and again for it to become steady",
    )
    reference: Celsius = Field(default=20.0, title="Reference temperature")
    definition: Unbalance = Field(default=Unbalance.DEVIATION_OVER_MEAN, title="Unbalance as")

    @classmethod
    def why_not(cls, product: Product) -> str:
        return "" if product.winding is not None and product.winding.pairs else WHY_NOT

    def points(self, product: Product) -> Points:
        """Each two leads, and each winding."""
        section = product.winding
        if section is None:
            return ()
        nominal = {
            each.name: (each.resistance, each.tolerance)
            for each in section.windings
            if each.resistance is not None
        }
        return tuple(
            Point(
                name,
                {
                    "terminals": (a, b),
                    "leads": section.leads,
                    "conductor": section.conductor,
                    "connection": section.connection,
                    "nominal": nominal.get(name),
                },
            )
            for name, a, b in section.pairs
        )

    def zeroed_contacts(self, points: Points) -> tuple[str, ...]:
        return tuple(dict.fromkeys(end for point in points for end in point.values["terminals"]))

    def shares_terminals(self) -> bool:
        return True

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Each two leads in their order, then what they are together."""
        temperature = yield from do(UnitTemperature())
        conductor: Conductor = points[0].values["conductor"]
        readings: list[Reading] = []
        faults: list[Fault] = []
        notes: dict[str, None] = {}
        ohms: list[Reading] = []
        for number, point in enumerate(points, start=1):
            yield from do(At(point.name, number, len(points)))
            made, found, note = yield from self._between(point)
            notes[note] = None
            readings += [each.at(point.name) for each in made]
            faults += [replace(each, point=point.name) for each in found]
            if found or not made or made[0].quantity != "resistance":
                continue
            ohms.append(readings[-len(made)])
            corrected, why = of_conductor(ohms[-1], temperature, conductor, self.reference)
            notes[why] = None
            if corrected is not None:
                readings.append(corrected)
        if len(ohms) == len(points) == THREE == len(points[0].values["leads"]):
            three, odd = self._together(points, ohms, temperature)
            readings += three
            faults += odd
            notes[f"Unbalance: {DEFINED[self.definition]}."] = None
        return Measured(tuple(readings), tuple(faults), " ".join(filter(None, notes)))

    def _between(self, point: Point) -> Asking[tuple[tuple[Reading, ...], tuple[Fault, ...], str]]:
        """The resistance of one pair, or what is wrong with it, or why it could not be told."""
        a, b = point.values["terminals"]
        share = display(self.steady_within, RATIO, 2)
        steady_for = display(self.steady_for, TIME, 2)
        told = f"{point.name}: waits until the volts stay within {share} for {steady_for}."
        yield from do(Tell(told))
        output, is_steady = yield from steady_current(a, b, self._steady_by)
        voltage, current = output.reading("voltage", VOLTAGE), output.reading("current", CURRENT)
        if fault := self._fault(output, current):
            return (voltage, current), (fault,), ""
        if not is_steady:
            waited = display(self.at_most, TIME, 2)
            note = f"{point.name}: the volts did not become steady within {waited}."
            return (voltage, current), (), note
        ohms = yield from without_fixture(resistance_of(voltage, current), a, b)
        return (ohms, voltage, current), (), ""

    @property
    def _steady_by(self) -> SteadyBy:
        return SteadyBy(self.current, self.steady_within, self.steady_for, self.at_most)

    def _fault(self, output: Output, current: Reading) -> Fault | None:
        """Why a pair has no resistance that counts."""
        if output.ending is not Ending.FINISHED:
            return Fault(Cause.OPEN, text="Its current broke off while it was on.")
        if current.bound is Bound.BELOW or not abs(current.value) >= self.current * NOTHING:
            return Fault(Cause.OPEN)
        if overstressed(output, "current", self.current, self.tolerance):
            return Fault(Cause.OVERSTRESS)
        if falls_short(current, self.current, self.tolerance):
            return Fault(Cause.LEVEL_NOT_REACHED)
        return None

    def _together(
        self, points: Points, ohms: Sequence[Reading], temperature: Reading | None
    ) -> tuple[list[Reading], list[Fault]]:
        """What the three are together: their unbalance, and each phase by itself."""
        found: list[Reading] = []
        three = LeadToLead(*(each.value for each in ohms))
        if not all(math.isfinite(each) and each > 0 for each in three):
            return found, []
        spread = max(each.uncertainty for each in ohms)
        instrument = ohms[0].instrument
        found.append(self._unbalance("unbalance", three, spread, instrument))
        connection: Connection | None = points[0].values["connection"]
        if connection is None:
            return found, []
        try:
            phases = per_phase(three, connection, spread)
        except NoSuchPhases as error:
            return found, [Fault(Cause.OPEN, text=str(error))]
        names = points[0].values["leads"]
        if connection is Connection.DELTA:
            names = [point.name for point in points]
        conductor: Conductor = points[0].values["conductor"]
        # Half of what three independent pairs leave in a star's phase; of a delta about as much.
        apart = math.sqrt(THREE) / 2 * spread / min(three) * max(phases)
        for name, value in zip(names, phases, strict=True):
            phase = Reading(
                "phase_resistance",
                value,
                RESISTANCE,
                name,
                uncertainty=apart,
                instrument=instrument,
            )
            corrected, _ = of_conductor(
                phase, temperature, conductor, self.reference, "phase_resistance"
            )
            found.append(phase if corrected is None else corrected)
        found.append(self._unbalance("phase_unbalance", phases, apart, instrument))
        return found, []

    def _unbalance(
        self, quantity: str, values: LeadToLead | PerPhase, spread: float, instrument: str
    ) -> Reading:
        mean = sum(values) / THREE
        return Reading(
            quantity,
            unbalance(values, self.definition),
            RATIO,
            uncertainty=spread / mean,
            instrument=instrument,
        )

    def judged(self, points: Points, limits: Limits) -> Limits:
        """A winding's own nominal resistance, with its tolerance, beside what is written."""
        found = dict(limits)
        for point in points:
            if point.values["nominal"] is None:
                continue
            ohms, tolerance = point.values["nominal"]
            own = Limit(
                dimension=RESISTANCE.name,
                minimum=ohms * (1 - tolerance),
                maximum=ohms * (1 + tolerance),
                source=NOMINAL,
            )
            found.setdefault(Measurand(CORRECTED, point.name), own)
        return found

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """The meter must give the current for long enough."""
        longest_s = self._steady_by.longest_s
        return (
            Demand(LOW_RESISTANCE, "level_a", self.current, CURRENT, "current"),
            Demand(LOW_RESISTANCE, "dwell_s", longest_s, TIME, "at_most"),
        )

    def programmed_s(self, points: Points) -> float:
        return len(points) * (1.0 + self.steady_for)

    def fails_when_empty(self, limits: Limits) -> bool:
        return True

    def advice(self, step: Considered) -> Iterator[Advice]:
        """What decides nothing: a limit that the meter cannot reach, or that lets all pass."""
        yield from untold_advice(step)
        yield from self._coarse(step)
        yield from self._out_of_reach(step)
        loosest = max((limit.maximum or 0.0 for limit in step.limits_of("unbalance")), default=0.0)
        if loosest > LOOSE:
            yield Advice(
                "loose_unbalance",
                Severity.WARNING,
                f"it lets an unbalance of {display(loosest, RATIO, 2)} pass: a phase may lack a "
                "tenth of its turns.",
                f"Set {display(LOOSE, RATIO, 2)} or less.",
            )

    def _out_of_reach(self, step: Considered) -> Iterator[Advice]:
        meter = step.instrument(LOW_RESISTANCE)
        volts = meter.open_circuit_v if meter is not None else None
        most_ohms = (USUAL_V if volts is None else volts) / self.current
        for quantity in ("resistance", CORRECTED):
            for limit in step.limits_of(quantity):
                if limit.maximum is not None and limit.maximum <= most_ohms:
                    continue
                told = limit.text or "is none"
                yield Advice(
                    "limit_out_of_reach",
                    Severity.WARNING,
                    f"its {quantity.replace('_', ' ')} {told} has no maximum that "
                    f"{display(self.current, CURRENT)} can measure (up to "
                    f"{display(most_ohms, RESISTANCE, 3)}).",
                    "Set the maximum of the drawing, or less current.",
                )
                return

    def _coarse(self, step: Considered) -> Iterator[Advice]:
        """What is called steady must be finer than what the limits tell apart."""
        finest = min(
            (
                limit.maximum
                for measurand, limit in step.limits.items()
                if measurand.quantity in ("unbalance", "phase_unbalance")
                and limit.maximum is not None
            ),
            default=math.inf,
        )
        if self.steady_within > finest / 4:
            share, most = display(self.steady_within, RATIO, 2), display(finest, RATIO, 2)
            yield Advice(
                "coarse_steady",
                Severity.WARNING,
                f"it calls volts steady that still change by {share}, and its unbalance may be "
                f"{most}: what is left of the current's rise is taken for unbalance.",
                f"Set steady within to {display(finest / 10, RATIO, 2)} or less.",
            )
