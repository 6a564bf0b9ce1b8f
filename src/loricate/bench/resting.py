"""Rests: what must pass between two outputs of a role, whoever asks for the second.

It is counted here, for all instruments of a role together: an instrument that was switched off and
on, a link that broke or a service that was started anew begin no shorter count. What was put on
before this process began is not known; the rest is counted from its beginning.

The count is by our own clock. Where the make tells a clock of its own, that must have gone on for
as long as well, since a stand-in's may be faster than ours, and one that was set back counts anew.
"""

import math
import time
from collections.abc import Mapping
from dataclasses import dataclass

from loricate.bench.errors import BenchError, TooSoon
from loricate.bench.instrument import Instrument
from loricate.core.measuring.roles import ROLES, Role


@dataclass(slots=True)
class _Ended:
    """When the last output of a role was over at the latest, by our clock and the instrument's."""

    ours: float
    told_s: float = math.nan
    by: str = ""


class Rests:
    """How long each role that must rest between its outputs has rested."""

    def __init__(self, instruments: Mapping[str, Instrument]) -> None:
        began = time.monotonic()
        self._ended = {
            role: _Ended(began)
            for each in instruments.values()
            if (role := Role(each.profile.role)) in ROLES and ROLES[role].rests_s
        }

    async def left_s(self, instrument: Instrument) -> float:
        """How long (s, by the instrument's clock) it has to rest still; 0 where it need not."""
        role = Role(instrument.profile.role)
        ended = self._ended.get(role)
        if ended is None:
            return 0.0
        rested_s = time.monotonic() - ended.ours
        told_s = await instrument.clock_s()
        if math.isfinite(told_s):
            is_known = ended.by == instrument.name and ended.told_s <= told_s
            if not is_known:  # another instrument, or one that was set back: from now on
                ended.told_s, ended.by = told_s, instrument.name
            rested_s = min(rested_s * instrument.pace, told_s - ended.told_s)
        return max(0.0, ROLES[role].rests_s - rested_s)

    async def refuse_too_soon(self, instrument: Instrument) -> None:
        """Raise TooSoon where an output of its role may not be put on yet."""
        if (left_s := await self.left_s(instrument)) > 0:
            raise TooSoon(instrument.name, left_s)

    def begin(self, instrument: Instrument) -> None:
        """Count from now: its output is on, or was."""
        role = Role(instrument.profile.role)
        if role in self._ended:
            self._ended[role] = _Ended(time.monotonic())

    async def end(self, instrument: Instrument) -> None:
        """Count from now, by its clock as well where it tells one."""
        role = Role(instrument.profile.role)
        if role not in self._ended:
            return
        self.begin(instrument)
        try:
            told_s = await instrument.clock_s()
        except BenchError:  # then it is counted from when it is first heard again
            return
        if math.isfinite(told_s):
            self._ended[role] = _Ended(time.monotonic(), told_s, instrument.name)
