"""What steps share that run the unit at mains."""

from loricate.core.actions import Role
from loricate.core.kinds.registry import Demand
from loricate.core.products import Product
from loricate.core.quantities import FREQUENCY, TIME, VOLTAGE


def mains_demands(supply_v: float, frequency_hz: float, dwell_s: float) -> tuple[Demand, ...]:
    """The supply must reach the voltage in V and the frequency in Hz, and hold them in s."""
    return (
        Demand(Role.LEAKAGE, "level_v", supply_v, VOLTAGE, "supply"),
        Demand(Role.LEAKAGE, "frequency_hz", frequency_hz, FREQUENCY, "frequency"),
        Demand(Role.LEAKAGE, "dwell_s", dwell_s, TIME, "dwell"),
    )


def why_not_at_mains(product: Product) -> str:
    """Only what has a rated voltage can be run at it."""
    return "" if product.supply_voltage is not None else "the product has no rated voltage"
