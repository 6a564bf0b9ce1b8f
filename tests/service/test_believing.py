"""Doubts shut the gate until a daily check; what was left at a release stands on the paper."""

import json
import socket
from typing import Any

import pytest

from loricate.client import Client, RefusedError, WrongStateError
from loricate.core.measuring.readings import Doubt
from loricate.records import doubts, upkeep
from loricate.records.stamps import now
from loricate.records.store import migrate, open_connection
from loricate.simulator.hands_link import Hands
from tests.conftest import release, run_load, second_engineer
from tests.rig import PATIENCE_S


def test_a_doubt_stands_until_a_check_that_measured_with_the_instrument(tmp_path: Any) -> None:
    path = tmp_path / "records.sqlite"
    migrate(path)
    conn = open_connection(path)

    def answered() -> dict[str, int]:
        return doubts.answered_doubts(conn, ["HV1", "GB1"])

    def check(passed: bool, instrument: str, doubts_before: int) -> None:
        report = {"instruments": [instrument]}
        upkeep.add_daily_check(conn, "FX-A", passed, report, "mara", now(), doubts_before)

    at_first = answered()
    doubts.add_doubts(conn, [Doubt("HV1", "gave no reading of voltage")], "run 1")
    said = {"HV1": "gave no reading of voltage"}
    assert doubts.standing_doubts(conn, answered()) == said
    assert doubts.standing_doubts(conn, at_first, until=0) == {}, "it was not doubted yet"
    check(True, "GB1", 1)
    check(False, "HV1", 1)
    check(True, "HV1", 0)  # it had begun before the doubt arose
    assert doubts.standing_doubts(conn, answered()) == said, "no check answered it"
    check(True, "HV1", doubts.newest_doubt(conn))
    assert doubts.standing_doubts(conn, answered()) == {}
    assert doubts.standing_doubts(conn, at_first) == said, "a run from before it"
    conn.close()


def test_the_bench_tells_its_danger(client: Client) -> None:
    danger = client.danger()
    assert (danger.state, danger.nests, danger.must_earth) == ("safe", [], False)
    assert client.bench().danger == danger
    with pytest.raises(WrongStateError, match="Nothing is taken for charged"):
        client.confirm_earthed("earthed nest 1 with the stick")
    with pytest.raises(RefusedError, match="is no reason"):
        client.confirm_earthed("ok")


def test_danger_is_followed(site: dict[str, Any], client: Client) -> None:
    """The stream says at once how it stands, and again within a second or so."""
    host, port = site["url"].removeprefix("http://").split(":")
    with socket.create_connection((host, int(port)), timeout=PATIENCE_S) as link:
        link.sendall(
            b"GET /api/v1/bench/danger/events HTTP/1.1\r\nHost: x\r\n"
            b"Authorization: Bearer " + client.token.encode() + b"\r\n\r\n"
        )
        told = b""
        while told.count(b'"state"') < 2:
            told += link.recv(4096)
    assert told.count(b"event: danger") >= 2 and b'"safe"' in told


def test_a_unit_that_nobody_can_measure_holds_everything_up(
    client: Client, hands: Hands, sequence_document: dict[str, Any]
) -> None:
    """A source that falls silent under high voltage: the run ends, and nothing starts before
    somebody has earthed the unit by hand and said so.
    """
    sequence_document["code"] = "SILENT"
    sequence_document["steps"][3]["settings"]["dwell"] = "40 s"
    release(client, sequence_document)
    run = client.create_run("SILENT", "FX-A", {"1": "SI-1"})
    client.arm_run(run.id)
    client.start_run(run.id)
    states = set()
    for event in client.events(run.id):
        if event.name == "question":
            client.answer(run.id, event.data["nest"], "pass")
        if event.name == "sample" and event.data["step"] == "withstand":
            states.add(client.danger().state)
            hands.do('HAND:POW "HV1",0')
    ended = client.run(run.id)
    assert ended.state == "aborted" and "treat it as charged" in ended.note
    assert "high_voltage" in states
    danger = client.danger()
    assert danger.state == "unknown" and danger.must_earth
    hands.do('HAND:POW "HV1",1')
    with pytest.raises(RefusedError, match="treat it as charged"):
        client.create_run("SILENT", "FX-A", {"1": "SI-2"})
    with pytest.raises(WrongStateError, match="treat it as charged"):
        client.begin_upkeep("zero", "FX-A")
    assert client.confirm_earthed("earthed nest 1 with the earthing stick").state == "safe"
    assert client.audit(action="confirm earthed")[0].account == "mara"
    again = run_load(client, {"1": "SI-3"}, "DC40-FINAL")
    assert client.run(again).verdict == "pass"


def test_what_was_left_at_the_release_is_on_the_certificate(
    client: Client, sequence_document: dict[str, Any]
) -> None:
    sequence_document["code"] = "LEFT"
    sequence_document["steps"][4]["settings"]["load_current"] = "0 A"
    client.add_sequence(sequence_document)
    reason = "the power step of another sequence proves that it is on"
    with second_engineer(client) as other:
        other.release_sequence("LEFT", "for a customer", {"empty_nest@leakage": reason})
    run_load(client, {"1": "LF-1"}, "LEFT")
    (unit,) = client.find_units("LF-1", 5)
    assert unit.certificate_kind == "certificate"
    document = json.loads(client.certificate("LF-1"))["document"]
    (left,) = document["sequence"]["findings_left"]
    assert (left["rule"], left["step"], left["reason"]) == ("empty_nest", "leakage", reason)
    assert left["by"] == "second" and left["severity"] == "warning"
    steps = {step["id"]: step for step in document["steps"]}
    times = {each["quantity"]: each for each in steps["withstand"]["readings"]}
    assert times["time_at_level"]["value"] >= 1.0
    assert times["current"]["guarded"] == "pass"
    assert document["sequence"]["coverage_factor"] == 2.0


def test_a_passing_unit_without_its_tests_is_told_why_it_has_no_certificate(
    client: Client, sequence_document: dict[str, Any]
) -> None:
    """Passed, and still not certified: skipped is not performed, whatever was accepted."""
    sequence_document["code"] = "SKIPS"
    look, earth, _, withstand, _ = sequence_document["steps"]
    look["on_fail"] = "carry_on"
    for step in (earth, withstand):
        step["when"] = {"all": [{"step": "look", "outcome": "fail"}]}
    release(client, {**sequence_document, "steps": [look, earth, withstand]})
    run_id = run_load(client, {"1": "SK-1"}, "SKIPS")
    (unit,) = client.run(run_id).units
    assert unit.verdict == "pass" and unit.certificate is None
    told = " ".join(unit.not_certified)
    assert "the protective earth of class I" in told and "No instrument measured" in told
