"""Putting records back from a backup: everything is checked before anything is touched."""

import datetime as dt
import os
import shutil
import sqlite3
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import islice
from pathlib import Path

from loricate.bench.claims import Claim
from loricate.certificates.agreeing import check_ledger
from loricate.certificates.heads import last_numbers, read_heads
from loricate.certificates.key_files import check_private, write_private
from loricate.certificates.site_key import KeyMissing
from loricate.records import backup, ledger, marks, restorings, site_keys
from loricate.records.backup import Manifest
from loricate.records.kept_files import PAPERS as PAPER_FILES
from loricate.records.packing import PackRefused
from loricate.records.site_keys import DOCUMENTS, PAPERS
from loricate.records.store import Store, migrate, open_connection
from loricate.service.head_keeping import FOLDER, benches_of, texts_in
from loricate.service.kept_papers import AllPapers
from loricate.service.keyring import PURPOSES, KeyFiles, check_keys, kid_of_records

LEAP = 1000  # numbers go on at the next multiple: what was issued after the backup is not known
SERVICE_LOCK = "service.lock"


@dataclass(frozen=True, slots=True)
class Restored:
    """What came of it: the backup, where the old records went, the numbers that come next."""

    manifest: Manifest
    kept: Path | None
    numbers: dict[str, int]


def restore(
    file: Path, data_folder: Path, keys: Path | None, head_folders: Sequence[Path], by: str
) -> Restored:
    """Put the records of a backup into a data folder; what was there is kept beside it.

    The site's keys are taken from the folder ``keys``, else from where the records are put. Raises
    PackRefused, SealError for a key that is missing or does not fit, Claimed while a service has
    the folder.
    """
    data_folder = data_folder.resolve()
    data_folder.mkdir(parents=True, exist_ok=True)
    claim = Claim(data_folder / SERVICE_LOCK, f"The data folder {data_folder}", "restoring")
    fresh = data_folder.with_name(f".{data_folder.name}.restoring")
    try:
        shutil.rmtree(fresh, ignore_errors=True)
        fresh.mkdir(mode=0o700)
        manifest = backup.unpack_backup(file, fresh)
        _check_records(fresh / backup.DATABASE)
        _take_keys(KeyFiles(keys or data_folder), KeyFiles(fresh), fresh / backup.DATABASE)
        if (data_folder / FOLDER).is_dir():  # what was lost stays told
            shutil.copytree(data_folder / FOLDER, fresh / FOLDER, dirs_exist_ok=True)
        numbers = _begin(fresh, manifest, (data_folder, *head_folders), by)
        _give_to_owner_of(data_folder, fresh)
        return Restored(manifest, _swap(data_folder, fresh), numbers)
    finally:
        shutil.rmtree(fresh, ignore_errors=True)
        claim.let_go()


def _take_keys(kept: KeyFiles, into: KeyFiles, database: Path) -> None:
    """Copy the key files, once they fit the records; raises SealError."""
    conn = open_connection(database, read_only=True)
    try:
        wanted = {DOCUMENTS: kid_of_records(conn), PAPERS: site_keys.newest_kid(conn, PAPERS)}
    finally:
        conn.close()
    for purpose, kid in wanted.items():
        if kid and not kept.current(purpose).exists():
            raise KeyMissing(kept.current(purpose), kid)
    for purpose in PURPOSES:
        for source in (kept.current(purpose), kept.next(purpose)):
            if source.exists():
                check_private(source)
                write_private(into.folder / source.name, source.read_bytes())
    check_keys(database, into)


def _check_records(database: Path) -> None:
    """Refuse what was damaged or changed before or in the backup; raises PackRefused."""
    migrate(database)
    conn = open_connection(database, read_only=True)
    try:
        found = [row[0] for row in conn.execute("PRAGMA quick_check") if row[0] != "ok"]
        found += islice(marks.faults(conn), marks.MOST_FAULTS)
        found += check_ledger(
            ledger.whole_ledger(conn),
            site_keys.key_set(conn),
            AllPapers(database.parent / PAPER_FILES, conn),
        ).faults
    except sqlite3.DatabaseError as error:
        found = [str(error)]
    finally:
        conn.close()
    if found:
        raise PackRefused(
            f"The records in the backup are not whole: {found[0]} Take an older backup; nothing "
            "was touched."
        )


def _begin(fresh: Path, manifest: Manifest, known_in: Sequence[Path], by: str) -> dict[str, int]:
    """Write into the restored records that they are restored, and the numbers that are taken."""
    store = Store(fresh / backup.DATABASE)
    try:

        def keep(conn: sqlite3.Connection) -> dict[str, int]:
            texts = texts_in([fresh, *known_in], benches_of(fresh))
            heads = read_heads(texts, site_keys.key_set(conn)).heads
            year = dt.datetime.now(dt.UTC).year
            taken = {f"C-{year}": 0, f"N-{year}": 0, **ledger.last_numbers(conn)}
            for series, number in last_numbers(heads).items():
                taken[series] = max(taken.get(series, 0), number)
            leapt = {
                series: (number // LEAP + 1) * LEAP - 1 if series.endswith(str(year)) else number
                for series, number in taken.items()
            }
            ledger.take_numbers(conn, leapt)
            restorings.add_restoring(conn, manifest.made_at, by)
            return {series: number + 1 for series, number in leapt.items()}

        return store.write_now(keep)
    finally:
        store.close()


def _give_to_owner_of(data_folder: Path, fresh: Path) -> None:
    """Whoever runs the service has the folder, also where somebody else restores it."""
    owner = data_folder.stat()
    if os.geteuid() != 0:
        return
    for path in (fresh, *fresh.rglob("*")):
        os.chown(path, owner.st_uid, owner.st_gid)


def _swap(data_folder: Path, fresh: Path) -> Path | None:
    """Put the fresh folder in the place of the old one, which is kept."""
    stamp = dt.datetime.now(dt.UTC).strftime("%Y%m%dT%H%M%SZ")
    kept = data_folder.with_name(f"{data_folder.name}.before-{stamp}")
    had_records = (data_folder / backup.DATABASE).exists()
    try:
        data_folder.rename(kept)
    except OSError as error:
        raise PackRefused(
            f"{data_folder} cannot be put aside ({error.strerror}): it may be where a disk is "
            "mounted. Use a folder below that as the data folder. Nothing was touched."
        ) from error
    try:
        fresh.rename(data_folder)
    except OSError:
        kept.rename(data_folder)
        raise
    if not had_records:
        for path in kept.iterdir():
            if path.name != SERVICE_LOCK and not (data_folder / path.name).exists():
                path.rename(data_folder / path.name)
        shutil.rmtree(kept)
        return None
    return kept
