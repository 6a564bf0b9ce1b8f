"""Devices by asset number: scanned, described, tested on an occasion, and when they are due."""

import datetime as dt
import json
import sqlite3
from pathlib import Path
from typing import Any

import pytest

from loricate.core.measuring.grading import Verdict
from loricate.core.planning.occasions import DeviceState, PastTest, due_on, months_after, state_of
from loricate.records import runs
from tests.service.live_rig import Live

NUMBER, SERIAL = "RB-7", "FW2-26-0007"
QUICK: dict[str, Any] = {
    "format": "loricate-sequence/2", "code": "FW2-WHOLE", "title": "t", "product": "FW-2",
    "occasions": ["acceptance", "recurrent"],
    "steps": [{
        "id": "earth", "kind": "ground_bond", "title": "Earth",
        "settings": {"earth": "PE", "part": "CASE", "current": "26 A", "dwell": "5 s"},
        "limits": {"resistance": {"source": "IEC-60601-1-8.6"}},
    }],
}  # fmt: skip


def past(verdict: Verdict, on: str = "2026-03-31") -> PastTest:
    return PastTest(dt.date.fromisoformat(on), "recurrent", verdict)


def test_a_device_is_in_repair_from_its_last_failure_until_it_passes() -> None:
    good, bad, odd = (past(each) for each in (Verdict.PASS, Verdict.FAIL, Verdict.INCONCLUSIVE))
    assert state_of([]) is DeviceState.NEW
    assert state_of([bad, good]) is DeviceState.IN_REPAIR
    assert state_of([odd, good]) is DeviceState.UNDECIDED
    assert state_of([good, bad]) is DeviceState.IN_USE


@pytest.mark.parametrize(
    ("months", "on"), [(1, "2026-04-30"), (11, "2027-02-28"), (12, "2027-03-31"), (9, "2026-12-31")]
)
def test_a_month_that_has_no_such_day_ends_with_its_last(months: int, on: str) -> None:
    assert months_after(dt.date(2026, 3, 31), months) == dt.date.fromisoformat(on)


def test_a_test_that_failed_puts_no_date_off() -> None:
    newest_first = [past(Verdict.FAIL, "2026-09-01"), past(Verdict.PASS)]
    assert due_on(newest_first, 12) == dt.date(2027, 3, 31)
    assert due_on(newest_first[:1], 12) is None, "it never passed: it is due now"


async def describe(live: Live, number: str = NUMBER, **other: str) -> Any:
    body = {"product": "FW-2", "serial": SERIAL, "place": "hangar", **other}
    return await live.wire.put(f"/assets/{number}", json=body)


async def test_a_device_is_known_by_its_number_or_its_serial(live: Live) -> None:
    lacking = await live.wire.get(f"/assets/{NUMBER}")
    assert lacking.status_code == 404 and NUMBER in lacking.json()["detail"]
    made = (await describe(live)).json()
    assert (made["state"], made["last"], made["due"], made["is_overdue"]) == (
        "new", None, None, True,
    )  # fmt: skip
    assert {each["occasion"]: each["sequence"] for each in made["occasions"]} == {
        "production": "FW2-FINAL",
        "acceptance": "FW2-WHOLE",
        "recurrent": "FW2-WHOLE",
        "after_repair": "FW2-WHOLE",
    }
    for scanned in (NUMBER, NUMBER.lower(), SERIAL):
        assert (await live.get(f"/assets/{scanned}"))["number"] == NUMBER
    moved = (await describe(live, place="ambulance 2")).json()
    assert moved["place"] == "ambulance 2"
    listed = await live.get("/assets?search=*ambulance*")
    assert [each["number"] for each in listed] == [NUMBER]


@pytest.mark.parametrize(
    ("number", "other", "field"),
    [
        (NUMBER, {"serial": "FW2-26-0008"}, "number"),
        ("RB-8", {"product": "FW-9"}, "product"),
        ("RB-8", {"serial": "two words"}, "serial"),
    ],
)
async def test_what_is_wrong_of_a_description_is_named_and_nothing_is_lost(
    live: Live, number: str, other: dict[str, str], field: str
) -> None:
    """A number is one device's: said of another, both stay what they are."""
    await describe(live)
    refused = await describe(live, number, **other)
    assert refused.status_code == 422
    assert refused.json()["errors"][0]["field"] == field
    assert (await live.get(f"/assets/{NUMBER}"))["serial"] == SERIAL


def a_run(serial: str = NUMBER, **other: Any) -> dict[str, Any]:
    return {"fixture": "FX-W", "load": [{"nest": "1", "serial": serial}], **other}


async def test_an_occasion_chooses_the_sequence_and_is_kept(live: Live) -> None:
    await live.release(QUICK)
    await describe(live)
    made = await live.post("/runs", a_run(occasion="recurrent"))
    assert (made["sequence_code"], made["occasion"]) == ("FW2-WHOLE", "recurrent")
    assert made["units"][0]["serial"] == SERIAL, "the number stands for its serial"
    assert (made["units"][0]["asset"], made["units"][0]["place"]) == (NUMBER, "hangar")
    by_sequence = await live.post("/runs", a_run(sequence="FW2-WHOLE"))
    assert by_sequence["occasion"] == "acceptance", "the first that the sequence is for"


@pytest.mark.parametrize(
    ("asked", "field"),
    [
        ({}, "sequence"),
        ({"occasion": "after_repair", "sequence": "FW2-WHOLE"}, "occasion"),
        ({"occasion": "recurrent", "serial": "FW2-26-9999"}, "load[0].serial"),
        ({"sequence": "DC40-FINAL"}, "load[0].serial"),
    ],
)
async def test_what_no_sequence_can_be_chosen_for_is_refused(
    live: Live, asked: dict[str, Any], field: str
) -> None:
    await live.release(QUICK)
    await describe(live)
    refused = await live.wire.post("/runs", json=a_run(asked.pop("serial", NUMBER), **asked))
    assert refused.status_code == 422, refused.text
    assert refused.json()["errors"][0]["field"] == field


async def test_what_failed_last_time_is_in_sight_until_it_passes(live: Live) -> None:
    await live.release(QUICK)
    await describe(live)

    await have_tested(live, NUMBER, "open_earth")
    bad = await live.get(f"/assets/{NUMBER}")
    assert (bad["state"], bad["last"]["failed"], bad["is_overdue"]) == (
        "in_repair",
        ["Earth"],
        True,
    )
    await have_tested(live, NUMBER)
    good = await live.get(f"/assets/{NUMBER}")
    today = dt.datetime.now(dt.UTC).date()
    assert (good["state"], good["last"]["failed"]) == ("in_use", [])
    assert (good["due"], good["is_overdue"]) == (months_after(today, 12).isoformat(), False)
    found = await live.get(f"/units?serial={NUMBER}")
    assert {each["serial"] for each in found} == {SERIAL}, "units are found by number as well"


async def have_tested(live: Live, serial: str, *faults: str, of: str = SERIAL) -> Any:
    """A recurrent test of the device in the nest, from its beginning to its end."""
    live.floor.floor.put_in("FX-W/1", "FW-2", faults, of)
    made = await live.post("/runs", a_run(serial, sequence="FW2-WHOLE", occasion="recurrent"))
    if made["needs_arming"]:
        await live.post(f"/runs/{made['id']}/arm")
    await live.post(f"/runs/{made['id']}/start")
    return await live.ended(made["id"])


def told_in(folder: Path) -> list[Any]:
    """What the maintenance system finds, oldest first."""
    found = sorted(folder.glob("*.json"), key=lambda path: path.stat().st_mtime_ns)
    return [json.loads(path.read_text("utf-8")) for path in found]


async def messages(live: Live, folder: Path, count: int) -> list[Any]:
    """What the maintenance system finds, once there are so many."""

    async def there() -> list[Any]:
        found = told_in(folder)
        return found if len(found) >= count else []

    found: list[Any] = await live.until(there)
    return found


async def test_the_maintenance_system_is_told_of_each_device_that_has_a_number(
    live: Live, tmp_path: Path
) -> None:
    folder = live.desk.maintenance.folder = tmp_path / "told"
    await live.release(QUICK)
    await describe(live)
    bad = await have_tested(live, NUMBER, "open_earth")
    await have_tested(live, "FW2-26-0008", of="FW2-26-0008")  # which nobody gave a number
    good = await have_tested(live, NUMBER)
    first, second = await messages(live, folder, 2)
    assert first["format"] == "loricate-maintenance/1"
    assert first["asset"] == {
        "number": NUMBER, "product": "FW-2", "serial": SERIAL, "place": "hangar",
    }  # fmt: skip
    assert (first["state"], first["test"]["failed"], first["due"]) == ("in_repair", ["Earth"], None)
    assert (first["test"]["run"], first["test"]["verdict"]) == (bad["id"], "fail")
    assert first["test"]["document"].startswith("N-"), "with the report of what is wrong"
    assert (second["state"], second["test"]["run"]) == ("in_use", good["id"])
    assert second["due"] == months_after(dt.datetime.now(dt.UTC).date(), 12).isoformat()


async def test_a_message_that_is_drawn_late_tells_how_its_own_test_ended(
    live: Live, tmp_path: Path
) -> None:
    keeper = live.desk.maintenance
    await live.release(QUICK)
    await describe(live)
    keeper.folder = None
    bad = await have_tested(live, NUMBER, "open_earth")
    await have_tested(live, NUMBER)
    keeper.folder = tmp_path / "told"

    def late(conn: sqlite3.Connection) -> None:
        keeper.queue(conn, runs.get_run(conn, bad["id"]))

    await live.desk.store.write(late)
    await live.post("/outbox/tries")
    (told,) = await messages(live, keeper.folder, 1)
    assert (told["state"], told["test"]["failed"], told["due"]) == ("in_repair", ["Earth"], None)
    assert told["is_overdue"]


async def test_a_folder_that_cannot_be_written_holds_up_no_test_and_loses_no_message(
    live: Live, tmp_path: Path
) -> None:
    folder = live.desk.maintenance.folder = tmp_path / "told"
    folder.write_text("a file is in the way")
    await live.release(QUICK)
    await describe(live)
    run = await have_tested(live, NUMBER)
    assert run["units"][0]["verdict"] == "pass"

    async def held_up() -> Any:
        waiting = await live.get("/outbox?waiting=true")
        return [each for each in waiting if each["target"] == "maintenance" and each["problem"]]

    (waiting,) = await live.until(held_up)
    assert waiting["subject"] == NUMBER
    folder.unlink()
    await live.post("/outbox/tries")
    (told,) = await messages(live, folder, 1)
    assert told["test"]["run"] == run["id"]


async def test_without_a_folder_nothing_is_queued(live: Live) -> None:
    live.desk.maintenance.folder = None
    await live.release(QUICK)
    await describe(live)
    await have_tested(live, NUMBER)
    found = await live.get("/outbox")
    assert [each for each in found if each["target"] == "maintenance"] == []
