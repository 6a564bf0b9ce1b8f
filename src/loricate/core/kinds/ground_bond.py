"""Ground bond: a high current through the protective earth, four-wire; resistance in Ω.

R is the voltage across the sense leads over the re-measured current (IEC 60335-1 Annex A: at least
10 A from a source of at most 12 V). With the loop open the current stays under the meter's floor
and R comes out as `above` a computed bound. Errors: an instrument fault is raised by the engine.
"""

from collections.abc import Iterator, Mapping
from typing import Annotated

from pydantic import Field

from loricate.core.kinds.advice import Advice, Considered
from loricate.core.kinds.bonds import beyond_the_source
from loricate.core.kinds.kind import Demand, KindSettings, Limits, LimitSlot, Points
from loricate.core.kinds.outputs import TIME_SLOT, falls_short, overstressed
from loricate.core.measuring.actions import Connect, Energise, Procedure, do
from loricate.core.measuring.grading import Cause, Fault, Measured
from loricate.core.measuring.readings import Bound, Measurand, resistance_of
from loricate.core.measuring.roles import BOND
from loricate.core.products.families.section import Terminal
from loricate.core.products.product import Product
from loricate.core.quantities import CURRENT, RESISTANCE, TIME, VOLTAGE, Amperes, Fraction, Seconds


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
        yield from do(Connect(BOND, {"high": (self.earth,), "low": (self.part,)}))
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

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """The source must reach the current and hold it for the dwell."""
        return (
            Demand(BOND, "level_a", self.current, CURRENT, "current"),
            Demand(BOND, "dwell_s", self.dwell, TIME, "dwell"),
        )

    def programmed_s(self, points: Points) -> float:
        return self.dwell

    def leads(self, points: Points) -> Mapping[Measurand, tuple[str, ...]]:
        return {Measurand("resistance"): (self.earth, self.part)}

    def fails_when_empty(self, limits: Limits) -> bool:
        return True

    def advice(self, step: Considered) -> Iterator[Advice]:
        yield from beyond_the_source(step, self.current * (1 - self.tolerance))
