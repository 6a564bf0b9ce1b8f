"""An instrument as the engine sees it: abstract actions spelled by its profile over its link."""

import asyncio
from collections.abc import Callable, Mapping

from loricate.bench.errors import InstrumentFault, StillCharged
from loricate.bench.links import Link
from loricate.bench.profiles import Answer, Profile
from loricate.core.actions import Ending, Output, Sample
from loricate.core.readings import Bound
from loricate.core.traces import Thinner

POLL_S = 0.02
DISCHARGE_TIMEOUT_S = 30.0
DISCHARGING = "discharging"  # the phase of a sample that shows what is left at the unit


class Instrument:
    """One instrument on its link. Every method raises LinkFailed or InstrumentFault."""

    def __init__(self, name: str, link: Link, profile: Profile) -> None:
        self.name, self.link, self.profile = name, link, profile
        self.identity = ""
        self.energised = False

    async def connect(self) -> None:
        """Open the link if need be, learn who answers, and set up (dead-man, clear status)."""
        if self.link.is_open and self.identity:
            return
        await self.link.open()
        self.identity = await self.link.query(self.profile.identify)
        for line in self.profile.setup:
            await self.link.write(line)
        await self.check_errors("refused its set-up")

    async def check_errors(self, doing: str) -> None:
        """Read the error queue; raise InstrumentFault with its first entry when it is not empty."""
        answer = await self.link.query(self.profile.error)
        if not answer.lstrip("+").startswith(self.profile.no_error):
            first = answer
            for _ in range(20):
                if (await self.link.query(self.profile.error)).startswith(self.profile.no_error):
                    break
            raise InstrumentFault(self.name, f"{doing}: {first}")

    async def program(self, settings: Mapping[str, float | str]) -> None:
        """Send settings in one message and read the error queue."""
        lines = []
        for name, value in settings.items():
            spelling = self.profile.set.get(name)
            if spelling is None:
                raise InstrumentFault(self.name, f"has a profile that cannot set '{name}'")
            text = value if isinstance(value, str) else f"{value:.9g}"
            lines.append(spelling.format(value=text))
        await self.link.write(";:".join(lines))
        await self.check_errors(f"refused {', '.join(settings)}")

    async def energise(self, on_sample: Callable[[Sample], None]) -> Output:
        """Start the output, follow it by the instrument's own clock, give what it did."""
        if self.profile.sample is None or self.profile.summary is None:
            raise InstrumentFault(self.name, "has a profile that cannot sample an output")
        self.energised = True
        try:
            await self.link.write(self.profile.start)
            await self.check_errors("did not start")
            samples = await self._follow(self.profile.sample, on_sample)
        finally:
            self.energised = False
        found, bounds = self._parse(
            await self.link.query(self.profile.summary.ask), self.profile.summary
        )
        await self.check_errors("reported an error")
        word = str(found.pop("ending"))
        ending = self.profile.endings.get(word)
        if ending is None:
            raise InstrumentFault(self.name, f"ended its output by itself: {word.lower()}")
        return Output(
            Ending(ending), _numbers(found), bounds, samples, self.name, self.profile.accuracy
        )

    async def _follow(
        self, answer: Answer, on_sample: Callable[[Sample], None]
    ) -> tuple[Sample, ...]:
        kept = Thinner()
        while True:
            found, bounds = self._parse(await self.link.query(answer.ask), answer)
            phase = str(found.pop("phase"))
            numbers = _numbers(found)
            elapsed, remaining = numbers.pop("elapsed_s"), numbers.pop("remaining_s")
            sample = Sample(elapsed, remaining, phase.lower(), numbers, bounds)
            if phase == self.profile.done:
                return tuple(kept.samples)
            on_sample(sample)
            kept.add(sample)
            # Near the end, wait just as long as the instrument says is left.
            await asyncio.sleep(min(POLL_S, remaining + 0.0005))

    def _parse(self, text: str, answer: Answer) -> tuple[dict[str, str | float], dict[str, Bound]]:
        parts = text.split(",")
        if len(parts) != len(answer.fields):
            raise InstrumentFault(self.name, f"answered {answer.ask} with '{text}'")
        found: dict[str, str | float] = {}
        bounds: dict[str, Bound] = {}
        for field, part in zip(answer.fields, parts, strict=True):
            try:
                if field.endswith(":bound"):
                    bounds[field.removesuffix(":bound")] = self.profile.bounds[part]
                elif field in ("phase", "ending"):
                    found[field] = part
                else:
                    found[field] = float(part)
            except (KeyError, ValueError):
                raise InstrumentFault(self.name, f"answered {answer.ask} with '{text}'") from None
        return found, bounds

    async def discharge(
        self, safe_v: float, on_sample: Callable[[Sample], None] | None = None
    ) -> float:
        """Measure what is left until it is at most ``safe_v``; give the last reading in V.

        Each reading above it is shown as a sample of the phase ``discharging``. Raises
        StillCharged when the unit keeps its charge for too long.
        """
        began = asyncio.get_running_loop().time()
        pause_s = 0.001  # most units are empty within a millisecond or two
        while True:
            answer = await self.link.query(self.profile.residual)
            try:
                residual = abs(float(answer))
            except ValueError:
                reason = f"answered {self.profile.residual} with '{answer}'"
                raise InstrumentFault(self.name, reason) from None
            if residual <= safe_v:
                return residual
            waited = asyncio.get_running_loop().time() - began
            if on_sample is not None:
                on_sample(Sample(waited, 0.0, DISCHARGING, {"voltage": residual}))
            if waited > DISCHARGE_TIMEOUT_S:
                raise StillCharged(self.name, residual, safe_v)
            await asyncio.sleep(pause_s)
            pause_s = min(2 * pause_s, POLL_S)

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
