"""``drill wires``: loads through a wire that lies, faulty units among them.

Of each load one wire, or every wire, lies in one way. Whatever comes of it: no faulty unit passes,
no output that is believed was another than its step asks for, no run hangs, every output falls in
time, no relay moves over a charged unit, and no high voltage is put on while somebody has hands in.
"""

import asyncio
import random
import re
from collections.abc import Callable, Mapping
from contextlib import AsyncExitStack
from dataclasses import dataclass, field, replace
from typing import Any

from drill.documents import demo_sequence
from drill.ladder import Ladder, ladder_step
from drill.wires import LIES, MISHEARD, LyingWire
from loricate.bench.bench import Bench, Patience
from loricate.bench.plan import BenchPlan
from loricate.commands import demo_site
from loricate.commands.places import demo_folder
from loricate.core.attempts import Attempt, Kept
from loricate.core.kinds.wiring import GIVE_UP
from loricate.core.measuring.actions import Answer, Ending, Output
from loricate.core.measuring.grading import Verdict
from loricate.core.measuring.readings import Reading
from loricate.core.sequences.ready import ReadySequence
from loricate.execution.engine import Engine
from loricate.execution.load import Answered, LoadedUnit, NestZeroes
from loricate.execution.operator import HANDS_OUT
from loricate.simulator.instruments.output import OutputInstrument
from loricate.simulator.standins import StandIns

PACE = 20.0
PATIENCE = Patience(link_s=0.6, overrun_s=0.3)
OUT_S = 0.2  # how long hands take
HANGS_S, FALLS_S = 150.0, 1.0  # a load takes a minute where each answer is late
SAFE_V = 60.0
SOURCES = (
    "HV1", "HV2", "GB1", "LK1", "WM1", "TM1", "LR1", "DS1", "SG1", "RM1", "IM1", "PS1", "PG1",
    "ST1",
)  # fmt: skip
WIRES = (*SOURCES, "MX1", "GD1")
RATES = (0.02, 0.1, 0.5, 1.0)
CLIP = re.compile(r"clip of (\w+) (?:back )?on (\w+)")
POSITION = re.compile(r"position (\w+)")


@dataclass(frozen=True)
class Job:
    """What is tested in a load: a sequence, in a fixture, on units that may have one of faults."""

    sequence: ReadySequence
    fixture: str
    nests: str
    model: str
    faults: tuple[str, ...]
    wires: tuple[str, ...]  # that it uses


def cabinets() -> Job:
    """Drying cabinets."""
    faults = (
        "loose_earth", "missing_earth", "cracked_insulator", "swapped_line_earth", "leaky_filter",
        "wrong_element", "wet", "switched_off",
    )  # fmt: skip
    wires = ("HV1", "HV2", "GB1", "LK1", "MX1", "GD1")
    return Job(_unasked(demo_sequence("dc40-final")), "FX-A", "1234", "DC-40", faults, wires)


def leads() -> Job:
    """Control leads: wires, high voltage by groups and net by net, a switch that is turned."""
    faults = (
        "open UP", "open SCREEN", "corroded HORN", "short X1:D X1:E", "swapped X2:3 X2:4",
        "swapped X2:13 X2:17", "missing R1", "other R1", "weak BUS_H", "poor UP", "unplugged X2",
    )  # fmt: skip
    sequence = demo_sequence("lead-final")
    steps = tuple(step for step in sequence.steps if step.roles)
    wires = ("HV1", "HV2", "WM1", "MX1", "GD1")
    return Job(replace(sequence, steps=steps), "FX-C", "12", "CL-7", faults, wires)


def bent_leads() -> Job:
    """Control leads that are bent while they are watched; what is loose breaks off each time."""
    faults = (
        "loose UP", "loose STOP_2", "loose SCREEN", "open HORN", "corroded BUS_H",
        "swapped X2:5 X2:6", "unplugged X2",
    )  # fmt: skip
    return Job(demo_sequence("lead-repair"), "FX-C", "12", "CL-7", faults, ("WM1", "MX1", "GD1"))


def motors() -> Job:
    """Winch motors: temperature, resistance, a minute of volts, a ladder, surges."""
    faults = (
        "loose_lead", "open_lead", "open_branch", "unbalanced_phase", "turn_short", "weak_turns",
        "broken_ground_wall", "moisture", "earthed_winding",
    )  # fmt: skip
    final = demo_sequence("wm3-final")
    ladder = demo_sequence("wm3-study").step("ladder")
    quick = ladder.settings.model_copy(update={"slope": 2000.0, "dwell": 2.0})
    steps = []
    shorter = {"lasts": 15.0, "read_at": 15.0, "ratio_from": 5.0, "ratio_to": 15.0}
    for one in final.steps:
        if one.kind.name == "polarization":  # in a quarter of its time
            steps.append(replace(one, settings=one.settings.model_copy(update=shorter)))
        elif one.kind.name not in ("ground_bond", "withstand"):
            steps.append(one)
    steps.append(replace(ladder, settings=quick))
    wires = ("TM1", "LR1", "DS1", "SG1", "MX1", "GD1")
    return Job(replace(final, steps=tuple(steps)), "FX-M", "1", "WM-3", faults, wires)


def transformers() -> Job:
    """Control transformers: resistances, ratios, inductances, and what is between the windings."""
    faults = (
        "wrong_turns", "reversed_winding", "shorted_turn", "thin_wire", "open_winding", "wet",
        "weak_barrier", "wide_gap",
    )  # fmt: skip
    sequence = demo_sequence("ct14-final")
    steps = tuple(step for step in sequence.steps if step.roles)
    wires = ("LR1", "RM1", "IM1", "HV1", "HV2", "MX1", "GD1")
    return Job(replace(sequence, steps=steps), "FX-T", "12", "CT-14", faults, wires)


def warmers() -> Job:
    """Fluid warmers: the earth by a lead that is zeroed by hand, then a table of leakages."""
    faults = (
        "bad_y_capacitor", "open_earth", "dirty_earth_pin", "wet_probe", "wet_catheter",
        "probe_to_case", "dead_heater",
    )  # fmt: skip
    final = demo_sequence("fw2-final")
    smaller = {
        "path": ("earth", "patient", "mains_on_part"), "condition": ("normal", "open_earth"),
        "polarity": ("normal",), "switch": ("on",), "connections": ("together",), "dwell": 0.3,
    }  # fmt: skip
    table = final.step("leakage")
    settings = table.settings.model_copy(update=smaller)
    points = settings.points(final.product)
    names = {point.name for point in points} | {""}
    limits = {of: limit for of, limit in table.limits.items() if of.point in names}
    steps = (
        replace(
            final.step("earth"),
            on_fail="carry_on",
            settings=final.step("earth").settings.model_copy(update={"lead_zeroed": 600.0}),
        ),
        replace(table, settings=settings, points=points, limits=limits),
    )
    wires = ("GB1", "LK1", "MX1", "GD1")
    return Job(replace(final, steps=steps), "FX-W", "1", "FW-2", faults, wires)


def devices() -> Job:
    """Fluid warmers as whole devices: clips, what they show of stimuli, their cuff, a pulse."""
    faults = (
        "swapped P4 C1", "leaking_cuff", "sensor_off", "pressure_off", "silent_alarm",
        "absorbing_catheter",
    )  # fmt: skip
    whole = demo_sequence("fw2-whole")
    quick: dict[str, dict[str, Any]] = {
        "clips": {},
        "display": {"at_most": 40.0},
        "cuff-shown": {"at_most": 20.0, "tries": 1},
        "cuff-loss": {"at_most": 20.0, "tries": 1, "over": "30 s"},
        "pulse": {},
    }
    steps = []
    for name, update in quick.items():
        one = whole.step(name)
        changed = one.settings.model_copy(update=update)
        steps.append(replace(one, settings=changed, on_fail="carry_on"))
    wires = ("WM1", "ST1", "PG1", "PS1", "MX1", "GD1")
    return Job(replace(whole, steps=tuple(steps)), "FX-W", "1", "FW-2", faults, wires)


@dataclass
class Notebook:
    """Takes what the engine leaves: the verdict of each unit, and how the run ended."""

    state: str = ""
    note: str = ""
    units: Mapping[str, tuple[Verdict, str]] = field(default_factory=dict)
    attempts: list[tuple[str, str, Verdict, str]] = field(default_factory=list)

    async def attempt(self, unit: LoadedUnit, attempt: Attempt) -> None:
        """Keep an attempt."""
        told = (unit.nest, attempt.step.id, attempt.verdict, attempt.note)
        self.attempts.append(told)

    async def kept(self, unit: LoadedUnit, kept: Kept) -> None:
        """What is kept on the way is not looked at."""

    async def answered(self, unit: LoadedUnit, answered: Answered) -> None:
        """Answers are not looked at."""

    async def zeroed(self, unit: LoadedUnit, path: str, reading: Reading, account: str) -> None:
        """The engine itself remembers it."""

    async def ended(
        self, state: str, note: str, verdict: Verdict, units: Mapping[str, tuple[Verdict, str]]
    ) -> None:
        """Keep the end."""
        self.state, self.note, self.units = state, note, units


@dataclass
class Load:
    """What was found of one load; empty ``faults`` means that it was as it should be."""

    lie: str
    wires: tuple[str, ...]
    rate: float
    model: str
    told: int = 0
    passed: int = 0
    state: str = ""
    note: str = ""
    faults: list[str] = field(default_factory=list)


class Site:
    """A bench on stand-ins, with a wire that can lie to each."""

    def __init__(self, chance: random.Random) -> None:
        self.chance = chance
        self.floor = StandIns(demo_folder() / "stand-ins" / "stand-ins.toml", pace=PACE)
        self.jobs = (
            cabinets(),
            leads(),
            bent_leads(),
            motors(),
            transformers(),
            warmers(),
            devices(),
        )
        self.wires: dict[str, LyingWire] = {}
        self.opened_over_v = 0.0
        self.set_otherwise: list[str] = []
        self.hands_in: set[str] = set()  # nests that somebody touches

    async def open(self, stack: AsyncExitStack) -> None:
        """Serve the stand-ins, put the wires in between, and connect the bench."""
        ports = await self.floor.serve()
        stack.push_async_callback(self.floor.close)
        for name in WIRES:
            self.wires[name] = LyingWire(ports[name], self.chance)
            ports[name] = await self.wires[name].serve()
            stack.push_async_callback(self.wires[name].close)
        data = {**demo_site.bench_document(), "pace": PACE}
        for part in demo_site.parts_of(data):
            part["address"] = f"tcp://127.0.0.1:{ports[part['id']]}"
        self.bench = Bench(BenchPlan.model_validate(data), patience=PATIENCE)
        await self.bench.connect()
        stack.push_async_callback(self.bench.close)
        self._watch_relays()

    def _watch_relays(self) -> None:
        """Note the greatest voltage in a nest when relays open that an output went through."""
        floor = self.floor.floor
        hot: set[str] = set()
        matrix = self.floor.instruments["MX1"]
        move = matrix._switching  # type: ignore[attr-defined]  # the stand-in has no hook for it

        def nests_of(columns: set[int]) -> set[str]:
            return {
                name for name, nest in floor.nests.items() if columns & {*nest.columns.values()}
            }

        def watched(points: set[tuple[int, int]]) -> None:
            opened = nests_of({column for _, column in points & floor.closed})
            for name in opened & hot:
                self.opened_over_v = max(self.opened_over_v, floor.volts_in(name))
            hot.difference_update(opened)
            move(points)

        matrix._switching = watched  # type: ignore[attr-defined]
        for name in SOURCES:
            self._watch_source(name, hot, nests_of)

    def _watch_source(
        self, name: str, hot: set[str], nests_of: Callable[[set[int]], set[str]]
    ) -> None:
        """Note what an output goes through, and what it really was set to."""
        source, floor = self.floor.instruments[name], self.floor.floor
        assert isinstance(source, OutputInstrument)
        instrument, begin, cut = self.bench.instruments[name], source.begin, source.cut
        read_summary, adjust = instrument.read_summary, instrument.adjust
        really: dict[str, float | str] = {}
        changing: dict[str, float | str] = {}

        def began() -> None:
            really.clear()
            changing.clear()
            if source.hazardous and self.hands_in:
                told = ", ".join(sorted(self.hands_in))
                self.set_otherwise.append(f"{name} was put on with hands in nest {told}")
            rows = {row for row, wire in floor.rows.items() if wire.startswith(f"{name}.")}
            hot.update(nests_of({column for row, column in floor.closed if row in rows}))
            begin()

        def ended() -> None:
            really.update(settings_of(source))
            cut()

        async def adjusted(settings: Mapping[str, float | str]) -> None:
            changing.update(settings)
            await adjust(settings)

        async def summed_up() -> Output:
            wanted = dict(instrument.programmed)
            output = await read_summary()
            # One that was cut as it was being changed may have been set as it was to be.
            either = {} if output.ending is Ending.FINISHED else changing
            if not output.doubts:
                self.set_otherwise += [
                    f"{name} had {each} of {really.get(each)}, and {value} was believed"
                    for each, value in wanted.items()
                    if not is_same(value, really.get(each))
                    and not is_same(either.get(each, value), really.get(each))
                ]
            return output

        source.begin, source.cut = began, ended  # type: ignore[method-assign]
        instrument.adjust = adjusted  # type: ignore[method-assign]
        instrument.read_summary = summed_up  # type: ignore[method-assign]

    async def load(self, number: int) -> Load:
        """One load through lying wires."""
        # Each lie meets another job in each round.
        rounds, place = divmod(number, len(LIES))
        lie, job = LIES[place], self.jobs[(place + rounds) % len(self.jobs)]
        every = self.chance.random() < 0.2
        able = [name for name in job.wires if name != "GD1" or lie not in MISHEARD]  # it takes none
        wires = job.wires if every else (self.chance.choice(able),)
        return await self.lied_to(number, job, lie, wires, self.chance.choice(RATES))

    async def lied_to(
        self, number: int, job: Job, lie: str, wires: tuple[str, ...], rate: float
    ) -> Load:
        """One load of a job, while these wires lie so."""
        found = Load(lie, wires, rate, job.model)
        faulty = {}
        for nest in job.nests:
            faults = (self.chance.choice(job.faults),) if self.chance.random() < 0.6 else ()
            faulty[nest] = faults
            self.floor.floor.put_in(f"{job.fixture}/{nest}", job.model, faults, f"{number}/{nest}")
        self.opened_over_v = 0.0
        self.set_otherwise.clear()
        self.hands_in.clear()
        for name in wires:
            self.wires[name].told = 0
            self.wires[name].be(lie, found.rate)
        notebook = Notebook()
        await self._run(number, job, notebook, found)
        found.told = sum(self.wires[name].told for name in wires)
        found.state, found.note = notebook.state, notebook.note
        for nest, faults in faulty.items():
            verdict, _ = notebook.units.get(nest, (Verdict.NOT_RUN, ""))
            found.passed += verdict is Verdict.PASS
            if faults and verdict is Verdict.PASS:
                told = [each for each in notebook.attempts if each[0] == nest]
                found.faults.append(f"nest {nest} with {faults[0]} passed: {told}")
        found.faults += self.set_otherwise
        await self._set_right(found)
        return found

    async def _run(self, number: int, job: Job, notebook: Notebook, found: Load) -> None:
        fixture = self.bench.plan.find_fixture(job.fixture)
        assert fixture is not None
        units = [LoadedUnit(nest, nest, f"{number}/{nest}") for nest in job.nests]
        zeroes: Mapping[str, NestZeroes] = {}
        engine = Engine(str(number), job.sequence, fixture, units, self.bench, notebook, zeroes)
        engine.start()
        try:
            async with asyncio.timeout(HANGS_S):
                async for event in engine.log.follow():
                    if event.name == "question":
                        self._answer(engine, job, event.data)
                    elif event.name == "cue":
                        self._work_the_cuff(job, event.data)
                await engine.wait()
        except TimeoutError:
            found.faults.append(f"it hung for {HANGS_S:g} s at {'; '.join(waiting_at())}")
            engine.abort("It hung.")
            await engine.wait()

    def _answer(self, engine: Engine, job: Job, asked: Mapping[str, Any]) -> None:
        """As an operator: turn the switch or bend the lead, and say what is to be said then.

        Hands are in from when that is asked for until they were said to be out, a while later.
        """
        if asked["entries"]:
            self._read_display(engine, job, asked)
            return
        if asked["choices"] == [HANDS_OUT]:
            loop = asyncio.get_running_loop()
            loop.call_later(self.chance.uniform(0.0, OUT_S), self._take_out, engine, asked)
            return
        position = POSITION.search(str(asked["question"]))
        clip = CLIP.search(str(asked["question"]))
        if clip is not None:
            self.hands_in.add(asked["nest"])
            self.floor.floor.clip(f"{job.fixture}/{asked['nest']}", *clip.groups())
        elif position is not None:
            self.hands_in.add(asked["nest"])
            self.floor.floor.turn(f"{job.fixture}/{asked['nest']}", position[1])
        elif self.floor.floor.nests[f"{job.fixture}/{asked['nest']}"].unit is not None:
            self.hands_in.add(asked["nest"])
            self.floor.floor.bend(f"{job.fixture}/{asked['nest']}")
        if asked["choices"][0] != GIVE_UP:  # what comes by itself is waited for
            engine.answer(asked["nest"], Answer(asked["choices"][0]))

    def _work_the_cuff(self, job: Job, told: Mapping[str, Any]) -> None:
        """As an operator: vent the cuff, or have it pumped, as the step says."""
        device = self.floor.floor.device_in(f"{job.fixture}/{told['nest']}")
        if device is not None:
            text = str(told["text"])
            vents, pumps = text.startswith("Vent"), "30 kPa" in text
            device.cuff_pa = 0.0 if vents else 33_000.0 if pumps else device.cuff_pa

    def _read_display(self, engine: Engine, job: Job, asked: Mapping[str, Any]) -> None:
        """As an operator: what the device shows, once it can have settled."""
        settles_s = max(each["settles_s"] for each in asked["entries"])

        def read() -> None:
            device = self.floor.floor.device_in(f"{job.fixture}/{asked['nest']}")
            if device is None:
                return
            values = {}
            for entry in asked["entries"]:
                name = entry["name"]
                shown = device.shown("cuff" if name == "shown" else name)
                unit = {"temperature": " °C", "pressure": " Pa"}.get(entry["quantity"], "")
                values[name] = shown if isinstance(shown, str) else f"{shown:.6g}{unit}"
            engine.answer(asked["nest"], Answer("", values=values), asked["number"])

        loop = asyncio.get_running_loop()
        loop.call_later((settles_s + 1) / PACE, read)

    def _take_out(self, engine: Engine, asked: Mapping[str, Any]) -> None:
        self.hands_in.discard(asked["nest"])
        engine.answer(asked["nest"], Answer(HANDS_OUT))

    async def _set_right(self, found: Load) -> None:
        """Tell the truth again, see that outputs are off, and earth by hand what may be charged."""
        for wire in self.wires.values():
            wire.be("", 0.0)
        until = asyncio.get_running_loop().time() + FALLS_S
        while self.floor.floor.outputs_on and asyncio.get_running_loop().time() < until:  # noqa: ASYNC110 - the stand-ins have no event
            await asyncio.sleep(0.01)
        if self.floor.floor.outputs_on:
            names = ", ".join(self.floor.floor.outputs_on)
            found.faults.append(f"{names} still on {FALLS_S:g} s after the end")
        if self.opened_over_v > SAFE_V:
            found.faults.append(f"relays opened over {self.opened_over_v:.0f} V")
        for instrument in self.bench.everything:
            instrument.link.close()
            instrument.identity = ""
        for _ in range(5):
            problems = await self.bench.connect()
            if not problems:
                break
        else:
            found.faults.append(f"it does not come back: {problems}")
        if self.bench.charged:
            self.floor.floor.charges.clear()  # a person with an earthing stick
            if left := await self.bench.confirm_earthed():
                found.faults.append(" ".join(left))
        await self.bench.switching.open_all()


def waiting_at() -> list[str]:
    """Where each task waits in our own code, innermost last: what a hang hangs at."""
    found: list[str] = []
    for task in asyncio.all_tasks():
        chain: list[str] = []
        awaited: object | None = task.get_coro()
        while awaited is not None:
            frame = getattr(awaited, "cr_frame", None) or getattr(awaited, "ag_frame", None)
            if frame is not None and "loricate" in frame.f_code.co_filename:
                chain.append(f"{frame.f_code.co_name}:{frame.f_lineno}")
            awaited = getattr(awaited, "cr_await", None) or getattr(awaited, "ag_await", None)
        if chain:
            found.append(" > ".join(chain))
    return found


def settings_of(source: OutputInstrument) -> dict[str, float | str]:
    """What a stand-in is set to, by the names of the bench's programmes."""
    found = {name: getattr(source, name) for name in source.defaults}
    return {"network" if name == "body" else name: value for name, value in found.items()}


def is_same(wanted: float | str, really: float | str | None) -> bool:
    """Whether a setting is as it was wanted."""
    if isinstance(wanted, str) or not isinstance(really, float | int):
        return str(wanted).upper() == really
    return abs(wanted - really) <= 1e-3 * abs(wanted)


def _unasked(sequence: ReadySequence) -> ReadySequence:
    """The sequence without the step that only a person does, and without questions.

    After its insulation comes an output that is held, with a point a level.
    """
    quiet = []
    for each in (step for step in sequence.steps if step.roles):
        if each.kind.name == "insulation":
            settings = each.settings.model_copy(update={"seems_off_above": None})
            quiet.append(replace(each, settings=settings))
            quiet.append(ladder_step(each, Ladder()))
        else:
            quiet.append(each)
    return replace(sequence, steps=tuple(quiet))


async def late_matrix(count: int, seed: int) -> list[Load]:
    """Loads of transformers whose matrix answers late, each time."""
    async with AsyncExitStack() as stack:
        site = Site(random.Random(seed))
        await site.open(stack)
        job = transformers()
        return [await site.lied_to(each, job, "delay", ("MX1",), 1.0) for each in range(count)]


async def lie_to_loads(count: int, seed: int, say: Callable[[str], object]) -> list[Load]:
    """As many loads as told; gives what was found of each."""
    found = []
    async with AsyncExitStack() as stack:
        site = Site(random.Random(seed))
        await site.open(stack)
        for number in range(count):
            load = await site.load(number)
            found.append(load)
            said = "; ".join(load.faults) or "held"
            say(
                f"{number + 1}: {load.model}, {load.lie} on {', '.join(load.wires)} "
                f"at {load.rate:g}, {load.told} lies, {load.state}, {load.passed} passed: {said}"
            )
    return found
