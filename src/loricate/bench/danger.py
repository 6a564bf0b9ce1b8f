"""Danger in sight: what the bench itself knows of it, whatever a run believes."""

import math
import time
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum

from loricate.bench.care import USUAL_CARE, Care
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.hazards import Hazard

SILENT_S = 1.0  # an output that was not looked at for so long is in an unknown state


class DangerState(StrEnum):
    """How dangerous the fixture is, the gravest that holds."""

    SAFE = "safe"
    ARMED = "armed"  # high voltage is allowed and may come on at any moment
    HANDS_IN = "hands_in"
    DISCHARGING = "discharging"
    HIGH_VOLTAGE = "high_voltage"
    UNKNOWN = "unknown"  # nobody can say: treat as charged


@dataclass(frozen=True, slots=True)
class Danger:
    """The state of danger with what there is to say of it: nests, volts, reasons."""

    state: DangerState
    nests: tuple[str, ...] = ()
    volts: float | None = None
    reasons: tuple[str, ...] = ()
    must_earth: bool = False
    wait_s: float | None = None  # how long the unit still has to stay earthed

    @property
    def in_short(self) -> "Danger":
        """What it is to a hand: volts to two digits, whole seconds.

        A meter's last digits, which are others at every look, are no other danger.
        """
        volts = None if self.volts is None else float(f"{self.volts:.2g}")
        wait_s = self.wait_s
        if wait_s is not None and math.isfinite(wait_s):  # an instrument may say anything
            wait_s = math.ceil(wait_s)
        return replace(self, volts=volts, wait_s=wait_s)


@dataclass(slots=True)
class LiveOutput:
    """A hazardous output that was started: where, how, and what was last seen of it."""

    nests: tuple[str, ...]
    hazard: Hazard
    care: Care = USUAL_CARE
    is_discharging: bool = False
    volts: float | None = None
    wait_s: float | None = None
    seen_at: float = field(default_factory=time.monotonic)

    def see(self, sample: Sample) -> None:
        """Take in a look at the output, or at what is left of it."""
        self.volts = sample.values.get("voltage", self.volts)
        self.wait_s = sample.remaining_s if self.is_discharging else None
        self.seen_at = time.monotonic()

    @property
    def is_silent(self) -> bool:
        """Whether nothing was heard of it for too long."""
        return time.monotonic() - self.seen_at > SILENT_S


def danger_of(
    live: Mapping[str, LiveOutput],
    charged: Mapping[str, str],
    hands: tuple[str, ...],
    is_armed: bool,
) -> Danger:
    """The gravest of what holds.

    ``live`` are outputs by instrument; ``charged`` says, by instrument, why nobody may touch.
    """
    nests = tuple(dict.fromkeys(nest for output in live.values() for nest in output.nests))
    volts = max((each.volts for each in live.values() if each.volts is not None), default=None)
    if charged:
        return Danger(DangerState.UNKNOWN, nests, volts, tuple(charged.values()), must_earth=True)
    if any(output.is_silent for output in live.values()):
        reasons = tuple(
            f"Instrument {name} is silent." for name, each in live.items() if each.is_silent
        )
        return Danger(DangerState.UNKNOWN, nests, volts, reasons)
    if any(not output.is_discharging for output in live.values()):
        return Danger(DangerState.HIGH_VOLTAGE, nests, volts)
    if live:
        waits = [each.wait_s for each in live.values() if each.wait_s]
        return Danger(DangerState.DISCHARGING, nests, volts, wait_s=max(waits, default=None))
    if hands:
        return Danger(DangerState.HANDS_IN, hands)
    return Danger(DangerState.ARMED if is_armed else DangerState.SAFE)
