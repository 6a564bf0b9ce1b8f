"""Read by each Python that is started with this folder on its path: its clock is of another day.

The file that ``HISTORY_CLOCK`` names says by how many seconds; it may change at any time. Only the
time of day is moved: what is waited for and measured goes by a clock of its own.
"""

import datetime
import os
import time
from pathlib import Path
from typing import Any

_FILE = Path(os.environ["HISTORY_CLOCK"])
_real, _real_ns = time.time, time.time_ns
_Moment = datetime.datetime


def _moved_s() -> int:
    return int(_FILE.read_text(encoding="ascii"))


class _AnyMoment(type):
    def __instancecheck__(cls, instance: object) -> bool:
        return isinstance(instance, _Moment)


class Moved(_Moment, metaclass=_AnyMoment):
    """A moment whose present is another."""

    @classmethod
    def now(cls, tz: datetime.tzinfo | None = None) -> Any:
        """The present of that day."""
        return cls.fromtimestamp(_real() + _moved_s(), tz)


time.time = lambda: _real() + _moved_s()
time.time_ns = lambda: _real_ns() + _moved_s() * 10**9
datetime.datetime = Moved  # type: ignore[misc]
