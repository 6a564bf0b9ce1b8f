"""The stand-in bench: reads its file, puts the floor together and serves every instrument."""

import asyncio
import tomllib
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from pydantic import BaseModel, ConfigDict

from loricate.core.quantities import CAPACITANCE, RESISTANCE, TEMPERATURE, parse
from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor, Nest
from loricate.simulator.instruments.bond_source import BondSource
from loricate.simulator.instruments.climate import ClimateMeter
from loricate.simulator.instruments.dc_source import DcSource, TurnedSource
from loricate.simulator.instruments.guard import GuardSwitch
from loricate.simulator.instruments.hands import Hands
from loricate.simulator.instruments.impedance_meter import ImpedanceMeter
from loricate.simulator.instruments.inputs import DigitalInputs
from loricate.simulator.instruments.leakage_meter import LeakageMeter
from loricate.simulator.instruments.low_resistance_meter import LowResistanceMeter
from loricate.simulator.instruments.matrix import RelayMatrix
from loricate.simulator.instruments.pressure_gauge import PressureGauge
from loricate.simulator.instruments.pulse_source import PulseSource
from loricate.simulator.instruments.ratio_meter import RatioMeter
from loricate.simulator.instruments.stimulus import Stimulus
from loricate.simulator.instruments.surge_generator import SurgeGenerator
from loricate.simulator.instruments.thermometer import Thermometer
from loricate.simulator.instruments.wiring_meter import WiringMeter
from loricate.simulator.instruments.withstand_source import WithstandSource
from loricate.simulator.network import EARTH, Network, Resistor, Source
from loricate.simulator.server import Instrument
from loricate.simulator.units import read_unit_model

if TYPE_CHECKING:
    from loricate.simulator.printer import Printer
    from loricate.simulator.receiver import Receiver


class _Model(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class StandInInstrument(_Model):
    """One instrument to serve; ``nest`` is where one hangs that has no relays."""

    id: str
    type: Literal[
        "withstand_source",
        "bond_source",
        "leakage_meter",
        "impedance_meter",
        "wiring_meter",
        "matrix",
        "guard",
        "inputs",
        "climate_meter",
        "thermometer",
        "low_resistance_meter",
        "dc_source",
        "turned_source",
        "surge_generator",
        "ratio_meter",
        "pulse_source",
        "pressure_gauge",
        "stimulus",
    ]
    serial: str
    nest: str = ""


class StandInNest(_Model):
    """One nest as wired, and what lies in it at the start."""

    nest: str
    columns: dict[str, int]
    unit: str = ""
    serial: str = ""
    faults: tuple[str, ...] = ()
    lead: str = "0 Ω"
    stray: str = "0 F"
    presence: int = 0
    earthed: tuple[str, ...] = ()
    temperature: str = ""


class StandInBench(_Model):
    """A stand-in file: rows of the matrix by number, instruments, nests and unit files."""

    format: Literal["loricate-stand-ins/1"]
    units: tuple[str, ...]
    rows: dict[int, str]
    instruments: tuple[StandInInstrument, ...]
    nests: tuple[StandInNest, ...]


def _empty_nest(plan: StandInNest) -> Nest:
    lead_ohms, stray_f = parse(plan.lead, RESISTANCE), parse(plan.stray, CAPACITANCE)
    return Nest(
        dict(plan.columns),
        lead_ohms=lead_ohms,
        stray_farads=stray_f,
        presence=plan.presence,
        earthed=plan.earthed,
        temperature_c=parse(plan.temperature, TEMPERATURE) if plan.temperature else None,
    )


class StandIns:
    """The running stand-ins of one bench."""

    def __init__(self, path: Path, pace: float = 1.0) -> None:
        plan = StandInBench.model_validate(tomllib.loads(path.read_text(encoding="utf-8")))
        models = [read_unit_model(path.parent / name) for name in plan.units]
        self.clock = PacedClock(pace)
        self.floor = Floor(
            rows=plan.rows,
            nests={nest.nest: _empty_nest(nest) for nest in plan.nests},
            models={model.code: model for model in models},
            clock=self.clock,
        )
        self._nests = plan.nests
        self.restore()
        self._served: dict[str, Instrument] = {}
        self._printer: Printer | None = None
        self._systems: dict[str, Receiver] = {}
        self._ticking: asyncio.Task[None] | None = None
        self.instruments = {each.id: self._make(each) for each in plan.instruments}

    def restore(self) -> None:
        """Put back what lay in each nest at the start, and repair relays and wires."""
        self.floor.stuck.clear()
        self.floor.leaks.clear()
        self.floor.wet.clear()
        for nest in self._nests:
            if nest.unit:
                self.floor.put_in(nest.nest, nest.unit, nest.faults, nest.serial)
            else:
                self.floor.take_out(nest.nest)

    def _make(self, plan: StandInInstrument) -> Instrument:
        match plan.type:
            case "withstand_source":
                return WithstandSource(plan.serial, plan.id, self.floor, self.clock)
            case "bond_source":
                return BondSource(plan.serial, plan.id, self.floor, self.clock)
            case "leakage_meter":
                return LeakageMeter(plan.serial, plan.id, self.floor, self.clock)
            case "impedance_meter":
                return ImpedanceMeter(plan.serial, plan.id, self.floor, self.clock)
            case "wiring_meter":
                return WiringMeter(plan.serial, plan.id, self.floor, self.clock)
            case "matrix":
                return RelayMatrix(plan.serial, self.floor, self.clock)
            case "guard":
                return GuardSwitch(plan.serial, self.floor)
            case "inputs":
                return DigitalInputs(plan.serial, self.floor)
            case "climate_meter":
                return ClimateMeter(plan.serial, self.floor)
            case "thermometer":
                return Thermometer(plan.serial, plan.id, self.floor, self.clock, plan.nest)
            case "low_resistance_meter":
                return LowResistanceMeter(plan.serial, plan.id, self.floor, self.clock)
            case "dc_source":
                return DcSource(plan.serial, plan.id, self.floor, self.clock)
            case "ratio_meter":
                return RatioMeter(plan.serial, plan.id, self.floor, self.clock)
            case "surge_generator":
                return SurgeGenerator(plan.serial, plan.id, self.floor, self.clock)
            case "pulse_source":
                return PulseSource(plan.serial, plan.id, self.floor, self.clock)
            case "pressure_gauge":
                return PressureGauge(plan.serial, plan.id, self.floor, self.clock, plan.nest)
            case "stimulus":
                return Stimulus(plan.serial, plan.id, self.floor, self.clock, plan.nest)
            case "turned_source":
                return TurnedSource(plan.serial, plan.id, self.floor, self.clock)

    async def serve(
        self, host: str = "127.0.0.1", printed: Path | None = None, secret: str = ""
    ) -> dict[str, int]:
        """Listen on free ports; gives the port of each instrument, and of the hands as HANDS.

        Where ``printed`` is named there is a printer as well, PRINTER, that prints into it. Where
        there is a ``secret``, systems that take what is signed with it: WORKS and DEVICES.
        """
        # The first solution sets up the linear algebra library, which takes up to half a second.
        Network([Resistor("a", EARTH, 1.0)]).solve_ac([Source("a", EARTH, 1.0, 1.0)], 50.0)
        self._ticking = asyncio.create_task(self.clock.tick())
        if printed is not None:
            from loricate.simulator.printer import Printer  # half a second, for who has one

            self._printer = Printer(printed)
        hands = Hands(self.floor, self.clock, self.instruments, self.restore, host, self._printer)
        self._served = {**self.instruments, "HANDS": hands}
        ports = {name: await each.serve(host, 0) for name, each in self._served.items()}
        if self._printer is not None:
            ports["PRINTER"] = await self._printer.serve(host, 0)
        if secret:
            from loricate.simulator.receiver import Receiver

            self._systems = {name: Receiver(secret) for name in ("WORKS", "DEVICES")}
            ports |= {name: await each.serve(host, 0) for name, each in self._systems.items()}
        return ports

    async def close(self) -> None:
        """Switch every instrument off: outputs down, links cut."""
        for name, instrument in self._served.items():
            await instrument.power(False, name)
        if self._printer is not None:
            await self._printer.close()
        for each in self._systems.values():
            await each.close()
        if self._ticking is not None:
            self._ticking.cancel()


async def serve_until_cancelled(
    path: Path, pace: float, printed: Path | None = None, secret: str = ""
) -> None:
    """Serve a stand-in bench; prints one JSON line of ports once everything listens."""
    import json
    import sys

    ports = await StandIns(path, pace).serve(printed=printed, secret=secret)
    sys.stdout.write(json.dumps(ports) + "\n")
    sys.stdout.flush()
    await asyncio.Event().wait()
