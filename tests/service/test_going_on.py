"""What goes wrong with one thing leaves the rest: documents, arming, records, links."""

import asyncio
import datetime as dt
import time
from functools import partial
from pathlib import Path
from typing import Any

import pytest

from loricate.bench.bench import Bench
from loricate.certificates.content import certificate_body
from loricate.core.fixtures.zeroes import is_young
from loricate.records import outbox, papers, runs, stamps
from loricate.records.errors import StorageFull
from loricate.records.runs import set_verdicts
from loricate.service import issuing, recording, running
from loricate.simulator.standins import StandIns
from tests.rig import PATIENCE_S, said
from tests.service.live_rig import HeldUp, Live, service


def certify_all(monkeypatch: pytest.MonkeyPatch) -> None:
    """Open every gate: what is tried here is what comes after it."""
    monkeypatch.setattr(issuing, "is_open", lambda gate: True)


async def test_what_cannot_be_issued_is_set_aside_and_the_rest_goes_on(
    live: Live, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    certify_all(monkeypatch)

    def fail_one(run: Any, unit: Any, *more: Any) -> Any:
        if unit["serial"] == "BAD-1":
            raise ValueError("Out of range float values are not JSON compliant")
        return certificate_body(run, unit, *more)

    monkeypatch.setattr("loricate.service.issuing.certificate_body", fail_one)
    run = await live.run(n1="BAD-1", n2="GOOD-1")
    run = await live.until(lambda: issued(live, run["id"], "2"))
    bad, good = run["units"]
    assert good["certificate_kind"] == "certificate"
    assert bad["verdict"] == "pass" and bad["certificate"] is None
    assert bad["not_certified"][0].startswith("Set aside: ValueError: Out of range float")
    (told,) = (await live.wire.get("http://b/health")).json()["set_aside"]
    assert run["id"] in told and "nest 1" in told
    assert (await live.run(n1="GOOD-2"))["state"] == "finished", "and the next run"
    assert (await live.get("/ledger"))["whole"]


async def issued(live: Live, run_id: str, nest: str) -> Any:
    """The run, once the unit in a nest has its document."""
    run = await live.get(f"/runs/{run_id}")
    is_there = any(each["nest"] == nest and each["certificate"] for each in run["units"])
    return run if is_there else None


async def test_a_start_does_not_fail_for_old_records_and_issues_what_it_now_can(
    live: Live, floor: StandIns, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    certify_all(monkeypatch)
    with monkeypatch.context() as broken:
        broken.setattr("loricate.service.issuing.certificate_body", lambda *_: 1 / 0)
        run = await live.run(n1="LATE-1")
        await live.until(lambda: set_aside(live))
        await live.app.state.desk.close()
        async with service(tmp_path, floor) as again:
            health = await again.until(lambda: set_aside(again))
            assert health["status"] == "ok", "it started, and is ready"
    async with service(tmp_path, floor) as again:
        assert await again.until(lambda: issued(again, run["id"], "1"))
        assert (await again.wire.get("http://b/health")).json()["set_aside"] == []


async def set_aside(live: Live) -> Any:
    """The health, once something is set aside."""
    health = (await live.wire.get("http://b/health")).json()
    return health if health["set_aside"] else None


@pytest.mark.parametrize("nonsense", ["INF", "NINF", "NAN", "9.9E37", "9.91E37", "1e999", "", "x"])
async def test_what_is_no_number_ends_no_run_and_stops_no_start(
    live: Live, floor: StandIns, tmp_path: Path, nonsense: str
) -> None:
    """In every place of every summary of the withstand source, one after another."""

    def spoil(line: str, answer: str) -> str:
        if not line.upper().startswith("FETC") or "SUMM" not in line.upper():
            return answer
        fields = answer.split(",")
        fields[-1] = nonsense
        fields[1] = nonsense
        return ",".join(fields)

    said(live.rig, "HV1", spoil)
    run = await live.run(n1="ODD-1")
    assert run["state"] in ("finished", "aborted")
    assert run["units"][0]["verdict"] != "pass" and run["units"][0]["certificate"] is None
    assert (await live.get("/units/ODD-1"))[0]["attempts"]
    await live.app.state.desk.close()
    async with service(tmp_path, floor) as again:
        assert (await again.get(f"/runs/{run['id']}"))["state"] == run["state"]


async def test_a_watch_that_dies_disarms(live: Live, monkeypatch: pytest.MonkeyPatch) -> None:
    run_id = await live.new_run(n1="A-1")
    await live.post(f"/runs/{run_id}/arm")

    async def die(bench: Bench) -> bool:
        raise ZeroDivisionError

    with monkeypatch.context() as broken:
        broken.setattr(Bench, "guard_is_closed", die)
        await live.until(lambda: has_state(live, run_id, "created"))
    refused = await live.post(f"/runs/{run_id}/start", status=409)
    assert "arm it first" in refused["detail"]
    assert (await live.get("/bench/danger"))["state"] == "safe"


async def has_state(live: Live, run_id: str, state: str) -> bool:
    """Whether a run has come to a state."""
    return bool((await live.get(f"/runs/{run_id}"))["state"] == state)


async def test_start_holds_the_guard_itself(live: Live, monkeypatch: pytest.MonkeyPatch) -> None:
    """Opened since the arming, and nobody has looked yet."""
    monkeypatch.setattr(running, "WATCH_S", 60.0)
    run_id = await live.new_run(n1="A-1")
    await live.post(f"/runs/{run_id}/arm")
    await asyncio.sleep(0.1)
    live.floor.floor.set_guard(False)
    refused = await live.post(f"/runs/{run_id}/start", status=409)
    assert "guard is open" in refused["detail"]
    live.floor.floor.set_guard(True)


async def test_a_start_breaks_off_no_question_of_the_watch(live: Live) -> None:
    """The guard is asked again and again while it is started: no link is lost over that."""
    for number in range(6):
        run_id = await live.new_run(n1=f"Q-{number}")
        await live.post(f"/runs/{run_id}/arm")
        await live.post(f"/runs/{run_id}/arm")  # armed again: one watch goes on
        await asyncio.sleep(0.02 * number)
        await live.post(f"/runs/{run_id}/start")
        run = await live.ended(run_id)
        assert (run["state"], run["units"][0]["verdict"]) == ("finished", "pass"), run["note"]
        assert (await live.get("/bench/danger"))["state"] == "safe", "nothing stays armed"


async def test_who_arms_starts_or_aborts_waits_for_no_reading(live: Live) -> None:
    """However much a run has measured: its own page is asked for by itself."""
    run_id = await live.new_run(n1="A-1", n2="A-2", n3="A-3", n4="A-4")
    for act in ("arm", "start", "abort"):
        answer = await live.wire.post(f"/runs/{run_id}/{act}")
        assert answer.is_success and len(answer.content) < 1000
        assert "units" not in answer.json()


async def test_an_abort_while_a_run_is_being_started_holds(
    live: Live, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Its start is being written when the abort comes: nothing goes on after that."""
    writing = HeldUp(monkeypatch, runs, "running")
    run_id = await live.new_run(n1="A-1")
    await live.post(f"/runs/{run_id}/arm")
    starting = asyncio.create_task(live.wire.post(f"/runs/{run_id}/start"))
    await writing.begun()
    aborted = await writing.meanwhile(live.post(f"/runs/{run_id}/abort"))
    assert aborted["state"] == "aborted"
    started = await starting
    assert started.status_code == 409 and "aborted while it was being started" in started.text
    await asyncio.sleep(0.3)
    assert not live.floor.floor.outputs_on and not (await live.get("/bench"))["running"]
    assert (await live.get(f"/runs/{run_id}"))["state"] == "aborted"
    assert (await live.get("/bench/danger"))["state"] == "safe"


async def test_an_abort_while_a_run_is_being_armed_holds(
    live: Live, monkeypatch: pytest.MonkeyPatch
) -> None:
    writing = HeldUp(monkeypatch, runs, "armed")
    run_id = await live.new_run(n1="A-1")
    arming = asyncio.create_task(live.wire.post(f"/runs/{run_id}/arm"))
    await writing.begun()
    aborted = await writing.meanwhile(live.post(f"/runs/{run_id}/abort"))
    assert aborted["state"] == "aborted"
    await arming
    assert (await live.get("/bench/danger"))["state"] == "safe", "nothing is left armed"
    await live.post(f"/runs/{run_id}/start", status=409)


async def test_start_holds_the_deadline_itself(live: Live, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(running, "WATCH_S", 60.0)
    monkeypatch.setattr(running, "ARM_LASTS_S", 0.05)
    run_id = await live.new_run(n1="A-1")
    await live.post(f"/runs/{run_id}/arm")
    await asyncio.sleep(0.1)
    refused = await live.post(f"/runs/{run_id}/start", status=409)
    assert "arming was dropped" in refused["detail"]


async def test_inputs_that_answer_nonsense_disarm(live: Live) -> None:
    places = [{"nest": "1", "serial": "A-1"}]
    body = {"sequence": "DC40-FINAL", "fixture": "FX-A", "load": places, "start_by": "foot"}
    run_id = (await live.post("/runs", body))["id"]
    await live.post(f"/runs/{run_id}/arm")
    said(live.rig, "IN1", lambda line, told: "maybe" if "COUN" in line else told)
    await live.until(lambda: has_state(live, run_id, "created"))
    live.floor.floor.set_guard(False)
    live.floor.floor.set_guard(True)
    await live.post(f"/runs/{run_id}/start", status=409)


async def test_a_full_disk_leaves_no_run_running_once_there_is_room(
    live: Live, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(recording, "AGAIN_S", 0.1)
    is_full = True

    def full(*given: Any) -> None:
        if is_full:
            raise StorageFull
        set_verdicts(*given)

    monkeypatch.setattr("loricate.records.runs.set_verdicts", full)
    run_id = await live.new_run(n1="DC40-26-0117")
    await live.post(f"/runs/{run_id}/arm")
    await live.post(f"/runs/{run_id}/start")
    await live.until(lambda: is_free(live))
    assert (await live.get(f"/runs/{run_id}"))["state"] == "running"
    is_full = False
    await live.until(lambda: has_state(live, run_id, "finished"))


async def is_free(live: Live) -> bool:
    """Whether nobody has the bench; questions of whoever has it are answered."""
    bench = await live.get("/bench")
    if bench["running"]:
        for asked in (await live.get(f"/runs/{bench['running']}"))["questions"]:
            answer = {"nest": asked["nest"], "choice": asked["choices"][0]}
            await live.wire.post(f"/runs/{bench['running']}/answers", json=answer)
    return not bench["running"]


async def test_finished_means_that_the_bench_is_free(
    live: Live, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Documents of the first run are still being sealed when the second one starts."""
    certify_all(monkeypatch)
    hold = asyncio.Event()
    seal = live.desk.sealing.do

    async def slowly(*given: Any, **more: Any) -> Any:
        await hold.wait()
        return await seal(*given, **more)

    monkeypatch.setattr(live.desk.sealing, "do", slowly)
    first = await live.run(n1="F-1")
    assert first["state"] == "finished" and first["units"][0]["certificate"] is None
    second = await live.run(n1="F-2")
    assert second["state"] == "finished"
    hold.set()
    for run in (first, second):
        await live.until(partial(issued, live, run["id"], "1"))


async def test_a_stop_does_not_wait_for_papers(
    live: Live, floor: StandIns, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    certify_all(monkeypatch)

    async def never(*given: Any, **more: Any) -> None:
        await asyncio.Event().wait()

    monkeypatch.setattr(live.desk.drawing, "do", never)
    run = await live.run(n1="S-1")
    told = await live.until(lambda: all_issued(live, run["id"]))
    assert told["units"][0]["certificate"] and told["units"][0]["paper"] == "coming"
    async with asyncio.timeout(PATIENCE_S):
        await live.desk.close()
    async with service(tmp_path, floor) as again:
        made = await again.until(lambda: drawn(again, run["id"]))
        assert made["units"][0]["certificate"] == told["units"][0]["certificate"]
        number = str(made["units"][0]["certificate"])
        kept = await again.desk.store.read(lambda conn: papers.papers_of(conn, number))
        assert len(kept) == 1, "it is made at the next start, once"
        assert (await again.get("/ledger"))["whole"]


async def all_issued(live: Live, run_id: str) -> Any:
    """The run, once no document of it is to come any more."""
    run = await live.get(f"/runs/{run_id}")
    return run if run["documents"] == "issued" else None


async def drawn(live: Live, run_id: str) -> Any:
    """The run, once every document of it has its paper."""
    run = await live.get(f"/runs/{run_id}")
    return run if all(unit["paper"] == "made" for unit in run["units"]) else None


async def test_a_paper_that_cannot_be_made_is_told_and_holds_up_no_other(
    live: Live, monkeypatch: pytest.MonkeyPatch
) -> None:
    certify_all(monkeypatch)
    draw = live.desk.drawing.do

    async def fail_one(work: Any, order: Any, *more: Any, **named: Any) -> Any:
        if "HELD-1" in order.sealed:
            raise OSError("The disk is full")
        return await draw(work, order, *more, **named)

    with monkeypatch.context() as broken:
        broken.setattr(live.desk.drawing, "do", fail_one)
        run = await live.run(n1="HELD-1", n2="GOOD-1")

        async def one_is_held_up() -> Any:
            units = (await live.get(f"/runs/{run['id']}"))["units"]
            return [unit["paper"] for unit in units] == ["held_up", "made"] and units

        held, good = await live.until(one_is_held_up)
        health = (await live.wire.get("http://b/health")).json()
        assert health["ready"] and "The disk is full" in " ".join(health["warnings"])
        answer = await live.wire.get(f"/certificates/{held['certificate']}/pdf")
        assert answer.status_code == 409 and "The disk is full" in answer.json()["detail"]
        answer = await live.wire.get(f"/certificates/{good['certificate']}/pdf")
        assert answer.status_code == 200
    await live.desk.store.write(outbox.try_all_now)
    live.desk.sender.look()
    await live.until(lambda: drawn(live, run["id"]))


async def test_documents_that_are_issued_late_are_those_of_the_end_they_are_of(
    live: Live, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A run that was gone on with meanwhile has another end, for which its own are issued."""
    certify_all(monkeypatch)
    run = await live.run(n1="TWICE-1")
    first = await live.until(lambda: issued(live, run["id"], "1"))
    at = str(first["ended_at"])
    await live.desk.store.write(lambda conn: runs.set_issued(conn, run["id"], "2020-01-01"))
    await live.desk.store.write(lambda conn: runs.set_state(conn, run["id"], "finished", "test"))
    await live.desk.store.write(lambda conn: runs.set_issued(conn, run["id"], at))
    assert run["id"] in await live.desk.store.read(runs.not_issued)


async def test_a_clock_set_back_loses_no_document(
    live: Live, monkeypatch: pytest.MonkeyPatch
) -> None:
    certify_all(monkeypatch)
    first = await live.run(n1="CL-1")
    await live.until(lambda: issued(live, first["id"], "1"))
    real_ns = time.time_ns
    back_ns = 5 * 3600 * 10**9
    monkeypatch.setattr("loricate.records.stamps.time.time_ns", lambda: real_ns() - back_ns)
    second = await live.run(n1="CL-1")
    found = await live.until(lambda: issued(live, second["id"], "1"))
    assert found["units"][0]["certificate"] > first_number(await live.get(f"/runs/{first['id']}"))
    newest = await live.get("/runs?count=1")
    assert newest[0]["id"] == second["id"], "order counts, not time"


def first_number(run: Any) -> str:
    """The number of the first unit's document."""
    return str(run["units"][0]["certificate"])


def test_identifiers_go_up_whatever_the_clock_does(monkeypatch: pytest.MonkeyPatch) -> None:
    moments = iter([5_000_000_000, 4_000_000_000, 4_000_000_001, 9_000_000_000, 1])
    ids = stamps.Ids()
    monkeypatch.setattr("loricate.records.stamps.time.time_ns", lambda: next(moments))
    given = [ids.give() for _ in range(5)]
    assert given == sorted(given) and len(set(given)) == 5
    later = stamps.Ids()
    monkeypatch.setattr("loricate.records.stamps.time.time_ns", lambda: 1)
    later.begin_after(given[-1])
    assert later.give() > given[-1], "also after a restart"


def test_a_zero_from_the_future_is_of_no_age() -> None:
    at = dt.datetime(2026, 11, 26, tzinfo=dt.UTC)
    assert is_young(at - dt.timedelta(hours=1), 7200.0, at)
    assert not is_young(at + dt.timedelta(hours=1), 7200.0, at)


def test_a_document_is_settled_by_the_attempts_it_tells_of() -> None:
    """By time it might be newer than a repeat, once the clock was set back."""
    unit = {"certificate": "C-1", "certified_after": 5, "attempts": [{}] * 5}
    assert issuing.is_settled(unit)
    assert not issuing.is_settled({**unit, "attempts": [{}] * 6})
