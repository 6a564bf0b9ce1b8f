"""Series: consecutive units on one arming, each tested when it has been plugged in."""

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from statistics import median

from loricate.core.measuring.grading import Verdict
from loricate.core.planning.lots import Appearance, Tally, tally

LOOKS = 2  # in a row: a contact that is just being made or broken is felt now and then
BLIND_AFTER_S = 1.0  # nobody exchanges a unit within that
PACED_OVER = 20  # loads whose pace is the pace of a series
_COUNTED = re.compile(r"(?P<stem>.*?)(?P<number>\d+)(?P<rest>\D*)")
_PATTERN = re.compile(r"(?P<stem>[^#]*)(?P<digits>#+)(?P<rest>[^#]*)")
_SERIAL = re.compile(r"[A-Za-z0-9](?:[A-Za-z0-9._-]{0,62}[A-Za-z0-9])?")


def next_serial(serial: str) -> str:
    """The serial after one: its last number one higher, as wide as it was.

    Raises ValueError where there is no number, or no higher one of that width.
    """
    found = _COUNTED.fullmatch(serial)
    if found is None:
        raise ValueError(f"'{serial}' has no number to count up from.")
    width = len(found["number"])
    number = str(int(found["number"]) + 1).zfill(width)
    if len(number) > width:
        raise ValueError(f"'{serial}' is the last serial with {width} digits.")
    return f"{found['stem']}{number}{found['rest']}"


def first_serial(text: str, known: Collection[str]) -> str:
    """The serial to begin with: the one that is given, or the first after all known of a pattern.

    A pattern has ``#`` for each digit of its number (``CL7-26-####``). Raises ValueError where the
    text is neither, or nothing is left of the pattern.
    """
    if "#" not in text:
        if not _SERIAL.fullmatch(text):
            raise ValueError(f"'{text}' is no serial; write one, or a pattern like CL7-26-####.")
        next_serial(text)
        return text
    found = _PATTERN.fullmatch(text)
    if found is None or not _SERIAL.fullmatch(text.replace("#", "0")):
        raise ValueError(f"'{text}' is no pattern; write its digits together, like CL7-26-####.")
    width = len(found["digits"])
    wanted = re.compile(
        rf"{re.escape(found['stem'])}(\d{{{width}}}){re.escape(found['rest'])}", re.IGNORECASE
    )
    numbers = [int(match[1]) for each in known if (match := wanted.fullmatch(each))]
    number = str(max(numbers, default=0) + 1).zfill(width)
    if len(number) > width:
        raise ValueError(f"'{text}' has no serial left after {max(numbers)}.")
    return f"{found['stem']}{number}{found['rest']}"


@dataclass(slots=True)
class Exchange:
    """Whether the units in some nests have been exchanged, by what the nests' switches feel.

    Nothing is taken to be another unit before its nest was felt empty, and has been in for
    ``let_go_s``; and nothing to be the same one when it was felt empty, or was not felt to be in
    for ``BLIND_AFTER_S``. A look takes a while, and may have felt at its beginning as well as at
    its end: whichever says less is taken.
    """

    nests: tuple[str, ...]
    let_go_s: float = 0.0
    _out: dict[str, int] = field(default_factory=dict)  # looks in a row that felt no unit
    _in: dict[str, int] = field(default_factory=dict)
    _in_since: dict[str, float] = field(default_factory=dict)
    _felt_in_s: dict[str, float] = field(default_factory=dict)  # last; the look began then
    _was_out: set[str] = field(default_factory=set)
    _looked_s: float | None = None  # when the last look began
    _is_blind: bool = False

    def begin(self) -> None:
        """The units that are in are taken for what they are now: being tested, or done with."""
        self._was_out.clear()
        self._out.clear()
        self._is_blind = False

    def see(self, present: Mapping[str, bool], began_s: float, ended_s: float) -> None:
        """Take in a look at every nest, between two moments in s."""
        if _is_too_long(self._looked_s, ended_s):
            self._is_blind = True
            self._in.clear()
        self._looked_s = began_s
        for nest in self.nests:
            is_in = present[nest]
            self._in[nest] = self._in.get(nest, 0) + 1 if is_in else 0
            if self._in[nest] == 1:
                self._in_since[nest] = ended_s
            if is_in:
                # Felt out but once, by looks that are far apart: time enough to exchange it.
                self._is_blind |= _is_too_long(self._felt_in_s.get(nest), ended_s)
                self._felt_in_s[nest] = began_s
            self._out[nest] = 0 if is_in else self._out.get(nest, 0) + 1
            if self._out[nest] >= LOOKS:
                self._was_out.add(nest)

    @property
    def to_take_out(self) -> tuple[str, ...]:
        """The nests that still hold the unit that was in them at the beginning."""
        return tuple(nest for nest in self.nests if nest not in self._was_out)

    @property
    def to_plug_in(self) -> tuple[str, ...]:
        """The nests that have been emptied and hold no other unit yet."""
        return tuple(
            nest for nest in self.nests if nest in self._was_out and self._in.get(nest, 0) < LOOKS
        )

    @property
    def is_done(self) -> bool:
        """Whether every nest has been emptied, holds a unit again, and nobody holds on to it."""
        if self.to_take_out or self.to_plug_in or self._looked_s is None:
            return False
        return all(self._looked_s - self._in_since[nest] >= self.let_go_s for nest in self.nests)

    @property
    def are_the_same(self) -> bool:
        """Whether nobody can have exchanged a unit, as far as was felt, and all are in now."""
        return not self.doubt and all(self._in.get(nest, 0) > 0 for nest in self.nests)

    @property
    def doubt(self) -> str:
        """Why the units may be others than at the beginning; empty when they are the same."""
        if self._was_out:
            gone = [nest for nest in self.nests if nest in self._was_out]
            return f"The unit in nest {_listed(gone)} was taken out before the test was over."
        if self._is_blind:
            return (
                f"The units were not felt in their nests for more than {BLIND_AFTER_S:g} s: "
                "nobody can say that the same ones are in."
            )
        return ""


def _told(nests: Sequence[str], came_out: Mapping[str, str]) -> str:
    return _listed([f"nest {nest} {came_out.get(nest, 'was tested')}" for nest in nests])


def _is_too_long(since_s: float | None, until_s: float) -> bool:
    """Whether a unit could have been exchanged meanwhile; clocks that go back cannot tell."""
    return since_s is not None and not 0.0 <= until_s - since_s <= BLIND_AFTER_S


def _listed(nests: Sequence[str]) -> str:
    return nests[0] if len(nests) == 1 else f"{', '.join(nests[:-1])} and {nests[-1]}"


@dataclass(frozen=True, slots=True)
class Load:
    """A load of a series: when its test began (s since some moment), and how its units came out."""

    began_s: float
    units: tuple[Appearance, ...]


@dataclass(frozen=True, slots=True)
class SeriesSum:
    """How a series goes. ``cadence_s`` is the time for each unit, from start to start."""

    tally: Tally
    failed_in_a_row: int
    cadence_s: float | None


def sum_up(loads: Sequence[Load], counted_from: int = 0) -> SeriesSum:
    """Sum up the loads of a series, oldest first.

    Fails in a row are counted from the load ``counted_from`` on. The cadence is the median of the
    last ``PACED_OVER`` loads, so that a break does not count.
    """
    gaps = [
        (later.began_s - load.began_s) / len({unit.serial for unit in load.units})
        for load, later in pairwise(loads)
        if load.units
    ][-PACED_OVER:]
    in_a_row = 0
    for each in (unit for load in loads[counted_from:] for unit in load.units):
        if each.verdict is Verdict.FAIL:
            in_a_row += 1
        elif each.verdict is Verdict.PASS:
            in_a_row = 0
    units = [unit for load in loads for unit in load.units]
    return SeriesSum(tally(units), in_a_row, median(gaps) if gaps else None)


def what_to_do(
    nests: Sequence[str],
    to_take_out: Sequence[str],
    to_plug_in: Sequence[str],
    serials: Sequence[str],
    came_out: Mapping[str, str] = {},
    goes_again: bool = False,
) -> str:
    """What the operator does now, before the next units are tested.

    ``serials`` are of the units to come; ``came_out`` is how those that are in did, by nest. Where
    it ``goes_again``, those are tested again by a clock.
    """
    if goes_again:
        what, it = ("unit", "it") if len(nests) == 1 else ("units", "them")
        return f"Leave the {what} in for another test, or take {it} out: {_told(nests, came_out)}."
    if to_take_out:
        what = "unit" if len(to_take_out) == 1 else "units"
        told = [f"{nest} ({came_out[nest]})" if nest in came_out else nest for nest in to_take_out]
        if len(told) == 1 and to_take_out[0] in came_out:
            return f"Take the unit out of nest {to_take_out[0]}: {came_out[to_take_out[0]]}."
        return f"Take the {what} out of nest {_listed(told)}."
    if len(serials) < len(nests):
        return f"Scan the serial of the unit for nest {nests[len(serials)]}."
    wanted = [
        f"{serial} into nest {nest}"
        for nest, serial in zip(nests, serials, strict=False)
        if nest in to_plug_in
    ]
    return f"Plug {_listed(wanted)}." if wanted else "Let go: the test begins."
