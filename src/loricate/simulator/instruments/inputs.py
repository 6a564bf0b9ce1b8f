"""Digital inputs of the bench: a foot switch that is counted, and a switch in each nest."""

from loricate.simulator import scpi
from loricate.simulator.floor import Floor
from loricate.simulator.server import Instrument


class DigitalInputs(Instrument):
    """Counts presses of the foot switch, and reads 1 where a nest's switch feels a unit."""

    model = "DIGITAL-INPUTS"

    def __init__(self, serial: str, floor: Floor) -> None:
        super().__init__(serial)
        self.floor = floor
        self.command("INPut:FOOT:COUNt?", lambda: str(floor.presses))
        self.command("INPut:LEVel?", self._level)

    def _level(self, number: str) -> str:
        return str(int(self.floor.is_present(int(scpi.number(number, 1, 10_000)))))
