"""What is lost in a minute, from the samples that were actually taken: (first - last)/elapsed."""

import math
from dataclasses import dataclass

from loricate.core.measuring.actions import Look
from loricate.core.measuring.readings import Reading
from loricate.core.quantities import PRESSURE_RATE

PER_MINUTE_WINDOWS_S = (30.0, 60.0, 90.0)


@dataclass(frozen=True, slots=True)
class Loss:
    """The loss as a reading, and the time (s) between the two samples it is from."""

    reading: Reading
    over_s: float


def loss_between(first: Look, last: Look, quantity: str) -> Loss:
    """How fast a quantity fell between two looks; a fall is positive.

    What a gauge's gain is off by is in both; its expanded uncertainty is counted for each as if it
    were not, which is the safe side.
    """
    began, ended = first.reading(quantity, PRESSURE_RATE), last.reading(quantity, PRESSURE_RATE)
    over_s = last.sample.elapsed_s - first.sample.elapsed_s
    if not over_s > 0:
        return Loss(Reading("loss", math.nan, PRESSURE_RATE, instrument=last.instrument), over_s)
    spread = math.hypot(began.uncertainty, ended.uncertainty) / over_s
    value = (began.value - ended.value) / over_s
    loss = Reading("loss", value, PRESSURE_RATE, uncertainty=spread, instrument=last.instrument)
    return Loss(loss, over_s)
