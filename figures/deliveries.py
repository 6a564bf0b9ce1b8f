"""How long the papers of a load take after its end."""

import asyncio
import tempfile
import time
from pathlib import Path
from statistics import median
from typing import Any

from figures.demo_documents import certificate_document
from figures.paper import bare_paper, numbered
from loricate.certificates.issue import Draft
from loricate.papers.look import Look
from loricate.records import papers
from loricate.records.papers import PAPER
from loricate.records.store import Store
from loricate.service.desk import MAKERS, UNDER_WAY
from loricate.service.head_keeping import HeadKeeper
from loricate.service.keyring import KeyFiles, Keyring
from loricate.service.ledger_keeping import Entering, LedgerKeeper
from loricate.service.paper_making import PaperMaker
from loricate.service.sending import Sender
from loricate.service.workroom import Workroom

LOADS = 5
ADDED = ("format", "kind", "number", "supersedes", "issued_at", "zone", "site", "software",
         "ledger", "verify_url")  # fmt: skip


def _entering(count: int, load: int) -> list[Entering]:
    """The documents of a load, each of another unit."""
    made = []
    for nest in range(count):
        document = certificate_document()
        body: dict[str, Any] = {
            name: value for name, value in document.items() if name not in ADDED
        }
        serial = f"DC40-{load:02}-{nest:04}"
        body["unit"] = {**body["unit"], "serial": serial}
        made.append(Entering(Draft("certificate", body, serial=serial)))
    return made


async def _delays(folder: Path, count: int) -> list[float]:
    """Seconds from the end of a load to its last signed file, load after load."""
    store = Store(folder / "records.sqlite")
    keys = Keyring(store, KeyFiles(folder), "Quillmere Apparatus")
    heads = HeadKeeper(store, keys, "Quillmere Apparatus", "BENCH-2", [folder])
    sealing, drawing = Workroom("sealing"), Workroom("drawing", MAKERS, most_waiting=64)
    maker = PaperMaker(store, keys, Look(), drawing, exports=False)
    sender = Sender(store)
    sender.add(PAPER, maker.send, UNDER_WAY)
    keeper = LedgerKeeper(
        store, keys, heads, sender, sealing, ("Quillmere Apparatus", "UTC"), "http://127.0.0.1"
    )
    sender.open()
    found = []
    try:
        for load in range(LOADS + 1):  # the first one starts the workers
            begun = time.perf_counter()
            made = await keeper.enter(_entering(count, load))
            number = [str(each.document["number"]) for each in made]
            while not await _are_made(store, number):  # noqa: ASYNC110  # as a client asks
                await asyncio.sleep(0.01)
            found.append(time.perf_counter() - begun)
    finally:
        await sender.close()
        sealing.close()
        drawing.close()
        store.close()
    return found[1:]


async def _are_made(store: Store, numbers: list[str]) -> bool:
    last = numbers[-1]
    return bool(
        await store.read(lambda conn: papers.newest_paper(conn, last))
    ) and await store.read(
        lambda conn: all(papers.newest_paper(conn, number) for number in numbers)
    )


def _delay_s(count: int) -> float:
    with tempfile.TemporaryDirectory() as folder:
        return median(asyncio.run(_delays(Path(folder), count)))


def paper_delay() -> float:
    """From handing in the documents of a load of eight to its eighth signed file, kept and checked,
    over making eight bare ones."""
    bare_paper(numbered(900_000))  # whatever is read once
    before = [_eight_bare_s(n) for n in range(3)]
    ours_s = _delay_s(8)
    return ours_s / median(before + [_eight_bare_s(n) for n in range(3, 6)])


def _eight_bare_s(time_over: int) -> float:
    begun = time.perf_counter()
    for number in range(8):
        bare_paper(numbered(900_001 + 8 * time_over + number))
    return time.perf_counter() - begun


def papers_of_32_s() -> float:
    """Seconds from handing in the documents of a load of 32 to its last signed file."""
    return _delay_s(32)
