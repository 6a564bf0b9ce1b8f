"""A thermometer and hygrometer for the air about the units."""

from loricate.simulator.floor import Floor
from loricate.simulator.server import Instrument


class ClimateMeter(Instrument):
    """Says the temperature in degrees Celsius, and the relative humidity in percent."""

    model = "CLIMATE-METER"

    def __init__(self, serial: str, floor: Floor) -> None:
        super().__init__(serial)
        self.floor = floor
        self.command("MEASure:TEMPerature?", lambda: f"{self.floor.temperature_c:.2f}")
        self.command("MEASure:HUMidity?", lambda: f"{self.floor.humidity * 100:.1f}")
