"""Printing: what is said to be printed lies on paper, once, whatever the printer does meanwhile."""

import asyncio
import shutil
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager, suppress
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from loricate.certificates.acts import Signer
from loricate.records import outbox
from loricate.service import ipp_printer, issuing
from loricate.service.ipp_printer import NotPrinted, Printer
from loricate.service.paper_making import PRINT
from loricate.simulator import printer as stand_in
from loricate.simulator.standins import StandIns
from tests.rig import PATIENCE_S
from tests.service.live_rig import Live, service

PDF = b"%PDF-1.7\nC-2026-000001"
NAME = "C-2026-000001 (7)"
QUICK_S = 0.3
NEVER_ANSWERS = ("SILENT", "LOST")


@pytest.fixture(autouse=True)
def quick(monkeypatch: pytest.MonkeyPatch) -> None:
    """Only what will not come is waited for no longer than QUICK_S."""
    monkeypatch.setattr(stand_in, "PAGE_S", 0.01)
    monkeypatch.setattr(ipp_printer, "LOOK_EACH_S", 0.01)
    monkeypatch.setattr(ipp_printer, "ANSWERS_WITHIN_S", PATIENCE_S)


class Queue:
    """A printer that the test may trouble, and the way to it."""

    def __init__(self, folder: Path) -> None:
        self.printer, self.folder = stand_in.Printer(folder), folder
        self.way = Printer("", PATIENCE_S)

    def trouble(self, trouble: str) -> None:
        """Give it a trouble, or none; what a troubled one will not do is not waited for."""
        self.printer.trouble = trouble
        self.way.printed_within_s = QUICK_S if trouble else PATIENCE_S
        is_silent = trouble in NEVER_ANSWERS
        ipp_printer.ANSWERS_WITHIN_S = QUICK_S if is_silent else PATIENCE_S

    def on_paper(self) -> list[bytes]:
        """What it has printed."""
        return [each.read_bytes() for each in sorted(self.folder.glob("*.pdf"))]

    async def fails(self, trouble: str) -> str:
        """Why it does not print while it has a trouble."""
        self.trouble(trouble)
        with pytest.raises(NotPrinted) as found:
            await self.way.print(NAME, PDF)
        return str(found.value)


@asynccontextmanager
async def queue_in(folder: Path) -> AsyncIterator[Queue]:
    queue = Queue(folder)
    port = await queue.printer.serve("127.0.0.1", 0)
    queue.way.address = f"ipp://127.0.0.1:{port}/ipp/print"
    try:
        yield queue
    finally:
        await queue.printer.close()


@pytest.fixture
async def queue(tmp_path: Path) -> AsyncIterator[Queue]:
    async with queue_in(tmp_path / "printed") as queue:
        yield queue


async def test_a_paper_is_printed_once_under_its_name(queue: Queue) -> None:
    await queue.way.print(NAME, PDF)
    await queue.way.print(NAME, PDF)
    assert queue.on_paper() == [PDF]
    await queue.way.print("C-2026-000001 (8)", PDF)
    assert queue.on_paper() == [PDF, PDF], "who asks for another copy gets one"


@pytest.mark.parametrize(
    ("trouble", "told"),
    [
        ("EMPTY", "has it and has not printed it: there is no paper in it."),
        ("CLOSED", "refuses: it takes no jobs."),
        ("LOST", "does not answer: see that it is on and reached."),
        ("GIVES_UP", "gave it up: aborted-by-system."),
        ("NONSENSE", "is no printer that speaks IPP."),
        ("SILENT", "does not answer: see that it is on and reached."),
        (
            "ANOTHER",
            "tells of another job than asked, or keeps no names; print through a queue that does.",
        ),
    ],
)
async def test_what_is_not_on_paper_is_not_said_to_be_and_is_printed_once_in_the_end(
    queue: Queue, trouble: str, told: str
) -> None:
    assert (await queue.fails(trouble)).endswith(told)
    queue.trouble("")
    await queue.way.print(NAME, PDF)
    assert queue.on_paper() == [PDF]


@settings(
    max_examples=12, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(
    troubles=st.lists(
        st.sampled_from([each for each in stand_in.TROUBLES if each not in ("CANCELS", "FORGETS")]),
        min_size=2,
        max_size=4,
    )
)
def test_after_any_troubles_one_paper_lies_there(
    tmp_path_factory: pytest.TempPathFactory, troubles: list[str]
) -> None:
    assume(not {"LOST", "ANOTHER"} <= set(troubles))  # nobody could know that it has it

    async def go() -> None:
        async with queue_in(tmp_path_factory.mktemp("printed")) as queue:
            for trouble in (*troubles, ""):
                queue.trouble(trouble)
                with suppress(NotPrinted):
                    await queue.way.print(NAME, PDF)
                    break  # who was told that it is printed asks no more
            assert queue.on_paper() == [PDF], f"said to be printed under {trouble} of {troubles}"

    asyncio.run(go())


async def test_what_somebody_cancels_at_the_printer_is_not_printed_again(queue: Queue) -> None:
    queue.trouble("CANCELS")
    await queue.way.print(NAME, PDF)
    queue.trouble("")
    await queue.way.print(NAME, PDF)
    assert queue.on_paper() == []


async def test_a_printer_that_keeps_no_list_has_printed_what_it_knows_no_more(
    queue: Queue,
) -> None:
    queue.trouble("FORGETS")
    await queue.way.print(NAME, PDF)
    assert queue.on_paper() == [PDF]


async def test_what_a_printer_lost_when_it_was_switched_off_is_handed_over_again(
    queue: Queue,
) -> None:
    await queue.fails("EMPTY")
    queue.printer.jobs.clear()
    assert (await queue.fails("EMPTY")).endswith("has forgotten it; it gets it again.")
    queue.trouble("")
    await queue.way.print(NAME, PDF)
    assert queue.on_paper() == [PDF]


async def test_a_service_that_died_finds_the_job_it_had_handed_over(queue: Queue) -> None:
    await queue.fails("EMPTY")
    queue.way = Printer(queue.way.address)
    queue.trouble("")
    await queue.way.print(NAME, PDF)
    assert queue.on_paper() == [PDF]


async def test_what_is_no_pdf_is_refused(queue: Queue) -> None:
    with pytest.raises(NotPrinted, match="takes no PDF; give the address of a queue that does"):
        await queue.way.print(NAME, b"text")


async def test_who_is_no_printer_or_off_is_named(queue: Queue) -> None:
    address = queue.way.address
    queue.way.address = address.replace("/ipp/print", "/")
    with pytest.raises(NotPrinted, match=r"refuses \(HTTP 404\)"):
        await queue.way.print(NAME, PDF)
    queue.way.address = address
    await queue.printer.close()
    with pytest.raises(NotPrinted, match="does not answer"):
        await queue.way.print(NAME, PDF)


# In the service.


@pytest.fixture
async def with_printer(
    tmp_path: Path, defined: Path, floor: StandIns, queue: Queue, monkeypatch: pytest.MonkeyPatch
) -> AsyncIterator[Live]:
    """A service whose site has a printer, and whose gate is open."""
    monkeypatch.setattr(issuing, "is_open", lambda gate: True)
    shutil.copytree(defined, tmp_path, dirs_exist_ok=True)
    text = f'format = "loricate-site/1"\n[printer]\naddress = "{queue.way.address}"\n'
    (tmp_path / "site.toml").write_text(text, encoding="utf-8")
    async with service(tmp_path, floor) as live:
        yield live


async def run_two(live: Live, line: dict[str, Any]) -> list[Any]:
    """Test a good unit and a bad one; gives them."""
    live.floor.floor.put_in("FX-A/2", "DC-40", ("missing_earth",), "D-2")
    places = [{"nest": nest, "serial": f"D-{nest}"} for nest in "12"]
    body = {"sequence": "DC40-FINAL", "fixture": "FX-A", "load": places, "line": line}
    run = await live.post("/runs", body)
    await live.post(f"/runs/{run['id']}/arm")
    await live.post(f"/runs/{run['id']}/start")
    await live.ended(run["id"])

    async def issued() -> Any:
        units = (await live.get(f"/runs/{run['id']}"))["units"]
        return units if all(each["paper"] == "made" for each in units) else None

    units: list[Any] = await live.until(issued)
    return units


async def paper_of(live: Live, number: str) -> bytes:
    """A document's paper as it is given now."""
    answer = await live.wire.get(f"/certificates/{number}/pdf")
    assert answer.is_success, answer.text
    return answer.content


async def prints(live: Live) -> list[outbox.Outgoing]:
    """What was to be printed."""
    made = await live.desk.store.read(lambda conn: outbox.list_outgoing(conn, 50))
    return [each for each in made if each.target == PRINT]


@pytest.mark.parametrize(("wanted", "printed"), [("passes", 1), ("every", 2), (None, 0)])
async def test_papers_are_printed_as_the_line_has_it(
    with_printer: Live, queue: Queue, wanted: str | None, printed: int
) -> None:
    units = await run_two(with_printer, {} if wanted is None else {"print": wanted})

    async def done() -> Any:
        found = await prints(with_printer)
        return len(found) == printed and all(each.sent_at for each in found)

    await with_printer.until(done)
    kept = [await paper_of(with_printer, each["certificate"]) for each in units]
    assert sorted(queue.on_paper()) == sorted(kept[:printed]), "in the order they are drawn"


async def test_a_printer_without_paper_holds_up_no_test_and_its_trouble_is_shown(
    with_printer: Live, queue: Queue, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(outbox, "FIRST_WAIT_S", 0.1)
    queue.printer.trouble = "EMPTY"
    printer = with_printer.desk.printing.printer
    assert printer is not None
    monkeypatch.setattr(printer, "printed_within_s", 0.1)
    (good, _) = await run_two(with_printer, {"print": "passes"})

    async def troubled() -> Any:
        (waiting,) = await prints(with_printer)
        return waiting.problem

    problem = await with_printer.until(troubled)
    assert problem.endswith("there is no paper in it.") and queue.on_paper() == []
    listed = await with_printer.get("/outbox?waiting=true")
    assert [(each["target"], each["subject"]) for each in listed] == [
        ("print", good["certificate"])
    ]
    queue.printer.trouble = ""

    async def sent() -> Any:
        (waiting,) = await prints(with_printer)
        return waiting.sent_at

    await with_printer.until(sent)
    assert len(queue.on_paper()) == 1


async def test_a_paper_is_printed_again_on_demand_as_its_document_stands_by_then(
    with_printer: Live, queue: Queue
) -> None:
    (good, _) = await run_two(with_printer, {})
    number = good["certificate"]
    clean = await paper_of(with_printer, number)
    await with_printer.desk.acts.revoke(number, "a wrong unit", Signer("quin", "Quin", "quality"))
    await with_printer.post(f"/certificates/{number}/print")

    async def printed() -> Any:
        return queue.on_paper()

    (paper,) = await with_printer.until(printed)
    assert paper != clean, "no clean copy of what was revoked"
    assert paper == await paper_of(with_printer, number)


async def test_without_a_printer_nothing_begins_that_wants_one(live: Live) -> None:
    places = [{"nest": "1", "serial": "D-1"}]
    body = {"sequence": "DC40-FINAL", "fixture": "FX-A", "load": places}
    refused = await live.post("/runs", {**body, "line": {"print": "passes"}}, 422)
    (error,) = refused["errors"]
    assert error["field"] == "line.print" and "[printer]" in error["message"]
    assert await live.post("/runs", {**body, "line": {"print": "off"}})
    series = {"sequence": "DC40-FINAL", "fixture": "FX-A", "count_from": "D-##"}
    refused = await live.post("/series", {**series, "line": {"print": "every"}}, 422)
    assert refused["errors"][0]["field"] == "line.print"
    assert (await live.get("/site"))["printer"] == ""
