"""What 0.1.0 left opens, migrates, is shown as it was, verifies, and goes on."""

import datetime as dt
import json
import sqlite3
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from drill.processes import ACCOUNT, PASSWORD, service

from loricate.client import Client
from loricate.commands import demo_site
from loricate.commands.demo_upkeep import make_fit
from loricate.simulator.hands_link import Hands
from tests.conftest import SITE_PACE, run_load, write_patient_profiles
from tests.papers.reading import text_of

SAME = (
    "value", "bound", "uncertainty", "text", "minimum", "maximum", "limit", "source", "verdict",
    "cause", "guarded", "margin", "repetition",
)  # fmt: skip
CALLED = {"guarded": "outcome"}  # as 0.1.0 had it
KEPT = Path(__file__).parents[1] / "records" / "kept" / "demo-0.1.0.zip"


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The data folder that the demo of 0.1.0 left: records, key, heads, pictures."""
    folder = tmp_path_factory.mktemp("kept")
    with zipfile.ZipFile(KEPT) as archive:
        archive.extractall(folder)
    (folder / "site-key.pem").chmod(0o600)  # which an archive does not keep
    write_patient_profiles(folder)
    return folder


@pytest.fixture(scope="module")
def before(folder: Path) -> dict[str, Any]:
    """What 0.1.0 itself said of its runs, and what its ledger held."""
    with zipfile.ZipFile(KEPT) as archive:
        told = json.loads(archive.read("runs.json"))
    conn = sqlite3.connect(f"file:{folder / 'records.sqlite'}?mode=ro", uri=True)
    conn.row_factory = sqlite3.Row
    ledger = [dict(row) for row in conn.execute("SELECT * FROM ledger ORDER BY position")]
    conn.close()
    return {"runs": told, "ledger": ledger}


@pytest.fixture(scope="module")
def client(folder: Path, before: dict[str, Any]) -> Iterator[Client]:
    """A client of today's service, started on that folder."""
    port = demo_site.free_port()
    with demo_site.stand_ins(SITE_PACE) as floor:
        demo_site.write_bench_file(floor.ports, folder / "bench.toml")
        with service(folder, port), Client(f"http://127.0.0.1:{port}") as client:
            demo_site.wait_for(client)
            client.sign_in(ACCOUNT, PASSWORD)
            make_fit(client, Hands("127.0.0.1", floor.ports["HANDS"]), SITE_PACE, ["FX-A"])
            yield client


def name_of(reading: Any) -> str:
    """A reading's name as 0.1.0 had it."""
    return f"{reading.quantity} {reading.point.replace(' to ', '-')}".strip()


def test_every_attempt_is_shown_as_it_was(client: Client, before: dict[str, Any]) -> None:
    for told in before["runs"]:
        run = client.run(told["id"])
        assert (run.state, run.verdict, run.note) == (told["state"], told["verdict"], told["note"])
        assert [step.id for step in run.steps] == [step["id"] for step in told["steps"]]
        for unit, was in zip(run.units, told["units"], strict=True):
            assert (unit.serial, unit.verdict, unit.cause) == (
                was["serial"], was["verdict"], was["cause"],
            )  # fmt: skip
            assert unit.certificate == was["certificate"]
            for attempt, old in zip(unit.attempts, was["attempts"], strict=True):
                assert (attempt.verdict, attempt.cause) == (old["verdict"], old["cause"])
                assert (attempt.note, attempt.reason) == (old["note"], old["reason"])
                assert bool(attempt.curves) == old["has_trace"]
                if attempt.cause in ("breakdown", "open", "short", "miswire"):
                    assert [fault.cause for fault in attempt.faults] == [attempt.cause]
                for reading, had in zip(attempt.readings, old["readings"], strict=True):
                    assert name_of(reading) == had["name"]
                    assert {key: getattr(reading, key) for key in SAME} == {
                        key: had[CALLED.get(key, key)] for key in SAME
                    }
                    uncorrected = had["as_measured"]
                    assert [each.before for each in reading.corrections] == (
                        [] if uncorrected is None else [uncorrected]
                    )


def test_every_curve_is_still_there_and_its_time_never_goes_back(
    client: Client, before: dict[str, Any]
) -> None:
    shown = 0
    for told in before["runs"]:
        for unit in client.run(told["id"]).units:
            for attempt in unit.attempts:
                if not attempt.curves:
                    continue
                kept = client.curves(told["id"], unit.nest, attempt.step_id, attempt.number)
                assert len(kept.curves) == attempt.curves
                for curve in kept.curves:
                    times = [value for value in curve.x.values if value is not None]
                    assert times == sorted(times) and len(times) == len(curve.x.values)
                    shown += 1
    assert shown > 20


def test_every_document_is_given_as_it_was_sealed_and_verifies(
    client: Client, before: dict[str, Any], tmp_path: Path
) -> None:
    """A copy of what was superseded says so from now on; the others are as they were made."""
    later = {entry["supersedes"]: entry["number"] for entry in before["ledger"]}
    assert len(before["ledger"]) == 8 and len(later) > 1
    for entry in before["ledger"]:
        number = entry["number"]
        given = json.loads(client.certificate(number))
        given.pop("standing", None)  # what came after it, which is not in its seal
        assert given == json.loads(entry["sealed"])
        pdf = client.certificate_pdf(number)
        if number in later:
            assert f"SUPERSEDED: {later[number]}" in text_of(pdf, tmp_path)
        else:
            assert pdf == entry["pdf"]
        assert client.verify(number).genuine, number


def test_a_sequence_of_then_is_shown_as_it_is_written_today(client: Client) -> None:
    for code, step, lead_in in (
        ("DC40-FINAL", "power", "100 ms"),
        ("DC40-REWORK", "earth", "200 ms"),
    ):
        kept = client.sequence(code)
        own = next(each for each in kept.document["steps"] if each["id"] == step)
        assert kept.document["format"] == "loricate-sequence/2"
        assert own["lead_in"] == lead_in and "settle" not in own
        again = client.add_sequence(client.read_sequence_file(client.sequence_file(code)))
        assert (again.revision, again.etag) == (kept.revision, kept.etag), "it says the same"


def test_what_0_1_0_left_is_whole_and_goes_on(client: Client, before: dict[str, Any]) -> None:
    run_id = run_load(client, {"1": "GOES-ON-1", "2": "GOES-ON-2"})
    passed = [unit.certificate for unit in client.run(run_id).units]
    year = dt.datetime.now(dt.UTC).year
    after = 5 if year == 2026 else 0  # a year has numbers of its own
    assert passed == [f"C-{year}-{after + 1:06}", f"C-{year}-{after + 2:06}"]
    assert client.ledger().whole
    assert client.ledger().entries == len(before["ledger"]) + 2
    assert client.check_records().whole
    assert not [each for each in client.audit() if "found changed" in each.action]


def test_a_failed_unit_of_then_is_repeated_today(client: Client, before: dict[str, Any]) -> None:
    run_id = before["runs"][1]["id"]
    earlier = next(unit for unit in client.run(run_id).units if unit.nest == "7")
    client.repeat(run_id, "7", "insulator renewed", step="withstand")
    client.arm_run(run_id)
    client.start_run(run_id)
    for event in client.events(run_id):
        if event.name == "question":
            client.answer(run_id, event.data["nest"], event.data["choices"][0])
    unit = next(unit for unit in client.run(run_id).units if unit.nest == "7")
    assert len(unit.attempts) > len(earlier.attempts)
    assert unit.attempts[0] == earlier.attempts[0], "what was done then stays as it was"
