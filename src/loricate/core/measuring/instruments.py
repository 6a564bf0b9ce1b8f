"""What an instrument can do: as its profile says, whatever its make."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from loricate.core.measuring.uncertainty import Accuracy


@dataclass(frozen=True, slots=True)
class Capability:
    """What one instrument can do, in SI units.

    ``spans`` are the smallest and greatest value by capability name; ``accuracy``, ``floor`` and
    ``ceiling`` are of its meter, by what it measures; ``source_ohms`` is its output's resistance,
    ``open_circuit_v`` the voltage that a source of current gives at most (None: not known).
    ``high_side`` is what it can do when it measures on its high side, where it can.
    """

    instrument: str
    spans: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    accuracy: Mapping[str, Accuracy] = field(default_factory=dict)
    floor: Mapping[str, float] = field(default_factory=dict)
    ceiling: Mapping[str, float] = field(default_factory=dict)
    source_ohms: float = 0.0
    open_circuit_v: float | None = None
    high_side: "Capability | None" = None
