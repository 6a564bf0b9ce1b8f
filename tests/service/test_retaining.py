"""What is due is shown first; what was shown goes, and nothing else does."""

import sqlite3
from collections.abc import AsyncIterator
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest

from loricate.core.documents import read_document
from loricate.core.errors import DocumentError
from loricate.records import accounts, retention
from loricate.records.store import atomic, open_connection
from loricate.service import retaining
from loricate.service.site_file import KeepPlan, SitePlan
from tests.papers.reading import text_of
from tests.service.live_rig import Live

TEN_YEARS = KeepPlan(products={"DC-40": 10})
WHY = "ten years, quality manual 4.2"


class Archive:
    """A service with runs of long ago, and somebody of quality."""

    def __init__(self, live: Live, quality: dict[str, str]) -> None:
        self.live, self.quality = live, quality

    def keep(self, plan: KeepPlan | None) -> None:
        """As if the site file said so."""
        self.live.desk.retention.plan = plan

    async def tested(self, *serials: str, year: int) -> Any:
        """A run of units of a year; its documents are issued."""
        load = {f"n{place}": serial for place, serial in enumerate(serials, 1)}
        run = await self.live.run(**load)

        async def is_issued() -> bool:
            return not await self.live.desk.store.read(
                lambda conn: conn.execute(
                    "SELECT 1 FROM run WHERE id = ? AND is_issued = 0", (run["id"],)
                ).fetchone()
            )

        await self.live.until(is_issued)

        async def has_left() -> bool:
            return not await self.live.get("/outbox?waiting=true")

        await self.live.until(has_left)

        def date_back(conn: sqlite3.Connection) -> None:
            for name in ("started_at", "ended_at", "finished_at", "created_at"):
                conn.execute(
                    f"UPDATE run SET {name} = ? || substr({name}, 5) WHERE id = ?",
                    (str(year), run["id"]),
                )

        await self.live.desk.store.write(date_back)
        return run

    async def due(self) -> Any:
        """What is due."""
        return await self.live.get("/records/due")

    async def let_go(self, seen: str, status: int = 200, reason: str = WHY) -> Any:
        """Let go what was seen."""
        answer = await self.live.wire.post(
            "/records/letting-go", json={"seen": seen, "reason": reason}, headers=self.quality
        )
        assert answer.status_code == status, answer.text
        return answer.json()


@pytest.fixture
async def archive(live: Live) -> AsyncIterator[Archive]:
    desk = live.desk
    hashed = await desk.hashing.hash("quin-pass")
    await desk.store.write(
        lambda conn: accounts.put_account(conn, "quin", "Quin", "quality", hashed)
    )
    yield Archive(live, await live.signed_in("quin"))


async def test_what_was_seen_goes_and_the_unit_still_says_that_it_was_tested(
    archive: Archive,
) -> None:
    archive.keep(TEN_YEARS)
    old = await archive.tested("A-1", "A-2", year=2012)
    new = await archive.tested("A-1", year=2025)
    due = await archive.due()
    assert [(each["serial"], each["run"]) for each in due["units"]] == [
        ("A-1", old["id"]), ("A-2", old["id"]),
    ]  # fmt: skip
    (product,) = (each for each in due["products"] if each["units"])
    assert (product["product"], product["years"], product["held"]) == ("DC-40", 10, 0)
    assert product["readings"] > 0 and product["curves"] > 0
    assert product["oldest"] == product["newest"] and product["oldest"].startswith("2012")
    before = await archive.live.get(f"/runs/{old['id']}")
    gone = await archive.let_go(due["seen"])
    assert gone == {
        "units": 2, "readings": product["readings"], "curves": product["curves"], "left": [],
    }  # fmt: skip
    after = await archive.live.get(f"/runs/{old['id']}")
    for was, now in zip(before["units"], after["units"], strict=True):
        assert now["let_go_by"] == "quin" and was["let_go_at"] is None
        assert (now["verdict"], now["certificate"], now["answers"]) == (
            was["verdict"], was["certificate"], was["answers"],
        )  # fmt: skip
        assert [(each["step_id"], each["verdict"]) for each in now["attempts"]] == [
            (each["step_id"], each["verdict"]) for each in was["attempts"]
        ]
        assert all(not each["readings"] and not each["curves"] for each in now["attempts"])
    other = await archive.live.get(f"/runs/{new['id']}")
    assert other["units"][0]["let_go_at"] is None
    assert any(each["readings"] for each in other["units"][0]["attempts"])
    checked = await archive.live.get("/records/check")
    assert checked["whole"], checked["faults"]
    assert (await archive.live.get("/ledger"))["faults"] == []
    audited = await archive.live.get("/audit?action=let go")
    assert [(each["account"], each["subject"]) for each in audited] == [("quin", "DC-40")]
    assert WHY in audited[0]["detail"]
    assert (await archive.due())["units"] == []


async def test_a_report_says_that_what_was_measured_went_and_with_what_it_was(
    archive: Archive, tmp_path: Path
) -> None:
    archive.keep(TEN_YEARS)
    run = await archive.tested("A-1", year=2012)

    async def text() -> str:
        path = f"/units/A-1/report?run={run['id']}"
        answer = await archive.live.wire.get(path)
        assert answer.is_success, answer.text
        return " ".join(text_of(answer.content, tmp_path, "-layout").split())

    before = await text()
    used = [name for name in ("HV1", "GB1", "IR1", "LK1") if f" {name} " in before]
    assert used and "let go" not in before
    await archive.let_go((await archive.due())["seen"])
    after = await text()
    assert "What was measured was let go on 20" in after and "by quin" in after
    assert [name for name in used if f" {name} " in after] == used
    assert "Readings kept: What was measured was let go" in after
    assert "No instrument measured" not in after and "Not performed" not in after


async def test_nothing_is_measured_again_of_a_unit_whose_readings_went(archive: Archive) -> None:
    """What passed then could pass again without them, and what failed be made good."""
    archive.keep(TEN_YEARS)
    run = await archive.tested("A-1", year=2012)
    await archive.let_go((await archive.due())["seen"])
    answer = await archive.live.wire.post(
        f"/runs/{run['id']}/repeats", json={"nest": "1", "reason": "again, please"}
    )
    assert answer.status_code == 409 and "was let go on" in answer.json()["detail"]
    after = await archive.live.get(f"/runs/{run['id']}")
    assert after["state"] == "finished" and after["units"][0]["due"] == []


async def test_a_run_that_was_interrupted_does_not_go_on_with_what_went(archive: Archive) -> None:
    archive.keep(TEN_YEARS)
    run = await archive.tested("A-1", year=2012)
    store = archive.live.desk.store
    await store.write(
        lambda conn: (
            conn.execute("UPDATE run SET state = 'interrupted' WHERE id = ?", (run["id"],)).rowcount
        )
    )
    await archive.let_go((await archive.due())["seen"])
    for act in ("arm", "start"):
        refused = await archive.live.post(f"/runs/{run['id']}/{act}", status=409)
        assert "was let go on" in refused["detail"], act
    for state in ("created", "armed", "running"):  # whoever else would have it go on
        with pytest.raises(sqlite3.IntegrityError, match="was let go"):
            await store.write(
                lambda conn, to=state: conn.execute(  # type: ignore[misc]
                    "UPDATE run SET state = ? WHERE id = ?", (to, run["id"])
                )
            )


async def test_a_run_that_goes_on_while_it_is_let_go_keeps_what_it_has(
    archive: Archive, monkeypatch: pytest.MonkeyPatch
) -> None:
    archive.keep(TEN_YEARS)
    run = await archive.tested("A-1", year=2012)
    is_as_stored = retention.is_as_stored

    def armed_meanwhile(conn: sqlite3.Connection, run_unit_id: str, marked: Any) -> bool:
        archive.live.desk.store.write_now(
            lambda own: own.execute("UPDATE run SET state = 'armed' WHERE id = ?", (run["id"],))
        )
        return is_as_stored(conn, run_unit_id, marked)

    monkeypatch.setattr(retention, "is_as_stored", armed_meanwhile)
    gone = await archive.let_go((await archive.due())["seen"])
    assert gone["units"] == gone["readings"] == 0
    assert [each["held"] for each in gone["left"]] == ["Its run goes on."]
    after = await archive.live.get(f"/runs/{run['id']}")
    assert after["units"][0]["let_go_at"] is None
    assert any(each["readings"] for each in after["units"][0]["attempts"])


async def test_another_list_than_the_one_that_was_seen_does_not_go(archive: Archive) -> None:
    archive.keep(TEN_YEARS)
    await archive.tested("A-1", year=2012)
    seen = (await archive.due())["seen"]
    await archive.tested("A-2", year=2013)
    refused = await archive.let_go(seen, 409)
    assert "look again" in refused["detail"]
    archive.keep(KeepPlan(years=9))
    assert (await archive.due())["seen"] != seen, "nor do others' years go for seen"
    archive.keep(TEN_YEARS)
    assert len((await archive.due())["units"]) == 2
    await archive.let_go("0" * 64, 409)
    await archive.let_go((await archive.due())["seen"], 422, "")
    await archive.let_go((await archive.due())["seen"])
    empty = await archive.let_go((await archive.due())["seen"], 409)
    assert "Nothing is due" in empty["detail"]


async def test_a_site_without_times_keeps_everything(archive: Archive) -> None:
    await archive.tested("A-1", year=1990)
    for plan in (None, KeepPlan(), KeepPlan(products={"CL-7": 1})):
        archive.keep(plan)
        due = await archive.due()
        assert due["units"] == due["held"] == []
        await archive.let_go(due["seen"], 409)


async def test_a_product_that_nothing_is_of_holds_up_all(archive: Archive) -> None:
    """It may be another's name written wrongly, which would go by the shorter time of the rest."""
    archive.keep(KeepPlan(years=2, products={"DC-4O": 30}))
    await archive.tested("A-1", year=2012)
    due = await archive.due()
    assert due["unknown"] == ["DC-4O"] and len(due["units"]) == 1
    refused = await archive.let_go(due["seen"], 409)
    assert "keep.products.DC-4O" in refused["detail"] and "correct its code" in refused["detail"]
    assert len((await archive.due())["units"]) == 1


async def test_what_somebody_has_changed_stays_and_the_rest_goes(
    archive: Archive, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(retaining, "AT_ONCE", 1)
    archive.keep(TEN_YEARS)
    run = await archive.tested("A-1", "A-2", "A-3", year=2012)
    with closing(open_connection(archive.live.desk.settings.database)) as conn, atomic(conn):
        conn.execute("DROP TRIGGER reading_is_final")
        conn.execute(
            "UPDATE reading SET uncertainty = uncertainty + 1 WHERE run_unit_id IN"
            " (SELECT id FROM run_unit WHERE run_id = ? AND nest = '2')",
            (run["id"],),
        )
    gone = await archive.let_go((await archive.due())["seen"])
    assert gone["units"] == 2
    assert [(each["nest"], "records check" in each["held"]) for each in gone["left"]] == [
        ("2", True)
    ]
    after = await archive.live.get(f"/runs/{run['id']}")
    assert [bool(each["let_go_at"]) for each in after["units"]] == [True, False, True]
    faults = (await archive.live.get("/records/check"))["faults"]
    assert faults and all("Attempt" in each for each in faults), "and is still found"


async def test_only_so_many_go_at_once_and_the_oldest_first(
    archive: Archive, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(retaining, "MOST_AT_ONCE", 2)
    archive.keep(TEN_YEARS)
    await archive.tested("A-2", year=2013)
    await archive.tested("A-1", "A-3", year=2012)
    due = await archive.due()
    assert [each["serial"] for each in due["units"]] == ["A-1", "A-3"] and due["further"] == 1
    assert (await archive.let_go(due["seen"]))["units"] == 2
    assert [each["serial"] for each in (await archive.due())["units"]] == ["A-2"]


@pytest.mark.parametrize(
    ("keep", "path"),
    [
        ({"years": 0}, "keep.years"),
        ({"years": 2.5}, "keep.years"),
        ({"years": True}, "keep.years"),
        ({"products": {"DC-40": "ten"}}, "keep.products.DC-40"),
        ({"months": 3}, "keep.months"),
    ],
)
def test_times_that_are_none_are_refused(keep: dict[str, Any], path: str) -> None:
    with pytest.raises(DocumentError) as refused:
        read_document(SitePlan, {"format": "loricate-site/1", "keep": keep}, "site file")
    assert [each.path for each in refused.value.findings] == [path]
