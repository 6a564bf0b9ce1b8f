"""Probing: which contact the probe touches.

Every contact of the fixture is tied to the meter's low lead, and the probe sees whether it is
joined with any. Which one is looked for by halves. A unit's free plug is touched through its wires:
the net says which of its contacts it can be.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from loricate.core.measuring.actions import (
    Asking,
    At,
    Connect,
    HandsIn,
    Programme,
    Scan,
    Tell,
    Watch,
    do,
)
from loricate.core.measuring.holding import Answered, For, Leaves, Until
from loricate.core.measuring.readings import Reading
from loricate.core.measuring.roles import WIRING
from loricate.core.wiring.description import Wiring, connector_of

JOINED_OHMS = 50.0
SLOT_S, LIFTED_S, FREE_S = 0.025, 30.0, 600.0
DONE, GIVE_UP, TOUCHED = "done", "give up", "touched"
PROBE: Programme = {"function": "PROBE"}
Contacts = tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Touched:
    """What the probe touched: a contact of the fixture, and what of the unit that may be."""

    found: str
    names: Contacts
    net: str
    reading: Reading

    @property
    def text(self) -> str:
        """What was touched, in words."""
        return f"{' or '.join(self.names)}{f', net {self.net}' if self.net else ''}"


def await_touch(contacts: Contacts, question: Answered, within_s: float) -> Asking[str]:
    """Wait until the probe touches anything: ``TOUCHED``, or what was answered in its place.

    Nothing where nobody did either in time.
    """
    until: tuple[Until, ...] = (Leaves("resistance", minimum=JOINED_OHMS), question, For(within_s))
    yield from do(Connect(WIRING, {"low": contacts}))
    watched = yield from do(Watch(WIRING, _for(within_s), until))
    held = watched.held
    if held is None:
        return ""
    if held.met is until[0]:
        return TOUCHED
    return "" if held.answer is None else held.answer.choice


def await_lift(contacts: Contacts) -> Asking[None]:
    """Wait until the probe is taken away, or for so long: what is touched twice counts once."""
    until = (Leaves("resistance", maximum=JOINED_OHMS), For(LIFTED_S))
    yield from do(Connect(WIRING, {"low": contacts}))
    yield from do(Watch(WIRING, _for(LIFTED_S), until))


def _for(seconds: float) -> Programme:
    return {**PROBE, "points": 1.0, "dwell_s": seconds + 1.0}


def find_touched(contacts: Contacts, wiring: Wiring | None) -> Asking[Touched | None]:
    """Which contact is touched; None where the probe was taken away before that was known."""
    among: Sequence[str] = contacts
    while len(among) > 1:
        half, other = among[: len(among) // 2], among[len(among) // 2 :]
        reading = yield from _seen(tuple(half))
        among = half if reading.value < JOINED_OHMS else other
    reading = yield from _seen(tuple(among))
    if not reading.value < JOINED_OHMS:
        return None
    found = among[0]
    net = None if wiring is None else wiring.net_of.get(found)
    if net is None:
        return Touched(found, (found,), "", reading)
    free = tuple(each for each in net.contacts if connector_of(each) != connector_of(found))
    return Touched(found, free or (found,), net.name, reading)


def _seen(contacts: Contacts) -> Asking[Reading]:
    """From the probe to these contacts, in Ω."""
    scanned = yield from do(Scan(WIRING, PROBE, ({"low": contacts},), SLOT_S, ("probe",)))
    return scanned.readings["probe"][0]


def touch_freely(contacts: Contacts, wiring: Wiring | None) -> Asking[Contacts]:
    """Name whatever is touched until the operator has done; gives what was, in that order."""
    touched: list[str] = []
    question = Answered("Touch any contact; answer when you have done.", (DONE,), hands_in=True)
    yield from do(HandsIn())
    while (yield from await_touch(contacts, question, FREE_S)) == TOUCHED:
        found = yield from find_touched(contacts, wiring)
        if found is not None:
            touched.append(found.names[0])
            yield from do(Tell(found.text, contacts=found.names))
            yield from await_lift(contacts)
    return tuple(touched)


@dataclass(frozen=True, slots=True)
class Led:
    """What came of leading somebody through contacts.

    ``right`` has the reading of each that was touched, ``left`` those that were not, ``instead``
    what was touched first where another was asked for.
    """

    right: Mapping[str, Reading]
    left: Contacts
    instead: Mapping[str, str]


def lead_through(
    through: Contacts, wiring: Wiring | None, wanted: Contacts, in_any_order: bool, wait_s: float
) -> Asking[Led]:
    """Ask for contact after contact by name; a touch counts when it can be the right one."""
    left = list(wanted)
    right: dict[str, Reading] = {}
    instead: dict[str, str] = {}
    yield from do(HandsIn())
    while left:
        yield from do(At(left[0], len(right) + 1, len(wanted)))
        question = _request(left, in_any_order)
        if (yield from await_touch(through, question, wait_s)) != TOUCHED:
            break
        touched = yield from find_touched(through, wiring)
        if touched is None:
            continue  # the probe was taken away too soon; it is asked for again
        allowed = left if in_any_order else left[:1]
        one = next((each for each in allowed if each in touched.names), None)
        if one is None:
            instead.setdefault(left[0], touched.text)
            told = f"{touched.text} is touched. Touch {left[0]}."
            yield from do(Tell(told, is_refusal=True, contacts=touched.names))
        else:
            left.remove(one)
            right[one] = touched.reading
            yield from do(Tell(f"{touched.text}: right.", contacts=(one,)))
        yield from await_lift(through)
    return Led(right, tuple(left), instead)


def _request(left: Sequence[str], in_any_order: bool) -> Answered:
    text = f"Touch {left[0]}."
    if in_any_order and len(left) > 1:
        text = f"Touch the {len(left)} contacts that are left, such as {left[0]}."
    return Answered(text, (GIVE_UP,), hands_in=True, touch=left[0])


def missed_text(contact: str, instead: Mapping[str, str]) -> str:
    """What is said of a contact that was not touched."""
    other = instead.get(contact, "")
    told = f" Where it was asked for, {other} was touched." if other else ""
    return f"{contact} was not touched.{told} Look for it in the plug, and at its wire."


def alike(wiring: Wiring, contacts: Sequence[str]) -> Iterator[tuple[str, str]]:
    """Contacts that no probe tells apart: of one net, on one connector."""
    for place, one in enumerate(contacts):
        for other in contacts[place + 1 :]:
            net = wiring.net_of.get(one)
            if net is not None and wiring.net_of.get(other) is net:
                if connector_of(one) == connector_of(other):
                    yield one, other
