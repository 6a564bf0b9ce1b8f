"""What a device shows, read in a form: what is refused, what is kept, what is on its document."""

import time
from typing import Any

import pytest

from loricate.api.records import BesideIn
from loricate.client import Client, RefusedError
from loricate.commands.demo_site import demo_sequence
from loricate.simulator.hands_link import Hands
from tests.conftest import read_demo, release
from tests.service.test_photos import photo

SERIAL = "FW2-26-0555"
ALL = {"pressure": "20 kPa", "temperature": "37 °C", "over_temperature": "no"}


def functional(code: str, **settings: Any) -> dict[str, Any]:
    steps = [dict(each) for each in demo_sequence("FW2-WHOLE")["steps"] if each["id"] == "display"]
    steps[0]["settings"] = settings
    return {**demo_sequence("FW2-WHOLE"), "code": code, "steps": steps}


def started(client: Client, hands: Hands, code: str) -> str:
    hands.put("FX-W/1", "FW-2", "", SERIAL)
    run = client.create_run(code, "FX-W", {"1": SERIAL})
    client.start_run(run.id)
    return run.id


def settled(asked: dict[str, Any]) -> dict[str, str]:
    """What is offered, once it can have settled at pace 20."""
    time.sleep(max(each["settles_s"] for each in asked["entries"]) / 20 + 0.2)
    return {each["name"]: each["target"] for each in asked["entries"]}


def test_a_form_is_held_to_what_it_asks_and_says_where_it_is_wrong(
    client: Client, hands: Hands
) -> None:
    release(client, functional("RESPONSE-1", presets=["normal", "high"]))
    run_id = started(client, hands, "RESPONSE-1")
    wrong: list[tuple[dict[str, str], dict[str, BesideIn], str]] = [
        ({**ALL, "temperature": "37"}, {}, r"values\.temperature: '37' has no unit"),
        ({**ALL, "temperature": "3 kPa"}, {}, r"values\.temperature: .*is a pressure"),
        ({**ALL, "over_temperature": "maybe"}, {}, r"values\.over_temperature: 'maybe' is not a"),
        ({name: ALL[name] for name in ("pressure",)}, {}, r"values\.temperature: "),
        ({**ALL, "flow": "1 V"}, {}, r"values\.flow: was not asked for"),
        (ALL, {"flow": BesideIn(note="x")}, r"beside\.flow: was not asked for"),
        (ALL, {"temperature": BesideIn(target="36 °C")}, r"beside\.temperature\.reason: is miss"),
        (ALL, {"temperature": BesideIn(target="a", reason="b")}, r"beside\.temperature\.target"),
        (
            ALL,
            {"over_temperature": BesideIn(target="yes", reason="b")},
            r"beside\.over_temperature\.target: cannot be changed here",
        ),
        (ALL, {"temperature": BesideIn(picture="0" * 64)}, r"beside\.temperature\.picture: is not"),
    ]
    tried = False
    for event in client.events(run_id):
        if event.name != "question":
            continue
        asked = event.data
        if not asked["entries"]:
            client.answer(run_id, "1", asked["choices"][0])
            continue
        values = settled(asked)
        if not tried:
            for given, beside, told in wrong:
                with pytest.raises(RefusedError, match=told):
                    client.answer(run_id, "1", "", values=given, beside=beside)
            tried = True
        client.answer(run_id, "1", "", values=values, question=asked["number"])
    (unit,) = client.run(run_id).units
    assert unit.verdict == "pass"
    figures = {each.point: each.text for each in unit.attempts[0].readings if each.point}
    assert figures["high, Temperature"] == "43.50 °C" and len(figures) == 4


def test_notes_photos_and_a_changed_target_are_on_the_record_and_the_document(
    client: Client, hands: Hands
) -> None:
    release(client, functional("RESPONSE-2", presets=["normal", "high"]))
    run_id = started(client, hands, "RESPONSE-2")
    for event in client.events(run_id):
        if event.name != "question":
            continue
        asked = event.data
        if not asked["entries"]:
            client.answer(run_id, "1", asked["choices"][0])
            continue
        values = settled(asked)
        beside, photos = {}, {}
        # What a busy machine has read too early is asked for again by itself.
        if "Normal" in asked["question"] and "temperature" in values:
            values["temperature"] = "36.2 °C"
            beside["temperature"] = BesideIn(target="36.4 °C", reason="probe in its holder")
        if "Normal" in asked["question"] and "pressure" in values:
            photos["pressure"] = photo()
            beside["pressure"] = BesideIn(note="hose is new")
        client.answer(run_id, "1", "", values=values, beside=beside, photos=photos)
    (unit,) = client.run(run_id).units
    assert unit.verdict == "pass"
    attempt = unit.attempts[0]
    shown = {each.point: each for each in attempt.readings}
    moved, as_ever = shown["normal, Temperature"], shown["high, Temperature"]
    assert moved.limit == "35.9 °C to 36.9 °C" and as_ever.limit == "43 °C to 44 °C"
    for told in (moved.source, attempt.note, *(each.choice for each in unit.answers)):
        if "36.4" in told:
            assert "37 °C" in told and "probe in its holder" in told
    assert "36.4 °C" in attempt.note and client.me().name in attempt.note
    assert "hose is new" in attempt.note and "photo " in attempt.note
    assert any("36.4 °C" in each.choice for each in unit.answers)


def test_a_device_that_shows_nothing_to_be_read_has_no_such_step(client: Client) -> None:
    product = read_demo("products/fw-2.toml") | {"code": "FW-3"}
    del product["medical"]["presets"]
    client.add_product(product)
    document = functional("RESPONSE-3") | {"product": "FW-3"}
    with pytest.raises(
        RefusedError, match="nothing that a step of kind response, as it is set, measures"
    ):
        client.add_sequence(document)
