"""Roles: what an instrument does on a bench. A step asks for a role, never for a make.

A role says what must be set on such an instrument, what its summary must report, and of which
dimension is what it samples. A kind that needs an instrument of a new sort registers its role.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import NewType

from loricate.core.errors import AlreadyRegistered
from loricate.core.quantities import (
    CURRENT,
    NUMBER,
    POWER,
    PRESSURE,
    RESISTANCE,
    TEMPERATURE,
    VOLTAGE,
    Dimension,
)

Role = NewType("Role", str)


@dataclass(frozen=True, slots=True)
class RoleFacts:
    """What every instrument of a role can be told, and what it tells.

    ``reads_residual`` is of sources that can put a dangerous voltage on a unit: they must measure
    what is left of it. Of one that ``keeps_current`` a winding does not let go at once: it is off
    only when its current is gone, and no relay moves before it says so. Between two outputs of one
    that ``rests_s`` so long must pass, whoever asks for them.
    """

    name: Role
    title: str
    samples: Mapping[str, Dimension]
    sets: tuple[str, ...] = ()
    reports: tuple[str, ...] = ()
    words: frozenset[str] = field(default_factory=frozenset)
    reads_residual: bool = False
    usual: Mapping[str, str] = field(default_factory=dict)  # what a make does that cannot set it
    keeps_current: bool = False
    rests_s: float = 0.0


ROLES: dict[Role, RoleFacts] = {}


def register_role(
    name: str,
    title: str,
    samples: Mapping[str, Dimension],
    sets: tuple[str, ...] = (),
    reports: tuple[str, ...] = (),
    words: frozenset[str] = frozenset(),
    reads_residual: bool = False,
    usual: Mapping[str, str] = {},
    keeps_current: bool = False,
    rests_s: float = 0.0,
) -> Role:
    """Add a role to the table; raises AlreadyRegistered for a name that is taken."""
    role = Role(name)
    if role in ROLES:
        raise AlreadyRegistered("role", name)
    ROLES[role] = RoleFacts(
        role, title, samples, sets, reports, words, reads_residual, usual, keeps_current, rests_s
    )
    return role


def check_role(name: str) -> Role:
    """The role of this name; raises ValueError for one that nobody registered."""
    if name not in ROLES:
        raise ValueError(f"there is no role '{name}'; there are {', '.join(ROLES)}.")
    return Role(name)


WITHSTAND = register_role(
    "withstand",
    "Withstand source",
    {"voltage": VOLTAGE, "current": CURRENT, "resistive_current": CURRENT},
    sets=("function", "level_v", "frequency_hz", "ramp_s", "dwell_s", "fall_s", "trip_a"),
    reports=("voltage", "current", "current_max"),
    words=frozenset({"function", "return_side"}),
    reads_residual=True,
    usual={"return_side": "LOW"},
)
BOND = register_role(
    "bond",
    "Bond source",
    {"voltage": VOLTAGE, "current": CURRENT},
    sets=("level_a", "dwell_s"),
    reports=("voltage", "current"),
)
LEAKAGE = register_role(
    "leakage",
    "Leakage meter",
    {
        "voltage": VOLTAGE,
        "current": CURRENT,
        "peak_current": CURRENT,
        "dc_current": CURRENT,
        "load_current": CURRENT,
        "power": POWER,
    },
    sets=(
        "path",
        "network",
        "method",
        "neutral",
        "polarity",
        "level_v",
        "frequency_hz",
        "dwell_s",
    ),
    reports=("voltage", "current", "load_current"),
    words=frozenset(
        {"path", "network", "method", "neutral", "polarity", "measured", "returned", "driven"}
    ),
    reads_residual=True,
)
IMPEDANCE = register_role(
    "impedance",
    "Impedance meter",
    {"impedance": RESISTANCE, "resistance": RESISTANCE, "reactance": RESISTANCE},
    sets=("level_v", "frequency_hz", "dwell_s"),
    reports=("impedance", "resistance", "reactance"),
)

WIRING = register_role(
    "wiring",
    "Wiring meter",
    {"resistance": RESISTANCE, "point": NUMBER, "breaks": NUMBER},
    sets=("function", "points", "dwell_s"),
    reports=("points_done",),
    words=frozenset({"function"}),
)


THERMOMETER = register_role(
    "thermometer",
    "Thermometer",
    {"temperature": TEMPERATURE},
    sets=("dwell_s",),
    reports=("temperature",),
)
LOW_RESISTANCE = register_role(
    "low_resistance",
    "Low-resistance meter",
    {"voltage": VOLTAGE, "current": CURRENT},
    sets=("level_a", "ramp_s", "dwell_s"),
    reports=("voltage", "current"),
    keeps_current=True,
)
DC_SOURCE = register_role(
    "dc_source",
    "DC source for windings",
    {"voltage": VOLTAGE, "current": CURRENT, "current_range": CURRENT},
    sets=("level_v", "ramp_s", "dwell_s", "fall_s", "trip_a", "ranging_s"),
    reports=("voltage", "current", "current_max"),
    reads_residual=True,
    usual={"function": "DC"},
)
TURNED_SOURCE = register_role(
    "turned_source",
    "DC source turned by hand",
    {"voltage": VOLTAGE, "current": CURRENT, "current_range": CURRENT},
    sets=("level_v", "dwell_s", "trip_a", "ranging_s"),
    reports=("voltage", "current", "current_max"),
    reads_residual=True,
    usual={"function": "DC"},
)
SURGE = register_role(
    "surge",
    "Surge generator",
    {"voltage": VOLTAGE},
    sets=("level_v", "dwell_s"),
    reports=("voltage",),
    reads_residual=True,
)
RATIO_METER = register_role(
    "ratio",
    "Ratio meter",
    {"voltage": VOLTAGE, "secondary": VOLTAGE, "in_phase": VOLTAGE},
    sets=("level_v", "frequency_hz", "dwell_s"),
    reports=("voltage", "secondary", "in_phase"),
)
PULSE = register_role(
    "pulse",
    "Pulse source",
    {"voltage": VOLTAGE},
    sets=("level_v", "ramp_s", "dwell_s"),
    reports=("voltage",),
    reads_residual=True,
    usual={"function": "DC"},
    rests_s=30.0,  # IEC 60601-1 8.5.5: between two pulses on a patient connection, at least
)
GAUGE = register_role(
    "gauge",
    "Pressure gauge",
    {"pressure": PRESSURE},
    sets=("dwell_s",),
    reports=("pressure",),
)
STIMULUS = register_role(
    "stimulus",
    "Stimulus",
    {"temperature": TEMPERATURE, "pressure": PRESSURE},
    sets=("dwell_s",),
)


def sampled_dimension(name: str) -> Dimension | None:
    """The dimension of what instruments sample or sum up under a name, whatever their role."""
    plain = name.removesuffix("_max")
    for facts in ROLES.values():
        if (dimension := facts.samples.get(name) or facts.samples.get(plain)) is not None:
            return dimension
    return None
