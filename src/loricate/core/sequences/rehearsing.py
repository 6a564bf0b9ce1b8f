"""Rehearsing: which part of a document is tried, and what a reading is taken over as.

A rehearsal performs a sequence as it is being written, in full or some steps of it, so that a step
may lack the limit that is still to be found.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import ROUND_CEILING, ROUND_FLOOR, ROUND_HALF_EVEN, Decimal
from enum import StrEnum
from typing import Any

from loricate.core.errors import DocumentError, Finding
from loricate.core.limits.limit_sets import LimitSets
from loricate.core.measuring.readings import Bound, Reading
from loricate.core.products.product import Product
from loricate.core.quantities import RATIO, VOLTAGE, Dimension, exact_text
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence, ReadyStep

BEHAVES_ALONE = ("when", "required", "off")  # what says nothing of a step that is tried by itself
FIGURE_DIGITS = 3


def prepare_rehearsal(
    document: Mapping[str, Any],
    steps: Sequence[str],
    products: Mapping[str, Product],
    limit_sets: LimitSets,
) -> ReadySequence:
    """Make a document ready to be rehearsed, or only the steps named, in the document's order.

    Raises DocumentError with paths in the whole document; faults of other steps do not count.
    """
    written = document.get("steps")
    if not steps or not isinstance(written, list):
        return prepare(document, products, limit_sets, is_rehearsal=True)
    known = [str(each.get("id")) for each in written]
    unknown = [name for name in steps if name not in known]
    if unknown:
        message = f"there is no step '{unknown[0]}'", f"there are {', '.join(known)}."
        raise DocumentError("rehearsal", (Finding("steps", *message),))
    places = [index for index, name in enumerate(known) if name in steps]
    chosen = [
        {key: value for key, value in written[index].items() if key not in BEHAVES_ALONE}
        for index in places
    ]
    try:
        return prepare({**document, "steps": chosen}, products, limit_sets, is_rehearsal=True)
    except DocumentError as error:
        found = tuple(replace(each, path=_in_whole(each.path, places)) for each in error.findings)
        raise DocumentError(error.document, found) from error


def _in_whole(path: str, places: Sequence[int]) -> str:
    """A path in the chosen steps as a path in the whole document."""
    for index, place in enumerate(places):
        begin = f"steps[{index}]"
        if path.startswith(begin):
            return f"steps[{place}]{path.removeprefix(begin)}"
    return path


def unjudged_steps(sequence: ReadySequence) -> tuple[str, ...]:
    """The steps that measure but have no limit yet to be judged by."""
    found = []
    for step in sequence.steps:
        slots = step.slots
        is_judged_by_limits = slots if step.kind.judged_by is None else step.kind.judged_by
        if not step.limits and (is_judged_by_limits or any(each.needed for each in slots.values())):
            found.append(step.id)
    return tuple(found)


def highest_v(sequence: ReadySequence) -> float:
    """The highest voltage in V that the steps ask of the bench; 0 where none does."""
    asked = (
        demand.value
        for step in sequence.steps
        for demand in step.demands
        if demand.dimension is VOLTAGE
    )
    return max(asked, default=0.0)


class Use(StrEnum):
    """What a reading is taken over as."""

    MINIMUM = "minimum"
    MAXIMUM = "maximum"
    NOMINAL = "nominal"


@dataclass(frozen=True, slots=True)
class Taken:
    """One value to be written into a step: the way to it, and the value with its unit."""

    path: tuple[str | int, ...]
    value: str


def take(
    step: ReadyStep, reading: Reading, use: Use, allowance: float, ground: str
) -> tuple[Taken, ...]:
    """What must be written into a step for a reading to be its minimum, maximum or nominal value.

    ``allowance`` is the fraction of the reading that the limit stands off; figures are rounded
    away from it to three digits. A nominal value goes where the kind has a setting for it, else
    into a minimum and a maximum around it. A limit of the engineer's own gets ``ground`` as its
    source; one that cites a limit set keeps its citation. Raises ValueError with the remedy.
    """
    place = step.place_of_limit(reading.measurand)
    if place is None:
        known = ", ".join(step.slots) or "none"
        raise ValueError(f"'{reading.name}' cannot be limited; {step.id} can limit: {known}.")
    if math.isnan(reading.value):
        raise ValueError(f"'{reading.name}' is not a number; measure again.")
    refused = {Use.MINIMUM: (Bound.BELOW,), Use.MAXIMUM: (Bound.ABOVE,)}
    if reading.bound in refused.get(use, (Bound.BELOW, Bound.ABOVE)):
        raise ValueError(f"{reading.text} is only a bound and gives no {use}; choose another use.")
    if use is Use.NOMINAL and step.kind.takes_nominal is not None:
        target, tolerance = step.kind.takes_nominal
        value = _figure(reading.value, reading.dimension, ROUND_HALF_EVEN)
        found = [Taken(("settings", target), value)]
        if allowance:
            found.append(Taken(("settings", tolerance), exact_text(allowance, RATIO)))
        return tuple(found)
    band = abs(reading.value) * allowance
    found = []
    if use is not Use.MAXIMUM:
        low = _figure(reading.value - band, reading.dimension, ROUND_FLOOR)
        found.append(Taken((*place, "minimum"), low))
    if use is not Use.MINIMUM:
        high = _figure(reading.value + band, reading.dimension, ROUND_CEILING)
        found.append(Taken((*place, "maximum"), high))
    own = step.limits.get(reading.measurand)
    is_cited = own is not None and own.source.limit_set
    if place[0] == "limits" and not is_cited:
        found.append(Taken((*place, "source"), ground))
    return tuple(found)


def _figure(value: float, dimension: Dimension, rounding: str) -> str:
    number = Decimal(repr(value))
    if number:
        step = Decimal(1).scaleb(number.adjusted() - FIGURE_DIGITS + 1)
        number = number.quantize(step, rounding=rounding)
    return exact_text(float(number), dimension)
