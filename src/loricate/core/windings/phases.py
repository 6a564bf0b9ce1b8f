"""Three phases from what is measured between their leads, and how far they are apart.

With the star formula a = (ab + ca - bc)/2, cyclic; the branches of a delta follow from that star by
(a·b + b·c + c·a)/c, cyclic (Rosen, A. 1924).
"""

import math
from enum import StrEnum
from typing import NamedTuple


class Connection(StrEnum):
    """How three windings are joined."""

    STAR = "star"
    DELTA = "delta"


class Unbalance(StrEnum):
    """Which definition of unbalance is meant; they differ by up to twice and more."""

    DEVIATION_OVER_MEAN = "deviation_over_mean"  # the greatest deviation from the mean over it
    SPREAD_OVER_MEAN = "spread_over_mean"
    SPREAD_OVER_LEAST = "spread_over_least"


class NoSuchPhases(ValueError):
    """No three windings show these resistances between their leads."""


class LeadToLead(NamedTuple):
    """What is measured between three leads, in Ω."""

    ab: float
    bc: float
    ca: float


class PerPhase(NamedTuple):
    """Three windings, in Ω: a, b, c of a star; AB, BC, CA of a delta."""

    a: float
    b: float
    c: float


def per_phase(
    measured: LeadToLead, connection: Connection, uncertainty_ohms: float = 0.0
) -> PerPhase:
    """The three windings themselves; ``uncertainty_ohms`` is that of one measurement.

    0.4821, 0.4876, 0.4790 Ω in star: 0.2367, 0.2454, 0.2422 Ω. Raises NoSuchPhases where one of
    the star's three cannot be told from nothing: a lead that is loose, another part, or an open
    branch of a delta, where two measurements together make the third.
    """
    ab, bc, ca = measured
    a, b, c = (ab + ca - bc) / 2, (ab + bc - ca) / 2, (bc + ca - ab) / 2
    if not min(a, b, c) > math.sqrt(3) / 2 * uncertainty_ohms:
        raise NoSuchPhases(
            "No three windings show these resistances: two together are no more than the third. "
            "A lead is loose, or a branch is open."
        )
    if connection is Connection.STAR:
        return PerPhase(a, b, c)
    products = a * b + b * c + c * a
    return PerPhase(products / c, products / a, products / b)


def unbalance(values: LeadToLead | PerPhase, definition: Unbalance) -> float:
    """How far three resistances are apart, as a fraction; 0 of three that are equal.

    Raises ValueError where one of them is nothing or less.
    """
    if not min(values) > 0:
        raise ValueError("Unbalance is of three resistances above zero.")
    mean = sum(values) / 3
    match definition:
        case Unbalance.DEVIATION_OVER_MEAN:
            # Three equal readings have no deviation, whatever their sum is rounded to.
            if max(values) == min(values):
                return 0.0
            return max(abs(each - mean) for each in values) / mean
        case Unbalance.SPREAD_OVER_MEAN:
            return (max(values) - min(values)) / mean
        case Unbalance.SPREAD_OVER_LEAST:
            return (max(values) - min(values)) / min(values)
