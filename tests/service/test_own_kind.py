"""A kind that does not ship: from its TOML to certificate, form and live meters, with its own role.

No file of the product is touched for it, and none knows its name.
"""

import json
import subprocess
import sys
import time
import tomllib
from collections.abc import Iterator
from typing import Any

import pytest

from loricate.client import Client, RefusedError
from tests.conftest import SITE_PACE
from tests.rig import DEMO
from tests.rotor import SEQUENCE, Rotor, engineer_of, rotor_site


@pytest.fixture(scope="module")
def rotor(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Rotor]:
    with rotor_site(tmp_path_factory.mktemp("rotor")) as site:
        yield site


@pytest.fixture(scope="module")
def client(rotor: Rotor) -> Iterator[Client]:
    with engineer_of(rotor) as client:
        yield client


def run(client: Client, serial: str) -> tuple[Any, list[Any]]:
    """Test one unit; gives it, and the events of its run."""
    run = client.create_run("ROTOR", "FX-A", {"1": serial})
    client.arm_run(run.id)
    client.start_run(run.id)
    events = list(client.events(run.id))
    return client.wait_for_papers(run.id).units[0], events


def test_it_goes_from_toml_to_a_certificate(client: Client) -> None:
    unit, _ = run(client, "R-1")
    assert (unit.verdict, unit.not_certified) == ("pass", [])
    document = json.loads(client.certificate(unit.certificate))["document"]
    (step,) = document["steps"]
    told = {(each["quantity"], each["point"]): each for each in step["readings"]}
    assert told["rate", "slow"]["text"] == "120.0 /min"
    assert told["rate", "fast"]["limit"]["text"] == "≥ 60 /min"
    assert told["warmth", "fast"]["text"] == "22.00 °C"
    assert told["warmth", "fast"]["band"] == "caution", "nearer to its limit than it should be"
    assert told["warmth", "slow"]["ungraded"] == "it had no time to warm"
    assert [each["id"] for each in document["instruments"]] == ["TA1"]
    assert client.verify(document["number"]).genuine


def test_its_live_meters_and_points_are_those_it_declares(client: Client, rotor: Rotor) -> None:
    rotor.hands.pace(2)
    try:
        _, events = run(client, "R-2")
    finally:
        rotor.hands.pace(SITE_PACE)
    points = [
        (e.data["point"], e.data["number"], e.data["of"]) for e in events if e.name == "point"
    ]
    assert points == [("slow", 1, 2), ("fast", 2, 2)]
    meters = [event.data["meters"] for event in events if event.name == "sample"]
    assert {"rate": "240.0 /min", "warmth": "22.00 °C"} in meters


def test_its_curves_are_kept_the_one_of_its_own_over_volts(client: Client, rotor: Rotor) -> None:
    rotor.hands.pace(2)
    try:
        unit, _ = run(client, "R-3")
    finally:
        rotor.hands.pace(SITE_PACE)
    kept = client.curves(unit.run_id, "1", "spin").curves
    assert [(curve.name, curve.point) for curve in kept] == [
        ("course", "slow"), ("course", "fast"), ("spin_up", ""),
    ]  # fmt: skip
    *_, own = kept
    assert (own.x.name, own.x.unit, own.x.values) == ("voltage", "V", [12, 24])
    assert (own.columns[0].unit, own.columns[0].values) == ("/min", [2, 4])


def thorough(
    client: Client, serial: str, room: str = "23.5 °C", grease: str = "thin"
) -> tuple[Any, list[str]]:
    """Test a unit by the sequence that asks for a form, holds its output and fetches a record."""
    run = client.create_run("ROTOR-T", "FX-A", {"1": serial})
    client.arm_run(run.id)
    client.start_run(run.id)
    refused = []
    for event in client.events(run.id):
        if event.name != "question":
            continue
        assert [each["name"] for each in event.data["entries"]] == ["room", "grease"]
        for values in ({"room": room, "grease": "tallow", "colour": "red"}, {"room": "cold"}):
            with pytest.raises(RefusedError) as wrong:
                client.answer(run.id, "1", "", values=values)
            refused.append(str(wrong.value))
        client.answer(run.id, "1", "", values={"room": room, "grease": grease})
    return client.wait_for_papers(run.id).units[0], refused


def test_a_form_is_asked_for_whole_and_each_wrong_entry_is_named(client: Client) -> None:
    unit, refused = thorough(client, "R-10")
    assert "'tallow' is not a choice; answer thin, thick." in refused[0]
    assert "values.colour: was not asked for; asked for: room, grease." in refused[0]
    assert "values.room: 'cold' is not a number followed by a unit" in refused[1]
    assert "values.grease: '' is not a choice" in refused[1]
    assert [(each.question, each.choice) for each in unit.answers] == [
        ("The rotor as it lies there", "Room 23.5 °C, Grease thin")
    ]
    room = next(each for each in unit.attempts[0].readings if each.quantity == "room")
    assert (room.text, unit.verdict) == ("23.50 °C", "pass")


def test_an_output_is_held_and_a_record_kept_with_its_spike(client: Client) -> None:
    unit, _ = thorough(client, "R-11")
    kept = client.curves(unit.run_id, "1", "spin").curves
    assert [(curve.name, curve.point) for curve in kept] == [
        ("course", "slow"), ("turning", "slow"), ("course", "fast"), ("turning", "fast"),
        ("spin_up", ""),
    ]  # fmt: skip
    record = kept[3]
    assert record.x.values[1] == pytest.approx(2e-6) and len(record.x.values) == 50
    assert max(value or 0 for value in record.columns[0].values) == pytest.approx(12, rel=1e-3)
    held = next(each for each in unit.attempts[0].readings if each.quantity == "held")
    assert held.value >= 0.3


def test_a_record_with_values_missing_is_not_believed(client: Client, rotor: Rotor) -> None:
    rotor.tachometer.missing = 3
    try:
        unit, _ = thorough(client, "R-12")
    finally:
        rotor.tachometer.missing = 0
    assert (unit.verdict, unit.cause) == ("inconclusive", "instrument")
    assert "gave 47 of the 50 values of turning" in unit.attempts[0].note


def test_the_console_gets_its_form_from_the_schema(client: Client) -> None:
    schema = client.send("GET", "/api/v1/schemas/sequence").json()
    step = schema["$defs"]["Step"]
    assert "spin" in step["properties"]["kind"]["enum"]
    fields = schema["$defs"]["spin_settings"]["properties"]
    assert fields["fastest"]["default"] == "6000 /min" and fields["coldest"]["default"] == "-20 °C"
    (variant,) = [
        each for each in step["allOf"] if each["if"]["properties"]["kind"]["const"] == "spin"
    ]
    assert variant["then"]["properties"]["limits"]["propertyNames"]["enum"] == ["rate", "warmth"]


def test_a_bad_unit_fails_with_a_fault_at_each_point(client: Client, rotor: Rotor) -> None:
    rotor.tachometer.stands_still = True
    try:
        unit, _ = run(client, "R-4")
    finally:
        rotor.tachometer.stands_still = False
    (attempt,) = unit.attempts
    assert (unit.verdict, unit.cause) == ("fail", "no_contact")
    assert [(fault.point, fault.text) for fault in attempt.faults] == [
        ("slow", "The rotor stands still."), ("fast", "The rotor stands still."),
    ]  # fmt: skip


def test_what_is_wrong_in_its_document_is_named(client: Client) -> None:
    document = tomllib.loads(SEQUENCE)
    document["code"] = "ROTOR-2"
    document["steps"][0]["limits"]["warmth"]["maximum"] = "140 V"
    with pytest.raises(RefusedError, match=r"'140 V' is a voltage, not a temperature"):
        client.add_sequence(document)
    document["steps"][0]["limits"] = {}
    with pytest.raises(RefusedError, match="a spin step is judged by its rate"):
        client.add_sequence(document)


def test_a_reading_of_a_point_is_taken_over_from_a_rehearsal(client: Client) -> None:
    made = client.prepare_rehearsal(tomllib.loads(SEQUENCE), "FX-A", "1", ["spin"])
    client.start_rehearsal(made.id)
    list(client.rehearsal_events(made.id))
    (taken, _) = client.take_reading(
        made.id, "spin", "rate", "minimum", point="fast", allowance="10 %"
    )
    assert (taken.path, taken.value) == (["limits", "rate", "minimum"], "216 /min")


def test_a_challenge_says_that_it_has_no_such_instrument(client: Client) -> None:
    with pytest.raises(RefusedError, match="no stand-in for a tachometer"):
        client.challenge("ROTOR")


def test_a_module_that_is_not_there_is_named(rotor: Rotor) -> None:
    begun = time.monotonic()
    failed = subprocess.run(
        [sys.executable, "-m", "loricate", "serve", "--bench", str(rotor.folder / "bench.toml"),
         "--data", str(rotor.folder / "other"), "--kinds", "nowhere.kinds", "--port", "0"],
        capture_output=True, text=True, cwd=DEMO.parent, timeout=60, check=False,
    )  # fmt: skip
    assert failed.returncode == 1 and "module 'nowhere.kinds' cannot be loaded" in failed.stderr
    assert "Traceback" not in failed.stderr and time.monotonic() - begun < 30
