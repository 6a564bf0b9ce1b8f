"""Occasions: why a device is tested, by which sequence, and when it is next due."""

import calendar
import datetime as dt
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

from loricate.core.measuring.grading import Verdict


class DeviceState(StrEnum):
    """How a device stands, by the last test of it that came to its end."""

    NEW = "new"  # never tested here
    IN_USE = "in_use"
    IN_REPAIR = "in_repair"  # something of its last test failed
    UNDECIDED = "undecided"  # its last test was not finished, or decided nothing


@dataclass(frozen=True, slots=True)
class PastTest:
    """One test of a device: when it ended, on which occasion, and what came of it."""

    on: dt.date
    occasion: str
    verdict: Verdict


def state_of(newest_first: Iterable[PastTest]) -> DeviceState:
    """How a device stands after its tests."""
    last = next(iter(newest_first), None)
    if last is None:
        return DeviceState.NEW
    if last.verdict is Verdict.FAIL:
        return DeviceState.IN_REPAIR
    return DeviceState.IN_USE if last.verdict is Verdict.PASS else DeviceState.UNDECIDED


def due_on(newest_first: Iterable[PastTest], every_months: int) -> dt.date | None:
    """When a device that is tested every so many months is next due.

    So long after the last test that it passed, whatever the occasion; one that never passed is due
    now, which is None: whoever asks knows what day it is.
    """
    passed = next((each for each in newest_first if each.verdict is Verdict.PASS), None)
    return None if passed is None else months_after(passed.on, every_months)


def months_after(day: dt.date, months: int) -> dt.date:
    """The same day so many months later, or the last of a month that has no such day."""
    years, month = divmod(day.month - 1 + months, 12)
    year = day.year + years
    last = calendar.monthrange(year, month + 1)[1]
    return dt.date(year, month + 1, min(day.day, last))
