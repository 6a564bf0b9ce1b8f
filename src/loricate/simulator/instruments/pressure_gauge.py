"""Pressure gauge: hangs on the cuff of the device in one nest, and shows its pressure."""

from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor
from loricate.simulator.instruments.output import OutputInstrument

NOISE_PA, STEP_PA = 12.0, 10.0


class PressureGauge(OutputInstrument):
    """Shows Pa for as long as it is asked to; without a device at it, nothing but the air."""

    model = "PRESSURE-GAUGE"
    hazardous = False
    step_s = 0.1

    def __init__(
        self, serial: str, name: str, floor: Floor, clock: PacedClock, nest: str = ""
    ) -> None:
        super().__init__(serial, name, floor, clock)
        self.nest = nest
        self.dwell_s, self.shown_pa, self.seen_s = 60.0, 0.0, 0.0
        self.offset_pa = self.chance.uniform(-15, 15)
        self.setting("SENSe:TIME", "dwell_s", 0.5, 3600, "S")

    def phases(self) -> list[tuple[str, float]]:
        return [("DWELL", self.dwell_s)]

    def begin(self) -> None:
        self.seen_s = 0.0

    def step(self, phase: str, into_s: float, length_s: float) -> None:
        device = self.floor.device_in(self.nest)
        cuff_pa = 0.0
        if device is not None:
            device.pass_time(into_s - self.seen_s)
            cuff_pa = device.cuff_pa
        self.seen_s = into_s
        there_pa = self.noisy(cuff_pa + self.offset_pa, 0.0, NOISE_PA)
        self.shown_pa = round(there_pa / STEP_PA) * STEP_PA

    def values(self) -> list[str]:
        return [f"{self.shown_pa:.0f}"]

    def summary(self) -> list[str]:
        return self.values()
