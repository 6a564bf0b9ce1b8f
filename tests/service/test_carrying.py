"""Records carried from a bench to the service that keeps them all: once, whole, and told apart."""

import asyncio
import io
import json
import random
import shutil
import sqlite3
import tarfile
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager, closing
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import httpx
import pytest
from joserfc.jwk import OKPKey

from loricate.api.carrying import Receipt
from loricate.certificates.sealing import SiteKey, Sort, canonical, unopened
from loricate.records import carrying, kept_files, marks, store, units, work_orders
from loricate.records.backup import unpack_backup, write_backup
from loricate.records.errors import StorageFull
from loricate.records.packing import PackRefused
from loricate.records.store import open_connection
from loricate.service import carried_files
from loricate.service.app import create_app
from loricate.service.desk import Desk
from loricate.service.settings import FirstAccount, Settings
from loricate.service.site_file import CarryPlan
from loricate.simulator.standins import StandIns
from tests.conftest import five_steps, read_demo
from tests.rig import copy_bench
from tests.service.live_rig import Live, service

SOME_SITE = "01a233fa-07f2-7a35-bb0f-31b9663680b7"
FAULT = "missing_earth"
STRANGER = SiteKey(OKPKey.generate_key("Ed25519", auto_kid=False))


@dataclass
class Archive:
    """A service that keeps the records of others, with a silent bench of its own."""

    wire: httpx.AsyncClient
    transport: httpx.ASGITransport
    folder: Path
    desk: Desk

    async def take(self, file: bytes, key: str = "") -> httpx.Response:
        """Take a file in."""
        headers = {"Content-Type": "application/gzip"}
        return await self.wire.post(
            "/carried", params={"key": key}, content=file, headers=headers, timeout=60
        )

    async def get(self, path: str, **query: Any) -> Any:
        """What is at a path."""
        answer = await self.wire.get(path, params=query)
        assert answer.is_success, (path, answer.text)
        return answer.json()

    @property
    def databases(self) -> list[Path]:
        """The records that were carried in."""
        return sorted((self.folder / "carried").glob("*/records.sqlite"))


@asynccontextmanager
async def archive_at(folder: Path) -> AsyncIterator[Archive]:
    """A service in a folder, with somebody of quality signed in."""
    people = (FirstAccount("quin", "Quin", "quality", "quin-pass"),)
    bench = copy_bench(folder)
    text = bench.read_text().replace('"BENCH-2"', '"HALL"').replace('"Quillmere', '"Quillmere Hall')
    bench.write_text(text)
    app = create_app(Settings(bench, folder, "http://hall", accounts=people))
    transport = httpx.ASGITransport(app)
    async with (
        app.router.lifespan_context(app),
        httpx.AsyncClient(transport=transport, base_url="http://hall/api/v1", timeout=60) as wire,
    ):
        body = {"name": "quin", "password": "quin-pass"}
        token = (await wire.post("/sign-in", json=body)).json()["token"]
        wire.headers["Authorization"] = f"Bearer {token}"
        yield Archive(wire, transport, folder, app.state.desk)


@pytest.fixture
async def archive(tmp_path_factory: pytest.TempPathFactory) -> AsyncIterator[Archive]:
    """A service with nothing in it."""
    async with archive_at(tmp_path_factory.mktemp("hall")) as archive:
        yield archive


async def carried_out(live: Live, **body: Any) -> bytes:
    """The file of what was not carried yet."""
    answer = await live.wire.post("/carry", json=body)
    assert answer.is_success, answer.text
    return answer.content


async def a_day(live: Live, **load: str) -> Any:
    """A load of units with a fault that was tested and reported; its run."""
    for nest, serial in load.items():
        live.floor.floor.put_in(f"FX-A/{nest[1:]}", "DC-40", (FAULT,), serial)
    run = await live.run(**load)
    return await issued(live, run["id"])


async def issued(live: Live, run_id: str) -> Any:
    async def done() -> Any:
        run = await live.get(f"/runs/{run_id}")
        papers = {unit["paper"] for unit in run["units"]}
        return run if run["documents"] == "issued" and papers == {"made"} else None

    return await live.until(done)


def key_of(live: Live) -> str:
    return live.desk.keys.documents.kid


def apart(unit: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in unit.items() if name != "from_bench"}


async def test_what_is_carried_in_says_the_same_there_to_the_last_digit(
    live: Live, archive: Archive
) -> None:
    run = await a_day(live, n1="DC40-26-01", n2="DC40-26-02")
    file = await carried_out(live)
    strange = await archive.take(file)
    assert strange.status_code == 422 and key_of(live) in strange.json()["detail"]
    assert archive.databases == [], "nothing of a stranger is kept"
    came = (await archive.take(file, key_of(live))).json()
    assert (came["units"], came["documents"], came["is_first"]) == (2, 2, True)
    again = (await archive.take(file)).json()
    assert (again["records"], again["units"], again["is_first"]) == (0, 0, False)
    for serial in ("DC40-26-01", "DC40-26-02"):
        own, there = await live.get(f"/units/{serial}"), await archive.get(f"/units/{serial}")
        assert [apart(each) for each in there] == [apart(each) for each in own]
        assert {each["from_bench"] for each in there} == {"BENCH-2"}
        sealed = (
            await live.get(f"/certificates/{serial}"),
            await archive.get(f"/certificates/{serial}"),
        )
        assert sealed[0] == sealed[1]
        number = sealed[0]["document"]["number"]
        papers = [
            (await wire.get(f"/certificates/{number}/pdf")).content
            for wire in (live.wire, archive.wire)
        ]
        assert papers[0] == papers[1] and papers[0].startswith(b"%PDF")
        verified = await archive.get(f"/verify/{number}")
        assert (verified["status"], verified["from_bench"]) == ("genuine", "BENCH-2")
        assert verified["others"] == []
        read = (await archive.wire.post("/verify", content=papers[1])).json()
        assert read["genuine"] and read["from_bench"] == "BENCH-2", read["faults"]
    for attempt in run["units"][0]["attempts"]:
        if attempt["curves"]:
            path = f"/runs/{run['id']}/curves/1/{attempt['step_id']}/{attempt['number']}"
            assert await archive.get(path) == await live.get(path)
    step = next(each for each in run["units"][0]["attempts"] if each["readings"])
    reading = step["readings"][0]
    asked = {
        "step": step["step_id"], "quantity": reading["quantity"], "point": reading["point"],
    }  # fmt: skip
    own, there = await live.wire.get("/trends", params=asked), await archive.get("/trends", **asked)
    assert [each["value"] for each in there["readings"]] == [
        each["value"] for each in own.json()["readings"]
    ]
    assert {each["groups"]["instrument"] for each in there["readings"]} == {
        f"{reading['instrument']} (BENCH-2)"
    }
    assert (await archive.get("/unit-counts")) == (await live.get("/unit-counts"))
    assert (await archive.get("/yields/product")) == (await live.get("/yields/product"))
    report = await archive.wire.get("/units/DC40-26-01/report")
    assert report.content.startswith(b"%PDF")
    for path in ("/records/check", "/ledger"):
        state = await archive.get(path)
        assert state["whole"], state["faults"]


async def test_a_receipt_says_what_need_not_be_carried_again_and_a_gap_is_refused(
    live: Live, archive: Archive, tmp_path_factory: pytest.TempPathFactory
) -> None:
    await a_day(live, n1="DC40-26-01")
    first = await carried_out(live)
    receipt = (await archive.take(first, key_of(live))).json()["receipt"]
    whole = len(first)
    assert (await live.wire.post("/carry/receipts", json=receipt)).status_code == 204
    await a_day(live, n1="DC40-26-02")
    rest = await carried_out(live)
    assert len(rest) < whole, "what came is not carried again"
    async with archive_at(tmp_path_factory.mktemp("other")) as other:
        gap = await other.take(rest, key_of(live))
        assert gap.status_code == 422 and "--all" in gap.json()["detail"]
        assert other.databases == []
        everything = await carried_out(live, everything=True)
        assert (await other.take(everything, key_of(live))).json()["units"] == 2
        assert (await other.take(rest)).json()["records"] <= 3, "but the carrying out itself"
    came = (await archive.take(rest)).json()
    assert (came["units"], came["documents"]) == (1, 1)
    late = (await archive.take(first)).json()
    assert late["records"] == 0, "a file that comes late brings nothing back"
    assert (await archive.get("/records/check"))["whole"]
    assert (await live.get("/carry"))["receipt"]["name"] == receipt["name"]


@pytest.fixture
async def hut(tmp_path: Path, floor: StandIns) -> AsyncIterator[Live]:
    """A bench out of reach: another site, that begins its numbers anew."""
    folder = tmp_path / "hut"
    folder.mkdir()
    text = (tmp_path / "bench.toml").read_text()
    (folder / "bench.toml").write_text(text.replace('"BENCH-2"', '"HUT-1"'))
    for name in ("fx-c-columns.csv", "logo.svg", "site.toml"):
        shutil.copy(tmp_path / name, folder / name)
    async with service(folder, floor) as live:
        await live.post("/products", read_demo("products/dc-40.toml"))
        for name in ("iec-60335-1-annex-a", "iec-60335-1-leakage"):
            await live.post("/limit-sets", read_demo(f"limit-sets/{name}.toml"))
        await live.release(five_steps())
        yield live


async def test_the_same_serial_and_the_same_number_are_shown_and_not_merged(
    hut: Live, tmp_path: Path, defined: Path, floor: StandIns, archive: Archive
) -> None:
    """Two benches that know nothing of each other, and one archive."""
    run = await a_day(hut, n1="DC40-26-01")
    await archive.take(await carried_out(hut), key_of(hut))
    await hut.desk.bench.close()
    other = tmp_path / "other"
    shutil.copytree(defined, other)
    for name in ("bench.toml", "fx-c-columns.csv", "logo.svg", "site.toml"):
        shutil.copy(tmp_path / name, other / name)
    async with service(other, floor) as bench:
        await a_day(bench, n1="DC40-26-01")
        answer = await archive.take(await carried_out(bench), key_of(bench))
    assert any("DC40-26-01" in note for note in answer.json()["notes"])
    units = await archive.get("/units/DC40-26-01")
    assert sorted(each["from_bench"] for each in units) == ["BENCH-2", "HUT-1"]
    assert len(await archive.get("/units", serial="DC40-26-01")) == 2
    assert (await archive.get("/unit-counts"))["total"] == 2
    number = run["units"][0]["certificate"]
    assert units[0]["certificate"] == units[1]["certificate"] == number
    verified = await archive.get(f"/verify/{number}")
    assert [each["bench"] for each in verified["others"]] == ["HUT-1"]
    assert (await archive.get(f"/verify/{number}", of="HUT-1"))["from_bench"] == "HUT-1"
    page = await archive.wire.get(f"http://hall/verify/{number}")
    assert "Another document has this number as well" in page.text and "HUT-1" in page.text
    listed = await archive.get("/carried")
    assert [each["same_serials"] for each in listed] == [["DC40-26-01"], ["DC40-26-01"]]


class Lossy(httpx.AsyncBaseTransport):
    """A wire to the archive that is down, or loses what is answered, as often as a test wants."""

    def __init__(self, to: httpx.ASGITransport) -> None:
        self.to, self.down, self.loses, self.carried = to, False, 0, 0

    async def handle_async_request(self, request: httpx.Request) -> httpx.Response:
        if self.down:
            raise httpx.ConnectError("nobody is there")
        answer = await self.to.handle_async_request(request)
        self.carried += request.url.path.endswith("/carried")
        if self.loses and "/carried" in request.url.path:
            self.loses -= 1
            raise httpx.ReadError("the answer was lost")
        return answer


async def test_an_order_goes_with_its_unit_and_as_it_stands(live: Live, archive: Archive) -> None:
    """Open in one file, done by a run of the next."""

    def give(conn: sqlite3.Connection) -> None:
        unit = units.known_unit(conn, "DC-40", "DC40-26-01")
        work_orders.put_order(conn, "mara", "WO-1", unit, "production", "", "")

    def order(conn: sqlite3.Connection) -> work_orders.WorkOrder:
        return work_orders.get_order(conn, "WO-1")

    await live.desk.store.write(give)
    for state in ("open", "done"):
        if state == "done":
            await a_day(live, n1="DC40-26-01")
        assert (await archive.take(await carried_out(live), key_of(live))).is_success
        own = await live.desk.store.read(order)
        (place,) = archive.desk.places.carried
        assert await place.records.read(order) == own and own.state == state
    assert (await archive.get("/records/check"))["whole"]


async def test_over_a_bad_link_records_go_by_themselves_and_once(
    live: Live, archive: Archive
) -> None:
    link = Lossy(archive.transport)
    link.down = True
    carrier, folder = live.desk.carrier, live.desk.settings.site_folder
    (folder / "carry-password").write_text("quin-pass\n")
    archive.desk.carrier.plan = CarryPlan(keys=(key_of(live),))
    carrier.plan = CarryPlan(to="http://hall", account="quin", password_file="carry-password")
    carrier.transport = link
    run = await a_day(live, n1="DC40-26-01")

    async def entry() -> Any:
        found = await live.get("/outbox")
        return next((each for each in found if each["target"] == "carry"), None)

    async def held_up() -> Any:
        found = await entry()
        return found if found and found["problem"] else None

    problem = (await live.until(held_up))["problem"]
    assert "nobody is there" in problem
    assert (await live.get("/carry"))["waiting"] > 0 and archive.databases == []
    link.down, link.loses = False, 2

    async def sent() -> Any:
        await live.post("/outbox/tries")
        found = await entry()
        return found if found["sent_at"] else None

    await live.until(sent)
    assert link.loses == 0 and link.carried == 1, "what came, if unheard, is not carried again"
    (unit,) = await archive.get("/units/DC40-26-01")
    assert unit["run_id"] == run["id"]
    (bench,) = await archive.get("/carried")
    assert (bench["units"], bench["documents"]) == (1, 1)
    assert (await live.get("/carry"))["waiting"] == 0
    assert (await archive.get("/records/check"))["whole"]


async def test_a_link_that_is_refused_says_why_and_what_to_do(live: Live, archive: Archive) -> None:
    carrier = live.desk.carrier
    (live.desk.settings.site_folder / "carry-password").write_text("quin-pass")
    carrier.plan = CarryPlan(to="http://hall", account="quin", password_file="carry-password")
    carrier.transport = archive.transport
    await live.desk.store.write(carrier.queue)
    live.desk.sender.look()

    async def told() -> str:
        found = await live.get("/outbox?waiting=true")
        return next((each["problem"] for each in found if each["target"] == "carry"), "")

    assert key_of(live) in await live.until(told)
    (live.desk.settings.site_folder / "carry-password").write_text("wrong")
    await live.post("/outbox/tries")

    async def wrong() -> bool:
        return "password is wrong" in await told()

    await live.until(wrong)


async def test_a_backup_holds_what_was_carried_in(
    live: Live, archive: Archive, tmp_path: Path
) -> None:
    await a_day(live, n1="DC40-26-01")
    await archive.take(await carried_out(live), key_of(live))
    backup = tmp_path / "all.tar.gz"
    await asyncio.to_thread(write_backup, archive.folder, backup)
    into = tmp_path / "unpacked"
    into.mkdir()
    await asyncio.to_thread(unpack_backup, backup, into)
    (own,) = archive.databases
    copy = into / own.relative_to(archive.folder)
    with closing(open_connection(copy, read_only=True)) as conn:
        assert carrying.files_in(conn)[0].units == 1
    kept = {path.relative_to(archive.folder) for path in own.parent.rglob("papers/*/*")}
    assert kept and kept == {path.relative_to(into) for path in copy.parent.rglob("papers/*/*")}


def packed_anew(file: bytes, change: Callable[[str, bytes], bytes]) -> bytes:
    """A file with its members changed."""
    out = io.BytesIO()
    with (
        tarfile.open(fileobj=io.BytesIO(file), mode="r:gz") as old,
        tarfile.open(fileobj=out, mode="w:gz") as new,
    ):
        for member in old:
            source = old.extractfile(member)
            assert source is not None
            data = change(member.name, source.read())
            member.size = len(data)
            new.addfile(member, io.BytesIO(data))
    return out.getvalue()


async def test_whatever_was_changed_on_the_way_is_refused_and_leaves_nothing(
    live: Live, archive: Archive
) -> None:
    await a_day(live, n1="DC40-26-01")
    file = await carried_out(live)
    pick = random.Random(15)
    manifest = _manifest_in(file)

    def in_member(wanted: str) -> Callable[[str, bytes], bytes]:
        def change(name: str, data: bytes) -> bytes:
            if not name.startswith(wanted):
                return data
            at = pick.randrange(len(data))
            return data[:at] + bytes([data[at] ^ 1]) + data[at + 1 :]

        return change

    def resealed(content: dict[str, Any]) -> Callable[[str, bytes], bytes]:
        """Signed by a stranger who has the bench's public key in it."""

        def change(name: str, data: bytes) -> bytes:
            if name != "manifest.jws":
                return data
            return STRANGER.sign(canonical(content), Sort.CARRIED).encode()

        return change

    spoilt = [
        packed_anew(file, in_member(name)) for name in ("manifest.jws", "records", "papers") * 4
    ]
    spoilt += [file[: len(file) // 2], b"no file at all"]
    spoilt += [packed_anew(file, resealed(manifest))]
    spoilt += [packed_anew(file, resealed({**manifest, "jwk": STRANGER.public_jwk}))]
    spoilt += [packed_anew(file, resealed({**manifest, "site": "../../../somewhere"}))]
    for each in spoilt:
        answer = await archive.take(each, key_of(live))
        assert answer.status_code == 422, answer.text
        assert answer.json()["detail"]
    assert archive.databases == []
    assert not list((archive.folder / "carried").glob("*")), "nothing of it is left lying"
    assert (await archive.take(file, key_of(live))).is_success
    own = await live.wire.post("/carried", content=file, params={"key": key_of(live)})
    assert own.status_code == 422 and "own records" in own.json()["detail"]


def _manifest_in(file: bytes) -> dict[str, Any]:
    with tarfile.open(fileobj=io.BytesIO(file), mode="r:gz") as tar:
        source = tar.extractfile("manifest.jws")
        assert source is not None
        found: dict[str, Any] = json.loads(unopened(source.read().decode()))
        return found


async def test_records_of_an_older_version_come_in_first_and_are_brought_up(
    live: Live, archive: Archive, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A bench out of reach is the last to be updated; what it goes on with waits until it is."""
    await a_day(live, n1="DC40-26-01")
    first = await carried_out(live)
    receipt = Receipt.model_validate(await archive.get(f"/carried/{SOME_SITE}/receipt"))
    assert receipt.ends == {}, "nothing of a site that never came"
    file = archive.folder / "first.carried"
    await asyncio.to_thread(file.write_bytes, first)
    newer = {**store.migrations(), 900: "ALTER TABLE receipt ADD COLUMN more TEXT DEFAULT '';"}
    for module in (store, carried_files):
        monkeypatch.setattr(module, "migrations", lambda: newer)
    await asyncio.to_thread(store.migrate, archive.folder / "records.sqlite")
    given = archive.folder, file, [key_of(live)], "quin"
    done = await asyncio.to_thread(carried_files.take_in, *given)
    assert (done.taken.units, done.is_first) == (1, True)
    (database,) = archive.databases
    with closing(open_connection(database, read_only=True)) as conn:
        assert marks.version_of(conn) == 900
        assert not [*marks.faults(conn), *carrying.mark_faults(conn)]
        assert {row["account"] for row in conn.execute("SELECT account FROM audit")}
    again = await asyncio.to_thread(carried_files.take_in, *given)
    assert (again.taken.records, again.taken.units, again.is_first) == (0, 0, False)
    with closing(open_connection(database, read_only=True)) as conn:
        assert marks.version_of(conn) == 900 and not [*carrying.mark_faults(conn)]
    await a_day(live, n1="DC40-26-02")
    await asyncio.to_thread(file.write_bytes, await carried_out(live))
    with pytest.raises(PackRefused, match="Bring that bench up to the Loricate of this service"):
        await asyncio.to_thread(carried_files.take_in, *given)


async def test_carried_records_that_are_damaged_are_said_and_stop_nothing_else(
    live: Live, archive: Archive, tmp_path: Path
) -> None:
    """A search that left them out would say less than there is."""
    await a_day(live, n1="DC40-26-01")
    await archive.take(await carried_out(live), key_of(live))
    (database,) = archive.databases
    await archive.desk.places.carried[0].records.read(lambda conn: conn.execute("SELECT 1"))
    archive.desk.places.close()
    await asyncio.to_thread(database.write_bytes, b"no records at all" * 500)
    archive.desk.places.carried.clear()
    await asyncio.to_thread(archive.desk.places.open)
    answer = await archive.wire.get("/units")
    assert answer.status_code == 409 and "carry everything in again" in answer.json()["detail"]
    (listed,) = await archive.get("/carried")
    assert listed["problem"] and listed["site"] == database.parent.name
    assert not (await archive.get("/records/check"))["whole"]
    assert (await archive.get("/runs")) == []


class Forgetful(httpx.AsyncBaseTransport):
    """A wire to an archive that says thanks, and has nothing afterwards."""

    def __init__(self, to: httpx.ASGITransport) -> None:
        self.to, self.sent, self.receipt = to, 0, dict[str, Any]()

    async def handle_async_request(self, request: httpx.Request) -> httpx.Response:
        if request.url.path.endswith("/carried"):
            self.sent += 1
            told = dict.fromkeys(("records", "documents", "units", "missing"), 0)
            names = dict.fromkeys(("site", "name", "bench", "made_at"), "")
            body = {**told, **names, "is_first": True, "notes": [], "receipt": self.receipt}
            return httpx.Response(201, json=body, request=request)
        answer = await self.to.handle_async_request(request)
        if request.url.path.endswith("/receipt"):
            self.receipt = json.loads(await answer.aread())
            return httpx.Response(200, json=self.receipt, request=request)
        return answer


async def test_whoever_takes_nothing_in_is_not_sent_the_same_without_end(
    live: Live, archive: Archive
) -> None:
    carrier, link = live.desk.carrier, Forgetful(archive.transport)
    (live.desk.settings.site_folder / "carry-password").write_text("quin-pass")
    carrier.plan = CarryPlan(to="http://hall", account="quin", password_file="carry-password")
    carrier.transport = link
    await live.desk.store.write(carrier.queue)
    live.desk.sender.look()

    async def told() -> str:
        found = await live.get("/outbox?waiting=true")
        return next((each["problem"] for each in found if each["target"] == "carry"), "")

    assert "not taken in" in await live.until(told)
    assert link.sent <= 2, "and again when its turn comes"


async def test_what_a_dead_service_had_half_in_its_hands_is_taken_away(live: Live) -> None:
    folder = live.desk.settings.data_folder / "carried"
    (folder / ".coming-1" / "file").mkdir(parents=True)
    (folder / ".gone-2").write_bytes(b"half")
    await asyncio.to_thread(live.desk.carrier.clear)
    assert list(folder.iterdir()) == []


async def test_papers_that_were_left_come_with_a_later_file(live: Live, archive: Archive) -> None:
    await a_day(live, n1="DC40-26-01")
    came = (await archive.take(await carried_out(live, papers=False), key_of(live))).json()
    (unit,) = await archive.get("/units/DC40-26-01")
    number = unit["certificate"]
    assert (await archive.get(f"/verify/{number}"))["genuine"], "what was issued is there, sealed"
    paper = f"/certificates/{number}/pdf"
    without = await archive.wire.get(paper)
    assert without.status_code == 409 and "BENCH-2" in without.json()["detail"]
    await live.post("/carry/receipts", came["receipt"])
    later = (await archive.take(await carried_out(live))).json()
    assert (later["units"], later["documents"]) == (0, 0), "and nothing else again"
    papers = [await wire.get(paper) for wire in (live.wire, archive.wire)]
    assert papers[0].content == papers[1].content
    assert (await archive.get("/ledger"))["whole"]


async def test_what_is_large_leaves_the_disk_to_the_tests_that_run(
    live: Live, archive: Archive, monkeypatch: pytest.MonkeyPatch
) -> None:
    await a_day(live, n1="DC40-26-01")
    file = await carried_out(live)
    monkeypatch.setattr(kept_files, "SPARE_BYTES", 2**62)
    refused = await archive.take(file, key_of(live))
    assert refused.status_code == 507 and "make room" in refused.json()["detail"]
    assert not list((archive.folder / "carried").glob("*"))
    with pytest.raises(StorageFull):
        kept = await asyncio.to_thread(_kept, archive, file)
        given_in = archive.folder, kept, [key_of(live)], "quin"
        await asyncio.to_thread(carried_files.take_in, *given_in)
    with pytest.raises(StorageFull):
        to = archive.folder / "out.carried"
        data, named = live.desk.settings.data_folder, carried_files.Named("a", "b")
        await asyncio.to_thread(carried_files.write_carried, data, named, {}, STRANGER, to)


def _kept(archive: Archive, file: bytes) -> Path:
    path = archive.folder / "kept.carried"
    path.write_bytes(packed_anew(file, lambda name, data: data))
    return path
