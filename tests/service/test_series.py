"""Series: consecutive cables on one arming, and everything that must end it."""

import asyncio
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

import pytest

from loricate.core.planning import series as planning
from loricate.core.planning.series import BLIND_AFTER_S, Exchange
from loricate.records import runs, series
from loricate.records.store import Store
from loricate.service import series_keeping
from loricate.simulator.instruments.output import OutputInstrument
from loricate.simulator.standins import StandIns
from tests.conftest import read_demo
from tests.rig import said
from tests.service.conftest import bearer
from tests.service.line_rig import CABLE, Line, ended, slow
from tests.service.live_rig import HeldUp, service


async def test_consecutive_cables_are_tested_as_they_are_plugged_in(line: Line) -> None:
    """One arming; a serial each; what is left in, or lay in at the beginning, is no next unit."""
    line.plug()
    begun = await line.begin()
    assert (begun["state"], begun["needs_arming"], begun["serials"]) == ("on", True, ["RC-001"])
    await asyncio.sleep(0.6)
    assert (await line.look())["now"] == "Take the unit out of nest 1."
    assert not (await line.look())["units"], "what lay in before the arming is not tested"
    assert (await line.test())["passed"] == 1
    await asyncio.sleep(0.8)
    assert len((await line.look())["units"]) == 1, "a unit that stays in is not tested again"
    found = await line.test("open W1")
    found = await line.until(lambda s: s["now"] == "Take the unit out of nest 1: failed, open.")
    assert found["failed"] == 1 and found["failed_in_a_row"] == 1
    found = await line.test()
    assert [(each["serial"], each["verdict"]) for each in found["units"]] == [
        ("RC-003", "pass"),
        ("RC-002", "fail"),
        ("RC-001", "pass"),
    ]
    assert (found["tested"], found["failed_in_a_row"], found["serials"]) == (3, 0, ["RC-004"])
    assert round(found["first_pass_yield"], 3) == 0.667 and found["cadence_s"] > 0
    starts = [await line.live.get(f"/runs/{each['run']}") for each in found["units"]]
    assert {each["start_by"] for each in starts} == {"series"}
    ended = await line.live.post(f"/series/{line.id}/stop")
    assert (ended["state"], ended["note"]) == ("ended", "mara stopped it.")
    assert (await line.live.get("/bench/danger"))["state"] == "safe"
    again = await line.begin(arm=False)
    assert again["serials"] == ["RC-004"], "a pattern goes on after every serial that is known"


async def test_no_test_begins_before_the_plug_was_let_go(
    line: Line, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(series_keeping, "LET_GO_S", 1.5)
    await line.begin()
    await line.plug_in()
    begun = time.monotonic()
    await line.until(lambda s: s["now"] == "Let go: the test begins.")
    await line.until(lambda s: s["run"] != "")
    assert time.monotonic() - begun > 1.4


async def test_two_nests_are_exchanged_together(line: Line) -> None:
    line.pull("FX-C/2")
    await line.begin(nests=["1", "2"])
    await line.until(lambda s: s["now"] == "Plug RC-001 into nest 1 and RC-002 into nest 2.")
    line.plug(nest="FX-C/2")
    await line.until(lambda s: s["now"] == "Plug RC-001 into nest 1.")
    line.plug()
    found = await line.until(lambda s: len(ended(s)) == 2)
    assert {each["serial"]: each["nest"] for each in found["units"]} == {
        "RC-001": "1",
        "RC-002": "2",
    }


async def test_serials_are_scanned_before(line: Line) -> None:
    await line.begin(count_from="")
    place = f"/series/{line.id}/serials"
    await line.until(lambda s: s["now"] == "Scan the serial of the unit for nest 1.")
    line.plug()
    await asyncio.sleep(0.5)
    assert not (await line.look())["units"], "nobody said which unit it is"
    found = await line.live.post(place, {"serial": "S-1"})
    assert found["serials"] == ["S-1"]
    found = await line.until(lambda s: len(ended(s)) == 1)
    for serial in ("S-2", "S-3", "S-4"):
        await line.live.post(place, {"serial": serial})
    refused = await line.live.post(place, {"serial": "s-3"}, status=422)
    assert "s-3 waits already" in refused["detail"]
    answer = await line.live.wire.delete(f"{place}/S-3")
    assert answer.json()["serials"] == ["S-2", "S-4"]
    assert (await line.live.wire.delete(f"{place}/S-3")).status_code == 404
    await line.test()
    found = await line.test()
    assert [each["serial"] for each in found["units"]] == ["S-4", "S-2", "S-1"]


async def test_a_guard_that_opens_drops_the_arming(line: Line) -> None:
    await line.begin()
    await line.test()
    line.floor.set_guard(False)
    found = await line.until(lambda s: s["state"] == "paused")
    assert found["note"] == "The guard was opened."
    line.pull()
    refused = await line.live.post(f"/series/{line.id}/arm", status=409)
    assert "guard is open" in refused["detail"]
    line.plug()
    line.floor.set_guard(True)
    await asyncio.sleep(0.5)
    assert (await line.look())["state"] == "paused", "closing the guard arms nothing"
    await line.live.post(f"/series/{line.id}/arm")
    await asyncio.sleep(0.5)
    assert len((await line.look())["units"]) == 1, "which unit is in was not seen: once more out"
    assert (await line.test())["units"][0]["serial"] == "RC-002"


async def test_a_cable_pulled_out_under_test_cuts_the_output_and_keeps_its_serial(
    line: Line,
) -> None:
    slow(line)
    await line.begin()
    await line.plug_in()
    await line.under_voltage()
    line.pull()
    found = await line.until(lambda s: s["state"] == "paused")
    assert "RC-001 could not be tested to a verdict" in found["note"] or (
        "taken out before the test was over" in found["note"]
    )
    assert found["serials"] == ["RC-001"] and found["tested"] == 0
    (unit,) = found["units"]
    run = await line.live.get(f"/runs/{unit['run']}")
    assert run["state"] == "aborted" and "taken out before the test was over" in run["note"]
    assert run["units"][0]["certificate"] is None
    assert not line.floor.outputs_on


async def test_a_cable_exchanged_under_test_gets_no_verdict(line: Line) -> None:
    """A good one for a bad one, quicker than any step: what was measured is of two units."""
    slow(line)
    await line.begin()
    await line.plug_in()
    await line.until(lambda s: s["run"] != "")
    line.pull()
    await asyncio.sleep(0.35)
    line.plug()
    found = await line.until(lambda s: s["state"] == "paused")
    assert found["tested"] == 0 and found["serials"] == ["RC-001"]
    assert found["units"][0]["state"] == "aborted"


def before_outputs(line: Line, monkeypatch: pytest.MonkeyPatch, do: Callable[[], None]) -> None:
    """Have something done right before each output comes on."""

    def then(begin: Callable[[], None]) -> Callable[[], None]:
        def begun() -> None:
            do()
            begin()

        return begun

    for each in line.live.floor.instruments.values():
        if isinstance(each, OutputInstrument):
            monkeypatch.setattr(each, "begin", then(each.begin))


@pytest.mark.parametrize("comes_back", [False, True], ids=["pulled", "exchanged"])
async def test_a_cable_pulled_out_at_the_last_moment_does_not_pass(
    line: Line, monkeypatch: pytest.MonkeyPatch, comes_back: bool
) -> None:
    """An empty nest insulates well: between the last two looks, every step of it passes."""
    document = read_demo("sequences/ref-cable.toml") | {"code": "NET-BY-NET"}
    document["steps"] = document["steps"][:2]
    document["steps"][1]["settings"]["apply"] = "each_net"
    await line.live.release(document)
    outputs, pull_at = 0, 0

    def pull() -> None:
        nonlocal outputs
        outputs += 1
        if outputs == pull_at:
            monkeypatch.setattr(planning, "BLIND_AFTER_S", BLIND_AFTER_S)
            line.pull()
            if comes_back:
                asyncio.get_running_loop().call_later(1.3, line.plug)

    before_outputs(line, monkeypatch, pull)
    await line.begin(sequence="NET-BY-NET")
    assert (await line.test())["passed"] == 1
    monkeypatch.setattr(series_keeping, "WATCH_S", 0.7)
    pull_at = 2 * outputs
    line.pull()
    await line.plug_in()
    found = await line.until(lambda s: s["state"] == "paused")
    assert outputs == pull_at, "it was the last output"
    assert (found["tested"], found["serials"]) == (1, ["RC-002"])
    run = await line.live.get(f"/runs/{found['units'][0]['run']}")
    assert {each["verdict"] for each in run["units"][0]["attempts"]} == {"pass"}
    assert run["state"] == "aborted" and run["note"] in found["note"]
    assert (run["verdict"], run["units"][0]["verdict"]) == ("inconclusive", "inconclusive")
    assert "taken out" in run["note"] or "nobody can say" in run["note"]
    assert run["units"][0]["certificate"] is None


async def slow_to_make(line: Line, monkeypatch: pytest.MonkeyPatch, each_s: float) -> None:
    """Have the records take their time over a run that begins, as on a busy disk."""
    keeper = await line.live.desk.bench.look(lambda side: side.series.runs)

    async def slowly(then: Callable[..., Any], *args: Any, **more: Any) -> Any:
        await asyncio.sleep(each_s)
        return await then(*args, **more)

    for each in ("create", "_bench_facts"):
        monkeypatch.setattr(keeper, each, partial(slowly, getattr(keeper, each)))


async def test_a_run_that_takes_long_to_make_is_of_the_units_that_were_felt(
    line: Line, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The nests are felt meanwhile: nobody is told that a unit was taken out that was not."""
    monkeypatch.setattr(planning, "BLIND_AFTER_S", 1.0)
    await slow_to_make(line, monkeypatch, 1.3)
    await line.begin()
    found = await line.test()
    assert (found["state"], found["passed"]) == ("on", 1)


async def test_a_unit_exchanged_while_its_run_starts_is_not_tested(
    line: Line, monkeypatch: pytest.MonkeyPatch
) -> None:
    """One was taken for the run's, and another is in as its voltage would come on."""
    await slow_to_make(line, monkeypatch, 2.0)
    await line.begin()
    await line.plug_in()

    async def is_taken() -> bool:
        live = await line.live.desk.bench.look(lambda side: side.series._live)
        return live is not None and live.is_taken

    await line.live.until(is_taken)
    line.pull()
    await asyncio.sleep(0.5)
    line.plug()
    found = await line.until(lambda s: s["state"] == "paused")
    assert found["note"].startswith("A unit was taken out as its test began")
    assert (found["tested"], found["serials"]) == (0, ["RC-001"])
    assert not line.floor.outputs_on


async def test_what_a_series_left_off_goes_on_nowhere_else(line: Line) -> None:
    """Nobody felt whether its units stayed in: what was measured may not be completed by hand."""
    slow(line)
    await line.begin()
    await line.plug_in()
    found = await line.under_voltage()
    await line.live.post(f"/runs/{found['run']}/abort")
    await line.until(lambda s: s["state"] == "paused")
    body = {"nest": "1", "step": "insulation", "reason": "see whether it can be completed"}
    refused = await line.live.post(f"/runs/{found['run']}/repeats", body, status=409)
    assert "plug its units in again there" in refused["detail"]
    store = line.live.desk.store
    for state in ("interrupted", "created"):
        await store.write(partial(runs.set_state, run_id=found["run"], state=state, account="t"))
        for path in ("arm", "start"):
            refused = await line.live.post(f"/runs/{found['run']}/{path}", status=409)
            assert "of a series" in refused["detail"] or "arm it first" in refused["detail"]


async def test_a_unit_that_failed_in_a_series_is_repeated_in_its_run(line: Line) -> None:
    await line.begin()
    found = await line.test("open W1")
    await line.live.post(f"/series/{line.id}/stop")
    place = f"/runs/{found['units'][0]['run']}"
    line.plug()
    body = {"nest": "1", "step": "", "reason": "its plug was not in to the stop"}
    await line.live.post(f"{place}/repeats", body)
    await line.live.post(f"{place}/arm")
    await line.live.post(f"{place}/start")
    run = await line.live.ended(place.removeprefix("/runs/"))
    assert (run["state"], run["verdict"]) == ("finished", "pass")


async def test_fails_in_a_row_ask_for_an_engineer(line: Line) -> None:
    await line.begin(line={"stop_after_fails": 2})
    await line.test("open W1")
    await line.test()
    await line.test("open W1")
    found = await line.test("open W1")
    found = await line.until(lambda s: s["state"] == "held")
    assert found["note"].startswith("2 units failed one after another. An engineer looks")
    for path, body in (("arm", None), ("stop", None)):
        refused = await line.live.post(f"/series/{line.id}/{path}", body, status=409)
        assert "2 units failed" in refused["detail"], path
    refused = await line.begin(status=409)
    assert "is held" in refused["detail"], "another series is no way round"
    free = await line.begin(status=201, sequence="DC40-FINAL", fixture="FX-A", count_from="A-#")
    assert free["state"] == "paused", "nothing of that kind failed"
    place = f"/series/{line.id}/release"
    await line.live.post(place, {"reason": ""}, status=422)
    found = await line.live.post(place, {"reason": "bent contact, renewed"})
    assert found["state"] == "paused" and "mara lets it go on: bent contact" in found["note"]
    assert found["failed_in_a_row"] == 0
    await line.live.post(place, {"reason": "again"}, status=409)
    await line.live.post(f"/series/{line.id}/arm")
    assert (await line.test("open W1"))["failed_in_a_row"] == 1
    assert (await line.look())["state"] == "on"


async def test_who_signs_out_ends_the_arming(line: Line) -> None:
    await line.begin()
    await line.live.post("/sign-out")
    line.live.wire.headers.update(await line.live.signed_in("mara"))
    found = await line.until(lambda s: s["state"] == "paused")
    assert "sign-in of mara has ended" in found["note"]


async def test_an_arming_ends_by_itself(line: Line, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(series_keeping, "ARM_LASTS_S", 1.0)
    begun = await line.begin()
    assert 0 < begun["armed_left_s"] <= 1.0
    found = await line.until(lambda s: s["state"] == "paused")
    assert "No unit was plugged in for" in found["note"]
    assert (await line.live.get("/bench/danger"))["state"] == "safe"


async def test_a_stop_ends_everything_at_once(line: Line) -> None:
    slow(line)
    await line.begin()
    await line.plug_in()
    await line.under_voltage()
    found = await line.live.post(f"/series/{line.id}/stop")
    assert (found["state"], found["run"], found["serials"]) == ("ended", "", ["RC-001"])
    assert not line.floor.outputs_on
    assert found["units"][0]["state"] == "aborted"
    run = await line.live.get(f"/runs/{found['units'][0]['run']}")
    assert run["note"] == "mara stopped the series."
    line.pull()
    await asyncio.sleep(0.3)
    line.plug()
    await asyncio.sleep(0.6)
    assert len((await line.look())["units"]) == 1, "nothing starts after it"
    for path in ("arm", "stop"):
        await line.live.post(f"/series/{line.id}/{path}", status=409)


async def test_a_stop_while_it_is_being_paused_is_a_stop(
    line: Line, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Whichever is kept last: an ended series stays so, and none is armed in between."""
    await line.begin()
    pausing = HeldUp(monkeypatch, series, "paused")
    line.floor.set_guard(False)
    await pausing.begun()
    line.floor.set_guard(True)
    refused = await line.live.post(f"/series/{line.id}/arm", status=409)
    assert "just being paused" in refused["detail"]
    await pausing.meanwhile(line.live.post(f"/series/{line.id}/stop"))
    await asyncio.sleep(0.3)
    assert (await line.look())["state"] == "ended"
    assert (await line.live.get("/bench/danger"))["state"] == "safe"


async def test_a_stop_while_it_is_being_armed_is_a_stop(
    line: Line, monkeypatch: pytest.MonkeyPatch
) -> None:
    await line.begin(arm=False)
    writing = HeldUp(monkeypatch, series, "on")
    arming = asyncio.create_task(line.live.wire.post(f"/series/{line.id}/arm"))
    await writing.begun()
    stopped = await writing.meanwhile(line.live.post(f"/series/{line.id}/stop"))
    assert stopped["state"] == "ended"
    await arming
    assert (await line.look())["state"] == "ended"
    assert (await line.live.get("/bench/danger"))["state"] == "safe", "nothing is left armed"


@pytest.mark.parametrize("delay_s", [0.0, 0.05, 0.1, 0.2])
async def test_a_stop_while_a_test_begins_is_a_stop(line: Line, delay_s: float) -> None:
    """Whenever it comes, no output goes on after it was acknowledged."""
    slow(line)
    await line.begin()
    await line.plug_in()
    await asyncio.sleep(0.2 + delay_s)
    found = await line.live.post(f"/series/{line.id}/stop")
    assert found["state"] == "ended"
    assert not line.floor.outputs_on
    await asyncio.sleep(0.4)
    found = await line.look()
    assert not line.floor.outputs_on and not found["run"]
    assert {each["state"] for each in found["units"]} <= {"aborted"}
    assert found["serials"] == ["RC-001"], "its serial is not lost"


@pytest.mark.parametrize(
    "answer", ["maybe", "", "9.91E37", "2"], ids=["nonsense", "nothing", "no number", "no level"]
)
async def test_switches_that_answer_nonsense_start_nothing(line: Line, answer: str) -> None:
    await line.begin()
    said(line.live.rig, "IN1", lambda line, told: answer if "LEV" in line else told)
    found = await line.until(lambda s: s["state"] == "paused")
    assert "IN1" in found["note"] and not found["units"]


async def test_switches_that_fall_silent_under_test_end_it(line: Line) -> None:
    """Nobody can say that it is the same unit any more."""
    slow(line)
    await line.begin()
    await line.plug_in()
    await line.under_voltage()
    said(line.live.rig, "IN1", lambda line, told: "maybe" if "LEV" in line else told)
    found = await line.until(lambda s: s["state"] == "paused")
    assert found["units"][0]["state"] == "aborted" and not line.floor.outputs_on
    assert found["serials"] == ["RC-001"] and "IN1" in found["note"]


async def test_while_a_series_is_on_nobody_else_has_the_bench(line: Line) -> None:
    await line.begin()
    run_id = await line.live.new_run(n1="OTHER-1")
    await line.live.post(f"/runs/{run_id}/arm")
    refused = await line.live.post(f"/runs/{run_id}/start", status=409)
    assert f"busy with series {line.id}" in refused["detail"]
    other = (await line.live.post("/series", {**OTHER, "count_from": "A-#"}))["id"]
    refused = await line.live.post(f"/series/{other}/arm", status=409)
    assert f"busy with series {line.id}" in refused["detail"]
    refused = await line.live.post(f"/series/{line.id}/arm", status=409)
    assert "on already" in refused["detail"]
    await line.live.post(f"/series/{line.id}/stop")
    await line.live.post(f"/series/{other}/arm")
    await line.live.post(f"/series/{other}/stop")


OTHER = {"sequence": "DC40-FINAL", "fixture": "FX-A"}


async def test_a_new_revision_ends_what_was_begun_with_the_old_one(line: Line) -> None:
    await line.begin()
    await line.test()
    document = read_demo("sequences/ref-cable.toml")
    document["steps"][1]["settings"]["dwell"] = "0.3 s"
    await line.live.release(document)
    line.pull()
    await line.plug_in()
    found = await line.until(lambda s: s["state"] == "paused")
    assert "Revision 2 of REF-CABLE is released by now; begin another series." in found["note"]
    assert found["tested"] == 1 and found["serials"] == ["RC-002"]


async def test_nothing_hazardous_needs_no_arming(line: Line) -> None:
    document = read_demo("sequences/ref-cable.toml")
    wiring = {**document, "code": "WIRES-ONLY", "steps": document["steps"][:1]}
    await line.live.release(wiring)
    line.floor.set_guard(False)
    begun = await line.begin(sequence="WIRES-ONLY")
    assert not begun["needs_arming"] and begun["armed_left_s"] is None
    assert (await line.live.get("/bench/danger"))["state"] == "safe"
    assert (await line.test())["passed"] == 1, "with the guard open"
    await line.live.post(f"/series/{line.id}/stop")
    places = [{"nest": "1", "serial": "W-1"}]
    body = {"sequence": "WIRES-ONLY", "fixture": "FX-C", "load": places}
    run = await line.live.post("/runs", body)
    assert not run["needs_arming"]
    await line.live.post(f"/runs/{run['id']}/start")
    assert (await line.live.ended(run["id"]))["verdict"] == "pass"
    line.floor.set_guard(True)
    run = await line.live.post("/runs", {**body, "sequence": CABLE})
    assert run["needs_arming"]
    refused = await line.live.post(f"/runs/{run['id']}/start", status=409)
    assert "arm it first" in refused["detail"]


@pytest.mark.parametrize(
    ("more", "says"),
    [
        ({"fixture": "FX-Z"}, "the bench has no fixture 'FX-Z'"),
        ({"nests": ["7"]}, "no switch that feels a unit there; it has them for 1, 2"),
        ({"nests": ["1", "1"]}, "nest 1 is loaded twice"),
        ({"count_from": "RC-#-#"}, "is no pattern"),
        ({"count_from": "RC"}, "no number to count up from"),
        ({"lot": "L-9"}, "there is no lot 'L-9'"),
        ({"line": {"stop_after_fails": -1}}, "line.stop_after_fails"),
        ({"fixture": "FX-A"}, "has no contact for"),
    ],
)
async def test_what_cannot_be_begun_says_why(line: Line, more: dict[str, Any], says: str) -> None:
    refused = await line.begin(status=422, **more)
    assert says in str(refused)
    assert (await line.live.get("/series")) == []


async def test_a_counted_serial_is_never_given_to_two_units(line: Line) -> None:
    await line.begin(count_from="RC-005")
    await line.test()
    refused = await line.begin(status=422, count_from="RC-005")
    assert "RC-005 was tested already (pass); begin higher" in str(refused)
    await line.live.post(f"/series/{line.id}/serials", {"serial": "X-1"}, status=409)
    await line.live.post(f"/series/{line.id}/stop")
    await line.begin(count_from="RC-004")
    await line.test()
    line.pull()
    await line.until(lambda s: s["now"].startswith("Plug RC-005"))
    line.plug()
    found = await line.until(lambda s: s["state"] == "paused")
    assert "RC-005 was tested already (pass)" in found["note"] and found["tested"] == 1


async def test_serials_of_a_lot_are_its_own(line: Line) -> None:
    await line.live.post("/lots", {"code": "L-1", "product": CABLE, "serials": "LOT-01..LOT-02"})
    refused = await line.begin(status=422, lot="L-1")
    assert "RC-001 is not among LOT-01..LOT-02" in str(refused)
    await line.begin(lot="L-1", count_from="LOT-##")
    await line.test()
    await line.test()
    line.pull()
    await line.until(lambda s: s["now"].startswith("Plug LOT-03"))
    line.plug()
    found = await line.until(lambda s: s["state"] == "paused")
    assert "LOT-03 is not among LOT-01..LOT-02" in found["note"]
    lot = await line.live.get("/lots/L-1")
    assert (lot["tested"], lot["passed"]) == (2, 2)


async def test_a_service_that_died_leaves_a_paused_series_and_the_serial(
    tmp_path: Path, line: Line, floor: StandIns
) -> None:
    slow(line)
    await line.begin()
    await line.plug_in()
    await line.under_voltage()
    store = Store(tmp_path / "records.sqlite")
    dead = await store.write(series.pause_unfinished)
    assert dead == [line.id]
    found = await store.read(lambda conn: series.get_series(conn, line.id))
    waiting = await store.read(lambda conn: series.waiting_serials(conn, line.id))
    assert (found.state, found.note, waiting) == ("paused", "The service stopped.", ["RC-001"])
    store.close()


async def test_who_stops_the_service_stops_the_series(tmp_path: Path, floor: StandIns) -> None:
    async with service(tmp_path, floor) as live:
        await live.post("/products", read_demo("products/ref-cable.toml"))
        await live.release(read_demo("sequences/ref-cable.toml"))
        line = Line(live)
        slow(line)
        line.pull()
        await line.begin()
        await line.plug_in()
        await line.under_voltage()
    assert not floor.floor.outputs_on
    async with service(tmp_path, floor) as live:
        again = Line(live)
        again.id = line.id
        found = await again.look()
        assert (found["state"], found["serials"]) == ("paused", ["RC-001"])
        assert found["units"][0]["state"] == "aborted"


async def test_only_an_engineer_lets_a_held_series_go_on(wire: Any) -> None:
    olle = await bearer(wire, "olle")
    answer = await wire.post("/series/none/release", json={"reason": "x"}, headers=olle)
    assert answer.status_code == 403


async def test_a_look_that_comes_late_does_not_undo_a_later_one(
    line: Line, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Felt in before it was pulled, told after it was felt out: that it is out stands."""
    await line.begin(arm=False)
    keeper = await line.live.desk.bench.look(lambda side: side.series)
    record = await line.live.desk.store.read(lambda conn: series.get_series(conn, line.id))
    sequence = await line.live.desk.store.read(lambda conn: series.sequence_of(conn, record))
    exchange = Exchange(record.nests)
    live = series_keeping.Live(record, sequence, series_keeping.ByWhom("mara", ""), exchange, 0.0)
    answers = [(0.2, True), (0.0, False), (0.0, False)]

    async def felt(*_: object) -> dict[str, bool]:
        late_s, is_in = answers.pop(0)
        await asyncio.sleep(late_s)
        return {"1": is_in}

    monkeypatch.setattr(keeper.bench, "units_present", felt)
    exchange.begin()
    await asyncio.gather(keeper._look(live), keeper._look(live))
    await keeper._look(live)
    assert "taken out before the test was over" in exchange.doubt
