"""Keeping: changes from outside are found, numbers are given once, backups come back, metrics."""

import json
import re
import shutil
import sqlite3
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
from drill.cells import SEARCHED, change_cells, tables
from prometheus_client.openmetrics.parser import text_string_to_metric_families

from loricate.client import Client
from loricate.commands import demo_site
from loricate.records import marks
from loricate.records.audit import Wanted, find
from loricate.records.packing import PackRefused
from loricate.records.store import Store, open_connection
from loricate.service.app import check_start
from loricate.service.head_keeping import benches_of
from loricate.service.ledger_check import ledger_state, records_state
from loricate.service.restoring import restore
from loricate.service.settings import Settings
from tests import command_line
from tests.conftest import copy_site, run_load
from tests.rig import DEMO, PATIENCE_S, copy_bench


@pytest.fixture(scope="module")
def told(tmp_path_factory: pytest.TempPathFactory, fit_folder: Path) -> Iterator[dict[str, Any]]:
    """A demo site that has tested a load: one good unit and one that failed; and its folder."""
    folder = tmp_path_factory.mktemp("kept")
    copy_site(fit_folder, folder)
    with demo_site.running_site(folder, 20.0) as sign_in, Client(sign_in["url"]) as client:
        client.sign_in(sign_in["name"], sign_in["password"])
        picture = (DEMO / "sequences" / "pictures").glob("*.png")
        run_id = run_load(client, {"1": "K-1", "2": "K-2"})
        client.remark(run_id, "1", "seen", picture=next(picture).read_bytes())
        client.add_account("olle", "Olle Stark", "operator")
        assert client.check_records().whole and client.ledger().whole
        yield {**sign_in, "folder": folder, "run": run_id, "token": client.token}


@pytest.fixture
def copied(told: dict[str, Any], tmp_path: Path) -> Path:
    """A copy of the site's folder as it is on disk, to be spoilt."""
    folder = tmp_path / "copied"
    folder.mkdir()
    source = open_connection(told["folder"] / "records.sqlite", read_only=True)
    copy = sqlite3.connect(folder / "records.sqlite")
    source.backup(copy)
    copy.close()
    source.close()
    for name in ("ledger-heads", "papers", "pictures"):
        shutil.copytree(told["folder"] / name, folder / name)
    for name in ("site-key.pem", "paper-key.p12"):
        shutil.copy(told["folder"] / name, folder)
    return folder


def spoil(folder: Path, *statements: str) -> None:
    """What somebody does who has the file and SQLite, and takes our triggers out of the way."""
    conn = sqlite3.connect(folder / "records.sqlite")
    conn.execute("PRAGMA foreign_keys = OFF")
    for (name,) in conn.execute("SELECT name FROM sqlite_master WHERE type = 'trigger'").fetchall():
        conn.execute(f"DROP TRIGGER {name}")
    for each in statements:
        conn.execute(each)
    conn.commit()
    conn.close()


def faults(folder: Path) -> tuple[str, ...]:
    return records_state(folder / "records.sqlite", [folder], benches_of(folder)).faults


def ledger_faults(folder: Path) -> tuple[str, ...]:
    return ledger_state(folder / "records.sqlite", [folder], benches_of(folder)).faults


def store_schema(conn: sqlite3.Connection) -> None:
    from loricate.records.migrating import add_functions
    from loricate.records.store import migrations

    add_functions(conn, Path("papers"))
    for number in sorted(migrations()):
        conn.executescript(migrations()[number])


def test_every_table_is_marked_or_named_as_one_that_need_not_be() -> None:
    conn = sqlite3.connect(":memory:")
    store_schema(conn)
    marked = {table for kind in marks.MARKED.values() for table in kind.tables}
    assert set(tables(conn)) - marked - set(SEARCHED) == {"mark", "carried_mark"}


def test_what_nobody_changed_is_whole(copied: Path) -> None:
    assert faults(copied) == () and ledger_faults(copied) == ()


def test_every_changed_cell_is_found(copied: Path) -> None:
    """A row of each table; by hand the drill changes many."""
    found = change_cells(copied / "records.sqlite", 1, 20261201, lambda line: None)
    assert found.missed == []
    named = {"attempt", "reading", "answer", "audit", "run_unit", "ledger", "account", "mark"}
    assert named | {"sought", "said", "unit_name"} <= found.tried.keys()


@pytest.mark.parametrize(
    ("statement", "says"),
    [
        ("UPDATE reading SET value = value * 0.5 WHERE quantity = 'resistance'", "Attempt"),
        ("UPDATE run_unit SET verdict = 'fail' WHERE nest = '1'", "Unit in a run"),
        ("UPDATE answer SET choice = 'fail' WHERE id = (SELECT min(id) FROM answer)", "Answer 1"),
        ("UPDATE audit SET account = 'olle' WHERE id = 3", "Audit 3 is not as it was stored"),
        ("DELETE FROM audit WHERE id = 3", "Audit 3, stored on"),
        ("DELETE FROM reading WHERE quantity = 'resistance'", "Attempt"),
        ("DELETE FROM run_unit", "was taken away"),
        ("INSERT INTO audit (at, account, action, subject) VALUES ('x', 'mara', 'x', 'x')",
         "was added from outside"),
        ("UPDATE account SET role = 'administrator' WHERE name = 'olle'", "Account"),
        ("UPDATE mark SET digest = 'x' WHERE kind = 'audit' AND position = 3", "Mark 3 of kind"),
        ("DELETE FROM mark WHERE kind = 'audit' AND position = 3", "Mark 3 of kind audit"),
        ("DELETE FROM mark WHERE kind = 'attempt'", "cut off"),
        ("UPDATE curve SET data = x'00'", "Attempt"),
    ],
)  # fmt: skip
def test_what_somebody_does_to_the_file_is_told(copied: Path, statement: str, says: str) -> None:
    spoil(copied, statement)
    assert any(says in fault for fault in faults(copied)), faults(copied)


def test_all_marks_made_anew_are_found_by_the_heads_outside(copied: Path) -> None:
    """Whoever has our code as well can make every mark anew, but not the heads' signatures."""
    spoil(copied, "UPDATE reading SET value = value * 0.5", "DELETE FROM mark")
    conn = open_connection(copied / "records.sqlite")
    marks.mark_all(conn)
    conn.close()
    assert list(marks.faults(open_connection(copied / "records.sqlite", read_only=True))) == []
    assert any("another than was signed for" in fault for fault in faults(copied))


async def test_what_was_changed_from_outside_is_not_marked_over_by_a_change_of_ours(
    copied: Path,
) -> None:
    """A verdict turned in the file, then a write of the service to the same row."""
    spoil(copied, "UPDATE run_unit SET verdict = 'fail' WHERE nest = '1'")
    store = Store(copied / "records.sqlite")
    change = "UPDATE run_unit SET cause = 'touched' WHERE nest = '1'"
    await store.write(lambda conn: conn.execute(change) and None)
    found = await store.read(lambda conn: find(conn, Wanted(action="changed from outside")))
    store.close()
    assert "Unit in a run" in found[0]["detail"]
    assert "was not as it was stored when it was changed" in found[0]["detail"]


def test_keys_put_in_the_place_of_the_sites_are_found_by_its_heads(copied: Path) -> None:
    """Whoever makes everything anew under a key of their own: the heads are not signed with it."""
    from loricate.certificates.site_key import make_site_key

    (copied / "site-key.pem").unlink()
    jwk = make_site_key(copied / "site-key.pem").public_jwk
    spoil(copied, f"UPDATE site_key SET kid = '{jwk['kid']}', jwk = '{json.dumps(jwk)}'"
          " WHERE purpose = 'documents'",
          f"UPDATE key_begun SET kid = '{jwk['kid']}' WHERE id = 1",
          "DELETE FROM ledger", "DELETE FROM mark")  # fmt: skip
    conn = open_connection(copied / "records.sqlite")
    marks.mark_all(conn)
    conn.close()
    for told in (faults(copied), ledger_faults(copied)):
        assert any("not signed with a key that these records know" in each for each in told)


@pytest.mark.parametrize(
    "statement",
    [
        "DELETE FROM ledger WHERE position = (SELECT max(position) FROM ledger)",
        "UPDATE ledger SET serial = 'K-9' WHERE position = 1",
        "UPDATE paper SET digest = (SELECT digest FROM paper AS other WHERE other.number <>"
        " paper.number LIMIT 1)",
        "UPDATE ledger SET sealed = replace(sealed, 'K-1', 'K-9') WHERE position = 1",
        "UPDATE ledger SET kind = 'nonconformance' WHERE position = 1",
    ],
)
def test_the_ledger_is_held_against_seals_papers_and_heads(copied: Path, statement: str) -> None:
    spoil(copied, statement)
    assert ledger_faults(copied) != ()


def settings(folder: Path, **more: Any) -> Settings:
    bench = copy_bench(folder.parent)
    return Settings(bench, folder, "http://b", **more)


def loricate(*words: str | Path) -> subprocess.CompletedProcess[str]:
    return command_line.run(*words)


@pytest.mark.parametrize("spoilt", ["", "other"])
def test_a_start_without_the_right_site_key_stops_and_says_what_to_do(
    copied: Path, spoilt: str
) -> None:
    key = copied / "site-key.pem"
    key.unlink()
    if spoilt:
        from loricate.certificates.site_key import make_site_key

        make_site_key(key)
    before = key.read_bytes() if spoilt else None
    bench = settings(copied).bench_file
    tried = loricate("serve", "--bench", bench, "--data", copied, "--port", "0")
    assert tried.returncode == 1 and "Nothing was changed" in tried.stderr
    assert "Traceback" not in tried.stderr
    assert (key.read_bytes() if key.exists() else None) == before


def test_a_new_key_begins_on_purpose_and_the_old_documents_still_verify(copied: Path) -> None:
    refused = loricate("key", "replace", "--data", copied)
    assert refused.returncode == 1 and "move it to where old keys are kept" in refused.stderr
    (copied / "site-key.pem").rename(copied / "old.pem")
    assert loricate("key", "replace", "--data", copied).returncode == 0
    check_start(settings(copied))
    assert ledger_faults(copied) == () and faults(copied) == ()


def test_a_backup_made_while_the_service_runs_comes_back(
    told: dict[str, Any], tmp_path: Path
) -> None:
    """Backup beside a running load, then a new machine: records, pictures, numbers, no key lost."""
    file, keys = tmp_path / "b.tar.gz", tmp_path / "keys"
    with Client(told["url"], token=told["token"]) as client:
        run = client.create_run("DC40-FINAL", "FX-A", {"1": "K-3"})
        client.arm_run(run.id)
        client.start_run(run.id)
        made = loricate("records", "backup", file, "--data", told["folder"], "--keys-to", keys)
        assert made.returncode == 0, made.stderr
        for event in client.events(run.id):
            if event.name == "question":
                client.answer(run.id, event.data["nest"], event.data["choices"][0])
        lost = client.wait_for_papers(run.id).units[0].certificate
    again = loricate("records", "backup", file, "--data", told["folder"])
    assert again.returncode == 1 and "nothing is overwritten" in again.stderr
    assert b"PRIVATE" not in file.read_bytes() and file.stat().st_mode & 0o777 == 0o600
    new = tmp_path / "new"
    without = loricate("records", "restore", file, "--data", new)
    assert without.returncode == 1 and "site-key.pem is missing" in without.stderr
    assert not (new / "records.sqlite").exists()
    done = loricate("records", "restore", file, "--data", new, "--keys", keys, "--json")
    assert done.returncode == 0, done.stderr
    numbers = json.loads(done.stdout)["next_numbers"]
    series = str(lost)[:6]
    assert f"{series}-{numbers[series]:06}" > str(lost), "what was lost is not given again"
    assert numbers[series] == 1000
    checked = loricate("records", "check", "--data", new)
    assert checked.returncode == 0, checked.stdout
    assert "is lost" in checked.stdout, "a restoring stays in sight"
    digests = {path.name for path in (new / "pictures").rglob("*") if path.is_file()}
    there = {path.name for path in (told["folder"] / "pictures").rglob("*") if path.is_file()}
    assert digests == there != set()
    check_start(settings(new))


def test_restoring_over_newer_records_keeps_them_and_tells_what_was_lost(
    copied: Path, told: dict[str, Any], tmp_path: Path
) -> None:
    file = tmp_path / "b.tar.gz"
    assert loricate("records", "backup", file, "--data", copied).returncode == 0
    done = loricate("records", "restore", file, "--data", copied, "--json")
    assert done.returncode == 0, done.stderr
    kept = Path(json.loads(done.stdout)["kept"])
    assert (kept / "records.sqlite").exists() and (kept / "site-key.pem").exists()
    assert loricate("records", "check", "--data", copied).returncode == 0


@pytest.mark.parametrize("part", ["member", "cut", "changed records", "nonsense"])
def test_a_backup_that_is_not_whole_is_refused_and_touches_nothing(
    copied: Path, tmp_path: Path, part: str
) -> None:
    if part == "changed records":
        spoil(copied, "UPDATE reading SET value = value * 0.5")
    file = tmp_path / "b.tar.gz"
    assert loricate("records", "backup", file, "--data", copied).returncode == 0
    data = bytearray(file.read_bytes())
    if part == "member":
        data[len(data) // 2] ^= 1
    elif part == "cut":
        data = data[: len(data) // 2]
    elif part == "nonsense":
        data = bytearray(b"nothing of ours")
    file.write_bytes(data)
    before = (copied / "records.sqlite").read_bytes()
    refused = loricate("records", "restore", file, "--data", copied)
    assert refused.returncode == 1 and "Traceback" not in refused.stderr, refused.stderr
    assert (copied / "records.sqlite").read_bytes() == before
    assert not list(copied.parent.glob("copied.before-*"))


def test_records_in_use_are_not_restored_over(told: dict[str, Any], tmp_path: Path) -> None:
    file = tmp_path / "b.tar.gz"
    assert loricate("records", "backup", file, "--data", told["folder"]).returncode == 0
    refused = loricate("records", "restore", file, "--data", told["folder"])
    assert refused.returncode == 1 and "is in use by" in refused.stderr


def test_a_database_put_back_by_hand_is_found_and_gives_no_number_twice(
    told: dict[str, Any], copied: Path
) -> None:
    """An older file copied over: the heads say so, and the numbers go on above them."""
    from loricate.service.head_keeping import HeadKeeper
    from loricate.service.keyring import KeyFiles, Keyring

    last = open_connection(copied / "records.sqlite").execute(
        "SELECT number FROM ledger ORDER BY position DESC LIMIT 1"
    )
    (number,) = last.fetchone()
    spoil(copied, "DELETE FROM ledger WHERE position = (SELECT max(position) FROM ledger)")
    store = Store(copied / "records.sqlite")
    keys = Keyring(store, KeyFiles(copied), "Quillmere Apparatus")

    async def learn() -> int:
        heads = HeadKeeper(store, keys, "Quillmere Apparatus", "RENAMED", [copied])
        await heads.open()
        return await heads.last_number(str(number)[:6])

    import asyncio

    assert asyncio.run(learn()) >= int(str(number)[7:])
    store.close()
    assert any("cut off" in each for each in ledger_faults(copied))


def test_the_exported_audit_trail_is_checked_without_the_service(
    told: dict[str, Any], tmp_path: Path
) -> None:
    file, key = tmp_path / "audit.csv", tmp_path / "keys.json"
    to = ("--service", told["url"], "--token", told["token"])
    assert loricate("records", "audit", file, *to).returncode == 0
    with Client(told["url"]) as stranger:
        key.write_text(stranger.site_keys().model_dump_json())
    assert loricate("records", "audit-check", file, "--key", key).returncode == 0
    whole = file.read_text(encoding="utf-8").splitlines(keepends=True)
    assert any("mara" in line for line in whole) and len(whole) > 10
    changes = [
        [*whole[:3], whole[3].replace("mara", "olle").replace("service", "olle"), *whole[4:]],
        [*whole[:3], *whole[4:]],
        whole[:-4],
        [whole[0]],
        ["number,at\n", "1,2\n"],
    ]
    for lines in changes:
        file.write_text("".join(lines), encoding="utf-8")
        spoilt = loricate("records", "audit-check", file, "--key", key)
        assert spoilt.returncode == 1 and "NOT whole" in spoilt.stdout, lines[:5]


def test_what_to_watch_is_told_to_whoever_has_the_token(told: dict[str, Any]) -> None:
    url = f"{told['url']}/metrics"
    assert httpx.get(url, timeout=PATIENCE_S).status_code == 401
    answer = httpx.get(
        url, headers={"Authorization": f"Bearer {told['token']}"}, timeout=PATIENCE_S
    )
    assert answer.headers["content-type"].startswith("application/openmetrics-text")
    families = text_string_to_metric_families(answer.text)  # type: ignore[no-untyped-call]
    found = {each.name: each for each in families}
    assert {sample.labels["state"] for sample in found["loricate_danger"].samples} >= {"safe"}
    page = (DEMO.parent / "docs" / "operating.md").read_text(encoding="utf-8")
    assert set(re.findall(r"`(loricate_\w+)`", page)) == set(found), "each is told of, and no other"
    documents = {each.labels["kind"]: each.value for each in found["loricate_documents"].samples}
    assert documents["certificate"] >= 1 and documents["nonconformance"] >= 0
    assert found["loricate_outbox_waiting"].samples[0].value == 0
    assert found["loricate_beat_gap_seconds"].samples[0].value > 0.04
    assert found["loricate_disk_free_bytes"].samples[0].value > 2**20


@pytest.mark.parametrize("damage", ["no database", "older"])
def test_records_that_cannot_be_read_are_told_in_a_sentence(copied: Path, damage: str) -> None:
    database = copied / "records.sqlite"
    if damage == "older":
        spoil(copied, "DROP TABLE mark", "DROP TABLE site_key")
    else:
        database.write_bytes(b"nothing of SQLite's" * 1000)
    checked = loricate("records", "check", "--data", copied)
    assert checked.returncode == 1 and "cannot be read" in checked.stdout
    made = loricate("records", "backup", copied / "b.tar.gz", "--data", copied)
    assert made.returncode == 1 and "cannot be read" in made.stderr
    assert not (copied / "b.tar.gz").exists(), "no empty file stays that looks like a backup"
    assert "Traceback" not in checked.stderr + made.stderr


def test_a_key_is_copied_over_nothing_and_without_it_no_backup_is_made(copied: Path) -> None:
    there = copied / "keys" / "site-key.pem"
    there.parent.mkdir()
    there.write_text("another's", encoding="ascii")
    for keys_to in (there.parent, there / "below a file"):
        made = loricate("records", "backup", copied / "b.tar.gz", "--data", copied,
                        "--keys-to", keys_to)  # fmt: skip
        assert made.returncode == 1 and "No backup was made" in made.stderr
        assert "Traceback" not in made.stderr and not (copied / "b.tar.gz").exists()
    assert there.read_text(encoding="ascii") == "another's"


@pytest.mark.parametrize("refused", ["the old one", "the new one"])
def test_a_folder_that_cannot_be_replaced_stays_as_it_is(
    copied: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, refused: str
) -> None:
    """A mount point, for one: whichever of the two renames fails."""
    file = tmp_path / "b.tar.gz"
    assert loricate("records", "backup", file, "--data", copied).returncode == 0
    before = (copied / "records.sqlite").read_bytes()
    rename = Path.rename

    def fail(path: Path, target: Path) -> Path:
        if path.name == ("copied" if refused == "the old one" else ".copied.restoring"):
            raise OSError(16, "Device or resource busy")
        return rename(path, target)

    monkeypatch.setattr(Path, "rename", fail)
    with pytest.raises((PackRefused, OSError)):
        restore(file, copied, None, (), "mara")
    assert (copied / "records.sqlite").read_bytes() == before
    assert (copied / "site-key.pem").exists()
    assert not list(tmp_path.glob("copied.before-*")) and not list(tmp_path.glob(".copied*"))
