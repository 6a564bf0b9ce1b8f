"""Work orders: they choose the occasion, and nothing but a verdict on it ends them."""

import asyncio
import sqlite3
from collections.abc import AsyncIterator
from contextlib import closing
from typing import Any

import pytest

from loricate.records import runs, work_orders
from tests.service.live_rig import Live
from tests.service.test_assets import NUMBER, QUICK, SERIAL, a_run, describe, have_tested

ORDER = "WO-1"


@pytest.fixture
async def bench(live: Live) -> AsyncIterator[Live]:
    """A bench that tests fluid warmers, one of which is described."""
    await live.release(QUICK)
    await describe(live)
    yield live


async def give(live: Live, number: str = ORDER, status: int = 201, **body: Any) -> Any:
    asked = {"asset": NUMBER, "occasion": "recurrent", **body}
    answer = await live.wire.put(f"/orders/{number}", json=asked)
    assert answer.status_code == status, answer.text
    return answer.json()


async def state_of(live: Live, number: str = ORDER) -> str:
    return str((await live.get(f"/orders/{number}"))["state"])


async def test_an_order_chooses_the_occasion_and_its_result_ends_it(bench: Live) -> None:
    made = await give(bench, due="2020-01-31", said="with the vehicle")
    assert (made["state"], made["sequence"], made["serial"]) == ("open", "FW2-WHOLE", SERIAL)
    assert made["is_overdue"] and made["by"] == "mara"
    run = await bench.post("/runs", a_run())
    assert (run["sequence_code"], run["occasion"]) == ("FW2-WHOLE", "recurrent")
    assert await state_of(bench) == "open", "a run that was made has measured nothing"
    done = await have_tested(bench, NUMBER, "open_earth")

    async def ended() -> Any:
        found = await bench.get(f"/orders/{ORDER}")
        return found if found["state"] == "done" else None

    order = await bench.until(ended)
    assert (order["run"], order["verdict"]) == (done["id"], "fail"), "which is a result as well"
    assert order["ended_at"] == done["ended_at"] and not order["is_overdue"]
    assert await bench.get("/orders?state=open") == []
    refused = await bench.post("/runs", a_run(), status=422)
    assert refused["errors"][0]["field"] == "sequence", "no order is open any more"


async def test_the_number_of_an_order_stands_for_its_unit(bench: Live) -> None:
    """Also of one that nobody has described; a serial is never taken for an order's number."""
    await give(bench, "WO-9", asset="", product="FW-2", serial="FW2-26-0099")
    run = await bench.post("/runs", a_run("WO-9"))
    assert (run["units"][0]["serial"], run["occasion"]) == ("FW2-26-0099", "recurrent")
    await give(bench, SERIAL, asset="", product="FW-2", serial="FW2-26-0100")
    await give(bench)
    run = await bench.post("/runs", a_run(SERIAL))
    assert run["units"][0]["serial"] == SERIAL


async def test_an_order_never_makes_another_unit_of_one_that_is_new(bench: Live) -> None:
    """Somebody gives an order the number that a unit to come has for its serial."""
    await give(bench, "FW2-26-0555")
    run = await bench.post("/runs", a_run("FW2-26-0555", sequence="FW2-WHOLE"))
    assert run["units"][0]["serial"] == "FW2-26-0555"


async def test_a_pass_answers_an_order_once_it_is_certified(bench: Live) -> None:
    await give(bench)
    run = await have_tested(bench, NUMBER)
    (unit,) = run["units"]
    assert unit["verdict"] == "pass" and await issued(bench, run["id"])
    assert await state_of(bench) == "open", "nothing was certified"

    def certified(conn: sqlite3.Connection) -> None:
        kept = runs.get_run(conn, run["id"])
        work_orders.end_orders(conn, kept, {**kept["units"][0], "certificate_kind": "certificate"})

    await bench.desk.store.write(certified)
    order = await bench.get(f"/orders/{ORDER}")
    assert (order["state"], order["verdict"], order["run"]) == ("done", "pass", run["id"])


async def issued(bench: Live, run_id: str) -> bool:
    """Whether a run's documents are issued, once they are."""

    async def is_issued() -> bool:
        return bool((await bench.get(f"/runs/{run_id}"))["documents"] != "coming")

    return bool(await bench.until(is_issued))


@pytest.mark.parametrize("why", ["aborted", "another occasion", "came later", "another unit"])
async def test_what_is_no_answer_to_an_order_leaves_it_open(bench: Live, why: str) -> None:
    if why == "another occasion":
        await give(bench, occasion="acceptance")
        await have_tested(bench, NUMBER, "open_earth")
    elif why == "another unit":
        await give(bench, asset="", product="FW-2", serial="FW2-26-0099")
        await have_tested(bench, NUMBER, "open_earth")
    elif why == "came later":
        bench.floor.clock.pace = 2.0
        bench.floor.floor.put_in("FX-W/1", "FW-2", ("open_earth",), SERIAL)
        made = await bench.post("/runs", a_run(occasion="recurrent"))
        if made["needs_arming"]:
            await bench.post(f"/runs/{made['id']}/arm")
        await bench.post(f"/runs/{made['id']}/start")
        await asyncio.sleep(0.05)
        await give(bench)
        await bench.ended(made["id"])
    else:
        await give(bench)
        made = await bench.post("/runs", a_run())
        await bench.post(f"/runs/{made['id']}/abort")
    found = await bench.get("/runs")
    assert found[0]["state"] in ("finished", "aborted") and await issued(bench, found[0]["id"])
    assert await state_of(bench) == "open"


async def test_an_order_that_comes_again_is_one_order(bench: Live) -> None:
    first = await give(bench)
    assert await give(bench, status=200) == first
    changed = await give(bench, status=200, said="the probe as well")
    assert (changed["came_at"], changed["said"]) == (first["came_at"], "the probe as well")
    await have_tested(bench, NUMBER, "open_earth")

    async def done() -> bool:
        return await state_of(bench) == "done"

    await bench.until(done)
    late = await give(bench, status=200, said="the probe as well")
    assert late["state"] == "done", "what comes late, and is known, changes nothing"
    other = await give(bench, status=409, occasion="acceptance")
    assert "give another number" in other["detail"]


async def test_an_order_that_nobody_wants_is_withdrawn_with_the_reason(bench: Live) -> None:
    await give(bench)
    ended = await bench.post(f"/orders/{ORDER}/withdrawal", {"reason": "it was scrapped"})
    assert (ended["state"], ended["reason"]) == ("withdrawn", "mara: it was scrapped")
    again = await bench.post(f"/orders/{ORDER}/withdrawal", {"reason": "once more"})
    assert again["reason"] == "mara: it was scrapped"
    await have_tested(bench, NUMBER, "open_earth")
    await asyncio.sleep(0.3)
    assert await state_of(bench) == "withdrawn"
    missing = await bench.post("/orders/NONE/withdrawal", {"reason": "it is not"}, status=404)
    assert "NONE" in missing["detail"]
    await give(bench, "WO-2")
    await have_tested(bench, NUMBER, "open_earth")

    async def done() -> bool:
        return await state_of(bench, "WO-2") == "done"

    await bench.until(done)
    late = await bench.post("/orders/WO-2/withdrawal", {"reason": "too late"}, status=409)
    assert "was done by run" in late["detail"]


@pytest.mark.parametrize(
    ("body", "field"),
    [
        ({"asset": "RB-404"}, "asset"),
        ({"asset": ""}, "asset"),
        ({"asset": "", "product": "FW-2"}, "asset"),
        ({"asset": "", "product": "FW-9", "serial": "S-1"}, "product"),
        (
            {"occasion": "after_repair", "asset": "", "product": "DC-40", "serial": "S-1"},
            "occasion",
        ),
        ({"occasion": "sometimes"}, "occasion"),
        ({"due": "soon"}, "due"),
        ({"asset": "", "product": "FW-2", "serial": "../x"}, "serial"),
    ],
)
async def test_an_order_that_cannot_be_taken_names_the_field(
    bench: Live, body: dict[str, Any], field: str
) -> None:
    refused = await give(bench, status=422, **body)
    assert refused["errors"][0]["field"].startswith(field), refused
    assert await bench.get("/orders") == []


async def test_orders_that_differ_are_not_guessed_between(bench: Live) -> None:
    await give(bench)
    await give(bench, "WO-2", occasion="acceptance")
    refused = await bench.post("/runs", a_run(), status=422)
    assert refused["errors"][0]["field"] == "occasion"
    assert "WO-1 (recurrent)" in refused["errors"][0]["message"]
    made = await bench.post("/runs", a_run(occasion="acceptance"))
    assert made["occasion"] == "acceptance"


async def test_whoever_changes_an_order_from_outside_is_found(bench: Live) -> None:
    await give(bench)
    with closing(sqlite3.connect(bench.desk.store.path)) as other, other:
        other.execute("UPDATE work_order SET state = 'done', verdict = 'pass'")
    check = await bench.get("/records/check")
    assert not check["whole"] and ORDER in check["faults"][0], check
