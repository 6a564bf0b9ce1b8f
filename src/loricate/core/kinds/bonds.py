"""What steps share that pass a current through a low resistance."""

from collections.abc import Iterator

from loricate.core.kinds.advice import Advice, Considered, Severity
from loricate.core.limits.grouping import grouped
from loricate.core.measuring.roles import BOND
from loricate.core.quantities import CURRENT, RESISTANCE, display

USUAL_CIRCUIT_V = 6.0  # where the bench is not known


def beyond_the_source(step: Considered, least_a: float) -> Iterator[Advice]:
    """A maximum that the source could never drive its least current through decides nothing."""
    source = step.instrument(BOND)
    volts = source.open_circuit_v if source is not None else None
    most = (volts or USUAL_CIRCUIT_V) / least_a
    for told, _, limit in grouped(step.limits):
        if limit.dimension != RESISTANCE.name or limit.maximum is None or limit.maximum <= most:
            continue
        yield Advice(
            "limit_out_of_reach",
            Severity.ERROR,
            f"its {told} {limit.text} is more than the source can drive "
            f"{display(least_a, CURRENT)} through ({display(most, RESISTANCE)}): "
            "the limit decides nothing.",
            "Set the maximum that the standard or the drawing asks, or less current.",
        )
