"""A bench without a clock or a link: procedures act straight on the stand-in instruments."""

import math
from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import TypeVar

from loricate.bench.profiles import Profile, read_profile
from loricate.bench.records import numbers_in
from loricate.core.errors import ProcedureError
from loricate.core.measuring.actions import (
    Acquire,
    Answer,
    Ask,
    Asking,
    At,
    Connect,
    Ending,
    Energise,
    Enter,
    Entry,
    FixtureZero,
    Form,
    Held,
    Hold,
    Join,
    Keep,
    KeepZero,
    LeadOhms,
    LeadZero,
    Level,
    Look,
    Off,
    Output,
    Recall,
    Rest,
    Scan,
    Scanned,
    Source,
    Switch,
    Tell,
    Waveform,
)
from loricate.core.measuring.curves import Column, Curve, Sample, Thinner, evenly
from loricate.core.measuring.driving import Driver, at_once
from loricate.core.measuring.grading import DecisionRule, StepGrade
from loricate.core.measuring.holding import Holding, Until
from loricate.core.measuring.impedance import ImpedanceZero
from loricate.core.measuring.instruments import Capability
from loricate.core.measuring.plausibility import Times, believed, believed_look
from loricate.core.measuring.readings import Bound, Measurand, Reading
from loricate.core.measuring.repetitions import decision, grade_repetitions
from loricate.core.measuring.roles import (
    BOND,
    DC_SOURCE,
    GAUGE,
    IMPEDANCE,
    LEAKAGE,
    LOW_RESISTANCE,
    PULSE,
    RATIO_METER,
    ROLES,
    STIMULUS,
    SURGE,
    THERMOMETER,
    WIRING,
    WITHSTAND,
    Role,
)
from loricate.core.measuring.scanning import Record, scanned
from loricate.core.measuring.uncertainty import Accuracy
from loricate.core.quantities import DIMENSIONS, PRESSURE, TEMPERATURE, exact_text
from loricate.core.sequences.capability import Instruments
from loricate.core.sequences.ready import ReadyStep
from loricate.core.wiring.description import Wiring
from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor, Nest
from loricate.simulator.instruments.bond_source import BondSource
from loricate.simulator.instruments.dc_source import DcSource
from loricate.simulator.instruments.impedance_meter import ImpedanceMeter
from loricate.simulator.instruments.leakage_meter import LEADS, LeakageMeter
from loricate.simulator.instruments.low_resistance_meter import LowResistanceMeter
from loricate.simulator.instruments.output import OutputInstrument
from loricate.simulator.instruments.pressure_gauge import PressureGauge
from loricate.simulator.instruments.pulse_source import PulseSource
from loricate.simulator.instruments.ratio_meter import RatioMeter
from loricate.simulator.instruments.stimulus import Stimulus
from loricate.simulator.instruments.surge_generator import SurgeGenerator
from loricate.simulator.instruments.thermometer import Thermometer
from loricate.simulator.instruments.wiring_meter import WATCH, WiringMeter
from loricate.simulator.instruments.withstand_source import WithstandSource
from loricate.simulator.network import Gap
from loricate.simulator.scpi import ScpiError
from loricate.simulator.units import UnitModel

NEST = "1"
R = TypeVar("R")
STRAY_F, FEW_LEADS = 40e-12, 10
DC_STEP_S = 0.1  # fine enough for the absorption of a unit, whose time constants are longer
QUICK_DC_STEP_S = 0.5  # of a unit that absorbs nothing: it is charged long before
ARC_STEP_S = 0.05  # arcs come one by one
HOLD_STEP_S, FINELY = 0.5, 50  # how finely a hold is looked at: in time, and in parts of it
COARSELY = 2  # of what stays as it is while it is held
WATCH_STEP_S, MOST_TOUCHES = 0.1, 3
WHOLE_PHASE_S = 1e6  # what does not change within a phase is looked at once, at its end
MODELS: dict[Role, type[OutputInstrument]] = {
    WITHSTAND: WithstandSource,
    BOND: BondSource,
    LEAKAGE: LeakageMeter,
    IMPEDANCE: ImpedanceMeter,
    WIRING: WiringMeter,
    THERMOMETER: Thermometer,
    LOW_RESISTANCE: LowResistanceMeter,
    DC_SOURCE: DcSource,
    SURGE: SurgeGenerator,
    RATIO_METER: RatioMeter,
    PULSE: PulseSource,
    GAUGE: PressureGauge,
    STIMULUS: Stimulus,
}
# What each terminal of an instrument is wired to; a bond source has force and sense leads.
WIRES: dict[Role, dict[str, tuple[str, ...]]] = {
    WITHSTAND: {"high": ("high",), "low": ("low",)},
    BOND: {"high": ("force_high", "sense_high"), "low": ("force_low", "sense_low")},
    LEAKAGE: {
        name: (name,)
        for name in (
            "line",
            "neutral",
            "earth",
            "body",
            *(f"lead_{n}" for n in range(1, LEADS + 1)),
        )
    },
    IMPEDANCE: {name: (name,) for name in ("high", "low", "short", "tie")},
    WIRING: {
        "high": ("force_high", "sense_high"),
        "low": ("force_low", "sense_low"),
        **{f"watch_{number}": (f"watch_{number}",) for number in range(1, 9)},
    },
    THERMOMETER: {},
    LOW_RESISTANCE: {"high": ("force_high", "sense_high"), "low": ("force_low", "sense_low")},
    DC_SOURCE: {"high": ("high",), "low": ("low",)},
    SURGE: {"high": ("high",), "low": ("low",)},
    PULSE: {"high": ("high",), "earthed": ("earthed",)},
    GAUGE: {},
    STIMULUS: {},
    RATIO_METER: {name: (name,) for name in ("high", "low", "sense_high", "sense_low", "tie")},
}
_ATTRIBUTES = {"network": "body"}


@dataclass(frozen=True, slots=True)
class _Wired:
    instrument: OutputInstrument
    profile: Profile
    rows: Mapping[str, tuple[int, ...]]
    accuracy: Mapping[str, Accuracy]
    meter: Capability


class OfflineBench:
    """One nest and one instrument a role. What lies in the nest is put in for every unit."""

    def __init__(self, model: UnitModel, real: Instruments | None = None) -> None:
        columns = {terminal: index + 1 for index, terminal in enumerate(model.terminals)}
        rows: dict[int, str] = {}
        self._columns = columns
        # Of many leads, what is between each two of them is not worth its time: a cable has more.
        stray_f = STRAY_F if len(columns) <= FEW_LEADS else 0.0
        nests = {NEST: Nest(columns, stray_farads=stray_f)}
        # After every output the bench discharges, so that nothing of it is seen in the next.
        self.floor = Floor(rows, nests, {model.code: model}, forgets=True)
        self._model = model
        self._wired: dict[Role, _Wired] = {}
        self._seen = Thinner()  # of the output that is held
        self._level_since_s = 0.0
        clock = PacedClock()
        for role, make in MODELS.items():
            name = f"{role}-stand-in"
            wires = {}
            for terminal, nodes in WIRES[role].items():
                numbers = []
                for node in nodes:
                    rows[len(rows) + 1] = f"{name}.{node}"
                    numbers.append(len(rows))
                wires[terminal] = tuple(numbers)
            profile = read_profile(f"stand-in-{role}")
            accuracy = next((each.accuracy for each in (real or {}).get(role, ())), {})
            instrument = make("CHALLENGE", name, self.floor, clock)
            if isinstance(instrument, PressureGauge | Stimulus):
                instrument.nest = NEST
            self._wired[role] = _Wired(
                instrument,
                profile,
                wires,
                accuracy or profile.accuracy,
                profile.capability(name),
            )

    def put_in(self, faults: tuple[str, ...], serial: str) -> None:
        """Put a unit with these faults in the nest; ``serial`` seeds its scatter and the noise."""
        self.floor.put_in(NEST, self._model.code, faults, serial)
        for wired in self._wired.values():
            wired.instrument.chance.seed(f"{wired.instrument.name}/{serial}")

    def take_out(self) -> None:
        """Leave the nest empty."""
        self.floor.take_out(NEST)

    def turn(self, position: str) -> None:
        """Put the switch of the unit into a position, as an operator would who is asked to."""
        if self.floor.nests[NEST].unit is not None:
            self.floor.turn(NEST, position)

    def clip(self, contact: str, terminal: str) -> None:
        """Put a contact's clip to a terminal, as an operator would who is asked to."""
        if self.floor.nests[NEST].unit is not None:
            self.floor.clip(NEST, contact, terminal)

    def grade(self, step: ReadyStep, rule: DecisionRule) -> StepGrade:
        """Perform a step on what lies in the nest, as often as it is repeated, and grade it."""
        if step.repeat is None:
            return self._grade_once(step, rule)
        grades: list[StepGrade] = []
        while decision(step.repeat, [each.verdict for each in grades]) is None:
            grades.append(self._grade_once(step, rule))
        return grade_repetitions(step.repeat, grades)

    def perform(self, procedure: Asking[R]) -> R:
        """Perform a procedure that asks nobody for a figure on what lies in the nest."""
        return at_once(_OfflineDriver(self, None).drive(procedure))

    def _grade_once(self, step: ReadyStep, rule: DecisionRule) -> StepGrade:
        measured = at_once(_OfflineDriver(self, step).measure(step.procedure()))
        return step.graded(measured, rule)

    def connect(self, action: Connect) -> None:
        rows = self._wired[action.role].rows
        self.floor.closed = {
            (row, self._columns[contact])
            for terminal, contacts in action.points.items()
            for contact in contacts
            for row in rows[terminal]
        }

    def _program(self, action: Energise) -> None:
        instrument = self._wired[action.role].instrument
        words = ROLES[action.role].words
        for name, value in action.programme.items():
            written = str(value).upper() if name in words else value
            setattr(instrument, _ATTRIBUTES.get(name, name), written)

    def energise(self, action: Energise) -> Output:
        """Program an output and follow it to its end in no time."""
        self._program(action)
        wired = self._wired[action.role]
        wired.instrument.run_at_once(self._step_s(wired.instrument))
        return self._summed_up(action.role)

    def _summed_up(self, role: Role, samples: tuple[Sample, ...] = ()) -> Output:
        wired = self._wired[role]
        instrument, profile = wired.instrument, wired.profile
        if profile.summary is None:
            raise ScpiError(-230, "Data corrupt or stale")
        values: dict[str, float] = {}
        bounds: dict[str, Bound] = {}
        told = instrument.fetch_summary().split(",")
        for name, text in zip(profile.summary.fields, told, strict=True):
            if name.endswith(":bound"):
                bounds[name.removesuffix(":bound")] = profile.bounds[text]
            elif name != "ending":
                values[name] = float(text)
        output = Output(
            Ending(profile.endings[instrument.ending]),
            values,
            bounds,
            samples,
            instrument.name,
            wired.accuracy,
            instrument.reached,
        )
        planned = [(phase.lower(), length) for phase, length in instrument.plan]
        times = Times.of({f"{phase}_s": length for phase, length in planned})
        if samples:  # it was held, level after level
            at_level_s = max(0.0, samples[-1].elapsed_s - self._level_since_s)
            times = Times(self._level_since_s, at_level_s, times.fall_s, instrument.plan_s)
        return believed(output, times, wired.meter)

    def switch(self, action: Switch) -> None:
        """Change what is closed by what differs."""
        changed = {
            word: {
                (row, self._columns[contact])
                for terminal, contacts in points.items()
                for contact in contacts
                for row in self._wired[action.role].rows[terminal]
            }
            for word, points in (("add", action.add), ("remove", action.remove))
        }
        self.floor.closed = (self.floor.closed - changed["remove"]) | changed["add"]

    def scan(self, action: Scan) -> Scanned:
        """Measure path after path, each of them connected for its slot."""
        wired = self._wired[action.role]
        count = len(action.paths)
        programme = {**action.programme, "points": count, "dwell_s": count * action.slot_s}
        paths = iter(action.paths)

        def connect_next() -> None:
            self.connect(Connect(action.role, next(paths)))

        connect_next()
        self.floor.on_trigger = [connect_next]
        self._program(Energise(action.role, programme))
        wired.instrument.run_at_once(action.slot_s)
        output = self._summed_up(action.role)
        records = []
        for quantity in action.reads:
            spelled = wired.profile.waveforms[quantity]
            told = at_once(wired.instrument.perform(spelled.ask)) or ""
            values = [float(text) for text in told.split(",")]
            dimension = DIMENSIONS[spelled.dimension]
            records.append(Record(quantity, dimension, values, action.slot_s))
        meter = replace(wired.meter, accuracy=wired.accuracy)
        return scanned(output, records, count, action.slot_s, meter)

    def acquire(self, action: Acquire) -> Waveform:
        """A record that an instrument keeps of its last output."""
        wired = self._wired[action.role]
        record = wired.profile.waveforms[action.name]
        about, told = (
            at_once(wired.instrument.perform(each)) or "" for each in (record.about, record.ask)
        )
        start, step, _ = (float(text) for text in about.split(","))
        is_text = record.form == "text"
        sent = told if is_text else told[2 + int(told[1]) :].encode("latin-1")
        values = numbers_in(sent, record, ",")
        axis = evenly(start, step, len(values))
        x = Column(record.axis, DIMENSIONS[record.axis_dimension], axis)
        column = Column(record.quantity, DIMENSIONS[record.dimension], values)
        return Waveform(Curve(action.name, x, (column,)), wired.instrument.name)

    def bend(self) -> None:
        """Bend what lies in the nest, if anything does."""
        if self.floor.nests[NEST].unit is not None:
            self.floor.bend(NEST)

    def pump(self, pascals: float) -> None:
        """Bring the cuff of what lies in the nest to a pressure, where it has one."""
        if (device := self.floor.device_in(NEST)) is not None:
            device.cuff_pa = pascals

    def shown(self, entry: Entry) -> str:
        """What a person reads of the display of what lies in the nest; nothing where it has none.

        A pressure that is asked for without a target is that of its cuff.
        """
        device = self.floor.device_in(NEST)
        if device is None:
            return ""
        if entry.dimension is PRESSURE and not entry.target:
            return exact_text(device.cuff_shown_pa, PRESSURE)
        told = device.shown(entry.name)
        if isinstance(told, float) and entry.dimension is not None:
            return exact_text(told, entry.dimension)
        return told if told in entry.choices else ""

    def source(self, action: Source) -> Level:
        """Bring an output to a level, in no time."""
        instrument = self._wired[action.role].instrument
        adjustable = self._wired[action.role].profile.adjustable
        if adjustable and "level_v" not in adjustable and instrument.output_on:
            for name in adjustable:
                if name in action.programme:
                    setattr(instrument, name, action.programme[name])
            changed = [
                name
                for name in action.programme.keys() - set(adjustable) - ROLES[action.role].words
                if getattr(instrument, name) != action.programme[name]
            ]
            if changed:
                raise ProcedureError(f"A procedure changed {changed} under an output.")
            if isinstance(instrument, LeakageMeter):
                instrument.solve()
        elif instrument.output_on:
            for name, value in action.programme.items():
                if name in ("ramp_s", "fall_s"):
                    setattr(instrument, name, value)
            instrument.raise_to(float(action.programme["level_v"]))
        else:
            self._program(Energise(action.role, action.programme))
            instrument.begin_at_once(self._step_s(instrument))
            self._seen = Thinner()
        sample = self._advanced(action.role, lambda sample: sample.phase == "dwell")
        self._level_since_s = 0.0 if sample is None else sample.elapsed_s
        return Level(None if sample is None else self._looked(action.role, sample))

    def hold(self, role: Role, holding: Holding) -> Held:
        """Follow an output that is on until the hold ends; a question is answered at once."""
        met: Until | None = None
        longest_s = holding.longest_s

        def is_enough(sample: Sample) -> bool:
            nonlocal met
            if sample.phase != "dwell":
                return True
            met = holding.see(sample)
            if met is None and sample.elapsed_s - holding.began_s >= longest_s / 2:
                met = holding.question
            return met is not None

        is_still = isinstance(self._wired[role].instrument, LeakageMeter)
        parts = COARSELY if is_still else FINELY
        self._advanced(role, is_enough, min(HOLD_STEP_S, longest_s / parts))
        last = holding.last or Sample(0.0, 0.0, "done", {})
        held_s = 0.0 if math.isnan(holding.began_s) else last.elapsed_s - holding.began_s
        return Held(
            met,
            held_s,
            self._looked(role, last),
            {mark: self._looked(role, each) for mark, each in holding.at.items()},
            dict(holding.lowest),
            dict(holding.highest),
            runner_up=dict(holding.runner_up),
        )

    def _advanced(
        self, role: Role, is_enough: Callable[[Sample], bool], step_s: float = HOLD_STEP_S
    ) -> Sample | None:
        """Follow an output until a sample is enough; None where it ended before."""
        wired = self._wired[role]
        while wired.instrument.output_on:
            wired.instrument.advance(step_s)
            if not wired.instrument.output_on:
                return None
            sample = self._sample(wired)
            self._seen.add(sample)
            if is_enough(sample):
                return sample
        return None

    @staticmethod
    def _sample(wired: _Wired) -> Sample:
        """What the instrument shows now."""
        fields = wired.profile.sample.fields if wired.profile.sample else ()
        told = dict(zip(fields, wired.instrument.fetch().split(","), strict=True))
        word = told.pop("phase")
        bounds = {
            name.removesuffix(":bound"): wired.profile.bounds[text]
            for name, text in told.items()
            if name.endswith(":bound")
        }
        values = {
            name: float(text)
            for name, text in told.items()
            if name and not name.endswith((":bound", "_s"))
        }
        phase = wired.profile.phases.get(word, word).lower()
        return Sample(wired.instrument.reached, 0.0, phase, values, bounds)

    def _looked(self, role: Role, sample: Sample) -> Look:
        wired = self._wired[role]
        look = Look(sample, wired.instrument.name, wired.accuracy)
        return believed_look(look, wired.meter)

    def off(self, role: Role) -> Output:
        """Take an output off and give what it did."""
        wired = self._wired[role]
        wired.instrument.end_at_once()
        return self._summed_up(role, tuple(self._seen.samples))

    def _step_s(self, instrument: OutputInstrument) -> float:
        """How finely an output must be followed: charge takes time, and arcs come one by one."""
        if isinstance(instrument, WiringMeter) and instrument.function == WATCH:
            return WATCH_STEP_S
        if not isinstance(instrument, WithstandSource):
            return WHOLE_PHASE_S
        unit = self.floor.nests[NEST].unit
        elements = () if unit is None else unit.elements
        if any(isinstance(each, Gap) and each.arcing for each in elements):
            return ARC_STEP_S
        if instrument.function != "DC":
            return WHOLE_PHASE_S
        return DC_STEP_S if unit is None or unit.absorbs else QUICK_DC_STEP_S


class _OfflineDriver(Driver):
    """Performs a step on what lies in the nest; every question is answered as if all were well."""

    def __init__(self, bench: OfflineBench, step: ReadyStep | None) -> None:
        super().__init__()
        self.bench, self.step = bench, step
        self._touches: Counter[str] = Counter()

    async def ask(self, action: Ask) -> Answer:
        if action.position:
            self.bench.turn(action.position)
        if action.clip is not None:
            self.bench.clip(*action.clip)
        return Answer(action.passing or action.choices[0])

    async def enter(self, action: Enter) -> Answer:
        if action.dimension is TEMPERATURE and not action.target:
            return Answer(exact_text(self.bench.floor.temperature_c, TEMPERATURE))
        return Answer(_expected(self.step, action))

    async def wait(self, seconds: float) -> None:
        """Waiting takes no time here."""

    def come_to(self, action: At) -> None:
        """Nobody watches."""

    def other_cables(self) -> tuple[tuple[str, Wiring], ...]:
        """None but this one."""
        return ()

    def tell(self, action: Tell) -> None:
        """Nobody stands there."""

    def recall(self, action: Recall) -> Reading | None:
        """Each step is tried by itself."""
        return None

    def unit_temperature(self) -> Reading | None:
        """It has that of the air about it."""
        return Reading("temperature", self.bench.floor.temperature_c, TEMPERATURE, uncertainty=0.5)

    async def keep(self, action: Keep) -> None:
        """Nobody needs them."""

    def lead_zero(self, action: LeadZero) -> LeadOhms | None:
        """Nor has it leads."""
        return None

    async def keep_zero(self, action: KeepZero) -> None:
        """Each step is tried by itself."""

    def fixture_zero(self, action: FixtureZero) -> ImpedanceZero | None:
        """This fixture has none."""
        return None

    async def connect(self, action: Connect) -> None:
        self.bench.connect(action)

    async def fill_in(self, action: Form) -> Answer:
        values = {
            each.name: self.bench.shown(each) or each.target or next(iter(each.choices), "")
            for each in action.entries
        }
        missing = [each for each in action.entries if not values[each.name] and each.dimension]
        values |= {each.name: exact_text(0.0, each.dimension) for each in missing if each.dimension}
        return Answer("", values=values)

    async def switch(self, action: Switch) -> None:
        self.bench.switch(action)

    async def join(self, action: Join) -> None:
        raise NotImplementedError("No step checks the scanner.")

    async def energise(self, action: Energise) -> Output:
        return self.bench.energise(action)

    async def source(self, action: Source) -> Level:
        return self.bench.source(action)

    async def hold(self, action: Hold, holding: Holding) -> Held:
        question = holding.question
        if question is not None and question.position:
            self.bench.turn(question.position)
        elif question is not None and question.touch:
            self._touch(question.touch)
        elif question is not None and not question.entries:
            self.bench.bend()
        if not math.isnan(action.brings):
            self.bench.pump(action.brings)
        if question is None or not question.touch:
            self.bench.floor.touched = None
        held = self.bench.hold(action.role, holding)
        if question is None or held.met is not question:
            return held
        if question.entries and self.bench.floor.nests[NEST].unit is None:
            return replace(held, met=None)  # there is nothing to read
        if question.entries:
            return replace(held, answer=await self.fill_in(Form("", question.entries)))
        return replace(held, answer=Answer(question.choices[0]))

    def _touch(self, contact: str) -> None:
        """Hold the probe to what is asked for; whoever is refused again and again gives up."""
        self._touches[contact] += 1
        is_patient = self._touches[contact] <= MOST_TOUCHES
        self.bench.floor.touched = (NEST, contact) if is_patient else None

    async def off(self, action: Off) -> Output:
        return self.bench.off(action.role)

    async def drop(self, role: Role) -> None:
        self.bench.off(role)

    async def scan(self, action: Scan) -> Scanned:
        return self.bench.scan(action)

    async def rest(self, action: Rest) -> None:
        """Nothing here lasts."""

    async def acquire(self, action: Acquire) -> Waveform:
        return self.bench.acquire(action)


def _expected(step: ReadyStep | None, enter: Enter) -> str:
    """What the operator types: the target, else a figure inside the limits."""
    if enter.target:
        return enter.target
    limit = None if step is None else step.limits.get(Measurand("entered"))
    edges = [] if limit is None else [limit.minimum, limit.maximum]
    known = [edge for edge in edges if edge is not None]
    return exact_text(sum(known) / len(known) if known else 0.0, enter.dimension)
