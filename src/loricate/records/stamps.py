"""What records are stamped with: moments (UTC, RFC 3339) and identifiers (UUIDv7)."""

import datetime as dt
import threading
import time
import uuid

import uuid_utils


def now() -> str:
    """The present moment in UTC, RFC 3339."""
    return dt.datetime.now(dt.UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


def day_before(moment: str) -> str:
    """The moment a day before another; the first there is where there is none."""
    try:
        before = dt.datetime.fromisoformat(moment) - dt.timedelta(days=1)
    except (ValueError, OverflowError):
        return ""
    return before.isoformat(timespec="milliseconds").replace("+00:00", "Z")


def earlier(late: str, early: str, times: int) -> str:
    """The moment so many times as long before a late one as an early one is."""
    end = dt.datetime.fromisoformat(late)
    try:
        begin = end - times * (end - dt.datetime.fromisoformat(early))
    except OverflowError:
        return ""
    return begin.isoformat(timespec="milliseconds").replace("+00:00", "Z")


class Ids:
    """Identifiers in the order in which they were given, whatever the clock does."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._last_ns = 0

    def give(self) -> str:
        """A fresh one."""
        with self._lock:
            self._last_ns = max(time.time_ns(), self._last_ns + STEP_NS)
            return str(uuid_utils.uuid7(nanoseconds=self._last_ns))

    def begin_after(self, known: str) -> None:
        """Give none that is lower than one that is known from before."""
        with self._lock:
            self._last_ns = max(self._last_ns, (uuid.UUID(known).int >> 80) * STEP_NS)


STEP_NS = 1_000_000  # what a UUIDv7 tells apart
_ids = Ids()


def new_id() -> str:
    """A fresh record identifier (UUIDv7), higher than every one before it."""
    return _ids.give()


def begin_after(known: str) -> None:
    """Give no identifier that is lower than one that is known from before."""
    _ids.begin_after(known)
