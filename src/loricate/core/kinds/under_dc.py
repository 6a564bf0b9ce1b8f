"""What kinds share that keep a winding under DC for minutes: ranges, how long it is earthed.

What an insulation has absorbed comes back for a long time, long after it has measured safe: a
winding stays earthed for four times as long as it was under voltage (IEEE 43-2013, IEEE 95).
"""

from collections.abc import Iterator
from typing import Annotated, Any

from pydantic import Field

from loricate.core.kinds.advice import Advice, Considered, Severity
from loricate.core.measuring.actions import Output
from loricate.core.measuring.readings import Doubt
from loricate.core.quantities import CURRENT, NUMBER, VOLTAGE, Number, display

RANGING_S = 10.0  # how long after its level the meter may change its range
TIMES = 4.0  # its time under voltage, for which a winding stays earthed
EARTHED = Annotated[Number, Field(ge=1, le=20)]


def earthed_field() -> Any:
    """The setting of how long the winding stays earthed, in times of its time under voltage."""
    return Field(
        default=TIMES,
        title="Stays earthed, times",
        description="Of its time under voltage, and until it measures safe",
    )


def range_doubts(output: Output, from_s: float) -> tuple[Doubt, ...]:
    """A meter that changed its range during the hold, although it was told not to."""
    ranges = {
        sample.values["current_range"]
        for sample in output.samples
        if sample.phase == "dwell"
        and sample.elapsed_s > from_s
        and "current_range" in sample.values
    }
    if len(ranges) < 2:
        return ()
    told = " and ".join(display(each, CURRENT, 2) for each in sorted(ranges))
    return (Doubt(output.instrument, f"changed its range during the hold ({told})"),)


def low_level(step: Considered, level_v: float) -> Iterator[Advice]:
    """Volts below what the winding is made for prove nothing of its insulation."""
    rated_v = step.product.supply_voltage
    if rated_v is not None and level_v < rated_v:
        yield Advice(
            "low_level",
            Severity.WARNING,
            f"its {display(level_v, VOLTAGE)} are below the rated {display(rated_v, VOLTAGE)}: "
            "what they prove is not the insulation.",
            "Set the level that the standard asks.",
        )


def short_earthing(times: float) -> Iterator[Advice]:
    """Less than the standards' time leaves volts that come back under somebody's hands."""
    if times < TIMES:
        yield Advice(
            "short_earthing",
            Severity.WARNING,
            f"the winding stays earthed for {display(times, NUMBER, 2)} times its time under "
            "voltage: what it has absorbed comes back once it is let go.",
            f"Keep it earthed for {display(TIMES, NUMBER, 1)} times.",
        )
