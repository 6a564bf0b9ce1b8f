"""Ganging: units of several nests on one source at the same moment, and what that tells of each.

With units in parallel the source sees the sum of their currents, so each unit's own current is at
most that, and each unit's resistance at least what the parallel shows. The shared readings carry
these bounds: where they decide a limit, they decide it for every unit; where they cannot, the units
must be measured one by one.
"""

import math
from collections.abc import Mapping
from dataclasses import replace

from loricate.core.measuring.grading import Measured
from loricate.core.measuring.readings import Bound, Reading


def share(measured: Measured, bounds: Mapping[str, Bound], nests: tuple[str, ...]) -> Measured:
    """What a ganged measurement tells of each of its units.

    ``bounds`` gives for each quantity how the whole stands to one unit's part. A reading that was
    bounded the other way already tells nothing of a single unit and becomes NaN.
    """
    note = f"Measured together: nests {', '.join(nests)}."
    readings = tuple(
        _part(each, bounds.get(each.quantity, Bound.EXACT)) for each in measured.readings
    )
    return replace(measured, readings=readings, note=f"{measured.note} {note}".strip())


def _part(whole: Reading, bound: Bound) -> Reading:
    if bound is Bound.EXACT:
        return whole
    if whole.bound in (Bound.EXACT, bound):
        return replace(whole, bound=bound)
    return replace(whole, value=math.nan, bound=Bound.EXACT)
