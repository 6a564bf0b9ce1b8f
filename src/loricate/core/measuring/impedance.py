"""Impedances as seen through a fixture, corrected by what the fixture shows open and shorted.

Complex values in Ω (series form, R + jX). With Z_m measured, Z_s shorted and Z_o open:
Y_o = 1/(Z_o - Z_s) and Z = (Z_m - Z_s)/(1 - (Z_m - Z_s)·Y_o).
"""

import datetime as dt
import math
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class ImpedancePath:
    """Two contacts of a nest and the frequency (Hz) at which their impedance is measured."""

    high: str
    low: str
    frequency_hz: float


@dataclass(frozen=True, slots=True)
class ImpedanceZero:
    """What a path of a fixture shows open and shorted."""

    open_ohms: complex
    short_ohms: complex
    measured_at: dt.datetime


def corrected(measured_ohms: complex, zero: ImpedanceZero) -> complex:
    """The unit's own impedance; NaN where what was measured is the open fixture itself."""
    own = measured_ohms - zero.short_ohms
    through = 1 - own / (zero.open_ohms - zero.short_ohms)
    return own / through if abs(through) > 1e-9 else complex(math.nan, math.nan)


def capacitance_f(ohms: complex, frequency_hz: float) -> float:
    """The series capacitance in F of a capacitive impedance: -1/(2πf·X)."""
    return -1 / (2 * math.pi * frequency_hz * ohms.imag)


def inductance_h(ohms: complex, frequency_hz: float) -> float:
    """The series inductance in H of an inductive impedance: X/(2πf)."""
    return ohms.imag / (2 * math.pi * frequency_hz)
