"""Backups: the database as it is at one moment, the files it names, and the heads of the ledger.

A backup is a gzipped tar file (``loricate-backup/3``): ``manifest.json`` first, with the SHA-256 of
every other member, then ``records.sqlite``, ``papers/…``, ``pictures/…``, ``ledger-heads/…`` and,
of each bench that carried its records in, the same below ``carried/SITE/``. No key is in it.
"""

import json
import os
import shutil
import sqlite3
import tempfile
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from pathlib import Path

from loricate.core.json_text import JsonRefused, read_json
from loricate.records import ledger, packing, site_keys
from loricate.records.kept_files import PAPERS, PICTURES, place_of
from loricate.records.packing import PackRefused, digest_of
from loricate.records.stamps import now
from loricate.records.store import open_connection

FORMAT = "loricate-backup/3"
# The first one's papers are in its database; what was carried in is in the third alone.
KNOWN = ("loricate-backup/1", "loricate-backup/2", FORMAT)
MANIFEST, DATABASE, HEADS, CARRIED = (
    "manifest.json", "records.sqlite", "ledger-heads", "carried",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Manifest:
    """What a backup holds: when it was made, how far the ledger had come, each member's digest."""

    format: str
    made_at: str
    documents: int
    kid: str
    members: dict[str, str]


def write_backup(data_folder: Path, to: Path) -> Manifest:
    """Write a backup while the service runs; raises PackRefused where there is nothing to keep.

    The file is there whole or not at all, and its owner's alone.
    """
    if not (data_folder / DATABASE).is_file():
        raise PackRefused(f"There are no records in {data_folder}; name the data folder.")
    try:
        to.parent.mkdir(parents=True, exist_ok=True)
        to.touch(mode=0o600, exist_ok=False)  # nobody else takes the name meanwhile
    except FileExistsError:
        told = f"{to} is there already; choose another name, nothing is overwritten."
        raise PackRefused(told) from None
    except OSError as error:
        raise PackRefused(f"{to} cannot be written ({error.strerror}).") from error
    try:
        return _write_whole(data_folder, to)
    except BaseException as error:
        to.unlink()
        if isinstance(error, OSError):
            raise PackRefused(f"{to} cannot be written ({error.strerror}).") from error
        if isinstance(error, sqlite3.Error):
            told = f"The records in {data_folder} cannot be read ({error}); start the service once."
            raise PackRefused(told) from error
        raise


def _write_whole(data_folder: Path, to: Path) -> Manifest:
    with tempfile.TemporaryDirectory(dir=to.parent, prefix=".backup-") as folder:
        copy = Path(folder) / DATABASE
        _copy_database(data_folder / DATABASE, copy)
        conn = open_connection(copy, read_only=True)
        try:
            last = ledger.last_entry(conn)
            kid = site_keys.newest_kid(conn)
            files = {DATABASE: copy, **dict(_kept_files(conn, data_folder))}
        finally:
            conn.close()
        for site in sorted((data_folder / CARRIED).glob(f"*/{DATABASE}")):
            files |= dict(_carried(site, Path(folder)))
        for path in sorted((data_folder / HEADS).rglob("*.jws")):
            kept = Path(folder) / HEADS / path.relative_to(data_folder / HEADS)
            kept.parent.mkdir(parents=True, exist_ok=True)
            shutil.copy(path, kept)  # the service may write it anew meanwhile
            files[str(kept.relative_to(folder))] = kept
        manifest = Manifest(
            FORMAT,
            now(),
            0 if last is None else last.position,
            kid,
            {name: digest_of(path) for name, path in files.items()},
        )
        fresh = Path(folder) / "whole"
        packing.pack(fresh, MANIFEST, json.dumps(asdict(manifest), indent=1).encode(), files)
        fresh.replace(to)
    return manifest


def _carried(database: Path, into: Path) -> Iterator[tuple[str, Path]]:
    """The records that a bench carried in, and the files that they name and have."""
    place = f"{CARRIED}/{database.parent.name}"
    copy = into / place / DATABASE
    copy.parent.mkdir(parents=True)
    _copy_database(database, copy)
    yield f"{place}/{DATABASE}", copy
    for folder in (PAPERS, PICTURES):
        for path in sorted((database.parent / folder).glob("*/*")):
            if path.suffix == "":  # not one that is being written
                yield f"{place}/{folder}/{path.parent.name}/{path.name}", path


def _copy_database(source: Path, to: Path) -> None:
    os.close(os.open(to, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600))
    conn, copy = open_connection(source, read_only=True), sqlite3.connect(to)
    try:
        conn.backup(copy)
        copy.execute("PRAGMA journal_mode = DELETE")  # one file, with nothing beside it
    finally:
        copy.close()
        conn.close()


def _kept_files(conn: sqlite3.Connection, data_folder: Path) -> Iterator[tuple[str, Path]]:
    for folder, query in (
        (PICTURES, "SELECT digest FROM picture ORDER BY digest"),
        (PAPERS, "SELECT DISTINCT digest FROM paper ORDER BY digest"),
    ):
        for (digest,) in conn.execute(query):
            path = place_of(data_folder / folder, digest)
            if not path.is_file():
                raise PackRefused(
                    f"{digest} is missing in {data_folder / folder}; put it back first."
                )
            yield f"{folder}/{digest[:2]}/{digest}", path


def unpack_backup(file: Path, into: Path) -> Manifest:
    """Unpack a backup into an empty folder, each member checked; raises PackRefused."""
    return packing.unpack(file, into, MANIFEST, _read_manifest, lambda told: told.members)


def _read_manifest(content: bytes) -> Manifest:
    try:
        manifest = Manifest(**read_json(content, most_names=50_000_000))
    except (JsonRefused, TypeError) as error:
        raise PackRefused(f"The backup's manifest cannot be read ({error}).") from error
    if manifest.format not in KNOWN:
        raise PackRefused(f"The backup is of the form {manifest.format!r}; {FORMAT} is known.")
    for name in manifest.members:
        if not packing.belongs(name, (DATABASE, PICTURES, PAPERS, HEADS, CARRIED)):
            raise PackRefused(f"The backup names {name!r}, which belongs to no data folder.")
    return manifest
