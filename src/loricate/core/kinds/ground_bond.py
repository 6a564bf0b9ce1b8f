"""Ground bond: a high current through the protective earth, four-wire; resistance in Ω.

R is the voltage across the sense leads over the re-measured current (IEC 60335-1 Annex A: at least
10 A from a source of at most 12 V). With the loop open the current stays under the meter's floor
and R comes out as `above` a computed bound. Errors: an instrument fault is raised by the engine.
"""

from collections.abc import Mapping
from typing import Annotated

from pydantic import Field

from loricate.core.kinds.outputs import TIME_SLOT, falls_short, overstressed
from loricate.core.kinds.registry import Demand, Kind, KindSettings, LimitSlot, register
from loricate.core.limits.limit import Limit
from loricate.core.measuring.actions import Connect, Procedure, Role, put_on
from loricate.core.measuring.grading import Cause, Measured
from loricate.core.measuring.readings import Bound, resistance_of
from loricate.core.products.product import Product, Terminal
from loricate.core.quantities import CURRENT, RESISTANCE, TIME, VOLTAGE, Amperes, Fraction, Seconds


class GroundBondSettings(KindSettings):
    """Test current and its path through the protective earth."""

    earth: Terminal = Field(default="PE", title="Earth terminal")
    part: Terminal = Field(title="Accessible part", description="Where the bond must reach")
    current: Annotated[Amperes, Field(gt=0)] = Field(default=25.0, title="Test current")
    dwell: Annotated[Seconds, Field(gt=0)] = Field(default=3.0, title="Dwell")
    tolerance: Annotated[Fraction, Field(gt=0, lt=1)] = Field(
        default=0.1,
        title="Current tolerance",
        description="Departure of the current still accepted",
    )

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        return {"earth": (self.earth,), "part": (self.part,)}


def procedure(settings: GroundBondSettings, limits: Mapping[str, Limit]) -> Procedure:
    """Pass the current, then report current, volts and resistance as re-measured."""
    yield Connect(Role.BOND, {"high": (settings.earth,), "low": (settings.part,)})
    output = yield from put_on(Role.BOND, {"level_a": settings.current, "dwell_s": settings.dwell})
    current = output.reading("current", CURRENT)
    voltage = output.reading("voltage", VOLTAGE)
    readings = (resistance_of(voltage, current), current, voltage, output.time_at_level)
    if current.bound is Bound.BELOW:
        return Measured(readings, (Cause.OPEN,))
    if overstressed(output, "current", settings.current, settings.tolerance):
        return Measured(readings, (Cause.OVERSTRESS,))
    # A source that ran out of volts has found a bad bond; only the corrected value can tell.
    is_short = falls_short(current, settings.current, settings.tolerance)
    return Measured(readings, unless_failed=(Cause.LEVEL_NOT_REACHED,) if is_short else ())


def demands(settings: GroundBondSettings, limits: Mapping[str, Limit]) -> tuple[Demand, ...]:
    """The source must reach the current and hold it for the dwell."""
    return (
        Demand(Role.BOND, "level_a", settings.current, CURRENT, "current"),
        Demand(Role.BOND, "dwell_s", settings.dwell, TIME, "dwell"),
    )


def why_not(product: Product) -> str:
    """Only class I has a protective earth; of what has no class nobody knows."""
    if product.protection_class in ("II", "III"):
        return f"class {product.protection_class} has no protective earth"
    return ""


GROUND_BOND = register(
    Kind(
        name="ground_bond",
        title="Ground bond",
        settings=GroundBondSettings,
        limits={
            "resistance": LimitSlot(RESISTANCE, needed=True, title="Resistance"),
            "current": LimitSlot(CURRENT, title="Test current"),
            **TIME_SLOT,
        },
        measured_as={"current": "current", "dwell": "time_at_level"},
        procedure=procedure,
        demands=demands,
        programmed_s=lambda settings: settings.dwell,
        why_not=why_not,
        leads=lambda settings: {"resistance": (settings.earth, settings.part)},
    )
)
