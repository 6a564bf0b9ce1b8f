"""A lead captured from a good one, by service, client and command line; what is refused and why."""

import re
from typing import Any

import pytest

from loricate.api.bench import UpkeepOut
from loricate.api.captures import ItemDecision
from loricate.client import Client, RefusedError
from loricate.simulator.hands_link import Hands
from tests.service.test_cables import run, run_leads

FIXTURE = "FX-C"
POSITIONS = ("SLOW", "FAST")


def capture(
    client: Client,
    hands: Hands,
    serial: str,
    faults: str = "",
    beside: str = "",
    turns: bool = True,
) -> UpkeepOut:
    """Capture a lead with somebody who does what is asked."""
    hands.put(f"{FIXTURE}/1", "CL-7", faults)
    act = client.begin_capture(FIXTURE, serial, "1", POSITIONS, beside)
    for event in client.upkeep_events(act.id):
        if event.name == "question":
            wanted = re.search(r"position (\w+)", str(event.data["question"]))
            if wanted and turns:
                hands.turn(f"{FIXTURE}/1", wanted[1])
            client.answer_upkeep(act.id, str(event.data["nest"]), "done")
    return client.upkeep(act.id)


def test_small_windings_are_measured_without_the_fixtures_leads(client: Client) -> None:
    """Of 0.25 Ω the leads of the nest are a fourteenth."""
    run = client.create_run("CT14-FINAL", "FX-T", {"1": "CT14-ZERO"})
    client.arm_run(run.id)
    client.start_run(run.id)
    for event in client.events(run.id):
        if event.name == "question":
            client.answer(run.id, event.data["nest"], "23 °C")
    unit = client.wait_for_papers(run.id).units[0]
    readings = [each for attempt in unit.attempts for each in attempt.readings]
    (small,) = [each for each in readings if (each.quantity, each.point) == ("resistance", "S3")]
    zero = small.corrections[0]
    assert zero.what == "zero" and zero.before is not None and small.value is not None
    assert 0.014 < zero.before - small.value < 0.024
    assert small.value == pytest.approx(0.25, rel=0.03)
    assert unit.verdict == "pass" and unit.certificate_kind == "certificate", unit.not_certified


def test_a_captured_lead_becomes_a_product_that_tests_the_next_one(
    site: dict[str, Any], client: Client, hands: Hands
) -> None:
    act = capture(client, hands, "GOOD-1")
    assert (act.state, act.findings) == ("passed", [])
    found = client.capture(act.made)
    assert found.open == len(found.items) == 18, "16 nets, two of them by position; one resistor"
    assert found.units[0].is_zeroed and found.units[0].instrument == "WM1"
    assert capture(client, hands, "GOOD-2", beside=act.made).made == act.made
    both = client.capture(act.made)
    assert [each.serial for each in both.units] == ["GOOD-1", "GOOD-2"]
    assert all(len(each.measured) == 2 and all(each.measured) for each in both.items)
    with pytest.raises(RefusedError, match="N1, N2, N3"):
        client.draft_from_capture(act.made, "CL-9", "Captured lead")
    changes = [
        ItemDecision(item="N1", choice="changed", changes={"name": "+48V", "maximum": "150 mΩ"}),
        ItemDecision(item="N17", choice="changed", changes={"name": "SCREEN", "shield": "yes"}),
    ]
    decided = client.decide_capture(act.made, changes, accept_others=True)
    assert decided.open == 0
    made = run(site, "capture", "product", "CL-9", "--title", "Captured lead", "--of", act.made)
    assert "CL-9 is stored as revision 1" in made.stdout, made.stderr
    section = client.product("CL-9")["cable"]
    assert section["nets"][0]["name"] == "+48V" and section["shields"][0]["name"] == "SCREEN"
    assert not [each for each in client.sequences() if each.product == "CL-9"], "nothing tests it"
    # What was captured is what later units are held against.
    repair = client.sequence("LEAD-REPAIR").document
    steps = [step for step in repair["steps"] if step["kind"] != "intermittent"]
    client.add_sequence({**repair, "code": "CL9-TRY", "product": "CL-9", "steps": steps})
    review = client.review("CL9-TRY").findings
    left = {f"{each.rule}@{each.step}".rstrip("@"): "left for the test" for each in review}
    client.release_sequence("CL9-TRY", "for the test", left)
    hands.put(f"{FIXTURE}/1", "CL-7")
    hands.put(f"{FIXTURE}/2", "CL-7", "swapped X2:3 X2:4")
    ended = run_leads(client, hands, {"1": "CL9-1", "2": "CL9-2"}, sequence="CL9-TRY")
    assert [(each.verdict, each.cause) for each in ended.units] == [
        ("pass", ""),
        ("fail", "swapped"),
    ]


def test_what_differs_in_a_second_unit_has_to_be_decided(
    site: dict[str, Any], client: Client, hands: Hands
) -> None:
    first = capture(client, hands, "GOOD-1").made
    assert client.decide_capture(first, [], accept_others=True).open == 0
    capture(client, hands, "BAD-2", "open HORN|corroded LAMP_R", beside=first)
    found = client.capture(first)
    assert found.open == 2, "in what units differ is open again, whatever was said before"
    assert client.decide_capture(first, [], accept_others=True).open == 2
    told = run(site, "capture", "show", first)
    assert "N11 is open between X1:L and X2:11" in told.stdout
    assert "5." in told.stdout and "open, DIFFERS" in told.stdout
    refused = run(site, "capture", "decide", first, "--refuse", "N77")
    assert refused.returncode == 1 and "there is no N77 in this capture" in refused.stderr
    wrong = run(site, "capture", "decide", first, "--change", "N9 length=2 m")
    assert wrong.returncode == 1 and "N9.length" in wrong.stderr
    assert client.capture(first).open == 2, "nothing of what is refused is kept"
    done = run(
        site, "capture", "decide", first, "--refuse", "N11", "--change", "N9 maximum=500 mΩ"
    )  # fmt: skip
    assert "All decided." in done.stdout, done.stderr
    assert run(site, "capture", "list").stdout.count("GOOD-1, BAD-2") == 1


def test_nothing_is_kept_of_an_empty_fixture_or_of_a_switch_that_was_not_turned(
    client: Client, hands: Hands
) -> None:
    before = len(client.captures())
    act = capture(client, hands, "LAZY-1", turns=False)
    assert act.state == "failed" and not act.made
    assert "Position FAST shows the same wiring as SLOW" in act.findings[0]
    hands.empty(f"{FIXTURE}/1")
    act = client.begin_capture(FIXTURE, "NONE-1", "1")
    for event in client.upkeep_events(act.id):
        if event.name == "question":
            client.answer_upkeep(act.id, str(event.data["nest"]), "done")
    ended = client.upkeep(act.id)
    assert (ended.state, ended.made) == ("failed", "")
    assert ended.findings[0].startswith("Nothing seems to be plugged in")
    assert len(client.captures()) == before


@pytest.mark.parametrize(
    ("fixture", "more", "told"),
    [
        ("FX-C", {"nest": "9"}, "FX-C has no nest 9"),
        ("FX-C", {"positions": ["SLOW"]}, "a switch has two"),
        ("FX-C", {"positions": ["SLOW", "SLOW"]}, "name each position once"),
        ("FX-C", {"capture": "none"}, "no capture 'none'"),
        ("FX-Z", {}, "no fixture 'FX-Z'"),
    ],
)
def test_what_cannot_be_captured_says_why(
    client: Client, fixture: str, more: dict[str, Any], told: str
) -> None:
    with pytest.raises(RefusedError, match=told):
        client.begin_capture(fixture, "U-1", **more)


def test_a_unit_beside_others_is_measured_as_they_were(client: Client, hands: Hands) -> None:
    first = capture(client, hands, "GOOD-1").made
    with pytest.raises(RefusedError, match="GOOD-1 is in the capture already"):
        client.begin_capture(FIXTURE, "GOOD-1", "1", POSITIONS, first)
    with pytest.raises(RefusedError, match="name SLOW, FAST"):
        client.begin_capture(FIXTURE, "GOOD-2", "1", (), first)


def capture_windings(
    client: Client, hands: Hands, serial: str, fault: str = "", **besides: str
) -> UpkeepOut:
    hands.put("FX-T/1", "CT-14", fault)
    act = client.begin_capture("FX-T", serial, "1", **besides)
    for event in client.upkeep_events(act.id):
        if event.name == "question":
            client.answer_upkeep(act.id, str(event.data["nest"]), "done")
    return client.upkeep(act.id)


def test_a_transformer_captured_is_looked_at_decided_and_becomes_a_product(
    site: dict[str, Any], client: Client, hands: Hands
) -> None:
    act = capture_windings(client, hands, "CT14-GOOD-1", temperature="73.4 °F")
    assert (act.state, act.findings) == ("passed", [])
    found = client.capture(act.made)
    assert (found.family, found.open) == ("winding", 9)
    assert found.columns["1"] == 133 and found.skipped == [132], "its first channel is not wired"
    assert [each.name for each in found.items if each.sort == "pin"] == [
        "pin 5",
        "pin 11",
        "pin 14",
    ]
    wrong = capture_windings(client, hands, "B-2", "reversed_winding", capture=act.made)
    assert wrong.made == act.made
    told = run(site, "capture", "show", act.made).stdout
    assert "W6 (12 - 13) starts at 12" in told.replace("–", "-")
    assert "1 at 133" in told and "nothing at 132" in told and "temperature that nobody" in told
    refused = run(site, "capture", "decide", act.made, "--change", "W1 value=3 Ω")
    assert "W1.value" in refused.stderr and "resistance" in refused.stderr
    done = run(
        site, "capture", "decide", act.made, "--change", "W1 name=P1 tolerance=8 %",
        "--accept", "W6", "--accept-others",
    )  # fmt: skip
    assert "All decided." in done.stdout, done.stderr
    made = run(site, "capture", "product", "CT-9", "--title", "Captured", "--of", act.made)
    assert "loricate product show CT-9" in made.stdout, made.stderr
    first = client.product("CT-9")["winding"]["windings"][0]
    assert (first["name"], first["start"], first["tolerance"]) == ("P1", "1", "8 %")


def test_what_a_capture_of_windings_cannot_be_asked_is_refused_at_its_field(
    client: Client, hands: Hands
) -> None:
    for besides, told in (
        ({"temperature": "23"}, "temperature"),
        ({"temperature": "900 °C"}, "which a unit can have"),
        ({"positions": ["SLOW", "FAST"]}, "positions"),
    ):
        with pytest.raises(RefusedError, match=told):
            client.begin_capture("FX-T", "CT14-X", "1", **besides)
    with pytest.raises(RefusedError, match="this is a cable"):
        client.begin_capture(FIXTURE, "CL7-X", "1", temperature="23 °C")
    damp = capture_windings(client, hands, "CT14-WET", "wet", temperature="23 °C")
    assert (damp.state, damp.made) == ("failed", "")
    assert "the insulation is damp or damaged" in damp.findings[0]


def test_the_columns_of_a_nest_are_found_by_a_transformer(
    site: dict[str, Any], client: Client, hands: Hands
) -> None:
    def map_by(part: str, fault: str = "") -> UpkeepOut:
        hands.put("FX-T/1", "CT-14", fault)
        act = client.begin_map("FX-T", "1", part)
        for event in client.upkeep_events(act.id):
            if event.name == "question":
                client.answer_upkeep(act.id, str(event.data["nest"]), "done")
        return client.upkeep(act.id)

    assert map_by("CT-14").state == "passed"
    exchanged = map_by("CT-14", "swapped 6 8")
    assert exchanged.state == "failed" and "S1 should join 6" in exchanged.findings[0]
    shown = next(each for each in client.bench().fixtures if each.code == "FX-T").maps
    assert shown[0].part == "CT-14" and shown[0].differences == exchanged.findings
    with pytest.raises(RefusedError, match="DC-40 describes no nets and no windings"):
        client.begin_map("FX-T", "1", "DC-40")
    with pytest.raises(RefusedError, match="CT-14 has no contact U, V, W"):
        client.begin_map("FX-M", "1", "CT-14")
