"""The zero of a test lead that somebody holds: taken by a prompt within the procedure.

The lead's clip is put on the earth terminal itself, and what is read there is the lead's. It is
taken off until it is older than the step allows. A clip on anything but the terminal would hide
what lies between: what reads more than a lead may have is refused. A clip that was never taken
from there reads the same twice: see ``without_lead``.
"""

import math
from dataclasses import replace

from loricate.core.measuring.actions import (
    Ask,
    Asking,
    Connect,
    Energise,
    KeepZero,
    LeadOhms,
    LeadZero,
    Output,
    Tell,
    do,
    without_leads,
)
from loricate.core.measuring.grading import Measured
from loricate.core.measuring.readings import Bound, Reading, resistance_of
from loricate.core.measuring.roles import BOND
from loricate.core.quantities import CURRENT, RESISTANCE, VOLTAGE, display

GIVEN_UP = "it cannot be put there"
NOT_ZEROED = "The test lead was not zeroed."
MOST_TRIES, ZEROED_S = 5, 1.0
USUAL_OHMS = 0.1  # that a lead has at most
WITHIN = 0.1  # of the current that is asked for


def zero_of_lead(
    earth: str, part: str, current_a: float, within_s: float, most_ohms: float
) -> Asking[LeadOhms | None]:
    """The zero of the lead from ``earth`` to ``part``, taken anew where it is too old.

    None where nobody could take it. After that the clip is on the part again, as somebody said.
    """
    path = f"{earth} to {part}"
    known = yield from do(LeadZero((path,), within_s))
    if known is not None:
        return known
    held = f"it is on {earth}"
    for _ in range(MOST_TRIES):
        text = f"Zero of the test lead: put the clip of {part} on {earth} itself."
        answer = yield from do(Ask(text, (held, GIVEN_UP), clip=(part, earth), hands_in=True))
        if answer.choice != held:
            return None
        yield from do(Connect(BOND, {"high": (earth,), "low": (part,)}))
        output = yield from do(Energise(BOND, {"level_a": current_a, "dwell_s": ZEROED_S}))
        found = resistance_of(
            output.reading("voltage", VOLTAGE), output.reading("current", CURRENT)
        )
        if output.doubts:
            return None  # an instrument that is not believed has zeroed nothing
        if not (problem := _problem(output, found, current_a, most_ohms)):
            yield from do(KeepZero(path, found, answer.account))
            back = f"Put the clip of {part} back on {part}."
            yield from do(Ask(back, (f"it is on {part}",), clip=(part, part), hands_in=True))
            return LeadOhms(found.value, found.uncertainty)
        yield from do(Tell(problem, is_refusal=True))
    return None


def _problem(output: Output, found: Reading, current_a: float, most_ohms: float) -> str:
    """Why what was read is no zero of a lead, or nothing."""
    amperes = output.reading("current", CURRENT)
    is_steady = abs(amperes.value - current_a) <= WITHIN * current_a + amperes.uncertainty
    if amperes.bound is Bound.BELOW or not math.isfinite(found.value) or not is_steady:
        return "No current came through the lead: put its clip on the earth terminal."
    if found.bound is Bound.ABOVE or not 0 <= found.value <= most_ohms:
        return (
            f"The lead reads {display(found.value, RESISTANCE)}, more than the "
            f"{display(most_ohms, RESISTANCE)} it may have: is its clip on the terminal itself?"
        )
    return ""


def without_lead(measured: Measured, lead: LeadOhms) -> Measured:
    """What was measured, less the lead; no resistance where it cannot be told from the lead's.

    Then the clip may be where it was zeroed, or have been zeroed where it is now.
    """
    kept, note = [], measured.note
    for reading in measured.readings:
        if reading.dimension is not RESISTANCE:
            kept.append(reading)
            continue
        own = without_leads(reading, lead)
        if own.bound is not Bound.ABOVE and not own.value > own.uncertainty:
            told = f"It read {reading.text}, as its lead does alone: is the clip on the part?"
            note = f"{note} {told}".strip()
            continue
        kept.append(own)
    return replace(measured, readings=tuple(kept), note=note)
