"""DC sources for windings: up to 10 kV, programmed or turned by hand, with three current ranges.

The meter looks for its range while the volts change, and for a set time after they stand; then it
keeps the range it has, so that no change of it spoils what is read.
"""

import math

from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor
from loricate.simulator.instruments.output import displayed
from loricate.simulator.instruments.withstand_source import SHUNT_OHMS, WithstandSource
from loricate.simulator.network import Resistor, Solution

RANGES_A = (1e-6, 100e-6, 10e-3)
LEAST, MOST = 1e-4, 1.05  # of a range that is shown
DOWN_BELOW = 0.08  # of its range at which it looks for the next lower one
STEP = 1e-5  # of a range that the display can tell apart
STOOD = 0.002  # of the volts that may change while they stand


class DcSource(WithstandSource):
    """Sources DC between ``high`` and ``low``; measures the current that comes back."""

    model = "DC-SOURCE"
    step_s = 0.05

    def __init__(self, serial: str, name: str, floor: Floor, clock: PacedClock) -> None:
        super().__init__(serial, name, floor, clock)
        self.function, self.arc_count = "DC", 0
        self.defaults |= {"function": self.function, "arc_count": self.arc_count}
        self.ranging_s, self.range_at, self.held_since_s = 10.0, len(RANGES_A) - 1, 0.0
        self.off_at: float | None = None
        self.setting("SOURce:VOLTage[:LEVel]", "level_v", 10, 10_000, "V", self.raise_to)
        self.setting("SOURce:RAMP:UP", "ramp_s", 0.01, 9999, "S", self._ramp_next)
        self.setting("SOURce:RAMP:DOWN", "fall_s", 0, 9999, "S", self._fall_later)
        self.setting("SOURce:CURRent:PROTection[:LEVel]", "trip_a", 1e-7, 10e-3, "A")
        self.setting("SENSe:CURRent:RANGe:TIME", "ranging_s", 0, 3600, "S")
        self.command("MEASure:EARThed:TIME?", lambda: f"{self.earthed_s:.3f}")

    def _ramp_next(self, seconds: float) -> None:
        """How long it takes to the next level; it is told before that."""
        self.ramp_s = seconds

    def _fall_later(self, seconds: float) -> None:
        """How long it takes down from the level that it goes to."""
        self.fall_s = seconds

    @property
    def earthed_s(self) -> float:
        """How long it has discharged what is between its leads."""
        return 0.0 if self.off_at is None or self.output_on else self.clock.now() - self.off_at

    def begin(self) -> None:
        super().begin()
        self.range_at, self.off_at = len(RANGES_A) - 1, None

    def cut(self) -> None:
        super().cut()
        self.off_at = self.clock.now()

    def _measure(self, solution: Solution, held_v: float, source_v: float) -> None:
        current = (solution.at(self.low) / SHUNT_OHMS).real
        for element, share in self._flickering():
            if isinstance(element, Resistor):
                through = solution.across(element.a, element.b).real / element.ohms
                current += abs(through) * self.chance.gauss(0, share)
        full = RANGES_A[self.range_at]
        self.volts = self.noisy(held_v, 2e-4, 0.05)
        self.amperes = self.noisy(current, 3e-4, 1e-5 * full)
        self.resistive = self.amperes

    def _flickering(self) -> list[tuple[object, float]]:
        """What is not steady of the units that it reaches."""
        reached = {id(each) for each in self.network.elements}
        return [
            (element, share)
            for nest in self.floor.nests.values()
            if nest.unit is not None
            for element, share in nest.unit.flickers
            if id(element) in reached
        ]

    def step(self, phase: str, into_s: float, length_s: float) -> None:
        super().step(phase, into_s, length_s)
        if self.is_ranging(phase, into_s):
            self._find_range()

    def is_ranging(self, phase: str, into_s: float) -> bool:
        """Whether it may change its range now."""
        return phase != "DWELL" or into_s <= self.ranging_s

    def _find_range(self) -> None:
        size = abs(self.amperes)
        while self.range_at + 1 < len(RANGES_A) and size > RANGES_A[self.range_at]:
            self.range_at += 1
        while self.range_at > 0 and size < DOWN_BELOW * RANGES_A[self.range_at]:
            if size > RANGES_A[self.range_at - 1]:
                return
            self.range_at -= 1

    def _told(self, amperes: float, range_at: int) -> list[str]:
        """A current's magnitude, for what comes back flows the other way, and its bound."""
        full, amperes = RANGES_A[range_at], abs(amperes)
        if amperes < LEAST * full:
            return [f"{LEAST * full:g}", "UNDER"]
        if amperes > MOST * full:
            return [f"{MOST * full:g}", "OVER"]
        return [displayed(amperes, STEP * full, 5), "NORMAL"]

    def values(self) -> list[str]:
        if not self.output_on:
            return ["0", "0", "UNDER", f"{RANGES_A[-1]:g}"]
        told = self._told(self.amperes, self.range_at)
        return [displayed(self.volts, 0.1, 5), *told, f"{RANGES_A[self.range_at]:g}"]

    def _hold_summary(self) -> None:
        super()._hold_summary()
        self.summary_range_at = self.range_at

    def summary(self) -> list[str]:
        greatest_at = next(
            (place for place, full in enumerate(RANGES_A) if abs(self.greatest_a) <= full),
            len(RANGES_A) - 1,
        )
        return [
            displayed(self.summary_v, 0.1, 5),
            *self._told(self.dwell_end_a, self.summary_range_at),
            *self._told(self.greatest_a, greatest_at),
            f"{RANGES_A[self.summary_range_at]:g}",
        ]


class TurnedSource(DcSource):
    """A source whose volts a person turns up and down by a dial; its level is where that stops."""

    model = "TURNED-SOURCE"

    def __init__(self, serial: str, name: str, floor: Floor, clock: PacedClock) -> None:
        super().__init__(serial, name, floor, clock)
        self.dial_from_v = self.dial_to_v = self.dial_at = 0.0
        self.dial_slope = 100.0
        self.stood_since, self.stood_v = 0.0, 0.0

    def phases(self) -> list[tuple[str, float]]:
        return [("DWELL", self.dwell_s)]

    def dial(self, to_v: float, slope: float) -> None:
        """Begin to turn to so many volts, by so many a second."""
        self.dial_from_v, self.dial_to_v = self.dial_v, to_v
        self.dial_slope, self.dial_at = slope, self.clock.now()

    @property
    def dial_v(self) -> float:
        """Where the dial stands now."""
        return self.dial_by(self.clock.now())

    def dial_by(self, moment: float) -> float:
        """Where the dial stands, or stood, at a moment of its clock."""
        way = self.dial_to_v - self.dial_from_v
        gone = self.dial_slope * max(0.0, moment - self.dial_at)
        if gone >= abs(way):
            return self.dial_to_v
        return self.dial_from_v + math.copysign(gone, way)

    def begin(self) -> None:
        super().begin()
        self.stood_since, self.stood_v = 0.0, 0.0

    def level_now(self, phase: str, share: float) -> float:
        return min(self.dial_by(self.reached), self.level_v)

    def is_ranging(self, phase: str, into_s: float) -> bool:
        volts = self.dial_by(self.reached)
        if abs(volts - self.stood_v) > STOOD * max(volts, 1.0):
            self.stood_v, self.stood_since = volts, into_s
        return into_s - self.stood_since <= self.ranging_s
