"""A defibrillator's pulse: what its circuit must deliver, and what a record says that it did.

32 µF through 25 mH and at most 11 Ω into 100 Ω (IEC 60601-1 8.5.5.2). The current of the series
circuit is V/(L·β)·e^(-αt)·sinh(βt), α = R/2L, β = √(α² - 1/LC); it is greatest at atanh(β/α)/β.
"""

import cmath
from collections.abc import Sequence
from dataclasses import dataclass

from loricate.core.measuring.curves import Curve

FARADS, HENRIES, MOST_SERIES_OHMS, LOAD_OHMS = 32e-6, 25e-3, 11.0, 100.0
REST_S = 30.0


@dataclass(frozen=True, slots=True)
class Pulse:
    """What a pulse does in its load: energy in J, peak in A and V, and when (s) that is."""

    energy_j: float
    peak_a: float
    peak_v: float
    peak_at_s: float


def due_pulse(level_v: float, series_ohms: float, load_ohms: float = LOAD_OHMS) -> Pulse:
    """The pulse of a capacitor charged to ``level_v``, with so much resistance before its load."""
    resistance = series_ohms + load_ohms
    damping = resistance / (2 * HENRIES)
    root = cmath.sqrt(damping**2 - 1 / (HENRIES * FARADS))
    at_s = (cmath.atanh(root / damping) / root).real
    current = level_v / (HENRIES * root) * cmath.exp(-damping * at_s) * cmath.sinh(root * at_s)
    energy_j = FARADS * level_v**2 / 2 * load_ohms / resistance
    return Pulse(energy_j, current.real, current.real * load_ohms, at_s)


def recorded_pulse(times: Sequence[float], volts: Sequence[float], load_ohms: float) -> Pulse:
    """What a record of the volts across a load says: energy by the trapezoidal rule, and its peak.

    ``times`` in s, evenly apart.
    """
    import numpy as np

    wave = np.asarray(volts, dtype=np.float64)
    axis = np.asarray(times, dtype=np.float64)
    power = wave**2 / load_ohms
    energy_j = float(np.sum((power[1:] + power[:-1]) / 2 * np.diff(axis)))
    place = int(np.argmax(np.abs(wave)))
    peak_v = float(abs(wave[place]))
    return Pulse(energy_j, peak_v / load_ohms, peak_v, float(axis[place] - axis[0]))


def energy_so_far(record: Curve, load_ohms: float) -> list[float]:
    """The energy (J) that has come into the load by each sample of a record."""
    import numpy as np

    wave = np.asarray(record.columns[0].values, dtype=np.float64)
    axis = np.asarray(record.x.values, dtype=np.float64)
    power = wave**2 / load_ohms
    steps = (power[1:] + power[:-1]) / 2 * np.diff(axis)
    return [0.0, *np.cumsum(steps).tolist()]
