"""What captured units say together: items with what was measured of each and what is proposed."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

from loricate.core.capture.seen import Ohms
from loricate.core.quantities import CAPACITANCE, RESISTANCE, VOLTAGE, Dimension, display

Sort = Literal["net", "resistor", "capacitor", "diode", "winding", "pin"]
DIMENSIONS: Mapping[Sort, Dimension] = {
    "net": RESISTANCE,
    "resistor": RESISTANCE,
    "capacitor": CAPACITANCE,
    "diode": VOLTAGE,
    "winding": RESISTANCE,
    "pin": RESISTANCE,
}
DIFFERS = 0.25  # what is further apart is not the same wire or winding, or has a bad joint


@dataclass(slots=True)
class Proposal:
    """One net, component or winding: where it was seen, what was measured, what is proposed (SI).

    ``measured`` is by unit, in their order: of a net its branches, of all else its value; empty
    where a unit does not have it. ``besides`` is what else is told of each, such as a ratio.
    ``differs`` says how units differ; empty where they agree. A pin that leads nowhere is an item
    as well, for it may be one that the unit does not have.
    """

    key: str
    sort: Sort
    contacts: tuple[str, ...]
    position: str
    measured: tuple[tuple[Ohms, ...], ...]
    besides: tuple[str, ...] = ()
    name: str = ""
    nominal: float = math.nan
    minimum: float = math.nan
    maximum: float = math.nan
    tolerance: float = math.nan
    differs: list[str] = field(default_factory=list)

    @property
    def dimension(self) -> Dimension:
        """What it is measured in."""
        return DIMENSIONS[self.sort]

    @property
    def texts(self) -> tuple[str, ...]:
        """What each unit read, as it is shown; empty where it does not have it."""
        besides = self.besides or ("",) * len(self.measured)
        return tuple(
            ", ".join(filter(None, (*(display(one.value, self.dimension) for one in own), more)))
            for own, more in zip(self.measured, besides, strict=True)
        )


@dataclass(frozen=True, slots=True)
class Proposed:
    """All that captured units say; ``differences`` and ``remarks`` are sentences.

    Of windings ``columns`` has the matrix column of each pin where the first unit was captured, and
    ``skipped`` those beside them that lead nowhere.
    """

    family: Literal["cable", "winding"]
    contacts: tuple[str, ...]
    positions: tuple[str, ...]
    items: tuple[Proposal, ...]
    differences: tuple[str, ...]
    remarks: tuple[str, ...]
    columns: Mapping[str, int] = field(default_factory=dict)
    skipped: tuple[int, ...] = ()


def too_far_apart(values: Sequence[float], slack: float) -> bool:
    """Whether values of good units are further apart than those of one thing are."""
    return max(values) - min(values) > DIFFERS * (min(values) + max(values)) / 2 + slack


def rounded(value: float, digits: int = 3) -> float:
    """To so many significant digits."""
    return float(f"{value:.{digits - 1}e}")
