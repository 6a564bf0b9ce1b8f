"""Turns ratio from the volts of two windings at no load, and what it is off its nominal."""

import math
from dataclasses import dataclass

COUPLED = 0.9  # of a winding's volts that are in phase with those that drive, or against them


@dataclass(frozen=True, slots=True)
class TurnsRatio:
    """U_p/U_s as measured: its magnitude, and whether the two are in phase."""

    value: float
    is_in_phase: bool

    def error(self, nominal: float) -> float:
        """How far it is off its nominal, as a fraction of it: 10.05 against 10 is 0.5 %."""
        return self.value / nominal - 1


def turns_ratio(primary_v: complex, secondary_v: complex) -> TurnsRatio:
    """The ratio of two volts (phasors); polarity is the sign of the in-phase part.

    Raises ValueError where the secondary shows nothing: there is no ratio to it.
    """
    if not abs(secondary_v) > 0 or not math.isfinite(abs(primary_v)):
        raise ValueError("A winding without volts has no ratio: it is open, or shorted.")
    found = primary_v / secondary_v
    return TurnsRatio(abs(found), found.real > 0)
