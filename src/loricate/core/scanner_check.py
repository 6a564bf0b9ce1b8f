"""The scanner's check: with the fixture empty, every relay and every wire must be open.

The withstand source probes at a low DC voltage (50 V). Joining all columns to one of its terminals
and none to the other shows any relay of the other that is stuck or leaks. Splitting the columns by
the bits of their number shows leaks between their wires in ceil(log2 n) applications. For a row of
another instrument, that row and the source are joined at one column and all other columns go to
the source's return: current can only come back through a relay of that row. Where a test fails, the
same is done column by column to name the relay. Resistances in Ω.
"""

from collections.abc import Generator, Iterable, Mapping, Sequence
from dataclasses import dataclass

from loricate.core.actions import Action, Ending, Join, Outcome, Role, put_on
from loricate.core.errors import ProbeFailed
from loricate.core.quantities import CURRENT, RESISTANCE, VOLTAGE, display
from loricate.core.readings import Bound, resistance_of

PROBE_V, PROBE_RAMP_S, PROBE_DWELL_S, PROBE_TRIP_A = 50.0, 0.05, 0.1, 10e-3
LEAST_V = 45.0
LEAKY_OHMS = 100e6  # a path under this resistance spoils insulation readings
STUCK_OHMS = 1e3

Points = tuple[tuple[int, int], ...]
Probing = Generator[Action, Outcome, float]


@dataclass(frozen=True, slots=True)
class Wiring:
    """What is wired where: rows and columns with their names, and the probe's two rows."""

    rows: Mapping[int, str]
    columns: Mapping[int, str]
    high: int
    low: int


@dataclass(frozen=True, slots=True)
class PathFault:
    """A path that should be open and is not; ``place`` names it."""

    place: str
    ohms: float
    row: int | None
    columns: tuple[int, ...]

    @property
    def text(self) -> str:
        """What is wrong and what to do."""
        if self.row is None:
            how = f"reads {display(self.ohms, RESISTANCE)}"
            return f"{self.place} {how}; dry and clean the fixture, then check again."
        if self.ohms < STUCK_OHMS:
            return f"{self.place} is stuck closed; replace the relay, then check again."
        how = f"leaks ({display(self.ohms, RESISTANCE)})"
        return f"{self.place} {how}; clean or replace the relay, then check again."


def _probe(points: Iterable[tuple[int, int]]) -> Probing:
    """The resistance in Ω that the source sees with these crosspoints closed."""
    yield Join(tuple(points))
    output = yield from put_on(
        Role.WITHSTAND,
        {
            "function": "DC",
            "level_v": PROBE_V,
            "ramp_s": PROBE_RAMP_S,
            "dwell_s": PROBE_DWELL_S,
            "fall_s": 0.0,
            "trip_a": PROBE_TRIP_A,
        },
    )
    if output.ending is not Ending.FINISHED:
        return 0.0
    voltage = output.reading("voltage", VOLTAGE)
    found = resistance_of(voltage, output.reading("current", CURRENT))
    if not voltage.value >= LEAST_V and not found.value < LEAKY_OHMS:
        # Without volts every path looks open; only a path that is not takes them away.
        raise ProbeFailed(output.instrument, voltage.text, f"{PROBE_V:g} V")
    return found.value if found.bound is Bound.EXACT else max(found.value, LEAKY_OHMS)


def _relay(wiring: Wiring, row: int, column: int, ohms: float) -> PathFault:
    place = (
        f"The relay of row {row} ({wiring.rows[row]}) to column {column} ({wiring.columns[column]})"
    )
    return PathFault(place, ohms, row, (column,))


def check_scanner(wiring: Wiring) -> Generator[Action, Outcome, tuple[PathFault, ...]]:
    """Check every relay of the fixture's columns, and their wires; gives the paths not open.

    The probe's own relays come first, then the wires: a fault there would show in every later
    test, so the check ends with it.
    """
    faults = yield from _check_probe_rows(wiring)
    if not faults:
        faults = yield from _check_wires(wiring)
    if not faults:
        for row in wiring.rows:
            if row not in (wiring.high, wiring.low):
                faults += yield from _check_row(wiring, row)
    return tuple(faults)


def _check_probe_rows(wiring: Wiring) -> Generator[Action, Outcome, list[PathFault]]:
    """With one probe terminal on every column and the other on none, nothing may flow."""
    faults = []
    for joined, open_row in ((wiring.high, wiring.low), (wiring.low, wiring.high)):
        whole = yield from _probe((joined, column) for column in wiring.columns)
        if whole >= LEAKY_OHMS:
            continue
        for column in wiring.columns:
            ohms = yield from _probe([(joined, column)])
            if ohms < LEAKY_OHMS:
                faults.append(_relay(wiring, open_row, column, ohms))
    return faults


def _check_wires(wiring: Wiring) -> Generator[Action, Outcome, list[PathFault]]:
    """Every two columns are on different sides of some bit of their place."""
    columns = list(wiring.columns)
    for bit in range((len(columns) - 1).bit_length()):
        sides: tuple[list[int], list[int]] = ([], [])
        for place, column in enumerate(columns):
            sides[place >> bit & 1].append(column)
        ohms = yield from _probe(_joined(wiring, sides[1], sides[0]))
        if ohms < LEAKY_OHMS:
            return (yield from _name_wires(wiring, columns))
    return []


def _name_wires(
    wiring: Wiring, columns: Sequence[int]
) -> Generator[Action, Outcome, list[PathFault]]:
    leaking = []
    for column in columns:
        others = [each for each in columns if each != column]
        ohms = yield from _probe(_joined(wiring, [column], others))
        if ohms < LEAKY_OHMS:
            leaking.append(column)
    faults = []
    for place, first in enumerate(leaking):
        for second in leaking[place + 1 :]:
            ohms = yield from _probe(_joined(wiring, [first], [second]))
            if ohms < LEAKY_OHMS:
                names = f"column {first} ({wiring.columns[first]}) and column {second}"
                text = f"The path between {names} ({wiring.columns[second]})"
                faults.append(PathFault(text, ohms, None, (first, second)))
    return faults


def _check_row(wiring: Wiring, row: int) -> Generator[Action, Outcome, list[PathFault]]:
    """The row is joined to the probe at the first column, then at the second for the first's."""
    first, *others = wiring.columns
    faults = []
    whole = yield from _probe([*_joined(wiring, [first], others), (row, first)])
    if whole < LEAKY_OHMS:
        for column in others:
            ohms = yield from _probe([*_joined(wiring, [first], [column]), (row, first)])
            if ohms < LEAKY_OHMS:
                faults.append(_relay(wiring, row, column, ohms))
    if others:
        second = others[0]
        ohms = yield from _probe([*_joined(wiring, [second], [first]), (row, second)])
        if ohms < LEAKY_OHMS:
            faults.append(_relay(wiring, row, first, ohms))
    return faults


def _joined(wiring: Wiring, high: Iterable[int], low: Iterable[int]) -> Points:
    return (
        *((wiring.high, column) for column in high),
        *((wiring.low, column) for column in low),
    )
