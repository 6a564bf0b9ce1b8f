"""Line options at a running bench: rhythm, delay, stops, and whose documents go out."""

import asyncio
import datetime as dt
import sqlite3
import time
from functools import partial
from itertools import pairwise
from typing import Any

import pytest

from loricate.records import outbox, runs
from loricate.records.papers import PAPER
from loricate.service import issuing
from loricate.service.paper_making import EXPORT
from tests.conftest import read_demo
from tests.service.line_rig import CABLE, Line
from tests.service.live_rig import Live

WIRES = "WIRES-ONLY"
UNHURRIED = "6 s"  # long enough to act between two rounds, on a machine that is held up


async def release_wires(line: Line) -> None:
    """A sequence that puts nothing hazardous on."""
    document = read_demo("sequences/ref-cable.toml")
    await line.live.release({**document, "code": WIRES, "steps": document["steps"][:1]})


# From start to start.


async def test_a_unit_that_stays_in_is_tested_again_and_again(line: Line) -> None:
    await line.begin(line={"repeat_every": "1.5 s"})
    await line.plug_in()
    found = await line.until(lambda s: len([u for u in s["units"] if u["verdict"] == "pass"]) >= 3)
    serials = {each["serial"] for each in found["units"]}
    assert serials == {"RC-001"} and found["tested"] == 1, "one unit, however often"
    assert found["serials"] == ["RC-002"], "no serial is used up by it"
    await line.until(
        lambda s: s["now"] == "Leave the unit in for another test, or take it out: nest 1 passed."
    )
    runs = [await line.live.get(f"/runs/{each['run']}") for each in reversed(found["units"])]
    begun = [time_of(run["started_at"]) for run in runs if run["started_at"]]
    gaps = [late - early for early, late in pairwise(begun)]
    assert all(gap >= 1.4 for gap in gaps), gaps
    kept = await line.live.desk.store.read(partial(runs_kept, [run["id"] for run in runs]))
    assert [each == "" for each in kept[:2]] == [True, False], "why it was tested again is kept"
    assert kept[1] == "Begun again every 1.5 s by its series, with the unit left in"


def runs_kept(run_ids: list[str], conn: sqlite3.Connection) -> list[str]:
    """Why the units of each run were tested again."""
    return [runs.get_run(conn, run_id)["retest"] for run_id in run_ids]


def time_of(text: str) -> float:
    """A moment in s."""
    return dt.datetime.fromisoformat(text).timestamp()


async def test_a_unit_that_was_exchanged_gets_the_next_serial_and_not_before_its_time(
    line: Line,
) -> None:
    await line.begin(line={"repeat_every": UNHURRIED})
    await line.plug_in()
    await line.until(lambda s: s["passed"] == 1 and not s["run"])
    line.pull()
    await line.plug_in("open W1")
    found = await line.until(lambda s: s["failed"] == 1 and not s["run"])
    assert [each["serial"] for each in found["units"][:2]] == ["RC-002", "RC-001"]
    second, first = [
        time_of((await line.live.get(f"/runs/{each['run']}"))["started_at"])
        for each in found["units"][:2]
    ]
    assert second - first >= 5.9


async def test_what_failed_under_high_voltage_is_not_put_under_it_by_a_clock(line: Line) -> None:
    await line.begin(line={"repeat_every": "1 s"})
    await line.plug_in("open W1")
    found = await line.until(lambda s: s["failed"] == 1 and not s["run"])
    await asyncio.sleep(1.5)
    found = await line.look()
    assert len(found["units"]) == 1 and found["now"] == "Take the unit out of nest 1: failed, open."
    assert found["state"] == "on"


async def test_what_fails_again_and_again_without_danger_asks_for_an_engineer(line: Line) -> None:
    await release_wires(line)
    await line.begin(sequence=WIRES, line={"repeat_every": "0.5 s", "stop_after_fails": 3})
    await line.plug_in("open W1")
    found = await line.until(lambda s: s["state"] == "held")
    assert len(found["units"]) == 3 and {each["serial"] for each in found["units"]} == {"RC-001"}


@pytest.mark.parametrize("how", ["out and in", "out", "blind", "guard", "stop"])
async def test_who_cannot_be_the_same_unit_is_not_tested_as_it(
    line: Line, how: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Exchanged, gone, not felt for too long, or stopped: nothing begins by itself."""
    await line.begin(line={"repeat_every": UNHURRIED})
    await line.plug_in()
    await line.until(lambda s: s["passed"] == 1 and not s["run"])
    if how in ("out and in", "out"):
        line.pull()
        await line.until(lambda s: s["now"].startswith("Plug RC-002"))
    if how == "out and in":
        line.plug("open W1")
    elif how == "blind":
        side = line.live.desk.bench._side
        assert side is not None and side.series._live is not None
        side.series._live.exchange._is_blind = True
    elif how == "guard":
        line.floor.set_guard(False)
    elif how == "stop":
        await line.live.post(f"/series/{line.id}/stop")
    await asyncio.sleep(6.5)
    found = await line.look()
    tested = [each["serial"] for each in found["units"]]
    assert tested.count("RC-001") == 1, tested
    assert found["state"] == {"guard": "paused", "stop": "ended"}.get(how, "on")
    if how == "blind":
        assert found["now"] == "Take the unit out of nest 1: passed."


async def test_no_bench_stays_armed_for_longer_than_without_a_clock(line: Line) -> None:
    refused = await line.begin(line={"repeat_every": "301 s"}, status=422)
    assert refused["errors"][0]["field"] == "line.repeat_every"
    assert "no bench stays armed for longer" in refused["detail"]
    await release_wires(line)
    await line.begin(sequence=WIRES, line={"repeat_every": "2000 s"}, status=201)
    await line.begin(line={"repeat_every": "300 s"})
    await line.plug_in()
    found = await line.until(lambda s: s["passed"] == 1 and not s["run"])
    assert found["armed_left_s"] <= 301.0


async def test_who_arms_a_series_again_plugs_its_units_in_again(line: Line) -> None:
    """Nobody watched the nest meanwhile: what is in it may be another unit."""
    await line.begin(line={"repeat_every": "1 s"})
    await line.plug_in()
    await line.until(lambda s: s["passed"] == 1)
    line.floor.set_guard(False)
    before = await line.until(lambda s: s["state"] == "paused" and not s["run"])
    line.floor.set_guard(True)
    await line.live.post(f"/series/{line.id}/arm")
    await asyncio.sleep(1.5)
    found = await line.look()
    assert found["units"] == before["units"]
    assert found["now"].startswith("Take the unit out of nest 1")


async def test_a_unit_pulled_out_in_a_later_round_keeps_its_first_verdict_and_ends_it(
    line: Line,
) -> None:
    await line.begin(line={"repeat_every": "1 s"})
    await line.plug_in()
    await line.until(lambda s: s["passed"] == 1)
    line.floor.clock.pace = 1.0
    await line.under_voltage()
    line.pull()
    found = await line.until(lambda s: s["state"] == "paused")
    assert "taken out before the test was over" in found["note"]
    assert found["units"][0]["verdict"] == "inconclusive" and found["passed"] == 1
    assert (await line.live.get("/bench/danger"))["state"] == "safe"


# Between the start and the first step.


async def test_the_first_step_waits_as_long_as_the_line_has_it(live: Live) -> None:
    run_id = await begun(live, {"start_delay": "1 s"})
    run = await live.ended(run_id)
    assert run["verdict"] == "pass" and run["line"]["start_delay_s"] == 1.0
    first = min(each["started_at"] for each in run["units"][0]["attempts"])
    assert time_of(first) - time_of(run["started_at"]) >= 0.95


@pytest.mark.parametrize("how", ["guard", "abort"])
async def test_whoever_opens_the_guard_or_aborts_in_the_delay_has_nothing_put_on(
    live: Live, how: str
) -> None:
    run_id = await begun(live, {"start_delay": "30 s"})
    assert (await live.get("/bench/danger"))["state"] == "armed"
    await asyncio.sleep(0.3)
    at = time.monotonic()
    if how == "guard":
        live.floor.floor.set_guard(False)
    else:
        await live.post(f"/runs/{run_id}/abort")
    run = await live.ended(run_id)
    assert time.monotonic() - at < 20.0
    assert (run["state"], run["verdict"]) == ("aborted", "inconclusive")
    assert [(each["cause"], each["attempts"]) for each in run["units"]] == [("aborted", [])]
    assert ("guard is open" in run["note"]) is (how == "guard")
    assert (await live.get("/bench/danger"))["state"] == "safe"


async def begun(live: Live, line: dict[str, Any]) -> str:
    """A run of one appliance with these line options, started."""
    places = [{"nest": "1", "serial": "DELAY-1"}]
    body = {"sequence": "DC40-FINAL", "fixture": "FX-A", "load": places, "line": line}
    run = await live.post("/runs", body)
    await live.post(f"/runs/{run['id']}/arm")
    await live.post(f"/runs/{run['id']}/start")
    return str(run["id"])


# After so many failed units of a load.


async def test_a_load_stops_after_so_many_failed_units_and_passes_nobody_it_did_not_test(
    line: Line,
) -> None:
    line.plug("open W1")
    line.plug(nest="FX-C/2")
    places = [{"nest": "1", "serial": "S-1"}, {"nest": "2", "serial": "S-2"}]
    body = {"sequence": CABLE, "fixture": "FX-C", "load": places, "line": {"stop_after_fails": 1}}
    run = await line.live.post("/runs", body)
    await line.live.post(f"/runs/{run['id']}/arm")
    await line.live.post(f"/runs/{run['id']}/start")
    ended = await line.live.ended(run["id"])
    assert ended["state"] == "finished"
    assert ended["note"] == "Nothing more was begun after a failed unit, as the line has it."
    failed, other = ended["units"]
    assert failed["verdict"] == "fail" and other["verdict"] == "inconclusive"
    assert other["attempts"][-1]["cause"] == "unit_halted"
    line.pull()
    line.pull("FX-C/2")


async def test_a_line_option_that_is_none_is_refused_at_its_field(live: Live) -> None:
    places = [{"nest": "1", "serial": "D-1"}]
    body = {"sequence": "DC40-FINAL", "fixture": "FX-A", "load": places}
    refused = await live.post("/runs", {**body, "line": {"start_delay": "2"}}, 422)
    assert refused["detail"] == (
        "line.start_delay: '2' has no unit; write a time, for example '2 s'."
    )
    assert (await live.get("/runs")) == []


# Whose documents go out.


@pytest.mark.parametrize(("send", "sent"), [("passes", 1), ("off", 0), ("every", 2)])
async def test_documents_go_out_as_the_line_has_it_and_are_issued_all_the_same(
    live: Live, send: str, sent: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(issuing, "is_open", lambda gate: True)
    live.floor.floor.put_in("FX-A/2", "DC-40", ("missing_earth",), "D-2")
    places = [{"nest": nest, "serial": f"D-{nest}"} for nest in "12"]
    body = {"sequence": "DC40-FINAL", "fixture": "FX-A", "load": places, "line": {"send": send}}
    run = await live.post("/runs", body)
    await live.post(f"/runs/{run['id']}/arm")
    await live.post(f"/runs/{run['id']}/start")
    await live.ended(run["id"])

    async def all_made() -> Any:
        made = await live.desk.store.read(lambda conn: outbox.list_outgoing(conn, 50))
        papers = [each for each in made if each.target == PAPER]
        is_done = len(papers) == 2 and all(each.sent_at for each in papers)
        return made if is_done else None

    made = await live.until(all_made)
    units = (await live.get(f"/runs/{run['id']}"))["units"]
    assert [(each["verdict"], each["certificate_kind"]) for each in units] == [
        ("pass", "certificate"),
        ("fail", "nonconformance"),
    ]
    assert len([each for each in made if each.target == EXPORT]) == sent
