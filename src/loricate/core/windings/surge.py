"""Surges compared: error area ratio EAR % = 100·Σ|f1 - f2|/Σ|f1|, pointwise on one time base.

f1 is the reference. A difference of two areas would cancel what differs in opposite senses.
Default limits of 10 % are trade custom, of no standard.
"""

from typing import TYPE_CHECKING

if TYPE_CHECKING:  # late: whoever reads a product need not wait for it
    import numpy as np

    Wave = np.ndarray[tuple[int], np.dtype[np.float64]]


def error_area_ratio(reference: "Wave", other: "Wave") -> float:
    """How far ``other`` is off ``reference``, as a fraction of its area; 0 of a wave and itself.

    Raises ValueError where the two have not the same number of samples, or the reference none but
    zeroes: neither can be compared.
    """
    import numpy as np

    if reference.shape != other.shape or reference.ndim != 1:
        raise ValueError(
            f"Two waves of {reference.size} and {other.size} samples cannot be compared."
        )
    area = float(np.abs(reference).sum())
    if not area > 0:
        raise ValueError("The reference has no area: nothing was recorded.")
    return float(np.abs(reference - other).sum()) / area


def peak_of(wave: "Wave") -> float:
    """The sample that is farthest from zero, with its sign."""
    import numpy as np

    return float(wave[int(np.abs(wave).argmax())])


def pulse_to_pulse(former: "Wave", newer: "Wave") -> float:
    """EAR of two pulses of one phase at different volts, each scaled by its own peak.

    Peaks of opposite sign are no smaller for that: scaled by magnitude, such pulses differ by up to
    twice their area. Raises ValueError where one has no peak.
    """
    scales = (abs(peak_of(former)), abs(peak_of(newer)))
    if not min(scales) > 0:
        raise ValueError("A pulse without a peak cannot be scaled: nothing was recorded.")
    return error_area_ratio(former / scales[0], newer / scales[1])
