"""Ground bond: a high current through the protective earth, four-wire; resistance in Ω.

R is the voltage across the sense leads over the re-measured current (IEC 60335-1 Annex A: at least
10 A from a source of at most 12 V). With the loop open the current stays under the meter's floor
and R comes out as `above` a computed bound. Errors: an instrument fault is raised by the engine.

Of a cord that is flexed meanwhile the greatest resistance counts: what is loose shows only while it
is moved. One that was looked at too seldom, or not for as long as asked, decides nothing.
"""

import math
from collections.abc import Iterator, Mapping, Sequence
from itertools import pairwise
from typing import Annotated

from pydantic import Field

from loricate.core.kinds.advice import Advice, Considered
from loricate.core.kinds.bonds import beyond_the_source
from loricate.core.kinds.hand_lead import NOT_ZEROED, USUAL_OHMS, without_lead, zero_of_lead
from loricate.core.kinds.kind import Demand, KindSettings, Limits, LimitSlot, Points
from loricate.core.kinds.outputs import TIME_SLOT, falls_short, overstressed
from loricate.core.measuring.actions import (
    Asking,
    Connect,
    Energise,
    Look,
    Procedure,
    Watch,
    do,
)
from loricate.core.measuring.grading import Cause, Fault, Measured
from loricate.core.measuring.holding import Answered, For
from loricate.core.measuring.readings import Bound, Doubt, Measurand, Reading, resistance_of
from loricate.core.measuring.roles import BOND
from loricate.core.products.families.section import Terminal
from loricate.core.products.product import Product
from loricate.core.quantities import (
    CURRENT,
    RESISTANCE,
    TIME,
    VOLTAGE,
    Amperes,
    Fraction,
    Ohms,
    Seconds,
    display,
)

DONE = "done"
MOST_FLEXED_S, OVER_S = 120.0, 5.0
LEAST_LOOKS, WIDEST = 10, 0.5  # of the time asked for: between two looks


class GroundBond(KindSettings):
    """Test current and its path through the protective earth."""

    name = "ground_bond"
    title = "Ground bond"
    slots = {
        "resistance": LimitSlot(RESISTANCE, needed=True, title="Resistance", side="maximum"),
        "current": LimitSlot(CURRENT, title="Test current"),
        **TIME_SLOT,
    }
    measured_as = {"current": "current", "dwell": "time_at_level"}
    advises = ("limit_out_of_reach",)
    meters = ("current", "voltage", "resistance")

    earth: Terminal = Field(default="PE", title="Earth terminal")
    part: Terminal = Field(title="Accessible part", description="Where the bond must reach")
    current: Annotated[Amperes, Field(gt=0)] = Field(default=25.0, title="Test current")
    dwell: Annotated[Seconds, Field(gt=0)] = Field(default=3.0, title="Dwell")
    tolerance: Annotated[Fraction, Field(gt=0, lt=1)] = Field(
        default=0.1,
        title="Current tolerance",
        description="Departure of the current still accepted",
    )

    flexed: Annotated[Seconds, Field(ge=5, le=60)] | None = Field(
        default=None,
        title="Cord flexed for",
        description="At least: it is moved along its length, and the greatest resistance counts",
    )

    lead_zeroed: Annotated[Seconds, Field(gt=0)] | None = Field(
        default=None,
        title="Test lead zeroed within",
        description="Asked for when it is longer ago: its clip is put on the earth terminal itself",
    )
    lead_at_most: Annotated[Ohms, Field(gt=0, le=0.5)] | None = Field(
        default=None,
        title="Test lead at most",
        description="What reads more there is no zero of a lead; 0.1 Ω where nothing is said",
    )

    @classmethod
    def why_not(cls, product: Product) -> str:
        """Only class I has a protective earth; of what has no class nobody knows."""
        if product.protection_class in ("II", "III"):
            return f"class {product.protection_class} has no protective earth"
        return ""

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        return {"earth": (self.earth,), "part": (self.part,)}

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Pass the current, then report current, volts and resistance as re-measured."""
        if self.lead_zeroed is None:
            return (yield from self._bond())
        lead = yield from zero_of_lead(
            self.earth, self.part, self.current, self.lead_zeroed, self.lead_at_most or USUAL_OHMS
        )
        if lead is None:
            return Measured(note=NOT_ZEROED)
        return without_lead((yield from self._bond()), lead)

    def _bond(self) -> Procedure:
        yield from do(Connect(BOND, {"high": (self.earth,), "low": (self.part,)}))
        if self.flexed is not None:
            return (yield from self._flexing(self.flexed))
        programme = {"level_a": self.current, "dwell_s": self.dwell}
        output = yield from do(Energise(BOND, programme))
        current = output.reading("current", CURRENT)
        voltage = output.reading("voltage", VOLTAGE)
        readings = (resistance_of(voltage, current), current, voltage, output.time_at_level)
        if current.bound is Bound.BELOW:
            return Measured(readings, (Fault(Cause.OPEN),))
        if overstressed(output, "current", self.current, self.tolerance):
            return Measured(readings, (Fault(Cause.OVERSTRESS),))
        # A source that ran out of volts has found a bad bond; only the corrected value can tell.
        if falls_short(current, self.current, self.tolerance):
            return Measured(readings, (Fault(Cause.LEVEL_NOT_REACHED, gives_way=True),))
        return Measured(readings)

    def _flexing(self, least_s: float) -> Asking[Measured]:
        """Hold the current while somebody moves the cord; the greatest resistance counts."""
        text = (
            f"Flex the cord along its whole length for at least {display(least_s, TIME, 2)}; "
            "answer when you have done it."
        )
        asked = Answered(text, (DONE,), hands_in=True, not_before_s=least_s)
        programme = {"level_a": self.current, "dwell_s": MOST_FLEXED_S + OVER_S}
        watched = yield from do(Watch(BOND, programme, (asked, For(MOST_FLEXED_S))))
        output, held = watched.output, watched.held
        if held is None or held.met != asked:
            return Measured(note="Nobody said that the cord was flexed.")
        looks = [
            Look(each, output.instrument, output.accuracy)
            for each in output.samples
            if each.phase == "dwell"
        ]
        if doubt := _seldom([each.sample.elapsed_s for each in looks], least_s):
            return Measured(doubts=(Doubt(output.instrument, doubt),))
        pairs = [
            (each.reading("voltage", VOLTAGE), each.reading("current", CURRENT)) for each in looks
        ]
        found = [(resistance_of(*pair), *pair) for pair in pairs]
        worst, voltage, current = max(found, key=_badness)
        lasted = Reading("time_at_level", held.held_s, TIME, instrument=output.instrument)
        readings = (worst, current, voltage, lasted)
        note = f"The greatest of {len(found)} readings while the cord was flexed."
        if current.bound is Bound.BELOW:
            return Measured(readings, (Fault(Cause.OPEN),), note)
        if overstressed(output, "current", self.current, self.tolerance):
            return Measured(readings, (Fault(Cause.OVERSTRESS),), note)
        if falls_short(current, self.current, self.tolerance):
            return Measured(readings, (Fault(Cause.LEVEL_NOT_REACHED, gives_way=True),), note)
        return Measured(readings, note=note)

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """The source must reach the current and hold it for the dwell."""
        held_s = self.dwell if self.flexed is None else MOST_FLEXED_S + OVER_S
        return (
            Demand(BOND, "level_a", self.current, CURRENT, "current"),
            Demand(BOND, "dwell_s", held_s, TIME, "dwell" if self.flexed is None else "flexed"),
        )

    def bends(self) -> bool:
        return self.flexed is not None

    def programmed_s(self, points: Points) -> float:
        return self.dwell if self.flexed is None else self.flexed

    def leads(self, points: Points) -> Mapping[Measurand, tuple[str, ...]]:
        if self.lead_zeroed is not None:
            return {}  # it takes its own off
        return {Measurand("resistance"): (self.earth, self.part)}

    def fails_when_empty(self, limits: Limits) -> bool:
        return True

    def advice(self, step: Considered) -> Iterator[Advice]:
        yield from beyond_the_source(step, self.current * (1 - self.tolerance))


def _badness(found: tuple[Reading, Reading, Reading]) -> float:
    """How great a resistance is; what is no number, or only known to be more, is the greatest."""
    resistance = found[0]
    is_number = math.isfinite(resistance.value) and resistance.bound is not Bound.ABOVE
    return resistance.value if is_number else math.inf


def _seldom(times_s: Sequence[float], least_s: float) -> str:
    """Why looks are too few, or too far apart, to have seen what a flexed cord does."""
    gaps = [later - earlier for earlier, later in pairwise(times_s)]
    if len(times_s) < LEAST_LOOKS or max(gaps) > WIDEST * least_s:
        return f"was looked at {len(times_s)} times while the cord was flexed, too seldom"
    return ""
