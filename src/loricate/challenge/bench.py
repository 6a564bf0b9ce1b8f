"""A bench without a clock or a link: procedures act straight on the stand-in instruments."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from loricate.bench.profiles import Profile, read_profile
from loricate.core.measuring.actions import (
    Action,
    Answer,
    Ask,
    Connect,
    Ending,
    Energise,
    Enter,
    Outcome,
    Output,
    Program,
    Role,
)
from loricate.core.measuring.grading import DecisionRule, StepGrade, grade_step
from loricate.core.measuring.instruments import Capability
from loricate.core.measuring.plausibility import Programme, believed
from loricate.core.measuring.readings import Bound, Doubt
from loricate.core.measuring.repetitions import decision, grade_repetitions
from loricate.core.measuring.uncertainty import Accuracy
from loricate.core.quantities import exact_text
from loricate.core.sequences.sequences import ReadyStep
from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor, Nest
from loricate.simulator.instruments.bond_source import BondSource
from loricate.simulator.instruments.impedance_meter import ImpedanceMeter
from loricate.simulator.instruments.leakage_meter import LeakageMeter
from loricate.simulator.instruments.output import OutputInstrument
from loricate.simulator.instruments.withstand_source import WithstandSource
from loricate.simulator.network import Gap
from loricate.simulator.scpi import ScpiError
from loricate.simulator.units import UnitModel

NEST = "1"
STRAY_F = 40e-12
DC_STEP_S = 0.1  # fine enough for the absorption of a unit, whose time constants are longer
ARC_STEP_S = 0.05  # arcs come one by one
WHOLE_PHASE_S = 1e6  # what does not change within a phase is looked at once, at its end
MODELS: dict[Role, type[OutputInstrument]] = {
    Role.WITHSTAND: WithstandSource,
    Role.BOND: BondSource,
    Role.LEAKAGE: LeakageMeter,
    Role.IMPEDANCE: ImpedanceMeter,
}
# What each terminal of an instrument is wired to; a bond source has force and sense leads.
WIRES: dict[Role, dict[str, tuple[str, ...]]] = {
    Role.WITHSTAND: {"high": ("high",), "low": ("low",)},
    Role.BOND: {"high": ("force_high", "sense_high"), "low": ("force_low", "sense_low")},
    Role.LEAKAGE: {name: (name,) for name in ("line", "neutral", "earth", "body")},
    Role.IMPEDANCE: {"high": ("high",), "low": ("low",)},
}
_WORDS = {"path", "network", "method", "neutral", "polarity", "function"}
_ATTRIBUTES = {"network": "body"}


@dataclass(frozen=True, slots=True)
class _Wired:
    instrument: OutputInstrument
    profile: Profile
    rows: Mapping[str, tuple[int, ...]]
    accuracy: Mapping[str, Accuracy]


class OfflineBench:
    """One nest and one instrument a role. What lies in the nest is put in for every unit."""

    def __init__(self, model: UnitModel, real: Mapping[Role, Capability] | None = None) -> None:
        columns = {terminal: index + 1 for index, terminal in enumerate(model.terminals)}
        rows: dict[int, str] = {}
        self._columns = columns
        self.floor = Floor(rows, {NEST: Nest(columns, stray_farads=STRAY_F)}, {model.code: model})
        self._model = model
        self._wired: dict[Role, _Wired] = {}
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
            capability = None if real is None else real.get(role)
            accuracy = capability.accuracy if capability is not None else {}
            self._wired[role] = _Wired(
                make("CHALLENGE", name, self.floor, clock),
                profile,
                wires,
                accuracy or profile.accuracy,
            )

    def put_in(self, faults: tuple[str, ...], serial: str) -> None:
        """Put a unit with these faults in the nest; ``serial`` seeds its scatter and the noise."""
        self.floor.put_in(NEST, self._model.code, faults, serial)
        for wired in self._wired.values():
            wired.instrument.chance.seed(f"{wired.instrument.name}/{serial}")

    def take_out(self) -> None:
        """Leave the nest empty."""
        self.floor.take_out(NEST)

    def grade(self, step: ReadyStep, rule: DecisionRule) -> StepGrade:
        """Perform a step on what lies in the nest, as often as it is repeated, and grade it."""
        if step.repeat is None:
            return self._grade_once(step, rule)
        grades: list[StepGrade] = []
        while decision(step.repeat, [each.verdict for each in grades]) is None:
            grades.append(self._grade_once(step, rule))
        return grade_repetitions(step.repeat, grades)

    def _grade_once(self, step: ReadyStep, rule: DecisionRule) -> StepGrade:
        procedure = step.procedure()
        doubts: list[Doubt] = []
        try:
            action = next(procedure)
            while True:
                outcome = self._outcome(action, step)
                if isinstance(outcome, Output):
                    doubts += outcome.doubts
                action = procedure.send(outcome)
        except StopIteration as done:
            measured = replace(done.value, doubts=(*done.value.doubts, *doubts))
            return grade_step(measured, step.limits, rule)

    def _outcome(self, action: Action, step: ReadyStep) -> Outcome:
        match action:
            case Ask():
                return Answer(action.passing or action.choices[0])
            case Enter():
                return Answer(_expected(step, action))
            case Connect():
                self._connect(action)
            case Program():
                self._program(action)
            case Energise():
                return self._energise(action.role)
            case _:
                pass  # waiting takes no time here, and this fixture has no zero
        return None

    def _connect(self, action: Connect) -> None:
        rows = self._wired[action.role].rows
        self.floor.closed = {
            (row, self._columns[contact])
            for terminal, contacts in action.points.items()
            for contact in contacts
            for row in rows[terminal]
        }

    def _program(self, action: Program) -> None:
        instrument = self._wired[action.role].instrument
        for name, value in action.settings.items():
            written = str(value).upper() if name in _WORDS else value
            setattr(instrument, _ATTRIBUTES.get(name, name), written)

    def _energise(self, role: Role) -> Output:
        wired = self._wired[role]
        instrument, profile = wired.instrument, wired.profile
        instrument.run_at_once(self._step_s(instrument))
        self.floor.charges.clear()  # as the bench does after every output
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
            (),
            instrument.name,
            wired.accuracy,
            instrument.reached,
        )
        times = [(phase.lower(), length) for phase, length in instrument.plan]
        programme = Programme.of({f"{phase}_s": length for phase, length in times})
        return believed(output, programme, profile.capability(instrument.name))

    def _step_s(self, instrument: OutputInstrument) -> float:
        """How finely an output must be followed: charge takes time, and arcs come one by one."""
        if not isinstance(instrument, WithstandSource):
            return WHOLE_PHASE_S
        unit = self.floor.nests[NEST].unit
        elements = () if unit is None else unit.elements
        if any(isinstance(each, Gap) and each.arcing for each in elements):
            return ARC_STEP_S
        return DC_STEP_S if instrument.function == "DC" else WHOLE_PHASE_S


def _expected(step: ReadyStep, enter: Enter) -> str:
    """What the operator types: the target, else a figure inside the limits."""
    if enter.target:
        return enter.target
    limit = step.limits.get("entered")
    edges = [] if limit is None else [limit.minimum, limit.maximum]
    known = [edge for edge in edges if edge is not None]
    return exact_text(sum(known) / len(known) if known else 0.0, enter.dimension)
