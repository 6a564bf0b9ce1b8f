"""A DC current through a winding until it is steady: what four-wire resistance is taken from.

A winding is inductive: its current takes time to become steady, and while it changes, volts over
amperes are no resistance. What took long to rise takes as long to die away: the volts must stay for
as long at least as the current took to rise.
"""

from dataclasses import dataclass

from loricate.core.measuring.actions import (
    Asking,
    Connect,
    Hold,
    LeadZero,
    Off,
    Output,
    Source,
    do,
    without_leads,
)
from loricate.core.measuring.holding import For, Settled
from loricate.core.measuring.readings import Reading
from loricate.core.measuring.roles import LOW_RESISTANCE

OVER_S = 5.0  # what the meter is programmed for beyond the longest wait


@dataclass(frozen=True, slots=True)
class SteadyBy:
    """The current (A), and when its volts count as steady: within a share, for s, in s at most."""

    current_a: float
    within: float
    for_s: float
    at_most_s: float

    @property
    def longest_s(self) -> float:
        """How long the meter must be able to stay on."""
        return self.at_most_s + self.for_s + OVER_S


def without_fixture(reading: Reading, *contacts: str) -> Asking[Reading]:
    """A resistance without the fixture's leads to these contacts, where their zero is known."""
    leads = yield from do(LeadZero(contacts))
    return reading if leads is None else without_leads(reading, leads)


def steady_current(a: str, b: str, by: SteadyBy) -> Asking[tuple[Output, bool]]:
    """What the output did between two terminals, and whether its volts became steady."""
    yield from do(Connect(LOW_RESISTANCE, {"high": (a,), "low": (b,)}))
    programme = {"level_a": by.current_a, "ramp_s": by.at_most_s, "dwell_s": by.longest_s}
    level = yield from do(Source(LOW_RESISTANCE, programme))
    held = None
    if level.look is not None:
        over_s = max(by.for_s, level.look.sample.elapsed_s)
        steady = Settled("voltage", by.within, over_s)
        held = yield from do(Hold(LOW_RESISTANCE, (steady, For(by.at_most_s))))
    output = yield from do(Off(LOW_RESISTANCE))
    return output, held is not None and isinstance(held.met, Settled)
