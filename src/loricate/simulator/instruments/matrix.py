"""Relay matrix: instrument terminals are rows, fixture contacts are columns."""

from loricate.simulator import scpi
from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor
from loricate.simulator.scpi import ScpiError
from loricate.simulator.server import Instrument

SETTLE_S = 0.005


class RelayMatrix(Instrument):
    """Closes and opens crosspoints; refuses to move relays that an output which is on reaches."""

    model = "RELAY-MATRIX"

    def __init__(self, serial: str, floor: Floor, clock: PacedClock) -> None:
        super().__init__(serial)
        self.floor, self.clock = floor, clock
        self.settled_at = 0.0
        self.command("ROUTe:CLOSe", self._close)
        self.command("ROUTe:OPEN", self._open)
        self.command("ROUTe:OPEN:ALL", self._open_all)
        self.command("ROUTe:CLOSe:STATe?", self._state)

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

    def _close(self, channels: str) -> None:
        points = scpi.crosspoints(channels)
        columns = {column for nest in self.floor.nests.values() for column in nest.columns.values()}
        for row, column in points:
            if row not in self.floor.rows or column not in columns:
                raise ScpiError(*scpi.OUT_OF_RANGE)
        self._switching(set(points))
        self.floor.closed |= set(points)

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
        return "(@" + ",".join(f"{row}!{column}" for row, column in sorted(self.floor.closed)) + ")"

    async def wait_idle(self) -> None:
        await self.clock.sleep(max(0.0, self.settled_at - self.clock.now()))
