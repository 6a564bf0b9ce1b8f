"""Until when an output is held: whichever of several ends comes first.

An end is looked for with every sample of the running output, by the instrument's own clock.
One that bounds the time must be among them: nothing is held for ever.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass, field
from enum import StrEnum

from loricate.core.errors import ProcedureError
from loricate.core.measuring.curves import Sample
from loricate.core.quantities import Dimension


@dataclass(frozen=True, slots=True)
class For:
    """A time in s has passed since the hold began."""

    seconds: float


@dataclass(frozen=True, slots=True)
class ByClock:
    """The instrument's own clock has come to this moment (s since its output went on)."""

    elapsed_s: float


@dataclass(frozen=True, slots=True)
class Marks:
    """The last of these moments (s since the hold began) has come; a sample is kept at each."""

    times_s: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class Settled:
    """A quantity has stayed within a share of itself, or within ``by`` (SI), for a time in s."""

    quantity: str
    within: float
    over_s: float
    by: float = 0.0


@dataclass(frozen=True, slots=True)
class Rises:
    """A quantity has risen to so many times its least since the hold began."""

    quantity: str
    ratio: float


@dataclass(frozen=True, slots=True)
class Leaves:
    """A quantity has left a band (SI)."""

    quantity: str
    minimum: float = -math.inf
    maximum: float = math.inf


@dataclass(frozen=True, slots=True)
class Enters:
    """A quantity has come into a band (SI), and stayed there for a time in s."""

    quantity: str
    minimum: float
    maximum: float
    over_s: float = 0.0


@dataclass(frozen=True, slots=True)
class Steeper:
    """A quantity changes by more than so much a second (SI), over a time in s."""

    quantity: str
    than: float
    over_s: float


class Photo(StrEnum):
    """What a photo is to a figure that the operator types."""

    NONE = "none"
    BESIDE = "beside"  # one must come with the figure
    INSTEAD = "instead"  # one may stand for it


@dataclass(frozen=True, slots=True)
class Entry:
    """One entry of a form: a figure where it has a dimension, else one of its choices.

    ``target`` is offered first, ``step`` (as written) how finely it is shown; ``settles_s`` is how
    long after the question it means something.
    """

    name: str
    title: str
    dimension: Dimension | None = None
    choices: tuple[str, ...] = ()
    target: str = ""
    step: str = ""
    photo: Photo = Photo.NONE
    settles_s: float = 0.0
    may_retarget: bool = False


@dataclass(frozen=True, slots=True)
class Answered:
    """The operator has answered, while the output stays on.

    ``position`` is where the unit's switch is to be put for it, if it has one. With ``hands_in``
    somebody must touch the unit for it: then it is held by a ``Watch`` alone, and no hazardous
    output starts anywhere before all hands are out again. It ends nothing before ``not_before_s``.
    ``touch`` is the contact that the probe is to be held to. With ``entries`` it is a form.
    """

    question: str
    choices: tuple[str, ...] = ()
    position: str = ""
    hands_in: bool = False
    not_before_s: float = 0.0
    touch: str = ""
    entries: tuple[Entry, ...] = ()


Until = For | ByClock | Marks | Settled | Rises | Leaves | Enters | Steeper | Answered


def asks_hands_in(until: Until) -> bool:
    """Whether somebody must touch the unit for it."""
    return isinstance(until, Answered) and until.hands_in


@dataclass(slots=True)
class Holding:
    """One hold under way: takes in samples in order and says which end it came to.

    ``lowest`` and ``highest`` are the extremes of each quantity, ``runner_up`` the next highest of
    its samples, ``at`` the first sample at or after each mark. Raises ProcedureError without an end
    that bounds the time.
    """

    until: tuple[Until, ...]
    began_s: float = math.nan
    last: Sample | None = None
    at: dict[float, Sample] = field(default_factory=dict)
    lowest: dict[str, float] = field(default_factory=dict)
    highest: dict[str, float] = field(default_factory=dict)
    runner_up: dict[str, float] = field(default_factory=dict)
    _seen: dict[Settled | Steeper | Enters, list[tuple[float, float]]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if not math.isfinite(self.longest_s):
            raise ProcedureError("Nothing is held for ever: name a time among its ends.")

    @property
    def longest_s(self) -> float:
        """How long it lasts at most, in s; infinite without an end that says so."""
        times = [each.seconds for each in self.until if isinstance(each, For)]
        times += [max(each.times_s) for each in self.until if isinstance(each, Marks)]
        times += [each.elapsed_s for each in self.until if isinstance(each, ByClock)]
        return min(times, default=math.inf)

    @property
    def text(self) -> str:
        """What is waited for, in words; empty where it is no more than a time."""
        for each in self.until:
            if isinstance(each, Settled):
                share = "" if each.by else f" within {each.within * 100:g} %"
                return f"until the {each.quantity} stays{share} for {each.over_s:g} s"
            if isinstance(each, Enters):
                where = "there" if math.isfinite(each.minimum) else "gone"
                return f"until the {each.quantity} is {where}"
        return ""

    @property
    def question(self) -> Answered | None:
        """What the operator is asked meanwhile, if anything."""
        return next((each for each in self.until if isinstance(each, Answered)), None)

    @property
    def may_be_answered(self) -> bool:
        """Whether an answer ends the hold by now."""
        if self.question is None or self.last is None:
            return False
        return self.last.elapsed_s - self.began_s >= self.question.not_before_s

    def see(self, sample: Sample) -> Until | None:
        """Take in a sample; gives the end that it comes to, the first in their order."""
        if math.isnan(self.began_s):
            self.began_s = sample.elapsed_s
        self.last = sample
        for name, value in sample.values.items():
            self.lowest[name] = min(value, self.lowest.get(name, value))
            before = self.highest.get(name, -math.inf)
            self.runner_up[name] = max(min(value, before), self.runner_up.get(name, -math.inf))
            self.highest[name] = max(value, before)
        passed_s = sample.elapsed_s - self.began_s
        for mark in _marks(self.until):
            if passed_s >= mark:
                self.at.setdefault(mark, sample)
        return next((each for each in self.until if self._is_met(each, sample, passed_s)), None)

    def _is_met(self, until: Until, sample: Sample, passed_s: float) -> bool:
        match until:
            case For():
                return passed_s >= until.seconds
            case ByClock():
                return sample.elapsed_s >= until.elapsed_s
            case Marks():
                return passed_s >= max(until.times_s)
            case Settled():
                return self._is_settled(until, sample)
            case Rises():
                value, least = sample.values.get(until.quantity), self.lowest.get(until.quantity)
                return value is not None and least is not None and value > least * until.ratio
            case Leaves():
                value = sample.values.get(until.quantity)
                return value is not None and not until.minimum <= value <= until.maximum
            case Enters():
                seen = self._lately(until, until.quantity, until.over_s, sample)
                is_inside = all(until.minimum <= each <= until.maximum for _, each in seen)
                return bool(seen) and is_inside and sample.elapsed_s - seen[0][0] >= until.over_s
            case Steeper():
                return self._is_steep(until, sample)
            case Answered():
                return False  # whoever holds is told of the answer by whoever asks

    def _is_settled(self, until: Settled, sample: Sample) -> bool:
        seen = self._lately(until, until.quantity, until.over_s, sample)
        if not seen or sample.elapsed_s - seen[0][0] < until.over_s:
            return False
        values = [each for _, each in seen]
        return max(values) - min(values) <= max(until.by, until.within * abs(values[-1]))

    def _is_steep(self, until: Steeper, sample: Sample) -> bool:
        seen = self._lately(until, until.quantity, until.over_s, sample)
        if not seen or (passed_s := sample.elapsed_s - seen[0][0]) < until.over_s:
            return False
        return abs(seen[-1][1] - seen[0][1]) > until.than * passed_s

    def _lately(
        self, until: Settled | Steeper | Enters, quantity: str, over_s: float, sample: Sample
    ) -> list[tuple[float, float]]:
        """When and what a quantity was over the last time; nothing where it is not sampled."""
        value = sample.values.get(quantity)
        if value is None:
            self._seen.pop(until, None)
            return []
        seen = self._seen.setdefault(until, [])
        seen.append((sample.elapsed_s, value))
        # What is older than the time asked for does not count, but for the last before it.
        while len(seen) > 1 and seen[1][0] <= sample.elapsed_s - over_s:
            seen.pop(0)
        return seen


def _marks(until: Iterable[Until]) -> tuple[float, ...]:
    return tuple(time for each in until if isinstance(each, Marks) for time in each.times_s)
