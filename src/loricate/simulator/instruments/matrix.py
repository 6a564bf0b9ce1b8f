"""Relay matrix: instrument terminals are rows, fixture contacts are columns."""

from collections import Counter
from collections.abc import Iterable

from loricate.simulator import scpi
from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor
from loricate.simulator.scpi import ScpiError
from loricate.simulator.server import Instrument

COLUMNS = 512
SETTLE_S = 0.005
MOST_STEPS = 4096
Points = frozenset[tuple[int, int]]


class RelayMatrix(Instrument):
    """Closes and opens crosspoints of up to 512 columns; refuses to move relays under an output.

    It counts how often each relay was closed.

    Its relays have mirror contacts, which a scan of a list of paths looks at in every step.
    """

    model = "RELAY-MATRIX"

    def __init__(self, serial: str, floor: Floor, clock: PacedClock) -> None:
        super().__init__(serial)
        self.floor, self.clock = floor, clock
        self.settled_at = 0.0
        self.closings: Counter[tuple[int, int]] = Counter()
        self.command("ROUTe:CLOSe", self._close)
        self.command("ROUTe:OPEN", self._open)
        self.command("ROUTe:OPEN:ALL", self._open_all)
        self.command("ROUTe:CLOSe:STATe?", self._state)
        self.command("ROUTe:CLOSe:COUNt?", self._count)
        self.command("ROUTe:CLOSe:COUNt:MOST?", self._most)
        # A list of paths, of which a trigger from the meter makes the next one.
        self.steps: list[Points] = []
        self.is_scanning = False
        self.step_at = -1  # none
        self.missed = 0
        self.command("ROUTe:SCAN:CLEar", self._clear_scan)
        self.command("ROUTe:SCAN:ADD", self._add_step)
        self.command("ROUTe:SCAN:COUNt?", lambda: str(len(self.steps)))
        self.command("ROUTe:SCAN:LIST?", self._list)
        self.command("ROUTe:SCAN:STARt", self._start_scan)
        self.command("ROUTe:SCAN:STOP", self._stop_scan)
        self.command("ROUTe:SCAN:TAKen?", lambda: str(self.step_at + 1))
        self.command("ROUTe:SCAN:MISSed?", lambda: str(self.missed))
        floor.on_trigger.append(self._next)

    def _switching(self, points: set[tuple[int, int]]) -> None:
        """Refuse to move a relay whose row or column an output that is on reaches."""
        hot_rows = {
            row
            for row, name in self.floor.rows.items()
            if name.split(".")[0] in self.floor.outputs_on
        }
        hot_columns = {column for row, column in self.floor.closed if row in hot_rows}
        if any(row in hot_rows or column in hot_columns for row, column in points):
            raise ScpiError(*scpi.SETTINGS_CONFLICT)
        self.floor.rest()
        self.settled_at = self.clock.now() + SETTLE_S

    def _known(self, channels: str) -> list[tuple[int, int]]:
        """The crosspoints of a list, all of which there are; at some columns nothing is wired."""
        points = scpi.crosspoints(channels)
        for row, column in points:
            if row not in self.floor.rows or not 1 <= column <= COLUMNS:
                raise ScpiError(*scpi.OUT_OF_RANGE)
        return points

    def _clear_scan(self) -> None:
        self.steps, self.step_at, self.missed, self.is_scanning = [], -1, 0, False

    def _add_step(self, channels: str) -> None:
        if self.is_scanning or len(self.steps) >= MOST_STEPS:
            raise ScpiError(*scpi.SETTINGS_CONFLICT)
        self.steps.append(frozenset(self._known(channels)))

    def _list(self) -> str:
        """Every path of the list, a semicolon between two."""
        return ";".join(_spelled(step) for step in self.steps)

    def _start_scan(self) -> None:
        """Close the first path of the list; a trigger makes the next."""
        if not self.steps or self.is_scanning:
            raise ScpiError(*scpi.SETTINGS_CONFLICT)
        self.is_scanning, self.step_at, self.missed = True, -1, 0
        self._next()

    def _stop_scan(self) -> None:
        self.is_scanning = False

    def _next(self) -> None:
        """Switch to the next path by what differs, and look whether the relays did."""
        if not self.is_scanning or self.step_at + 1 >= len(self.steps):
            return
        before = self.steps[self.step_at] if self.step_at >= 0 else frozenset()
        self.step_at += 1
        wanted = self.steps[self.step_at]
        try:
            self._switching(set(before ^ wanted))
        except ScpiError as error:
            self.is_scanning = False
            self.fail(error)
            return
        self._make((self.floor.closed - before) | wanted)
        if not self.missed and (self.floor.stuck - self.floor.closed):
            self.missed = self.step_at + 1

    def _close(self, channels: str) -> None:
        points = self._known(channels)
        self._switching(set(points))
        self._make(self.floor.closed | set(points))

    def _make(self, closed: set[tuple[int, int]]) -> None:
        """Have just these relays closed, and count those that were open."""
        self.closings.update(closed - self.floor.closed)
        self.floor.closed = closed

    def _count(self, channels: str) -> str:
        return ",".join(str(self.closings[point]) for point in self._known(channels))

    def _most(self) -> str:
        """Row, column and count of the relay that was closed most; zeroes before any was."""
        if not self.closings:
            return "0,0,0"
        (row, column), count = max(self.closings.items(), key=lambda each: (each[1], each[0]))
        return f"{row},{column},{count}"

    def _open(self, channels: str) -> None:
        points = scpi.crosspoints(channels)
        self._switching(set(points))
        self.floor.closed -= set(points)
        self.floor.end_bleeds()

    def _open_all(self) -> None:
        self._switching(set(self.floor.closed))
        self.floor.closed.clear()
        self.floor.end_bleeds()

    def _state(self) -> str:
        return _spelled(self.floor.closed)

    async def wait_idle(self) -> None:
        await self.clock.sleep(max(0.0, self.settled_at - self.clock.now()))


def _spelled(points: Iterable[tuple[int, int]]) -> str:
    """Crosspoints as an answer names them."""
    return "(@" + ",".join(f"{row}!{column}" for row, column in sorted(points)) + ")"
