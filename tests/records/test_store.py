"""The store: migrations with backups, newer databases, transactions, a full disk."""

import sqlite3
from pathlib import Path

import pytest

from loricate.records.errors import NewerDatabase, StorageFull
from loricate.records.stamps import new_id, now
from loricate.records.store import Store, atomic, migrate, migrations, open_connection


def test_migrations_are_numbered_without_gaps() -> None:
    assert sorted(migrations()) == list(range(1, len(migrations()) + 1))


def test_a_new_database_gets_every_migration_and_a_second_start_none(tmp_path: Path) -> None:
    path = tmp_path / "records.sqlite"
    assert migrate(path) == sorted(migrations())
    assert migrate(path) == []
    assert list(tmp_path.glob("*.before-*")) == [], "an empty database needs no backup"


def test_a_migration_is_preceded_by_a_backup(tmp_path: Path) -> None:
    path = tmp_path / "records.sqlite"
    migrate(path, {1: "CREATE TABLE a (x INTEGER) STRICT; INSERT INTO a VALUES (7);"})
    migrate(path, {1: "", 2: "ALTER TABLE a ADD COLUMN y TEXT;"})
    backup = open_connection(tmp_path / "records.sqlite.before-0002")
    assert [tuple(row) for row in backup.execute("SELECT * FROM a")] == [(7,)]
    backup.close()


def test_a_failed_migration_leaves_the_database_as_it_was(tmp_path: Path) -> None:
    path = tmp_path / "records.sqlite"
    migrate(path, {1: "CREATE TABLE a (x INTEGER) STRICT;"})
    with pytest.raises(sqlite3.Error):
        migrate(path, {1: "", 2: "ALTER TABLE a ADD COLUMN y TEXT; NONSENSE;"})
    conn = open_connection(path)
    assert conn.execute("PRAGMA user_version").fetchone()[0] == 1
    assert [row[1] for row in conn.execute("PRAGMA table_info(a)")] == ["x"]
    conn.close()


def test_a_newer_database_is_refused_and_left_alone(tmp_path: Path) -> None:
    path = tmp_path / "records.sqlite"
    migrate(path, {99: "CREATE TABLE a (x INTEGER) STRICT;"})
    with pytest.raises(NewerDatabase, match="start it with a newer Loricate"):
        Store(path)


def test_every_table_is_strict_and_keys_hold(tmp_path: Path) -> None:
    migrate(tmp_path / "r.sqlite")
    conn = open_connection(tmp_path / "r.sqlite")
    tables = conn.execute(
        "SELECT name, strict FROM pragma_table_list WHERE schema = 'main' AND type = 'table'"
    )
    assert {row["name"] for row in tables if not row["strict"]} <= {"sqlite_schema"}
    with pytest.raises(sqlite3.IntegrityError, match="FOREIGN KEY"):
        conn.execute("INSERT INTO idempotency VALUES ('a', 'k', 'd', 'no such run')")
    assert conn.execute("PRAGMA journal_mode").fetchone()[0] == "wal"
    conn.close()


def test_an_exception_rolls_back(tmp_path: Path) -> None:
    conn = open_connection(tmp_path / "r.sqlite")
    conn.execute("CREATE TABLE a (x INTEGER) STRICT")
    with pytest.raises(ZeroDivisionError), atomic(conn):
        conn.execute("INSERT INTO a VALUES (1)")
        _ = 1 / 0
    assert conn.execute("SELECT count(*) FROM a").fetchone()[0] == 0
    conn.close()


def test_a_full_disk_is_told_and_nothing_is_half_stored(tmp_path: Path) -> None:
    conn = open_connection(tmp_path / "r.sqlite")
    conn.execute("CREATE TABLE a (x TEXT) STRICT")
    conn.execute("PRAGMA max_page_count = 4")
    with pytest.raises(StorageFull, match="Nothing was stored"), atomic(conn):
        conn.execute("INSERT INTO a VALUES ('small')")
        conn.execute("INSERT INTO a VALUES (?)", ("x" * 100_000,))
    assert conn.execute("SELECT count(*) FROM a").fetchone()[0] == 0
    conn.close()


async def test_reads_see_what_was_written_and_cannot_write(tmp_path: Path) -> None:
    store = Store(tmp_path / "r.sqlite")
    await store.write(
        lambda conn: conn.execute(
            "INSERT INTO audit (at, account, action, subject) VALUES (?, 'a', 'b', 'c')", (now(),)
        )
    )
    assert (
        await store.read(lambda conn: conn.execute("SELECT count(*) FROM audit").fetchone()[0]) == 1
    )
    with pytest.raises(sqlite3.OperationalError, match="readonly"):
        await store.read(lambda conn: conn.execute("DELETE FROM audit"))
    store.close()


def test_identifiers_sort_by_time() -> None:
    ids = [new_id() for _ in range(100)]
    assert ids == sorted(ids) and len(set(ids)) == 100


def test_a_key_without_rowid_comes_first_in_its_table(tmp_path: Path) -> None:
    """SQLite 3.40 takes one that does not for damaged, once there is a row: no check would pass."""
    path = tmp_path / "records.sqlite"
    migrate(path)
    conn = open_connection(path, read_only=True)
    tables = conn.execute("SELECT name, sql FROM sqlite_master WHERE type = 'table'").fetchall()
    keyed = [str(row["name"]) for row in tables if "WITHOUT ROWID" in str(row["sql"])]
    assert "about" in keyed
    for table in keyed:
        columns = conn.execute(f"PRAGMA table_info({table})").fetchall()
        places = [int(each["pk"]) for each in columns if each["pk"]]
        assert places == list(range(1, len(places) + 1)), table
        assert all(each["pk"] for each in columns[: len(places)]), table
    conn.close()
