"""Guard: the interlock switch of the bench's enclosure, read as a digital input."""

from loricate.simulator.floor import Floor
from loricate.simulator.server import Instrument


class GuardSwitch(Instrument):
    """Reads 1 while the guard is closed. Opening it cuts every source by wire, not by this port."""

    model = "GUARD-SWITCH"

    def __init__(self, serial: str, floor: Floor) -> None:
        super().__init__(serial)
        self.command("INPut:GUARd:STATe?", lambda: str(int(floor.guard_closed)))
