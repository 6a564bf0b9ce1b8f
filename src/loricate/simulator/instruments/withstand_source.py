"""Withstand and insulation source: AC to 5 kV, DC to 6 kV, with trip, arc and residual volts."""

import math

from loricate.simulator import scpi
from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import ONE_NODE_OHMS, Floor
from loricate.simulator.instruments.output import OutputInstrument, bounded, displayed
from loricate.simulator.network import (
    EARTH,
    Element,
    Network,
    Resistor,
    Solution,
    Source,
    Transient,
)
from loricate.simulator.scpi import ScpiError

FLOOR_A, HIGH_FLOOR_A, RANGE_A = 50e-9, 2e-6, 0.1
STEP_V, STEP_A, RESISTIVE_STEP_A = 0.1, 1e-9, 1e-8  # what its display can tell apart
SHUNT_OHMS = 10.0
OUTPUT_OHMS = {"AC": 2_000.0, "DC": 20_000.0}
BLEED_OHMS = 200_000.0
ARC_CHANCE = 0.2


class WithstandSource(OutputInstrument):
    """Sources V between ``high`` and ``low`` and measures the current that comes back."""

    model = "WITHSTAND-SOURCE"

    def __init__(self, serial: str, name: str, floor: Floor, clock: PacedClock) -> None:
        super().__init__(serial, name, floor, clock)
        self.function, self.level_v, self.frequency_hz = "AC", 500.0, 50.0
        self.ramp_s, self.dwell_s, self.fall_s, self.trip_a = 0.5, 1.0, 0.0, 1e-3
        self.arc_count = 4
        self.return_side = "LOW"  # where it measures the current
        self.from_v = 0.0  # where a ramp begins
        self._followed_s = 0.0  # up to where charges are known
        self.gain = 1 + self.chance.uniform(-0.003, 0.003)
        self.terminals = self.high, self.low = f"{name}.high", f"{name}.low"
        self.network = Network(())
        self.transient: Transient | None = None
        self.unit_solution: Solution | None = None
        self.solution: Solution | None = None
        self.volts = self.amperes = self.resistive = 0.0
        self.arcs = 0
        self.summary_v = self.dwell_end_a = self.greatest_a = self.summary_resistive = 0.0
        self.setting("SOURce:VOLTage[:LEVel]", "level_v", 50, 6000, "V", self.raise_to)
        self.setting("SOURce:FREQuency", "frequency_hz", 40, 400, "HZ")
        self.setting("SOURce:RAMP:UP", "ramp_s", 0.01, 999, "S")
        self.setting("SOURce:DWELl", "dwell_s", 0.02, 3600, "S")
        self.setting("SOURce:RAMP:DOWN", "fall_s", 0, 999, "S")
        self.setting("SOURce:CURRent:PROTection[:LEVel]", "trip_a", 1e-6, 0.1, "A")
        self.setting("SENSe:ARC:COUNt", "arc_count", 0, 100, "")
        self.choices("SOURce:FUNCtion[:SHAPe]", "function", "AC", "DC")
        self.choices("SENSe:CURRent:SIDE", "return_side", "LOW", "HIGH")
        self.command("MEASure:VOLTage:RESidual?", lambda: f"{self.residual_v():.2f}")

    def phases(self) -> list[tuple[str, float]]:
        if self.function == "AC" and self.level_v > 5000:
            raise ScpiError(*scpi.SETTINGS_CONFLICT)
        return [("RAMP", self.ramp_s), ("DWELL", self.dwell_s), ("FALL", self.fall_s)]

    def _source(self, volts: float) -> Source:
        return Source(self.high, EARTH, volts, OUTPUT_OHMS[self.function])

    def raise_to(self, level_v: float) -> None:
        """Ramp from the level at which the output stands to another, and stand there anew."""
        self.refuse_unless_dwelling()
        if self.function == "AC" and level_v > 5000:
            raise ScpiError(*scpi.SETTINGS_CONFLICT)
        came = self._until(self.reached - self.started)
        self.from_v, self.level_v = self.level_v, level_v
        self.plan = [*came, *self.phases()]
        self.phase, self.dwelt_s = "RAMP", 0.0

    def begin(self) -> None:
        self.from_v = self._followed_s = 0.0
        self.network = self.floor.circuit(
            (Resistor(self.low, EARTH, SHUNT_OHMS),), merged_below=ONE_NODE_OHMS
        )
        self.arcs = 0
        self.volts = self.amperes = self.resistive = self.greatest_a = 0.0
        self.unit_solution, self.transient, self.solution = None, None, None
        if self.function == "DC":
            start = [self._source(0.0)]
            self.transient = Transient(self.network, start, self.step_s, self.floor.charges)

    def step(self, phase: str, into_s: float, length_s: float) -> None:
        volts = self.level_now(phase, into_s / length_s if length_s else 1.0) * self.gain
        solution = self._solve(volts)
        held_v = abs(solution.across(self.high, self.low))
        fresh = self.network.strike(solution, math.sqrt(2) if self.function == "AC" else 1.0)
        if any(not gap.arcing for gap in fresh):
            self.unit_solution = None
            if self.transient is not None:
                self.transient.rebuild([self._source(volts)])
            solution = self._solve(volts)
        self.solution = solution
        self._measure(solution, held_v, volts)
        self._protect()

    def level_now(self, phase: str, share: float) -> float:
        """The volts that it sources when a share of a phase has passed."""
        if phase == "RAMP":
            return self.from_v + (self.level_v - self.from_v) * share
        return self.level_v * (1.0 if phase == "DWELL" else 1 - share)

    def _solve(self, volts: float) -> Solution:
        if self.transient is not None:
            now_s = self.reached - self.started
            passed_s, self._followed_s = now_s - self._followed_s, now_s
            return self.transient.advance([self._source(volts)], passed_s)
        if self.unit_solution is None:
            self.unit_solution = self.network.solve_ac([self._source(1.0)], self.frequency_hz)
        return Solution(self.network, self.unit_solution.voltages * volts)

    def _measure(self, solution: Solution, held_v: float, source_v: float) -> None:
        """Read the meters; the voltmeter holds what stood at the unit before a breakdown.

        On the low side only what comes back through the low terminal is seen; on the high side all
        that goes out, more coarsely.
        """
        across = solution.across(self.high, self.low)
        current = solution.at(self.low) / SHUNT_OHMS
        if self.return_side == "HIGH":
            out = (source_v - solution.at(self.high)) / OUTPUT_OHMS[self.function]
            current = complex(self.noisy(out.real, 2e-3, 1e-7), self.noisy(out.imag, 2e-3, 1e-7))
        self.volts = self.noisy(held_v, 2e-4, 0.05)
        if self.function == "AC":
            self.amperes = self.noisy(abs(current), 5e-4, 2e-9)
            in_phase = (current * across.conjugate()).real / abs(across) if abs(across) else 0.0
            self.resistive = self.noisy(in_phase, 5e-4, 2e-9)
        else:
            self.amperes = self.noisy(current.real, 5e-4, 2e-9)
            self.resistive = self.amperes

    def _protect(self) -> None:
        struck = {gap for gap in self.network.struck if not gap.arcing}
        if abs(self.amperes) > self.trip_a:
            self.finish("BREAKDOWN" if struck else "OVERCURRENT")
            return
        if any(gap.arcing for gap in self.network.struck) and self.chance.random() < ARC_CHANCE:
            self.arcs += 1
            if self.arc_count and self.arcs >= self.arc_count:
                self.finish("ARC")

    def cut(self) -> None:
        if self.floor.forgets:
            pass
        elif self.transient is not None:
            self.floor.keep(self.transient.charges(), self.network.reached(self.terminals))
        else:
            self.leave_charge(self.network, self.solution, math.sqrt(2))
        self.network.release()

    def bleed(self) -> tuple[Element, ...]:
        return (Resistor(self.high, EARTH, BLEED_OHMS), Resistor(self.low, EARTH, SHUNT_OHMS))

    def values(self) -> list[str]:
        if not self.output_on:
            return ["0", "0", "UNDER", "0"]
        current, bound = bounded(self.amperes, self.floor_a, RANGE_A)
        resistive = displayed(self.resistive, RESISTIVE_STEP_A)
        return [displayed(self.volts, STEP_V), displayed(current, STEP_A), bound, resistive]

    @property
    def floor_a(self) -> float:
        """The least current that its meter shows, on the side where it measures."""
        return FLOOR_A if self.return_side == "LOW" else HIGH_FLOOR_A

    def summary(self) -> list[str]:
        current, bound = bounded(self.dwell_end_a, self.floor_a, RANGE_A)
        greatest, bound_max = bounded(self.greatest_a, self.floor_a, RANGE_A)
        return [
            displayed(self.summary_v, STEP_V),
            displayed(current, STEP_A),
            bound,
            displayed(greatest, STEP_A),
            bound_max,
            displayed(self.summary_resistive, RESISTIVE_STEP_A),
        ]

    def finish(self, ending: str) -> None:
        if self.output_on and ending != "FINISHED":
            self._hold_summary()
        super().finish(ending)

    def _step_at(self, elapsed_s: float) -> None:
        super()._step_at(elapsed_s)
        if self.phase == "DWELL":
            self._hold_summary()

    def _hold_summary(self) -> None:
        """Keep what the meters show now as the summary: the dwell's latest, or the cut's."""
        self.summary_v = self.volts
        self.dwell_end_a = self.amperes
        self.greatest_a = max(self.greatest_a, self.amperes, key=abs)
        self.summary_resistive = self.resistive
