"""Meters: what is shown of an output while it is on."""

from collections.abc import Mapping, Sequence

from loricate.core.measuring.curves import Sample
from loricate.core.measuring.readings import Bound, Reading, resistance_of
from loricate.core.quantities import Dimension

DERIVED = "resistance"  # of volts and amperes


def meters_of(
    sample: Sample, shown: Sequence[str], dimensions: Mapping[str, Dimension]
) -> dict[str, str]:
    """The text of each meter by its quantity; of those named, or of all that is sampled.

    What was not sampled this time is not shown.
    """
    known = {
        name: Reading(name, value, dimensions[name], bound=sample.bounds.get(name, Bound.EXACT))
        for name, value in sample.values.items()
        if name in dimensions
    }
    texts = {}
    for name in shown or known:
        reading = known.get(name)
        if reading is None and name == DERIVED and {"voltage", "current"} <= known.keys():
            made = resistance_of(known["voltage"], known["current"])
            reading = made if made.value == made.value else None  # nothing flows yet
        if reading is not None:
            texts[name] = reading.text
    return texts
