"""Zero and daily check of the demo's fixtures, with the stand-ins' hands doing what is asked."""

from collections.abc import Collection
from typing import TYPE_CHECKING

from loricate.simulator.hands_link import Hands

if TYPE_CHECKING:
    from loricate.api.bench import FixtureOut, UpkeepOut
    from loricate.client import Client

# Quick, and slower where a busy machine read something too late to stand for its moment.
PACES = (100.0, 20.0, 4.0)
# What is put into a fixture: shorting plug, reference box, and what is wrong with the bad one.
USUAL = ("SHORT", "REF-BOX", "bad")
OWN = {
    "FX-C": ("SHORT-CABLE", "REF-CABLE", "open W1|poor W5"),
    "FX-M": ("SHORT-WINDING", "REF-WINDING", "bad"),
    "FX-T": ("SHORT-TRANSFORMER", "CT-14", "bad"),
    "FX-W": ("SHORT-PATIENT", "REF-PATIENT", "bad"),
}


def make_fit(client: "Client", hands: Hands, pace: float, only: Collection[str] = ()) -> list[str]:
    """Zero and check each fixture that is not fit for certificates; gives what was done.

    ``only`` are the fixtures that matter, all by default.
    """
    done = []
    for fixture in client.bench().fixtures:
        unmet = {each.name for each in fixture.requirements if not each.met}
        if not unmet or (only and fixture.code not in only):
            continue
        try:
            if "leads zeroed" in unmet:
                _perform(client, hands, fixture, "zero")
            if "daily check passed" in unmet:
                _perform(client, hands, fixture, "daily_check")
        finally:
            hands.restore()
            hands.pace(pace)
        done.append(fixture.code)
    return done


def _perform(client: "Client", hands: Hands, fixture: "FixtureOut", kind: str) -> None:
    """Have an act of upkeep pass, if not at once then in less of a hurry."""
    for pace in PACES:
        hands.pace(pace)
        ended = _try(client, hands, fixture, kind)
        if ended.state == "passed":
            return
    raise RuntimeError(f"The {kind} of {fixture.code} {ended.state}: {ended.findings}")


def _try(client: "Client", hands: Hands, fixture: "FixtureOut", kind: str) -> "UpkeepOut":
    """Begin an act of upkeep and do by hand what each of its questions asks for."""
    act = client.begin_upkeep(kind, fixture.code)
    places = [f"{fixture.code}/{nest}" for nest in fixture.nests]
    plug, box, bad = OWN.get(fixture.code, USUAL)
    for event in client.upkeep_events(act.id):
        if event.name != "question":
            continue
        moment = event.data["moment"]
        for place in places:
            if moment == "short":
                hands.put(place, plug)
            else:
                hands.empty(place)
        if moment in ("good_box", "bad_box"):
            hands.put(places[0], box, bad if moment == "bad_box" else "")
        client.answer_upkeep(act.id, event.data["nest"], "done")
    return client.upkeep(act.id)
