"""Carrying: records go to the service that keeps them all, by a file or by themselves.

A bench knows what has come by receipts alone: what nobody has said to have is carried again, and
whoever takes it in takes each thing once. Where the site names a service, an entry of the outbox
stands for everything that has not got there yet.
"""

import asyncio
import contextlib
import logging
import shutil
import sqlite3
import tempfile
from collections.abc import AsyncIterable, AsyncIterator, Iterator, Mapping
from dataclasses import asdict
from functools import partial
from pathlib import Path
from typing import Any

import httpx
from pydantic import ValidationError

from loricate.api.carrying import CarriedBench, CarriedFile, CarryState, ChainEnd, Receipt
from loricate.api.carrying import CarriedIn as CarriedInOut
from loricate.core.errors import Finding
from loricate.records import audit, carrying, outbox, sites, units
from loricate.records.backup import CARRIED, DATABASE
from loricate.records.carrying import CameIn, Ends
from loricate.records.errors import StorageFull
from loricate.records.kept_files import check_room
from loricate.records.outbox import Outgoing
from loricate.records.stamps import now
from loricate.records.store import Store
from loricate.service.carried_files import (
    CarriedIn,
    CarriedOut,
    Named,
    take_in,
    write_carried,
)
from loricate.service.errors import NotReady
from loricate.service.keyring import Keyring
from loricate.service.places import Place, Places
from loricate.service.site_file import CarryPlan
from loricate.service.workroom import Workroom

CARRY = "carry"
RECORDS = "records"
WITHIN_S = 900.0
LOOK_S = 600.0  # how often what no run has made is looked for
CHUNK = 2**18
MOST_SERIALS = 100
logger = logging.getLogger("loricate.service")


class LinkFault(RuntimeError):
    """Records do not get to the service that the site names; says why."""


class Carrier:
    """Begun and closed by the desk."""

    def __init__(
        self,
        store: Store,
        places: Places,
        keys: Keyring,
        named: Named,
        plan: CarryPlan,
        beside: Path,
        transport: httpx.AsyncBaseTransport | None = None,
    ) -> None:
        self.store, self.places, self.keys = store, places, keys
        self.named, self.plan = named, plan
        self.beside, self.transport = beside, transport
        self.room = Workroom("carrying", within_s=WITHIN_S)
        self.one_in = asyncio.Lock()  # at a time: two would write the same records
        self._going: asyncio.Task[None] | None = None

    @property
    def _data(self) -> Path:
        return self.store.path.parent

    def clear(self) -> None:
        """Take away what a service before this one had half in its hands."""
        for path in (self._data / CARRIED).glob(".*"):
            if path.is_dir():
                shutil.rmtree(path, ignore_errors=True)
            else:
                path.unlink(missing_ok=True)

    def open(self) -> None:
        """Begin to look for what is to be carried, where the site names a service."""
        if self.plan.to:
            self._going = asyncio.create_task(self._look_on())

    async def close(self) -> None:
        """End it, whatever is under way: what came half has not come."""
        if self._going is not None:
            self._going.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._going
        self.room.close()

    async def state(self) -> CarryState:
        """What of these records has been carried elsewhere."""

        def look(conn: sqlite3.Connection) -> CarryState:
            newest = carrying.newest_receipt(conn)
            site = sites.site_id(conn)
            receipt = newest and Receipt(
                site=site, **{**asdict(newest), "ends": _told_ends(newest.ends)}
            )
            waiting = carrying.count_since(conn, newest.ends if newest else {})
            return CarryState(
                site=site,
                bench=self.named.bench,
                waiting=waiting,
                receipt=receipt,
                link=self.plan.to,
            )

        return await self.store.read(look)

    async def carry_out(self, begins: Ends, to: Path, papers: bool = True) -> CarriedOut:
        """Write a file of what was stored after ``begins``; raises PackRefused, OtherChain."""
        return await self.room.do(
            write_carried, self._data, self.named, begins, self.keys.documents, to, papers
        )

    @contextlib.contextmanager
    def folder(self) -> Iterator[Path]:
        """A folder for a file that comes or goes, gone afterwards."""
        place = self._data / CARRIED
        place.mkdir(mode=0o700, exist_ok=True)
        with tempfile.TemporaryDirectory(dir=place, prefix=".file-") as folder:
            yield Path(folder)

    async def begins(self) -> Ends:
        """Where a file is to begin: where the newest receipt ends."""
        newest = await self.store.read(carrying.newest_receipt)
        return {} if newest is None else newest.ends

    async def keep_receipt(self, receipt: Receipt, by: str) -> None:
        """Keep what another service has; raises NotReady for one of other records."""
        await self.store.write(lambda conn: _keep_receipt(conn, receipt, by))

    async def carry_in(self, pieces: AsyncIterable[bytes], key: str, by: str) -> CarriedInOut:
        """Take in a file that comes in pieces; ``key`` is one that a person has compared."""
        with self.folder() as folder:
            file = folder / "coming"
            try:
                with await asyncio.to_thread(file.open, "xb") as out:
                    async for piece in pieces:
                        await asyncio.to_thread(check_room, folder)
                        await asyncio.to_thread(out.write, piece)
            except OSError as error:
                raise StorageFull from error
            if not file.stat().st_size:
                told = "is empty", "send the file of `loricate carry out` as the body."
                raise NotReady.because([Finding("body", *told)])
            trusted = (*self.plan.keys, *([key] if key else []))
            async with self.one_in:
                done = await self.room.do(take_in, self._data, file, trusted, by)
        await asyncio.to_thread(self.places.open_one, self._data / CARRIED / done.site / DATABASE)
        if done.is_first or done.taken.records:
            brought = (
                f"{done.taken.records} records, {done.taken.documents} documents of {done.name}, "
                f"signed with {done.kid}"
            )
            await self.store.write(
                lambda conn: audit.note(conn, by, "carry in", done.bench, brought)
            )
        return await self._told(done)

    async def _told(self, done: CarriedIn) -> CarriedInOut:
        taken, same = done.taken, await self.same_serials(done.site)
        label = next((e.bench for e in self.places.carried if e.site == done.site), done.bench)
        notes = list(_notes(done, same, label))
        own = await self.store.read(sites.site_id)
        return CarriedInOut(
            site=done.site,
            name=done.name,
            bench=done.bench,
            made_at=done.made_at,
            records=taken.records,
            documents=taken.documents,
            units=taken.units,
            is_first=done.is_first,
            missing=done.missing,
            notes=notes,
            receipt=self._receipt(done.site, own, done.ends),
        )

    def _receipt(self, site: str, own: str, ends: Ends) -> Receipt:
        told = _told_ends(ends)
        return Receipt(site=site, service=own, name=self.named.site, ends=told, told_at=now())

    async def receipt(self, site: str) -> Receipt:
        """How far the records of a site have come in here; nothing for one that never came."""
        own = await self.store.read(sites.site_id)
        return self._receipt(site, own, await self.places.ends(site))

    async def same_serials(self, site: str) -> list[str]:
        """Serials of a carried bench that a unit of the same product has at another place."""
        own = next((each for each in self.places.carried if each.site == site), None)
        if own is None:
            return []
        pairs = await own.records.read(units.all_serials)
        found = set[str]()
        for place in self.places.all:
            if place.site != site:
                found |= await place.records.read(lambda conn: units.serials_among(conn, pairs))
        return sorted(found)[:MOST_SERIALS]

    async def benches(self) -> list[CarriedBench]:
        """Every bench whose records were carried in."""
        found = [
            _bench(place, files, await self.same_serials(place.site))
            for place, files in await self.places.files()
        ]
        return found + [
            CarriedBench(
                site=site, bench="", name="", kid="", documents=0, units=0, files=[],
                same_serials=[], problem=problem,
            )
            for site, problem in sorted(self.places.problems.items())
        ]  # fmt: skip

    # --- by themselves ---------------------------------------------------------------------------

    def queue(self, conn: sqlite3.Connection) -> None:
        """Have what was stored be carried, where the site names a service."""
        if self.plan.to and not outbox.is_waiting(conn, CARRY, RECORDS):
            outbox.add_outgoing(conn, CARRY, RECORDS, {})

    def queue_after(self, conn: sqlite3.Connection, run: Mapping[str, Any]) -> None:
        """Have what a run has made be carried."""
        self.queue(conn)

    async def _look_on(self) -> None:
        while True:
            try:
                if (await self.state()).waiting:
                    await self.store.write(self.queue)
            except Exception:
                logger.exception("what is to be carried not looked at; looked at again later")
            await asyncio.sleep(LOOK_S)

    async def send(self, outgoing: Outgoing) -> None:
        """Carry what the service that the site names has not got yet; raises LinkFault."""
        if not self.plan.to:
            raise LinkFault("The site names no service to carry to any more.")
        try:
            async with httpx.AsyncClient(
                base_url=f"{self.plan.to.rstrip('/')}/api/v1",
                timeout=self.plan.within_s,
                transport=self.transport,
            ) as wire:
                await self._sign_in(wire)
                site = await self.store.read(sites.site_id)
                answer = _good(await wire.get(f"/carried/{site}/receipt"))
                receipt = Receipt.model_validate_json(answer.content)
                while not await self.store.write(partial(_settled, outgoing, receipt)):
                    before, receipt = receipt, await self._send_file(wire, receipt)
                    if receipt.ends == before.ends:
                        raise LinkFault("What was sent came, and was not taken in; see there.")
        except (httpx.HTTPError, ValidationError, OSError) as error:
            said = str(error) or type(error).__name__
            raise LinkFault(
                f"{self.plan.to} does not answer as it should ({said:.200})."
            ) from error

    async def _sign_in(self, wire: httpx.AsyncClient) -> None:
        secret = (self.beside / self.plan.password_file).read_text(encoding="utf-8").strip()
        body = {"name": self.plan.account, "password": secret}
        answer = _good(await wire.post("/sign-in", json=body))
        wire.headers["Authorization"] = f"Bearer {answer.json()['token']}"

    async def _send_file(self, wire: httpx.AsyncClient, receipt: Receipt) -> Receipt:
        with self.folder() as folder:
            file = folder / "going"
            await self.carry_out(_ends_in(receipt), file)
            answer = _good(
                await wire.post(
                    "/carried",
                    content=_pieces(file),
                    headers={"Content-Type": "application/octet-stream"},
                    timeout=WITHIN_S,
                )
            )
        return CarriedInOut.model_validate_json(answer.content).receipt


async def _pieces(file: Path) -> AsyncIterator[bytes]:
    with await asyncio.to_thread(file.open, "rb") as source:
        while piece := await asyncio.to_thread(source.read, CHUNK):
            yield piece


def _good(answer: httpx.Response) -> httpx.Response:
    """An answer that is one; raises LinkFault with what the other service says."""
    if answer.is_success:
        return answer
    try:
        detail = str(answer.json()["detail"])
    except (ValueError, KeyError, TypeError):
        detail = f"it answers {answer.status_code}"
    raise LinkFault(f"{answer.request.url.host}: {detail}")


def _told_ends(ends: Ends) -> dict[str, ChainEnd]:
    return {kind: ChainEnd(count=count, hash=last) for kind, (count, last) in ends.items()}


def _ends_in(receipt: Receipt) -> Ends:
    return {kind: (end.count, end.hash) for kind, end in receipt.ends.items()}


def _keep_receipt(conn: sqlite3.Connection, receipt: Receipt, by: str) -> None:
    site = sites.site_id(conn)
    if receipt.site != site:
        told = "is of the records of another site", f"bring the one for {site}."
        raise NotReady.because([Finding("site", *told)])
    kept = carrying.Receipt(receipt.service, receipt.name, _ends_in(receipt), receipt.told_at)
    if carrying.newest_receipt(conn) != kept:
        carrying.keep_receipt(conn, kept, by)


def _settled(outgoing: Outgoing, receipt: Receipt, conn: sqlite3.Connection) -> bool:
    """Keep a receipt; whether everything has got there by it."""
    _keep_receipt(conn, receipt, "service")
    if carrying.count_since(conn, _ends_in(receipt)):
        return False
    outbox.set_sent(conn, outgoing.id)
    return True


def _notes(done: CarriedIn, same: list[str], label: str) -> Iterator[str]:
    if done.missing:
        yield (
            f"{done.missing} papers or pictures were gone at the bench itself; what was issued is "
            "here nevertheless, sealed."
        )
    if label != done.bench:
        yield (
            f"Another bench here is called {done.bench} as well: this one is shown as {label}, and "
            f"a search by bench finds both."
        )
    if same:
        yield (
            f"{len(same)} serials were tested at another bench as well, such as {same[0]}: each is "
            "kept by itself, and the unit's page shows both."
        )


def _bench(place: Place, files: list[CameIn], same: list[str]) -> CarriedBench:
    return CarriedBench(
        site=place.site,
        bench=place.bench,
        name=place.name,
        kid=files[0].kid,
        documents=sum(each.documents for each in files),
        units=sum(each.units for each in files),
        files=[_file(asdict(each)) for each in files],
        same_serials=same,
    )


def _file(told: Mapping[str, Any]) -> CarriedFile:
    return CarriedFile(**{name: told[name] for name in CarriedFile.model_fields})
