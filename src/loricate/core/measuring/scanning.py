"""Scans: many paths measured in one go, and whether what came of them is to be believed.

Of every path there is a reading or the scan is not believed. Plausible is: as many readings as
paths, as far apart in time as they were programmed, and not all the same. Noise alone makes the
last digits of a working meter differ; one that repeats a figure has stopped to measure.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from loricate.core.measuring.actions import Output, Scanned
from loricate.core.measuring.instruments import Capability
from loricate.core.measuring.readings import Bound, Doubt, Reading
from loricate.core.measuring.uncertainty import EXACTLY
from loricate.core.quantities import TIME, Dimension, display

FROZEN = 8  # as many readings inside the range that are the same to the last digit are no chance
PACE = 0.02  # how far the time of a path may be off


@dataclass(frozen=True, slots=True)
class Record:
    """What an instrument recorded of a list of paths: a value each, and the time between two."""

    quantity: str
    dimension: Dimension
    values: Sequence[float]
    slot_s: float


def scanned(
    output: Output, records: Sequence[Record], count: int, slot_s: float, meter: Capability
) -> Scanned:
    """Readings of ``count`` paths from the records of a scan, with every doubt.

    Beyond its range the meter says its range: the reading is ``above`` it, and ``below`` its floor.
    Where a record is too short the readings that lack are no numbers.
    """
    texts = []
    done = output.summary.get("points_done", math.nan)
    if done != count:
        texts.append(f"measured {done:g} of {count} paths")
    readings: dict[str, tuple[Reading, ...]] = {}
    for record in records:
        if len(record.values) != count:
            texts.append(f"recorded {len(record.values)} of {count} paths")
        if abs(record.slot_s - slot_s) > PACE * slot_s:
            took, wanted = display(record.slot_s, TIME), display(slot_s, TIME)
            texts.append(f"took {took} for a path, programmed for {wanted}")
        values = [*record.values, *[math.nan] * (count - len(record.values))][:count]
        made = tuple(_reading(record, value, meter, output.instrument) for value in values)
        exact = [each.value for each in made if each.bound is Bound.EXACT]
        if len(exact) >= FROZEN and len(set(exact)) == 1:
            texts.append(f"gave {made[0].text} {len(exact)} times to the last digit")
        readings[record.quantity] = made
    doubts = tuple(Doubt(output.instrument, text) for text in dict.fromkeys(texts))
    return Scanned(replace(output, doubts=output.doubts + doubts), readings)


def _reading(record: Record, value: float, meter: Capability, instrument: str) -> Reading:
    floor = meter.floor.get(record.quantity, 0.0)
    ceiling = meter.ceiling.get(record.quantity, math.inf)
    bound = Bound.EXACT
    if value >= ceiling:
        value, bound = ceiling, Bound.ABOVE
    elif abs(value) < floor:
        value, bound = floor, Bound.BELOW
    spread = meter.accuracy.get(record.quantity, EXACTLY).expanded(value)
    return Reading(
        record.quantity,
        value,
        record.dimension,
        bound=bound,
        uncertainty=spread if math.isfinite(spread) else 0.0,
        instrument=instrument,
    )


def paths_each(paths: Mapping[str, tuple[str, str]]) -> tuple[dict[str, tuple[str, ...]], ...]:
    """Paths between two contacts as what is connected to the meter's high and low leads."""
    return tuple({"high": (a,), "low": (b,)} for a, b in paths.values())
