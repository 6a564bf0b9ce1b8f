"""What an output must mind: who allowed it, and how its unit is discharged after it."""

from dataclasses import dataclass

DISCHARGE_WITHIN_S = 30.0


@dataclass(frozen=True, slots=True)
class Care:
    """How a unit is discharged: within how long, and how long it stays earthed after that (s).

    ``earthed_times`` adds so many times the time that it was under voltage. Nothing hazardous is
    put on where that is not allowed: nobody armed it.
    """

    within_s: float = DISCHARGE_WITHIN_S
    earthed_s: float = 0.0
    may_be_hazardous: bool = True
    earthed_times: float = 0.0


USUAL_CARE = Care()
