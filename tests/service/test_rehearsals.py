"""Rehearsals over HTTP: tried on one nest, watched, refused, aborted, and nothing of them kept."""

import copy
import json
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import pytest

from loricate.client import Client, RefusedError, WrongStateError
from loricate.simulator.hands_link import Hands
from tests.conftest import five_steps, read_demo, release

FINAL = five_steps()


def rehearse(
    client: Client, document: dict[str, Any], *steps: str, nest: str = "1", fixture: str = "FX-A"
) -> str:
    """Rehearse steps to their end, passing every check by eye; gives the rehearsal's id."""
    found = client.prepare_rehearsal(document, fixture, nest, steps)
    assert found.state == "ready"
    client.start_rehearsal(found.id)
    for event in client.rehearsal_events(found.id):
        if event.name == "question":
            client.answer_rehearsal(found.id, event.data["nest"], event.data["choices"][0])
    return found.id


@contextmanager
def under_way(client: Client, *steps: str) -> Iterator[str]:
    """A rehearsal that waits for an answer."""
    found = client.prepare_rehearsal(FINAL, "FX-A", "1", steps)
    client.start_rehearsal(found.id)
    next(event for event in client.rehearsal_events(found.id) if event.name == "question")
    yield found.id
    if client.rehearsal(found.id).state == "running":
        client.abort_rehearsal(found.id)


def test_one_step_is_rehearsed_and_nothing_is_recorded(client: Client) -> None:
    before = (client.runs(200), client.find_units("*", 500), client.ledger())
    rehearsal = client.rehearsal(rehearse(client, FINAL, "withstand"))
    assert (rehearsal.state, rehearsal.verdict) == ("finished", "pass")
    assert [each.step_id for each in rehearsal.attempts] == ["withstand"]
    assert rehearsal.highest_v == 1_030.0
    assert {each.name for each in rehearsal.attempts[0].readings} >= {"current", "voltage"}
    assert (client.runs(200), client.find_units("*", 500), client.ledger()) == before
    told = client.audit(action="rehearse")[0]
    assert (told.account, told.subject) == ("mara", "DC40-FINAL")
    assert told.detail == "nest 1 of FX-A: withstand", "that high voltage was on is noted"


def test_every_step_is_rehearsed_as_in_a_run(client: Client) -> None:
    rehearsal = client.rehearsal(rehearse(client, FINAL, nest="3"))
    outcomes = {each.step_id: (each.verdict, each.cause) for each in rehearsal.attempts}
    assert outcomes["withstand"] == ("fail", "breakdown")
    assert outcomes["leakage"] == ("not_run", "unit_halted")
    assert rehearsal.verdict == "fail"
    earth = next(each for each in rehearsal.attempts if each.step_id == "earth")
    assert earth.readings[0].limit == "≤ 200 mΩ"
    assert client.rehearsals()[0].id == rehearsal.id


def test_a_reading_becomes_the_limit_of_a_step_that_has_none(client: Client) -> None:
    document = copy.deepcopy(FINAL)
    del document["steps"][1]["limits"]
    with pytest.raises(RefusedError, match=r"limits\.resistance: is missing"):
        client.check_sequence(document)
    rehearsal = client.rehearsal(rehearse(client, document, "earth"))
    assert rehearsal.unjudged == ["earth"]
    assert rehearsal.verdict == "inconclusive", "what nothing judges does not pass"
    measured = rehearsal.attempts[0].readings[0].value
    assert measured is not None
    taken = client.take_reading(rehearsal.id, "earth", "resistance", "maximum", allowance="50 %")
    assert [each.path for each in taken] == [
        ["limits", "resistance", "maximum"], ["limits", "resistance", "source"],
    ]  # fmt: skip
    document["steps"][1]["limits"] = {"resistance": {each.path[2]: each.value for each in taken}}
    assert client.check_sequence(document).steps == 5
    assert "in a rehearsal of 20" in taken[1].value and "by mara, 50 % allowed" in taken[1].value
    value, unit = taken[0].value.split()
    assert unit == "mΩ" and float(value) == pytest.approx(1500 * measured, rel=0.01)


def test_nominal_values_of_every_point_are_taken_from_one_good_part(
    client: Client, hands: Hands
) -> None:
    """A bad part gives none: neither of what is wrong with it, nor of the rest."""
    document = read_demo("sequences/ct14-final.toml")
    for ratio in document["steps"][2]["settings"]["ratios"]:
        ratio |= {"nominal": "1:1", "tolerance": "90 %"}  # nobody knows it yet
    hands.put("FX-T/1", "CT-14", "reversed_winding")
    found = rehearse(client, document, "ratio", fixture="FX-T")
    for point in ("*", "P-S2b"):
        with pytest.raises(RefusedError, match="polarity is reversed"):
            client.take_reading(found, "ratio", "turns_ratio", "nominal", point=point)
    hands.put("FX-T/1", "CT-14")
    found = rehearse(client, document, "ratio", fixture="FX-T")
    taken = client.take_reading(found, "ratio", "turns_ratio", "nominal", point="*")
    settings = document["steps"][2]["settings"]
    for each in taken:
        assert each.path[:2] == ["settings", "ratios"]
        settings["ratios"][each.path[2]][each.path[3]] = each.value
    nominal = [float(each["nominal"].removesuffix(":1")) for each in settings["ratios"]]
    assert nominal == pytest.approx([9.583, 19.17, 19.17, 46.0], rel=0.005)
    assert {each["tolerance"] for each in settings["ratios"]} == {"0.5 %"}
    again = client.rehearsal(rehearse(client, document, "ratio", fixture="FX-T"))
    assert again.verdict == "pass"


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (("earth", "resistance", "maximum", "much"), "allowance: 'much' is not a number"),
        (("earth", "resistance", "maximum", "-5 %"), "is out of range; give 0 % to 900 %"),
        (("earth", "colour", "maximum", "5 %"), "earth has no reading 'colour'; it has resist"),
        (("leakage", "leakage", "maximum", "5 %"), "step 'leakage' was not performed; rehearse it"),
        (("earth", "voltage", "minimum", "5 %"), "'voltage' cannot be limited"),
    ],
)
def test_what_cannot_be_taken_is_refused_with_the_remedy(
    client: Client, words: tuple[str, str, str, str], says: str
) -> None:
    rehearsal_id = rehearse(client, FINAL, "earth")
    with pytest.raises(RefusedError) as refused:
        client.take_reading(rehearsal_id, *words[:3], allowance=words[3])
    assert says in str(refused.value)


def test_a_rehearsal_is_refused_before_anything_is_energised(client: Client, hands: Hands) -> None:
    with pytest.raises(RefusedError, match="nest: fixture FX-A has no nest '9'"):
        client.prepare_rehearsal(FINAL, "FX-A", "9")
    with pytest.raises(RefusedError, match="fixture: the bench has no fixture 'FX-Z'"):
        client.prepare_rehearsal(FINAL, "FX-Z", "1")
    found = client.prepare_rehearsal(FINAL, "FX-A", "1", ["earth"])
    hands.do("HAND:GUAR 0")
    with pytest.raises(WrongStateError, match="The guard is open; close it, then start again"):
        client.start_rehearsal(found.id)
    hands.do("HAND:GUAR 1")
    assert client.abort_rehearsal(found.id).state == "aborted"
    with pytest.raises(WrongStateError, match="The rehearsal is aborted; prepare another"):
        client.start_rehearsal(found.id)


def test_the_bench_is_held_by_one_at_a_time(client: Client) -> None:
    with under_way(client, "look") as rehearsal_id:
        assert client.bench().busy_with == "a rehearsal of DC40-FINAL by mara"
        run = client.create_run("DC40-FINAL", "FX-A", {"1": "RH-1"})
        client.arm_run(run.id)
        with pytest.raises(WrongStateError, match="busy with a rehearsal of DC40-FINAL by mara"):
            client.start_run(run.id)
        with pytest.raises(WrongStateError, match="busy with a rehearsal"):
            client.begin_upkeep("zero", "FX-A", ["1"])
        aborted = client.abort_rehearsal(rehearsal_id)
        assert (aborted.state, aborted.note) == ("aborted", "Aborted by mara.")
    client.start_run(run.id)
    found = client.prepare_rehearsal(FINAL, "FX-A", "1", ["earth"])
    with pytest.raises(WrongStateError, match=f"busy with run {run.id}"):
        client.start_rehearsal(found.id)
    client.abort_run(run.id)
    assert client.bench().busy_with == ""


def test_a_guard_that_opens_ends_a_rehearsal_with_the_outputs_off(
    client: Client, hands: Hands
) -> None:
    hands.pace(1.0)
    found = client.prepare_rehearsal(FINAL, "FX-A", "1", ["withstand"])
    client.start_rehearsal(found.id)
    for event in client.rehearsal_events(found.id):
        if event.name == "sample" and event.data["phase"] == "dwell":
            hands.do("HAND:GUAR 0")
    ended = client.rehearsal(found.id)
    assert ended.state == "aborted" and "guard" in ended.note.lower()
    assert ended.attempts[0].cause == "guard_open"


def test_a_repeated_step_shows_each_repetition_in_rehearsal_record_and_certificate(
    client: Client,
) -> None:
    document = {**copy.deepcopy(FINAL), "code": "RH-REPEAT"}
    document["steps"][1]["repeat"] = {"times": 3, "needed": 2}
    document["steps"] = document["steps"][:4]
    rehearsal = client.rehearsal(rehearse(client, document, "earth"))
    (earth,) = rehearsal.attempts
    assert [(each.number, each.verdict) for each in earth.repetitions] == [(1, "pass"), (2, "pass")]
    assert [each.repetition for each in earth.readings if each.name == "resistance"] == [1, 2]
    second = client.take_reading(rehearsal.id, "earth", "resistance", "maximum", repetition=2)
    assert second[0].path == ["limits", "resistance", "maximum"]
    release(client, document)
    run = client.create_run("RH-REPEAT", "FX-A", {"1": "RH-2"})
    client.arm_run(run.id)
    client.start_run(run.id)
    for event in client.events(run.id):
        if event.name == "question":
            client.answer(run.id, event.data["nest"], event.data["choices"][0])
    (unit,) = client.wait_for_papers(run.id).units
    kept = next(each for each in unit.attempts if each.step_id == "earth")
    assert kept.note == "2 passed of 3 times, 2 must pass; stopped after 2."
    assert [each.number for each in kept.repetitions] == [1, 2]
    assert unit.certificate is not None
    (sealed,) = [
        step for step in json.loads(client.certificate(unit.certificate))["document"]["steps"]
        if step["id"] == "earth"
    ]  # fmt: skip
    assert [each["repetition"] for each in sealed["repetitions"]] == [1, 2]
    printed = subprocess.run(
        ["pdftotext", "-", "-"], input=client.certificate_pdf(unit.certificate),
        capture_output=True, check=True,
    ).stdout.decode()  # fmt: skip
    assert "Repetition 1" in printed and "Repetition 2" in printed
