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
from loricate.core.kinds.kind import NominalPlace
from loricate.core.limits.limit_sets import LimitSets
from loricate.core.measuring.readings import Bound, Reading
from loricate.core.products.product import Product
from loricate.core.quantities import RATIO, VOLTAGE, Dimension, exact_text
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence, ReadyStep

BEHAVES_ALONE = ("when", "required", "off")  # what says nothing of a step that is tried by itself
FIGURE_DIGITS, NOMINAL_DIGITS = 3, 4
STANDS_OFF = 0.2  # a limit, of its reading, where nobody says how far
TIMES_UNCERTAINTY, TOLERANCE_STEP = 3.0, Decimal("0.001")  # of a tolerance that is proposed
MOST_TOLERANCE = 0.9
EVERY_POINT = "*"


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
    step: ReadyStep, reading: Reading, use: Use, allowance: float | None, ground: str
) -> tuple[Taken, ...]:
    """What must be written into a step for a reading to be its minimum, maximum or nominal value.

    ``allowance`` is the fraction of the reading that the limit stands off, a fifth by default;
    figures are rounded away from it to three digits. A nominal value goes where the kind has a
    setting for it, to four digits, with the allowance as its tolerance, else into a minimum and a
    maximum around it. By default the tolerance is what such parts usually have, or three times the
    reading's uncertainty. A limit of the engineer's own gets ``ground`` as its source; one that
    cites a limit set keeps its citation. Raises ValueError with the remedy.
    """
    own_place = step.place_of_nominal(reading.measurand) if use is Use.NOMINAL else None
    place = own_place.nominal if own_place else step.place_of_limit(reading.measurand)
    if place is None:
        known = ", ".join(step.slots) or "none"
        raise ValueError(f"'{reading.name}' cannot be limited; {step.id} can limit: {known}.")
    if math.isnan(reading.value):
        raise ValueError(f"'{reading.name}' is not a number; measure again.")
    refused = {Use.MINIMUM: (Bound.BELOW,), Use.MAXIMUM: (Bound.ABOVE,)}
    if reading.bound in refused.get(use, (Bound.BELOW, Bound.ABOVE)):
        raise ValueError(f"{reading.text} is only a bound and gives no {use}; choose another use.")
    if own_place is not None:
        return _as_nominal(own_place, reading, allowance)
    if use is Use.NOMINAL and reading.point and place[0] == "limits":
        raise ValueError(
            f"a limit of {reading.quantity} holds for every point of {step.id}, and not for "
            f"{reading.point} alone: take a minimum or a maximum. Nominal resistances of windings "
            "are the product's: capture a good part."
        )
    band = abs(reading.value) * (STANDS_OFF if allowance is None else allowance)
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


def _as_nominal(
    place: NominalPlace, reading: Reading, allowance: float | None
) -> tuple[Taken, ...]:
    value = _figure(reading.value, reading.dimension, ROUND_HALF_EVEN, NOMINAL_DIGITS)
    if allowance is None:
        unsure = TIMES_UNCERTAINTY * reading.uncertainty
        share = max(place.usual, unsure / abs(reading.value) if reading.value else 0.0)
        steps = (Decimal(repr(min(share, MOST_TOLERANCE))) / TOLERANCE_STEP).to_integral_value(
            ROUND_CEILING
        )
        allowance = float(steps * TOLERANCE_STEP)
    tolerance = [Taken(place.tolerance, exact_text(allowance, RATIO))] if allowance else []
    return (Taken(place.nominal, value), *tolerance)


def _figure(value: float, dimension: Dimension, rounding: str, digits: int = FIGURE_DIGITS) -> str:
    number = Decimal(repr(value))
    if number:
        step = Decimal(1).scaleb(number.adjusted() - digits + 1)
        number = number.quantize(step, rounding=rounding)
    return exact_text(float(number), dimension)
