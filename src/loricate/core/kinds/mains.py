"""What steps share that run the unit at mains."""

import math
from collections.abc import Iterator

from loricate.core.kinds.advice import Advice, Severity
from loricate.core.kinds.kind import Demand
from loricate.core.measuring.readings import Bound, Reading
from loricate.core.measuring.roles import LEAKAGE
from loricate.core.products.product import Product
from loricate.core.quantities import FREQUENCY, TIME, VOLTAGE


def mains_demands(supply_v: float, frequency_hz: float, dwell_s: float) -> tuple[Demand, ...]:
    """The supply must reach the voltage in V and the frequency in Hz, and hold them in s."""
    return (
        Demand(LEAKAGE, "level_v", supply_v, VOLTAGE, "supply"),
        Demand(LEAKAGE, "frequency_hz", frequency_hz, FREQUENCY, "frequency"),
        Demand(LEAKAGE, "dwell_s", dwell_s, TIME, "dwell"),
    )


def scaled(reading: Reading, nominal_v: float, supply: Reading, power: int = 1) -> Reading:
    """A reading as it were at the nominal supply: times (V_nominal/V_measured)^power.

    The supply's own uncertainty is in it. Of a supply that is no number, or nothing, comes NaN.
    """
    is_known = supply.bound is Bound.EXACT and supply.value > 0
    factor = (nominal_v / supply.value) ** power if is_known else math.nan
    value = reading.value * factor
    share = power * supply.uncertainty / supply.value if is_known else 0.0
    spread = math.hypot(reading.uncertainty * factor, value * share)
    return reading.corrected("supply", value, spread if math.isfinite(spread) else 0.0)


def why_not_at_mains(product: Product) -> str:
    """Only what has a rated voltage can be run at it."""
    return "" if product.supply_voltage is not None else "the product has no rated voltage"


def passes_when_off() -> Iterator[Advice]:
    """The advice for a step at mains that nothing shows to be on."""
    yield Advice(
        "empty_nest",
        Severity.WARNING,
        "passes with the unit switched off or not connected.",
        "Give it a least load current or a minimum.",
    )
