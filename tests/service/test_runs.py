"""A run through the service: the whole path, its events, its refusals, its records."""

import contextlib
import csv
import io
import json
import threading
import time
from collections.abc import Iterator
from typing import Any

import httpx
import pytest

from loricate.certificates.verifying import verify
from loricate.client import Client, NotFoundError, RefusedError, WrongStateError
from loricate.commands.example import readings_csv
from tests.conftest import finish, run_load
from tests.rig import PATIENCE_S

LOAD = {"1": "DC40-26-0117", "3": "DC40-26-0119"}


@contextlib.contextmanager
def hands(site: dict[str, Any]) -> Iterator[Any]:
    """The hands of the simulated floor."""
    import socket

    with socket.create_connection(
        ("127.0.0.1", site["ports"]["HANDS"]), timeout=PATIENCE_S
    ) as link:
        file = link.makefile("rw")

        def do(line: str) -> None:
            file.write(f"{line};*OPC?\n")
            file.flush()
            assert file.readline() == "1\n"

        yield do
        file.close()


@pytest.fixture(scope="module")
def done(site: dict[str, Any]) -> Iterator[tuple[Client, str]]:
    """A finished run with one good and one cracked cabinet."""
    with Client(site["url"]) as client:
        client.sign_in(site["name"], site["password"])
        yield client, run_load(client, LOAD)


def test_one_passes_and_the_cracked_one_fails(done: tuple[Client, str]) -> None:
    client, run_id = done
    run = client.run(run_id)
    assert (run.state, run.verdict) == ("finished", "fail")
    good, cracked = run.units
    assert (good.verdict, good.certificate_kind) == ("pass", "certificate")
    assert (cracked.verdict, cracked.cause) == ("fail", "breakdown")
    assert cracked.certificate_kind == "nonconformance"
    assert [a.verdict for a in good.attempts] == ["pass"] * 6


def test_documents_are_exported_as_they_are_issued(
    done: tuple[Client, str], site: dict[str, Any]
) -> None:
    client, run_id = done
    assert client.site().exports == "exports/{date}/{product}/{serial}-{verdict}"
    units = client.run(run_id).units
    mine = {unit.certificate for unit in units}
    deadline = time.monotonic() + PATIENCE_S
    while mine & {each.subject for each in client.outbox(waiting=True)}:  # beside the work
        assert time.monotonic() < deadline
        time.sleep(0.05)
    for unit in units:
        # A serial that was tested before has a file of its own for each document.
        name = f"exports/20*-*/DC-40/{unit.serial}-{unit.verdict}*"
        kept = {each.suffix: set[bytes]() for each in site["folder"].glob(name)}
        for each in site["folder"].glob(name):
            kept[each.suffix].add(each.read_bytes())
        assert client.certificate_pdf(str(unit.certificate)) in kept[".pdf"]
        assert client.certificate(str(unit.certificate)).encode() in kept[".json"]


def test_readings_are_measured_bounded_and_sourced(done: tuple[Client, str]) -> None:
    client, run_id = done
    good = client.run(run_id).units[0]
    withstand = next(a for a in good.attempts if a.step_id == "withstand")
    readings = {r.name: r for r in withstand.readings}
    assert readings["voltage"].value != 1000.0, "re-measured"
    assert readings["current"].source == "IEC 60335-1:2010 Annex A"
    assert readings["current"].uncertainty > 0
    assert readings["current"].margin is not None and readings["current"].margin > 0


def test_the_certificate_verifies_with_the_public_keys_alone(done: tuple[Client, str]) -> None:
    client, run_id = done
    key = client.site_keys().model_dump()
    for unit in client.run(run_id).units:
        assert unit.certificate is not None
        assert verify(client.certificate_pdf(unit.certificate), key).genuine
        found = verify(client.certificate(unit.serial).encode(), key)
        assert found.genuine and found.document["unit"]["serial"] == unit.serial
    gate = found.document["gate"]
    unmet = [c["name"] for c in gate if not c["met"]]
    assert unmet == ["every step passed", "expected tests passed"]


def test_anyone_may_verify_a_number(done: tuple[Client, str], site: dict[str, Any]) -> None:
    client, run_id = done
    number = client.run(run_id).units[0].certificate
    with Client(site["url"]) as stranger:
        found = stranger.verify(str(number))
        assert found.genuine and found.serial == LOAD["1"]
        with pytest.raises(NotFoundError):
            stranger.verify("C-1999-000001")


def test_the_ledger_is_whole(done: tuple[Client, str]) -> None:
    assert done[0].ledger().whole


def test_events_resume_after_the_last_one_seen(done: tuple[Client, str]) -> None:
    client, run_id = done
    everything = [(event.number, event.name) for event in client.events(run_id)]
    numbers = [number for number, _ in everything]
    assert numbers == sorted(set(numbers)) and everything[-1][1] == "finished"
    after = numbers[5]
    rest = [(event.number, event.name) for event in client.events(run_id, after=after)]
    assert rest == everything[6:]


def test_many_watchers_see_the_same_and_a_slow_one_holds_nobody_up(
    client: Client, site: dict[str, Any]
) -> None:
    run = client.create_run("DC40-FINAL", "FX-A", {"1": "W-1", "2": "W-2"})
    client.arm_run(run.id)
    client.start_run(run.id)
    seen: dict[int, list[tuple[int, str]]] = {}

    def watch(number: int) -> None:
        with Client(site["url"], token=client.token) as own:
            for event in own.events(run.id):
                seen.setdefault(number, []).append((event.number, event.name))
                if number == 0 and event.name == "sample":
                    time.sleep(0.05)

    watchers = [threading.Thread(target=watch, args=(number,)) for number in range(12)]
    for watcher in watchers:
        watcher.start()
    finish(client, run.id)
    late: list[tuple[int, str]] = [(e.number, e.name) for e in client.events(run.id)]
    for watcher in watchers:
        watcher.join(timeout=60)
    assert late[0][1] == "state" and late[-1][1] == "finished"
    for number in range(12):
        assert [each for each in seen[number] if each[1] != "sample"] == [
            each for each in late if each[1] != "sample"
        ], "of samples a late watcher gets the last of each step"
        assert seen[number] == sorted(seen[number]) and set(late) <= set(seen[number])


def test_a_units_history_shows_the_run(done: tuple[Client, str]) -> None:
    client, run_id = done
    assert run_id in {unit.run_id for unit in client.unit(LOAD["1"])}
    assert LOAD["3"] in {unit.serial for unit in client.find_units("DC40-26-01*")}


def test_readings_as_csv_read_back(done: tuple[Client, str]) -> None:
    client, run_id = done
    rows = list(csv.DictReader(io.StringIO(readings_csv([client.run(run_id)]))))
    resistances = [row for row in rows if row["quantity"] == "resistance" and row["nest"] == "1"]
    assert [row["step"] for row in resistances] == ["earth", "insulation"]
    assert float(resistances[0]["value"]) < float(resistances[0]["maximum"])


def test_a_finished_run_cannot_be_moved(done: tuple[Client, str]) -> None:
    client, run_id = done
    for move in (client.arm_run, client.start_run, client.abort_run):
        with pytest.raises(WrongStateError, match="finished"):
            move(run_id)
    with pytest.raises(WrongStateError, match="Nothing is being asked"):
        client.answer(run_id, "1", "pass")


def test_a_run_must_be_armed_before_it_starts(client: Client) -> None:
    run = client.create_run("DC40-FINAL", "FX-A", {"1": "A-1"})
    with pytest.raises(WrongStateError, match="arm it first"):
        client.start_run(run.id)
    client.arm_run(run.id)
    assert client.abort_run(run.id).state == "aborted"


def test_the_bench_runs_one_run_at_a_time(client: Client) -> None:
    first, second = (client.create_run("DC40-FINAL", "FX-A", {"1": f"B-{n}"}) for n in "12")
    client.arm_run(first.id)
    client.arm_run(second.id)
    client.start_run(first.id)
    with pytest.raises(WrongStateError, match="busy"):
        client.start_run(second.id)
    assert client.health().running == first.id
    client.abort_run(first.id)
    client.abort_run(second.id)


def test_an_abort_keeps_what_was_done_and_certifies_nothing(client: Client) -> None:
    run = client.create_run("DC40-FINAL", "FX-A", {"1": "C-1", "2": "C-2"})
    client.arm_run(run.id)
    client.start_run(run.id)
    for event in client.events(run.id):
        if event.name == "question":
            client.answer(run.id, event.data["nest"], "pass")
        if event.name == "step_finished" and event.data["step"] == "earth":
            client.abort_run(run.id)
    ended = client.run(run.id)
    assert ended.state == "aborted" and "Aborted by mara" in ended.note
    first = ended.units[0]
    assert [a.step_id for a in first.attempts][:2] == ["look", "earth"]
    assert first.verdict == "inconclusive" and first.certificate is None


def test_a_wrong_choice_is_told_and_the_question_stays(client: Client) -> None:
    run = client.create_run("DC40-FINAL", "FX-A", {"1": "D-1"})
    client.arm_run(run.id)
    client.start_run(run.id)
    for event in client.events(run.id):
        if event.name == "question":
            with pytest.raises(RefusedError, match="answer pass, fail, not applicable"):
                client.answer(run.id, "1", "perhaps")
            assert client.run(run.id).questions[0].nest == "1"
            client.answer(run.id, "1", "fail", "cord is cut")
    (unit,) = client.run(run.id).units
    assert (unit.verdict, unit.cause) == ("fail", "answered_fail")
    assert "cord is cut" in unit.attempts[0].note


def test_the_same_key_makes_one_run(client: Client) -> None:
    def make(serial: str) -> str:
        return client.create_run(
            "DC40-FINAL", "FX-A", {"1": serial}, idempotency_key=f"key-{id(client)}"
        ).id

    assert make("E-1") == make("E-1")
    with pytest.raises(RefusedError, match="use a fresh key"):
        make("E-2")


def test_an_open_guard_refuses_arming(client: Client, site: dict[str, Any]) -> None:
    run = client.create_run("DC40-FINAL", "FX-A", {"1": "F-1"})
    with hands(site) as do:
        do("HAND:GUAR 0")
        with pytest.raises(WrongStateError, match="guard is open"):
            client.arm_run(run.id)
        assert client.bench().guard_closed is False
        do("HAND:GUAR 1")
    assert client.arm_run(run.id).state == "armed"


def test_a_guard_that_opens_drops_the_arming(client: Client, site: dict[str, Any]) -> None:
    run = client.create_run("DC40-FINAL", "FX-A", {"1": "F-2"})
    client.arm_run(run.id)
    with hands(site) as do:
        do("HAND:GUAR 0")
        deadline = time.monotonic() + PATIENCE_S
        while client.run(run.id).state == "armed":
            assert time.monotonic() < deadline, "the arming outlived the open guard"
        do("HAND:GUAR 1")
    with pytest.raises(WrongStateError, match="arm it first"):
        client.start_run(run.id)


def test_an_instrument_that_is_off_refuses_the_run(client: Client, site: dict[str, Any]) -> None:
    with hands(site) as do:
        do('HAND:POW "GB1",0')
        with pytest.raises(RefusedError) as refused:
            client.create_run("DC40-FINAL", "FX-A", {"1": "G-1"})
        (error,) = refused.value.problem.errors
        assert error.field == "bench.GB1.address" and "check that it is on" in error.message
        problems = {each.id: each.problem for each in client.bench().instruments}
        assert problems["GB1"] and not problems["HV1"]
        do('HAND:POW "GB1",1')
    assert client.create_run("DC40-FINAL", "FX-A", {"1": "G-1"}).state == "created"


def test_the_event_stream_is_plain_server_sent_events(
    done: tuple[Client, str], site: dict[str, Any]
) -> None:
    client, run_id = done
    headers = {"Authorization": f"Bearer {client.token}", "Last-Event-ID": "1"}
    url = f"{site['url']}/api/v1/runs/{run_id}/events"
    with httpx.stream("GET", url, headers=headers, timeout=PATIENCE_S) as stream:
        assert stream.headers["content-type"].startswith("text/event-stream")
        text = stream.read().decode()
    first = text.split("\n\n")[0].splitlines()
    assert "id: 2" in first
    assert json.loads(next(x for x in first if x.startswith("data:")).removeprefix("data:"))
