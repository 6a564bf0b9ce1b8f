"""Lots: which serials belong to one, and how far it has come."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from loricate.core.errors import Finding
from loricate.core.grading import Verdict

MOST_SERIALS = 10_000
_RANGE = re.compile(r"(?P<stem>.*?)(?P<first>\d+)\.\.(?P=stem)(?P<last>\d+)")


def expand_serials(text: str) -> tuple[str, ...]:
    """Give every serial of a range such as ``DC40-26-0201..DC40-26-0208``, both ends included.

    Raises ValueError when the text is no range, runs backwards, or is too long.
    """
    matched = _RANGE.fullmatch(text)
    if matched is None:
        raise ValueError(f"'{text}' is not a range; write FIRST..LAST, like A-001..A-100.")
    stem, first, last = matched["stem"], matched["first"], matched["last"]
    if len(first) != len(last):
        raise ValueError(f"'{text}' has numbers of {len(first)} and {len(last)} digits.")
    count = int(last) - int(first) + 1
    if not 1 <= count <= MOST_SERIALS:
        raise ValueError(f"'{text}' holds {count} serials; it may hold 1 to {MOST_SERIALS}.")
    width = len(first)
    return tuple(f"{stem}{number:0{width}}" for number in range(int(first), int(last) + 1))


def check_lot(
    code: str,
    lot: tuple[str, str, str] | None,
    product: str,
    load: Sequence[tuple[str, str]],
    before: Mapping[str, str],
) -> tuple[Finding, ...]:
    """Say what keeps a load of (nest, serial) pairs out of a lot; empty when it belongs.

    ``lot`` is its product, state and range of serials, or None when there is no such lot;
    ``before`` gives the verdict of each serial that was tested already and may not be again.
    """
    if lot is None:
        message = f"there is no lot '{code}'; open it first, or leave the lot out."
        return (Finding("lot", message),)
    lot_product, state, serials = lot
    if state == "closed" or lot_product != product:
        message = f"lot '{code}' of {lot_product} is {state}; open one for {product}."
        return (Finding("lot", message),)
    expected, found = set(expand_serials(serials)), []
    for index, (_, serial) in enumerate(load):
        path = f"load[{index}].serial"
        if serial not in expected:
            message = f"{serial} is not among {serials} of lot {code}; check the label."
            found.append(Finding(path, message))
        elif serial in before:
            message = (
                f"{serial} was tested already ({before[serial]}); if this is a retest, "
                "say why in 'retest'."
            )
            found.append(Finding(path, message))
    return tuple(found)


@dataclass(frozen=True, slots=True)
class Appearance:
    """One time that a serial was tested to a verdict, oldest first in a sequence of them."""

    serial: str
    verdict: Verdict


@dataclass(frozen=True, slots=True)
class Progress:
    """How far a lot has come. A retested unit counts once; yields are of the units tested."""

    expected: int
    tested: int
    passed_first: int
    passed: int
    failed: int
    waiting: tuple[str, ...]

    @property
    def first_pass_yield(self) -> float | None:
        """The share of tested units that passed the first time; None before any was tested."""
        return self.passed_first / self.tested if self.tested else None

    @property
    def final_yield(self) -> float | None:
        """The share of tested units whose latest verdict is pass; None before any was tested."""
        return self.passed / self.tested if self.tested else None


def progress(serials: Sequence[str], appearances: Sequence[Appearance]) -> Progress:
    """Sum up a lot of these serials from every appearance, oldest first.

    An aborted or interrupted test is no verdict: only pass and fail count.
    """
    first: dict[str, Verdict] = {}
    latest: dict[str, Verdict] = {}
    for each in appearances:
        if each.verdict in (Verdict.PASS, Verdict.FAIL):
            first.setdefault(each.serial, each.verdict)
            latest[each.serial] = each.verdict
    return Progress(
        expected=len(serials),
        tested=len(latest),
        passed_first=sum(verdict is Verdict.PASS for verdict in first.values()),
        passed=sum(verdict is Verdict.PASS for verdict in latest.values()),
        failed=sum(verdict is Verdict.FAIL for verdict in latest.values()),
        waiting=tuple(serial for serial in serials if serial not in latest),
    )
