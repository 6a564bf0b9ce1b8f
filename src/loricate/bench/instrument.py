"""An instrument as the engine sees it: abstract actions spelled by its profile over its link.

An output counts only when it was seen to begin and to end: before the start the instrument is
looked at, after it at least once while its output runs, its clock may not outrun ours, its summary
is read twice, and at the end it must still answer as who it was. What it was set to it must say
before the start and after the end. What is not so is a fault (`Implausible`), and an output that
outlasts its programme is stopped.
"""

import asyncio
import math
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

from loricate.bench.care import USUAL_CARE, Care
from loricate.bench.claims import Claimed
from loricate.bench.errors import Implausible, InstrumentFault, StillCharged
from loricate.bench.links import Link
from loricate.bench.profiles import Answer, Profile, in_words
from loricate.bench.records import ask_record, numbers_in
from loricate.core.measuring.actions import Ending, Look, Output, Waveform
from loricate.core.measuring.curves import Column, Curve, Sample, Thinner, evenly
from loricate.core.measuring.instruments import Capability
from loricate.core.measuring.plausibility import Times, believed, believed_look
from loricate.core.measuring.readings import Bound, Doubt
from loricate.core.measuring.scpi_values import read_value
from loricate.core.quantities import DIMENSIONS

POLL_S = 0.02
LOCK_WAITS_S = (0.05, 0.1, 0.2, 0.4)
OVERRUN, OVERRUN_S = 0.2, 2.0  # how much longer than programmed an output is waited for
CLOCK, CLOCK_S = 1.05, 0.05  # how far an instrument's clock may be ahead of ours
IDENTITY_FIELDS = 4
DISCHARGING = "discharging"  # the phase of a sample that shows what is left at the unit


@dataclass(slots=True)
class _Running:
    """An output that was started: what was seen of it, and until when it is waited for."""

    before: Sample
    programme: Times
    began: float
    until: float = math.inf
    kept: Thinner = field(default_factory=Thinner)
    last: Sample | None = None
    looked: float = 0.0
    first_s: float = 0.0  # what it told of its clock at the first look, and when that was heard
    heard: float = math.inf
    level_since_s: float = 0.0
    set_s: float = -math.inf  # when it was last set otherwise, by its own clock
    was_seen: bool = False
    ran_ahead: str = ""

    def wait_for(self, total_s: float, overrun_s: float) -> None:
        """Wait so long from its start, and somewhat longer, for its end."""
        self.until = self.began + total_s * (1 + OVERRUN) + overrun_s

    def unseen_s(self, moment: float, done: str, most_pace: float) -> float:
        """How long it may have stayed on after the last look, as fast as its clock went before.

        Its clock went from the first look to the last one, and may have begun later than we asked
        it to: between the two it was at least so fast. No clock is faster than ``most_pace``.
        """
        if self.last is None:
            return (moment - self.began) * most_pace
        if self.last.phase == done:
            return 0.0
        paces = [1.0]
        for at, elapsed_s in ((self.began, 0.0), (self.heard, self.first_s)):
            if self.looked > at:
                paces.append((self.last.elapsed_s - elapsed_s) / (self.looked - at))
        return (moment - self.looked) * min(max(1.0, most_pace), max(paces))


@dataclass(frozen=True, slots=True)
class Who:
    """Who must answer: maker, model and serial number, each empty where nobody said."""

    maker: str = ""
    model: str = ""
    serial: str = ""


NOBODY = Who()


class Instrument:
    """One instrument on its link. Every method raises LinkFailed or InstrumentFault.

    ``pace`` is how many times faster than real time its clock may go: 1 for a real one. ``who``
    is held against its answer to who it is.
    """

    def __init__(
        self,
        name: str,
        link: Link,
        profile: Profile,
        pace: float = 1.0,
        overrun_s: float = OVERRUN_S,
        who: Who = NOBODY,
    ) -> None:
        self.name, self.link, self.profile = name, link, profile
        self.pace, self.overrun_s, self.who = pace, overrun_s, who
        self.identity = ""
        self.energised = False
        self.programmed: dict[str, float | str] = {}
        self._connecting = asyncio.Lock()
        self._running: _Running | None = None
        self._meter = self.capability
        self.on_s = 0.0  # how long the last output was on, by the instrument's own clock
        self._fell_at: float | None = None  # when it was first discharged, by ours

    @property
    def sure(self) -> dict[str, float | str]:
        """What it was programmed with and has said back, or does whatever it is told."""
        usual = self.profile.usual
        return {
            name: each
            for name, each in self.programmed.items()
            if self.profile.asked(name) or usual.get(name) == each
        }

    @property
    def capability(self) -> Capability:
        """What its profile says that it can do."""
        return self.profile.capability(self.name)

    @property
    def keeps_current(self) -> bool:
        """Whether a winding keeps its current for a while when it is taken off."""
        return self.profile.keeps_current

    async def connect(self) -> None:
        """Open the link if need be, learn who answers, and set up (dead-man, clear status)."""
        async with self._connecting:  # several nests ask for the guard at the same time
            if not (self.link.is_open and self.identity):
                await self._connect()

    async def _connect(self) -> None:
        self.identity = ""
        self.programmed.clear()
        await self.link.open()
        identity = await self.link.query(self.profile.identify)
        self._check_identity(identity)
        await self._lock()  # before its set-up, which would end what another has running
        for line in self.profile.setup:
            await self.link.write(line)
        await self.check_errors("refused its set-up")
        for asked, wanted in self.profile.after_setup.items():
            told = await self.link.query(asked)
            if told != wanted and read_value(told) != read_value(wanted):
                self.link.close()
                raise Implausible(
                    self.name, f"answers {asked} with '{told}' after its set-up, not '{wanted}'"
                )
        self.identity = identity
        await self.check_same("after its set-up")

    async def _lock(self) -> None:
        """Have it for this link alone, where its make has a lock; raises Claimed.

        The link before may not have ended yet for the instrument, so it is asked for a while.
        """
        if not self.profile.lock:
            return
        for wait_s in (*LOCK_WAITS_S, None):
            told = await self.link.query(self.profile.lock)
            if told == "1":
                return
            if told != "0":
                raise self.misfit(self.profile.lock, told)
            if wait_s is not None:
                await asyncio.sleep(wait_s)
        holder = await self.link.query(self.profile.lock_owner) if self.profile.lock_owner else ""
        self.link.close()
        raise Claimed(f"Instrument {self.name}", holder or "another controller")

    async def ready(self) -> None:
        """Open the link if need be; who answers on one that is open must still be the same."""
        if self.link.is_open and self.identity:
            await self.check_same("before its step")
        else:
            await self.connect()

    def _check_identity(self, identity: str) -> None:
        """Its calibration is that of one instrument: another one must not measure under it."""
        fields = [field.strip() for field in identity.split(",")]
        has_fields = len(fields) == IDENTITY_FIELDS  # IEEE 488.2, 10.14, with firmware as the last
        wanted = [("maker", self.who.maker), ("model", self.who.model)]
        if self.profile.tells_serial:
            wanted.append(("serial", self.who.serial))
        for place, (name, own) in enumerate(wanted):
            if not own:
                continue
            if has_fields:
                found = fields[place]
                is_it = found == own if name == "serial" else found.casefold() == own.casefold()
            else:
                alone = rf"(?<![A-Za-z0-9]){re.escape(own)}(?![A-Za-z0-9])"
                is_it = re.search(alone, identity) is not None
            if not is_it:
                self.link.close()
                raise InstrumentFault(
                    self.name,
                    f"answers as '{identity}', which is not {name} {own} of the bench file; "
                    "put right its address, or what the bench file says of it",
                )

    async def check_errors(self, doing: str) -> None:
        """Read the error queue; raise InstrumentFault with its first entry when it is not empty."""
        if not self.profile.error:
            return
        answer = await self.link.query(self.profile.error)
        if not self._is_no_error(answer):
            first = answer
            for _ in range(20):
                if self._is_no_error(await self.link.query(self.profile.error)):
                    break
            if self.identity:
                await self.check_same(f"after it {doing}")
            raise InstrumentFault(self.name, f"{doing}: {first}")

    def _is_no_error(self, answer: str) -> bool:
        return answer.lstrip("+").startswith(self.profile.no_error)

    async def program(self, settings: Mapping[str, float | str]) -> None:
        """Send settings, in one message if the make takes that, and have them told again."""
        self.programmed.clear()
        await self._send(settings)
        await self._check_settings(settings, "before its start")
        self.programmed.update(settings)
        self._meter = self.capability
        if settings.get("return_side") == "HIGH" and self._meter.high_side is not None:
            self._meter = self._meter.high_side

    async def _send(self, settings: Mapping[str, float | str]) -> None:
        """Have it set so; raises InstrumentFault where it refuses, or its make has no such."""
        lines = []
        for name, value in settings.items():
            line = self.profile.spelled(name, value)
            if line is None and self.profile.usual.get(name) == value:
                continue
            if line is None:
                raise InstrumentFault(self.name, f"has a profile that cannot set '{name}'")
            lines.append(line)
        for message in [self.profile.joined.join(lines)] if self.profile.joined else lines:
            await self.link.write(message)
        await self.check_errors(f"refused {', '.join(settings)}")

    async def _check_settings(self, settings: Mapping[str, float | str], when: str) -> None:
        """It must say that it is set to what it was sent, as far as its make can say so."""
        asks = {name: self.profile.asked(name) for name in settings if self.profile.asked(name)}
        if not asks:
            return
        if self.profile.joined:  # IEEE 488.2: the answers to one message are joined by semicolons
            answers = (await self.link.query(self.profile.joined.join(asks.values()))).split(";")
        else:
            answers = [await self.link.query(ask) for ask in asks.values()]
        wrong = [
            f"answers {ask} with '{answer}' {when}, set to {settings[name]}"
            for (name, ask), answer in zip(asks.items(), answers, strict=False)
            if not self.profile.is_set(name, settings[name], answer)
        ]
        if len(answers) != len(asks):
            wrong.append(f"gave {len(answers)} answers to {len(asks)} questions {when}")
        if wrong:
            await self.check_same(when)
            raise Implausible(self.name, wrong[0])

    async def start(self) -> None:
        """Put the output on that was programmed."""
        if self.profile.sample is None or self.profile.summary is None:
            raise InstrumentFault(self.name, "has a profile that cannot sample an output")
        if not self.programmed:
            raise InstrumentFault(self.name, "was not programmed since its link was opened")
        before = await self._look(self.profile.sample)
        if before.phase not in (self._done, self._idle):
            raise Implausible(self.name, f"has an output on before its start ({before.phase})")
        self.energised = True
        self.on_s, self._fell_at = 0.0, None
        try:
            # Before it is sent: whoever is held up after that must not doubt a clock that went on.
            began = asyncio.get_running_loop().time()
            await self.link.write(self.profile.start)
            self._running = _Running(before, Times.of(self.programmed), began)
            self._running.wait_for(self._running.programme.total_s, self.overrun_s)
            await self.check_errors("did not start")
        except BaseException:
            self.energised = False
            raise

    async def follow(
        self, is_enough: Callable[[Sample], bool], on_sample: Callable[[Sample], None]
    ) -> Sample:
        """Look at the running output until a sample is enough, or it has come to its end.

        Raises Implausible where it outlasts its programme; it is not beaten for any more then, nor
        after its end.
        """
        running, answer = self._running, self.profile.sample
        if running is None or answer is None:
            raise InstrumentFault(self.name, "has no output on to be looked at")
        loop = asyncio.get_running_loop()
        try:
            while True:
                asked = loop.time()
                sample = await self._look(answer)
                passed_s = loop.time() - running.began
                if sample.elapsed_s > passed_s * self.pace * CLOCK + CLOCK_S:
                    told = f"says {sample.elapsed_s:.2f} s, {passed_s:.2f} s after its start"
                    running.ran_ahead = told
                if running.last is None:
                    running.first_s, running.heard = sample.elapsed_s, loop.time()
                running.last, running.looked = sample, asked
                self.on_s = max(self.on_s, sample.elapsed_s)
                if sample.phase == self._done:
                    self.energised = False
                    return sample
                if loop.time() > running.until:
                    late = f"is still in {sample.phase} {passed_s:.1f} s after its start"
                    total_s = running.programme.total_s
                    raise Implausible(self.name, f"{late}, programmed for {total_s:g} s")
                if sample.phase != self._idle:
                    running.was_seen = True
                    on_sample(sample)
                    running.kept.add(sample)
                    if is_enough(sample):
                        return sample
                # Near the end, wait just as long as the instrument says is left.
                await asyncio.sleep(min(POLL_S, sample.remaining_s + 0.0005))
        except BaseException:
            self.energised = False
            raise

    def looked(self, sample: Sample) -> Look:
        """A sample of the running output as a look of this instrument, believed or not."""
        return believed_look(Look(sample, self.name, self._meter.accuracy), self._meter)

    @property
    def is_running(self) -> bool:
        """Whether it has an output on that was not seen to end."""
        return self.energised

    async def adjust(self, settings: Mapping[str, float | str]) -> None:
        """Change settings of the running output, those that its make takes then.

        The time that it may stay on begins anew with it. Where it has ended by itself meanwhile,
        it is set as it was: what it did, it did so set.
        """
        running = self._running
        changed = {
            name: value for name, value in settings.items() if self.programmed.get(name) != value
        }
        if strange := sorted(set(changed) - set(self.profile.adjustable)):
            raise InstrumentFault(
                self.name, f"cannot change {', '.join(map(in_words, strange))} under its output"
            )
        if running is None:
            raise InstrumentFault(self.name, "has no output on to be changed")
        if not changed:
            return
        former = {name: each for name, each in self.programmed.items() if name in changed}
        if running.last is not None:
            running.set_s = running.last.elapsed_s
        try:
            await self._send(changed)
        except InstrumentFault:
            if not await self._has_ended(running):
                raise
        else:
            await self._has_ended(running)
        if not self.energised:
            await self._send(former)
            return
        self.programmed.update(changed)
        await self._check_settings(self.programmed, "under its output")
        now = asyncio.get_running_loop().time()
        running.wait_for(now - running.began + Times.of(self.programmed).total_s, self.overrun_s)

    def refuse_unless_ends_early(self) -> None:
        """Raise InstrumentFault where its make is not known to end an output before its time."""
        if not self.profile.finish:
            raise InstrumentFault(
                self.name, "has a profile that cannot end an output early; add finish to it"
            )

    async def finish(self) -> None:
        """Have the running output fall and end, before its programme does."""
        running = self._running
        if running is None or running.last is None:
            raise InstrumentFault(self.name, "has no output on to be ended")
        if not self.energised:
            return  # it ended by itself
        self.refuse_unless_ends_early()
        await self.link.write(self.profile.finish)
        try:
            await self.check_errors("did not end its output")
        except InstrumentFault:
            if not await self._has_ended(running):
                raise
            return  # by itself, between the last look and now
        # It was at its level from when that was reached until the last look at least, and until
        # now at most: what it answered after it, it has done.
        sent = asyncio.get_running_loop().time()
        at_level_s = max(0.0, running.last.elapsed_s - running.level_since_s)
        fall_s = Times.of(self.programmed).fall_s
        slack_s = (sent - running.looked) * self.pace * CLOCK + CLOCK_S
        running.programme = Times(running.level_since_s, at_level_s, fall_s, slack_s)
        running.wait_for(sent - running.began + fall_s, self.overrun_s)

    async def acquire(self, name: str) -> Waveform:
        """Fetch a record of the last output; raises Implausible for one that is not whole."""
        record = self.profile.waveforms.get(name)
        if record is None:
            raise InstrumentFault(self.name, f"has a profile without the waveform {name}; add it")
        told = await self.link.query(record.about)
        about = [read_value(each) for each in told.split(self.profile.separator)]
        if len(about) != len(("start", "step", "length")) or not all(map(math.isfinite, about)):
            raise self.misfit(record.about, told)
        start, step, length = about
        text = await ask_record(self.link, record)
        again = await ask_record(self.link, record)
        await self.check_errors("did not give its record")
        await self.check_same("after its record")
        if again != text:
            self.link.close()
            raise Implausible(self.name, f"gave its record of {name} in two ways")
        try:
            values = numbers_in(text, record, self.profile.separator)
        except ValueError as error:
            raise Implausible(self.name, f"gave a broken record of {name} ({error})") from error
        if len(values) != length or step <= 0:
            raise Implausible(self.name, f"gave {len(values)} of the {length:g} values of {name}")
        if not values.are_numbers:
            raise Implausible(self.name, f"gave no number in its record of {name}")
        axis = evenly(start, step, len(values))
        x = Column(record.axis, DIMENSIONS[record.axis_dimension], axis)
        column = Column(record.quantity, DIMENSIONS[record.dimension], values)
        return Waveform(Curve(name, x, (column,)), self.name)

    async def _has_ended(self, running: _Running) -> bool:
        """Whether the output has come to its end by itself."""
        if self.profile.sample is None:
            return False
        running.last = await self._look(self.profile.sample)
        self.energised = running.last.phase != self._done
        return not self.energised

    def reached_level(self, sample: Sample) -> None:
        """Keep since when the output has stood at its level."""
        if self._running is not None:
            self._running.level_since_s = sample.elapsed_s

    @property
    def _done(self) -> str:
        return self.profile.done.lower()

    @property
    def _idle(self) -> str:
        return self.profile.idle.lower()

    async def _look(self, answer: Answer) -> Sample:
        """One look at the output; raises InstrumentFault where it tells no time."""
        text = await self.link.query(answer.ask)
        found, bounds = self.parse(text, answer)
        word = str(found.pop("phase"))
        phase = self.profile.phases.get(word, word).lower()
        numbers = _numbers(found)
        elapsed, remaining = numbers.pop("elapsed_s"), numbers.pop("remaining_s", 0.0)
        if not (math.isfinite(elapsed) and math.isfinite(remaining)):
            raise self.misfit(answer.ask, text)
        values = {name: value for name, value in numbers.items() if math.isfinite(value)}
        return Sample(elapsed, max(0.0, remaining), phase, values, bounds)

    async def read_summary(self) -> Output:
        """What the output did that has come to its end, and whether it is to be believed."""
        running, answer = self._running, self.profile.summary
        if running is None or running.last is None or answer is None:
            raise InstrumentFault(self.name, "has no output to sum up")
        self._running, before, end = None, running.before, running.last
        text = await self.link.query(answer.ask)
        again = await self.link.query(answer.ask)
        await self.check_errors("reported an error")
        await self.check_same("after its output")
        await self._check_settings(self.programmed, "after its output")
        found, bounds = self.parse(text, answer)
        word = str(found.pop("ending"))
        ending = self.profile.endings.get(word)
        if ending is None:
            raise InstrumentFault(self.name, f"ended its output by itself: {word.lower()}")
        if again != text:
            self.link.close()
            raise Implausible(self.name, f"summed up one output as '{text}' and as '{again}'")
        is_stale = (before.phase, before.elapsed_s) == (end.phase, end.elapsed_s)
        if not running.was_seen and (ending is Ending.FINISHED or is_stale):
            raise Implausible(self.name, "was not seen to start: it shows the end of an output")
        doubts = (Doubt(self.name, running.ran_ahead),) if running.ran_ahead else ()
        output = Output(
            Ending(ending),
            _numbers(found),
            bounds,
            tuple(running.kept.samples),
            self.name,
            self._meter.accuracy,
            end.elapsed_s,
            doubts=doubts,
            dimensions=self.profile.sampled,
        )
        programme = replace(running.programme, set_s=running.set_s)
        return believed(output, programme, self._meter)

    def parse(self, text: str, answer: Answer) -> tuple[dict[str, str | float], dict[str, Bound]]:
        """The fields of an answer, with their bounds; raises InstrumentFault."""
        parts = text.split(self.profile.separator)
        if len(parts) != len(answer.fields):
            raise self.misfit(answer.ask, text)
        found: dict[str, str | float] = {}
        bounds: dict[str, Bound] = {}
        for name, part in zip(answer.fields, map(str.strip, parts), strict=True):
            if name.endswith(":bound"):
                if part not in self.profile.bounds:
                    raise self.misfit(answer.ask, text)
                bounds[name.removesuffix(":bound")] = self.profile.bounds[part]
            elif name in ("phase", "ending"):
                found[name] = part
            elif name:
                found[name] = self.profile.value(name, part)
        return found, bounds

    async def is_off(self) -> bool:
        """Whether it says that its output is off; True where its make cannot say."""
        if not self.profile.output:
            return True
        return await self.ask(self.profile.output) == self.profile.output_off

    async def discharge(
        self,
        safe_v: float,
        on_sample: Callable[[Sample], None] | None = None,
        care: Care = USUAL_CARE,
    ) -> float:
        """Measure what is left until it is at most ``safe_v``; give the last reading in V.

        Charge comes back out of insulation: it must stay safe for as long as ``care`` says, and be
        earthed for so many times the time that it was under voltage, by the instrument's own clock
        where it tells. What is left is shown in samples of the phase ``discharging``, with how long
        it still has to stay earthed. Raises StillCharged when the unit keeps its charge for too
        long.
        """
        loop = asyncio.get_running_loop()
        began = loop.time()
        if self._fell_at is None:
            self._fell_at = began
            if self._running is not None:  # it was cut some time after the last look at it
                self.on_s += self._running.unseen_s(began, self._done, self.pace * CLOCK)
        earthed_s = care.earthed_times * self.on_s
        safe_since: float | None = None
        unsafe_since = began
        pause_s = 0.001  # most units are empty within a millisecond or two
        while True:
            # The greater of two: an earlier answer that comes twice, such as the 0 of an output
            # that is off, must not pass for the volts that are left.
            residual = max(await self._residual(), await self._residual())
            moment = loop.time()
            if residual <= safe_v:
                safe_since = moment if safe_since is None else safe_since
            else:
                unsafe_since = unsafe_since if safe_since is None else moment
                safe_since = None
            left_s = 0.0 if not earthed_s else earthed_s - await self._earthed_for(moment)
            if safe_since is not None:
                left_s = max(left_s, care.earthed_s - (moment - safe_since))
            if safe_since is not None and left_s <= 0:
                await self.check_same("while its output was discharged")
                return residual
            if on_sample is not None:
                left = {"voltage": residual}
                on_sample(Sample(moment - began, max(0.0, left_s), DISCHARGING, left))
            if safe_since is None and moment - unsafe_since > care.within_s:
                raise StillCharged(self.name, residual, safe_v)
            await asyncio.sleep(pause_s)
            pause_s = min(2 * pause_s, POLL_S)

    async def clock_s(self) -> float:
        """What it tells of its own clock, in s; NaN where its make tells none."""
        if not self.profile.clock:
            return math.nan
        return read_value(await self.ask(self.profile.clock))

    async def _earthed_for(self, moment: float) -> float:
        """How long (s) it has discharged the unit, by its own clock where its make tells it.

        Its clock may not outrun ours here either.
        """
        passed_s = moment - (self._fell_at or moment)
        if not self.profile.earthed:
            return passed_s
        told = read_value(await self.link.query(self.profile.earthed))
        if not math.isfinite(told):
            return passed_s
        return min(told, passed_s * self.pace * CLOCK)

    async def _residual(self) -> float:
        """One look at what is left, in V; raises InstrumentFault where it is no number."""
        answer = await self.link.query(self.profile.residual)
        residual = abs(read_value(answer))
        if not math.isfinite(residual):
            raise self.misfit(self.profile.residual, answer)
        return residual

    def misfit(self, asked: str, answer: str) -> InstrumentFault:
        """An answer that does not fit its question: what comes next on the link may not either.

        The link is closed, and opened again by whatever needs it next.
        """
        self.link.close()
        return InstrumentFault(self.name, f"answered {asked} with '{answer}'")

    async def ask(self, text: str) -> str:
        """The answer to a query that stands by itself; who it is, is asked after it.

        An answer too many, from before, would otherwise be taken for this one, and so on for ever.
        """
        answer = await self.link.query(text)
        await self.check_same(f"after {text}")
        return answer

    async def check_same(self, when: str) -> None:
        """It must still answer as itself: an answer too many or too few shows here."""
        identity = await self.link.query(self.profile.identify)
        if identity != self.identity:
            self.link.close()  # whatever comes next on this link would answer something else
            raise Implausible(self.name, f"answered as '{identity}' {when}")

    def stop_now(self) -> None:
        """Take the output off at once, without waiting for anything."""
        if self.profile.stop:
            self.link.send_now(self.profile.stop)

    def beat(self) -> None:
        """Tell the dead-man that somebody is still here."""
        if self.profile.beat:
            self.link.send_now(self.profile.beat)


def _numbers(found: Mapping[str, str | float]) -> dict[str, float]:
    return {name: value for name, value in found.items() if isinstance(value, float)}
