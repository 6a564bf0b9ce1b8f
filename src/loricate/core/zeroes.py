"""Zeroes: the resistance of a fixture's leads, measured with its contacts shorted, and taken off.

With every contact of a nest shorted to the others, a path between two of them measures the sum of
both leads. From a path between each two of three contacts every lead follows:
R_a = (R_ab + R_ca - R_bc)/2. A nest of two contacts only ever uses their sum. All in Ω.
"""

import datetime as dt
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from loricate.core.grading import Measured
from loricate.core.quantities import RESISTANCE, display
from loricate.core.readings import Reading

MOST_LEAD_OHMS = 0.5  # more than this is a contact that does not touch, not a lead


@dataclass(frozen=True, slots=True)
class Zero:
    """The lead resistance of one contact, with its expanded uncertainty (k = 2)."""

    ohms: float
    uncertainty: float
    measured_at: dt.datetime


def is_young(measured_at: dt.datetime, lasts_s: float, at: dt.datetime) -> bool:
    """Whether a zero of this age still counts at a moment; one from the future is of no age."""
    return dt.timedelta(0) <= at - measured_at <= dt.timedelta(seconds=lasts_s)


def paths_to_measure(contacts: Sequence[str]) -> list[tuple[str, str]]:
    """The paths from which every lead of a nest follows: the first with each, and 2 with 3."""
    if len(contacts) < 2:
        return []
    paths = [(contacts[0], other) for other in contacts[1:]]
    return [*paths, (contacts[1], contacts[2])] if len(contacts) > 2 else paths


def leads_of(paths: Mapping[tuple[str, str], float], contacts: Sequence[str]) -> dict[str, float]:
    """Each contact's lead in Ω from the resistance of the paths of ``paths_to_measure``."""
    if len(contacts) == 2:
        half = paths[contacts[0], contacts[1]] / 2
        return {contacts[0]: half, contacts[1]: half}
    first, second, third = contacts[:3]
    to_second, to_third = paths[first, second], paths[first, third]
    own = (to_second + to_third - paths[second, third]) / 2
    return {first: own} | {other: paths[first, other] - own for other in contacts[1:]}


def take_off(
    measured: Measured, leads: Mapping[str, Sequence[str]], zeroes: Mapping[str, Zero]
) -> Measured:
    """Take the zero of the contacts that are in a reading off it; both values are kept.

    ``leads`` gives those contacts by reading. Without a zero for each of them nothing is taken off.
    The uncertainties add in quadrature.
    """

    def corrected(reading: Reading) -> Reading:
        contacts = leads.get(reading.name, ())
        if not contacts or any(contact not in zeroes for contact in contacts):
            return reading
        ohms = sum(zeroes[contact].ohms for contact in contacts)
        spread = math.hypot(*(zeroes[contact].uncertainty for contact in contacts))
        return replace(
            reading,
            value=reading.value - ohms,
            uncertainty=math.hypot(reading.uncertainty, spread),
            as_measured=reading.value,
        )

    return replace(measured, readings=tuple(corrected(each) for each in measured.readings))


def lead_problem(a: str, b: str, ohms: float) -> str:
    """What is wrong with a shorted path, or nothing."""
    if not math.isfinite(ohms) or ohms > MOST_LEAD_OHMS:
        return (
            f"The path from {a} to {b} reads {display(ohms, RESISTANCE)}; the leads are not "
            "shorted there. Seat the shorting plug, clean the contacts, and zero again."
        )
    return ""
