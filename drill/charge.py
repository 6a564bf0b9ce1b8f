"""``drill charge``: every way in which an output can end, with volts on a unit that holds them.

A unit with a large capacitor is under 500 V DC when the end comes. On the wire, in this order: the
output is off, what is left at the unit was asked for until it was safe, and only then a relay
opens; or no relay opens at all, and the bench says to treat the fixture as charged.
"""

import asyncio
import contextlib
import math
from collections.abc import Awaitable, Callable
from contextlib import AsyncExitStack
from dataclasses import dataclass, field, replace
from itertools import product

from drill.documents import demo_sequence
from drill.ladder import Ladder, ladder_step
from drill.lying import Notebook
from loricate.bench.bench import Bench, Patience
from loricate.bench.danger import DangerState
from loricate.bench.plan import BenchPlan
from loricate.commands import demo_site
from loricate.commands.places import demo_folder
from loricate.core.measuring.actions import Answer
from loricate.core.sequences.ready import ReadyStep
from loricate.execution.engine import Engine
from loricate.execution.load import LoadedUnit
from loricate.simulator.network import Capacitor, Gap
from loricate.simulator.standins import StandIns
from loricate.simulator.units import Unit

PACE = 20.0
SAFE_V = 60.0
STORE_F = 2e-6  # with the source's bleed it takes 0.4 s to a third
TRIES = 3
LEVEL_V = 400.0  # the end comes once the unit has at least this much


@dataclass
class Ended:
    """What was found of one ending; empty ``faults`` means that it was as it should be."""

    name: str
    state: str = ""
    unit_v: float = 0.0
    opened_over_v: float | None = None
    order: list[str] = field(default_factory=list)
    must_earth: bool = False
    faults: list[str] = field(default_factory=list)


class NotCharged(Exception):
    """The run ended before its unit was under voltage: nothing was tried."""


class Rig:
    """A bench on stand-ins, with a unit that holds its charge, and the order of what happens."""

    async def open(self, stack: AsyncExitStack, driven: "Driven") -> None:
        """Serve, connect, put the unit in, and listen to sources and matrix."""
        self.floor = StandIns(demo_folder() / "stand-ins" / "stand-ins.toml", pace=PACE)
        ports = await self.floor.serve()
        stack.push_async_callback(self.floor.close)
        data = {**demo_site.bench_document(), "pace": PACE}
        for part in demo_site.parts_of(data):
            part["address"] = f"tcp://127.0.0.1:{ports[part['id']]}"
        self.bench = Bench(
            BenchPlan.model_validate(data), patience=Patience(link_s=0.5, overrun_s=0.3)
        )
        await self.bench.connect()
        stack.push_async_callback(self.bench.close)
        self.source = self.floor.instruments[driven.source]
        self.order: list[str] = []
        self.opened_over_v: float | None = None
        self.charged_v, self.is_charged = 0.0, asyncio.Event()
        self._listen()

    def put_in(self, driven: "Driven", gap_v: float | None) -> None:
        """A unit that a large capacitor makes hold its charge; with a gap it breaks down."""
        self.nest = driven.nest
        self.floor.floor.put_in(self.nest, driven.model, (), "charged")
        if driven.position:
            self.floor.floor.turn(self.nest, driven.position)
        nest = self.floor.floor.nests[self.nest]
        assert nest.unit is not None
        one, other = (nest.unit.terminals[each] for each in driven.between)
        gaps = () if gap_v is None else (Gap(one, other, gap_v),)
        elements = (*nest.unit.elements, Capacitor(one, other, STORE_F), *gaps)
        nest.unit = Unit(elements, nest.unit.terminals)

    def _listen(self) -> None:
        matrix = self.floor.instruments["MX1"]
        perform, move = self.source.perform, matrix._switching  # type: ignore[attr-defined]

        async def heard(line: str, owner: object | None = None) -> str | None:
            answer = await perform(line, owner)
            if "RES?" in line.upper() or "RESIDUAL?" in line.upper():
                safe = answer is not None and abs(float(answer)) <= SAFE_V
                self.order.append("safe" if safe else "charged")
            elif line.upper().startswith("ABOR"):
                self.order.append("stop")
            return answer

        step = self.source.step  # type: ignore[attr-defined]

        def stepped(phase: str, into_s: float, length_s: float) -> None:
            step(phase, into_s, length_s)
            volts: float = abs(self.source.volts)  # type: ignore[attr-defined]
            is_on = self.bench.danger.state is DangerState.HIGH_VOLTAGE
            if volts >= LEVEL_V and is_on and not self.is_charged.is_set():
                self.charged_v = volts
                self.order.clear()  # what was before is not looked at
                self.is_charged.set()

        def moved(points: set[tuple[int, int]]) -> None:
            if points & self.floor.floor.closed:
                self.order.append("open")
                volts = self.floor.floor.volts_in(self.nest)
                self.opened_over_v = max(self.opened_over_v or 0.0, volts)
            move(points)

        self.source.perform = heard  # type: ignore[method-assign]
        matrix._switching = moved  # type: ignore[attr-defined]
        self.source.step = stepped  # type: ignore[attr-defined]

    async def until_charged(self) -> float:
        """Return once the unit is under voltage; gives the volts.

        They are the source's own, as it steps: whoever only looks now and then may miss the moment
        before a breakdown.
        """
        await self.is_charged.wait()
        return self.charged_v


Ending = Callable[[Rig, Engine], Awaitable[None]]


async def _finished(rig: Rig, engine: Engine) -> None:
    """It comes to its end by itself."""


async def _abort(rig: Rig, engine: Engine) -> None:
    engine.abort("Aborted by the drill.")


async def _cancel(rig: Rig, engine: Engine) -> None:
    """The step is called off from within."""
    for task in list(engine._works):
        task.cancel()


async def _stopping(rig: Rig, engine: Engine) -> None:
    engine.abort("The service is stopping.")
    await engine.wait()
    await rig.bench.close()


async def _guard(rig: Rig, engine: Engine) -> None:
    rig.floor.floor.set_guard(False)


def _mischief(how: str) -> Ending:
    async def end(rig: Rig, engine: Engine) -> None:
        rig.source.misbehave(how)

    return end


async def _power(rig: Rig, engine: Engine) -> None:
    await rig.source.power(False, "127.0.0.1")


async def _stuck(rig: Rig, engine: Engine) -> None:
    """Its bleed is broken: the unit keeps its charge, unless its source takes it down by itself.

    A pulse source keeps its own.
    """
    rig.source.bleed = lambda: ()  # type: ignore[attr-defined]
    rig.source.dumps_s = math.inf  # type: ignore[attr-defined]
    if getattr(rig.source, "fall_s", 1.0):
        engine.abort("Aborted by the drill.")


async def _endless(rig: Rig, engine: Engine) -> None:
    """It never comes to the end of its programme by itself."""
    finish = rig.source.finish  # type: ignore[attr-defined]
    rig.source.finish = lambda ending: None if ending == "FINISHED" else finish(ending)  # type: ignore[attr-defined]
    await asyncio.sleep(2.5)
    del rig.source.finish  # type: ignore[attr-defined]


def _programmed(insulation: ReadyStep) -> ReadyStep:
    settings = insulation.settings.model_copy(
        update={"seems_off_above": None, "ramp": 6.0, "settle": 6.0, "trip": 20e-3}
    )
    return replace(insulation, settings=settings)


def _held(insulation: ReadyStep) -> ReadyStep:
    return ladder_step(insulation, Ladder(levels=(300.0, 500.0), ramp=3.0, stands=6.0))


def _for_minutes(insulation: ReadyStep) -> ReadyStep:
    update = {"ramp": 3.0, "lasts": 60.0, "trip": 10e-3}
    return replace(insulation, settings=insulation.settings.model_copy(update=update))


def _netwise(apply: str) -> Callable[[ReadyStep], ReadyStep]:
    def change(insulation: ReadyStep) -> ReadyStep:
        update = {"apply": apply, "slope": None, "ramp": 3.0, "settle": 3.0, "trip": 20e-3}
        return replace(insulation, settings=insulation.settings.model_copy(update=update))

    return change


def _pulse(pulse: ReadyStep) -> ReadyStep:
    return replace(pulse, settings=pulse.settings.model_copy(update={"charge": 12.0}))


# Each ending, and whether the instrument can still say what is left.
ENDINGS: dict[str, tuple[Ending, bool]] = {
    "finished": (_finished, True),
    "trip": (_finished, True),
    "abort": (_abort, True),
    "cancelled": (_cancel, True),
    "service stopping": (_stopping, True),
    "guard opened": (_guard, True),
    "instrument too hot": (_mischief("HOT"), True),
    "instrument in error": (_mischief("ERROR"), True),
    "link lost": (_mischief("LINK"), True),
    "past its deadline": (_endless, True),
    "instrument silent": (_mischief("SILENT"), False),
    "instrument talks nonsense": (_mischief("NONSENSE"), False),
    "instrument without power": (_power, False),
    "bleed broken": (_stuck, False),
}


@dataclass(frozen=True)
class Driven:
    """What an output is of: a step of a sequence, changed, and the unit that holds the charge."""

    change: Callable[[ReadyStep], ReadyStep]
    sequence: str = "dc40-final"
    nest: str = "FX-A/1"
    model: str = "DC-40"
    between: tuple[str, str] = ("L", "PE")
    position: str = ""  # that its switch stands in
    source: str = "HV1"
    step: str = "insulation"


def _lead(change: Callable[[ReadyStep], ReadyStep]) -> Driven:
    return Driven(change, "lead-final", "FX-C/1", "CL-7", ("X1:A", "X1:B"), "FAST")


# One that is programmed to its end, one that a procedure holds, and those of a cable's nets.
OUTPUTS: dict[str, Driven] = {
    "programmed": Driven(_programmed),
    "held": Driven(_held),
    "groups of nets": _lead(_netwise("groups")),
    "net after net": _lead(_netwise("each_net")),
    "minutes on a winding": Driven(
        _for_minutes, "wm3-final", "FX-M/1", "WM-3", ("U", "FRAME"), source="DS1"
    ),
    "a pulse being charged": Driven(
        _pulse, "fw2-whole", "FX-W/1", "FW-2", ("C1", "CASE"), source="PS1", step="pulse"
    ),
}


async def end_once(name: str, output: str = "programmed") -> Ended:
    """Let an output end in one way, and look at what was done on the wire.

    On a machine that stands still for a while a link seems lost before the unit is charged; that
    ending is brought about again.
    """
    for _ in range(TRIES - 1):
        with contextlib.suppress(NotCharged):
            return await _try_end(name, output)
    return await _try_end(name, output)


async def _try_end(name: str, output: str) -> Ended:
    ending, can_tell = ENDINGS[name]
    found = Ended(f"{name}, {output}")
    async with AsyncExitStack() as stack:
        rig = Rig()
        driven = OUTPUTS[output]
        await rig.open(stack, driven)
        rig.put_in(driven, 470.0 if name == "trip" else None)
        sequence = demo_sequence(driven.sequence)
        driving = next(each for each in sequence.steps if each.id == driven.step)
        # Whoever can tell has time to, on a busy machine as well; for nobody it is soon over.
        within_s = 5.0 if can_tell else 1.0
        quick = replace(driven.change(driving), discharge_within_s=within_s)
        notebook = Notebook()
        fixture = rig.bench.plan.find_fixture(driven.nest.partition("/")[0])
        assert fixture is not None
        engine = Engine(
            "charge", replace(sequence, steps=(quick,)), fixture,
            [LoadedUnit("1", "1", "S-1")], rig.bench, notebook,
        )  # fmt: skip
        engine.start()
        answering = asyncio.create_task(_answer(engine))
        stack.callback(answering.cancel)
        found.unit_v = await _until_charged(rig, engine, notebook)
        await ending(rig, engine)
        await asyncio.wait_for(engine.wait(), 30)
        found.state, found.order = notebook.state, list(rig.order)
        found.opened_over_v = rig.opened_over_v
        found.must_earth = bool(rig.bench.charged)
        found.faults = _faults(found, can_tell, rig, driven)
        rig.source.misbehave("NONE")
        rig.floor.floor.charges.clear()
        if rig.bench.charged and not found.faults:
            await rig.source.power(True, "127.0.0.1")
            found.faults += list(await rig.bench.confirm_earthed())
    return found


async def _until_charged(rig: Rig, engine: Engine, notebook: Notebook) -> float:
    """The volts of the unit once it has them; raises NotCharged when the run ends before."""
    charging = asyncio.create_task(rig.until_charged())
    ending = asyncio.create_task(engine.wait())
    await asyncio.wait((charging, ending), timeout=30, return_when=asyncio.FIRST_COMPLETED)
    ending.cancel()
    if rig.is_charged.is_set():
        return await charging
    if not charging.done():
        charging.cancel()
        raise NotCharged(f"{notebook.state or 'still running'}: {notebook.note}")
    return charging.result()


async def _answer(engine: Engine) -> None:
    """As an operator who has turned the switch already."""
    async for event in engine.log.follow():
        if event.name == "question":
            engine.answer(event.data["nest"], Answer(event.data["choices"][0]))


def _faults(found: Ended, can_tell: bool, rig: Rig, driven: Driven) -> list[str]:
    faults = []
    if rig.source.output_on:
        faults.append("the output is still on")
    if can_tell:
        if "open" not in found.order:
            faults.append("no relay was opened")
        elif "safe" not in found.order[: found.order.index("open")]:
            faults.append(f"a relay opened before the unit was measured safe: {found.order}")
        if (found.opened_over_v or 0.0) > SAFE_V:
            faults.append(f"a relay opened over {found.opened_over_v:.0f} V")
        if found.must_earth:
            faults.append("it is taken for charged")
    else:
        if "open" in found.order:
            faults.append(f"a relay opened over a unit that nobody measured: {found.order}")
        if not found.must_earth or rig.bench.danger.state is not DangerState.UNKNOWN:
            faults.append("nobody is told to treat it as charged")
        if driven.source not in rig.bench.outputs.live:
            faults.append("the bench has forgotten the output")
        if found.state != "aborted":
            faults.append(f"the run is {found.state}")
    return faults


async def end_in_every_way(say: Callable[[str], object]) -> list[Ended]:
    """Every ending once; gives what was found of each."""
    found = []
    for name, output in product(ENDINGS, OUTPUTS):
        ended = await end_once(name, output)
        found.append(ended)
        said = "; ".join(ended.faults) or "held"
        opened = "none opened" if ended.opened_over_v is None else f"{ended.opened_over_v:.0f} V"
        say(f"{ended.name}: {ended.unit_v:.0f} V on the unit, relays over {opened}: {said}")
    return found
