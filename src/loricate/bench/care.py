"""How a unit is discharged after a hazardous output."""

from dataclasses import dataclass

DISCHARGE_WITHIN_S = 30.0


@dataclass(frozen=True, slots=True)
class Care:
    """How a unit is discharged: within how long, and how long it stays earthed after that (s)."""

    within_s: float = DISCHARGE_WITHIN_S
    earthed_s: float = 0.0


USUAL_CARE = Care()
