"""What of an output is dangerous: a fact of what it is programmed for, whoever asks for it.

IEC 61010-1 6.3.1: touchable up to 30 V rms or 60 V DC. A source that gives less than 3 mA AC or
12 mA DC and 350 mJ is touchable by EN 50191 at any voltage; here the voltage decides alone, since a
trip cuts a current and does not limit it. What is not known is taken for dangerous.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass

from loricate.core.measuring.instruments import Capability
from loricate.core.quantities import VOLTAGE, display

SAFE_AC_V, SAFE_DC_V = 30.0, 60.0


@dataclass(frozen=True, slots=True)
class Hazard:
    """The highest voltage of an output in V (rms for AC), and whether it is DC."""

    volts: float
    is_dc: bool = False

    @property
    def safe_v(self) -> float:
        """What may be left at the unit when it is touched."""
        return SAFE_DC_V if self.is_dc else SAFE_AC_V

    @property
    def is_hazardous(self) -> bool:
        """Whether nobody may touch the unit; NaN, which is not known, is."""
        return not self.volts <= self.safe_v

    @property
    def text(self) -> str:
        """The voltage for people."""
        if not math.isfinite(self.volts):
            return "unknown voltage"
        return f"{display(self.volts, VOLTAGE)} {'DC' if self.is_dc else 'AC'}"


def hazard_of(settings: Mapping[str, float | str], source: Capability | None = None) -> Hazard:
    """The hazard of an output with these settings, programmed on a source.

    Without a voltage among the settings it is what the source gives at most (``open_circuit_v``);
    where its profile does not say that, it is not known.
    """
    is_dc = str(settings.get("function", "")).upper() == "DC"
    level = settings.get("level_v")
    if isinstance(level, int | float):
        return Hazard(float(level), is_dc)
    most = source.open_circuit_v if source is not None else None
    return Hazard(math.nan if most is None else most, is_dc)
