"""Lots: which serials belong to one, and how far it has come."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from loricate.core.errors import Finding
from loricate.core.measuring.grading import Verdict

MOST_SERIALS = 10_000
_RANGE = re.compile(r"(?P<stem>.*?)(?P<first>\d+)\.\.(?P=stem)(?P<last>\d+)")
_SERIAL = re.compile(r"[A-Za-z0-9][A-Za-z0-9._-]*\d[A-Za-z0-9._-]*|\d")
_PATTERN = re.compile(r"[A-Za-z0-9#][A-Za-z0-9._#-]{0,63}")


@dataclass(frozen=True, slots=True)
class Serials:
    """The serials of a lot: ``names`` when they are known one by one, else a ``pattern``."""

    text: str
    count: int
    names: tuple[str, ...] = ()
    pattern: str = ""

    def holds(self, serial: str) -> bool:
        """Whether a serial may belong to the lot; ``#`` in the pattern stands for a digit."""
        if not self.pattern:
            return serial in self.names
        wanted = re.escape(self.pattern).replace(re.escape("#"), r"\d")
        return re.fullmatch(wanted, serial) is not None


def read_serials(text: str, quantity: int | None = None) -> Serials:
    """Read what serials a lot holds.

    Ranges with both ends included and single serials, with commas between
    (``A-001..A-040, A-055``), or a pattern with ``#`` for each digit and the quantity
    (``DC40-26-####``). Raises ValueError when the text is neither, or does not fit the quantity.
    """
    if "#" in text:
        if not _PATTERN.fullmatch(text):
            raise ValueError(f"'{text}' is no pattern; write it like DC40-26-####.")
        most = min(10 ** text.count("#"), MOST_SERIALS)
        if quantity is None:
            raise ValueError(f"'{text}' is a pattern; give the quantity with it.")
        if not 1 <= quantity <= most:
            raise ValueError(f"'{text}' may hold 1 to {most} serials, not {quantity}.")
        return Serials(text, quantity, pattern=text)
    names = [name for part in text.split(",") for name in _expand(part.strip())]
    twice = next((name for name in names if names.count(name) > 1), "") if len(names) < 500 else ""
    if twice or len(set(names)) < len(names):
        raise ValueError(f"'{text}' holds {twice or 'a serial'} twice.")
    if len(names) > MOST_SERIALS:
        raise ValueError(f"'{text}' holds {len(names)} serials; it may hold 1 to {MOST_SERIALS}.")
    if quantity not in (None, len(names)):
        raise ValueError(f"'{text}' holds {len(names)} serials, and the quantity is {quantity}.")
    return Serials(text, len(names), tuple(names))


def _expand(text: str) -> tuple[str, ...]:
    """Every serial of a range such as ``DC40-26-0201..DC40-26-0208``, or the one there is."""
    if _SERIAL.fullmatch(text) and ".." not in text:
        return (text,)
    matched = _RANGE.fullmatch(text)
    if matched is None:
        raise ValueError(f"'{text}' is no serial and no range; write FIRST..LAST, like A-01..A-40.")
    stem, first, last = matched["stem"], matched["first"], matched["last"]
    if len(first) != len(last):
        raise ValueError(f"'{text}' has numbers of {len(first)} and {len(last)} digits.")
    count = int(last) - int(first) + 1
    if not 1 <= count <= MOST_SERIALS:
        raise ValueError(f"'{text}' holds {count} serials; it may hold 1 to {MOST_SERIALS}.")
    width = len(first)
    return tuple(f"{stem}{number:0{width}}" for number in range(int(first), int(last) + 1))


@dataclass(frozen=True, slots=True)
class LotFacts:
    """What decides whether a unit belongs to a lot; ``taken`` are the serials run in it so far."""

    product: str
    state: str
    serials: Serials
    taken: frozenset[str] = frozenset()


def check_lot(
    code: str,
    lot: LotFacts | None,
    product: str,
    load: Sequence[tuple[str, str]],
    before: Mapping[str, str],
) -> tuple[Finding, ...]:
    """Say what keeps a load of (nest, serial) pairs out of a lot; empty when it belongs.

    ``lot`` is None when there is no such lot; ``before`` gives the verdict of each serial that was
    tested already and may not be again.
    """
    if lot is None:
        message = f"there is no lot '{code}'", "open it first, or leave the lot out."
        return (Finding("lot", *message),)
    if lot.state == "closed" or lot.product != product:
        message = f"lot '{code}' of {lot.product} is {lot.state}", f"open one for {product}."
        return (Finding("lot", *message),)
    found = []
    for index, (_, serial) in enumerate(load):
        path = f"load[{index}].serial"
        if not lot.serials.holds(serial):
            message = f"{serial} is not among {lot.serials.text} of lot {code}", "check the label."
            found.append(Finding(path, *message))
        elif serial in before:
            message = (
                f"{serial} was tested already ({before[serial]})",
                "if this is a retest, say why in 'retest'.",
            )
            found.append(Finding(path, *message))
    fresh = {serial for _, serial in load} - lot.taken
    if not found and len(lot.taken) + len(fresh) > lot.serials.count:
        message = (
            f"lot {code} holds {lot.serials.count} units, and {len(lot.taken)} were loaded already",
            "open another for these.",
        )
        found.append(Finding("lot", *message))
    return tuple(found)


@dataclass(frozen=True, slots=True)
class Appearance:
    """One time that a serial was tested to a verdict, oldest first in a sequence of them."""

    serial: str
    verdict: Verdict


@dataclass(frozen=True, slots=True)
class Tally:
    """How units came out. A retested unit counts once; yields are of the units tested."""

    tested: int
    passed_first: int
    passed: int
    failed: int

    @property
    def first_pass_yield(self) -> float | None:
        """The share of tested units that passed the first time; None before any was tested."""
        return self.passed_first / self.tested if self.tested else None

    @property
    def final_yield(self) -> float | None:
        """The share of tested units whose latest verdict is pass; None before any was tested."""
        return self.passed / self.tested if self.tested else None


@dataclass(frozen=True, slots=True)
class Progress(Tally):
    """How far a lot has come, with those of its units that wait."""

    expected: int
    waiting: tuple[str, ...]
    waiting_count: int


def tally(appearances: Sequence[Appearance]) -> Tally:
    """Count the units of these appearances, oldest first.

    An aborted or interrupted test is no verdict: only pass and fail count.
    """
    first: dict[str, Verdict] = {}
    latest: dict[str, Verdict] = {}
    for each in appearances:
        if each.verdict in (Verdict.PASS, Verdict.FAIL):
            first.setdefault(each.serial, each.verdict)
            latest[each.serial] = each.verdict
    return Tally(
        tested=len(latest),
        passed_first=sum(verdict is Verdict.PASS for verdict in first.values()),
        passed=sum(verdict is Verdict.PASS for verdict in latest.values()),
        failed=sum(verdict is Verdict.FAIL for verdict in latest.values()),
    )


def progress(serials: Serials, appearances: Sequence[Appearance]) -> Progress:
    """Sum up a lot of these serials from every appearance, oldest first.

    The units that wait have names only where the lot knows them one by one.
    """
    came = tally(appearances)
    settled = {each.serial for each in appearances if each.verdict in (Verdict.PASS, Verdict.FAIL)}
    return Progress(
        came.tested,
        came.passed_first,
        came.passed,
        came.failed,
        expected=serials.count,
        waiting=tuple(serial for serial in serials.names if serial not in settled),
        waiting_count=serials.count - came.tested,
    )
