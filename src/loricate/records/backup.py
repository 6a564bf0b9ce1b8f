"""Backups: the database as it is at one moment, the files it names, and the heads of the ledger.

A backup is a gzipped tar file (``loricate-backup/2``): ``manifest.json`` first, with the SHA-256 of
every other member, then ``records.sqlite``, ``papers/…``, ``pictures/…`` and ``ledger-heads/…``. No
key is in it.
"""

import gzip
import hashlib
import io
import json
import os
import shutil
import sqlite3
import tarfile
import tempfile
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from pathlib import Path, PurePosixPath
from typing import Any

from loricate.core.json_text import JsonRefused, read_json
from loricate.records import ledger, site_keys
from loricate.records.errors import RecordsError
from loricate.records.kept_files import PAPERS, PICTURES, place_of
from loricate.records.stamps import now
from loricate.records.store import open_connection

FORMAT = "loricate-backup/2"
KNOWN = ("loricate-backup/1", FORMAT)  # the first one's papers are in its database
MANIFEST, DATABASE, HEADS = "manifest.json", "records.sqlite", "ledger-heads"
MOST_MANIFEST = 512 * 2**20
CHUNK = 2**20


class BackupRefused(RecordsError):
    """A file is no whole backup, or one cannot be made."""

    def __init__(self, reason: str) -> None:
        super().__init__(reason)
        self.reason = reason

    def __str__(self) -> str:
        return self.reason


@dataclass(frozen=True, slots=True)
class Manifest:
    """What a backup holds: when it was made, how far the ledger had come, each member's digest."""

    format: str
    made_at: str
    documents: int
    kid: str
    members: dict[str, str]


def write_backup(data_folder: Path, to: Path) -> Manifest:
    """Write a backup while the service runs; raises BackupRefused where there is nothing to keep.

    The file is there whole or not at all, and its owner's alone.
    """
    if not (data_folder / DATABASE).is_file():
        raise BackupRefused(f"There are no records in {data_folder}; name the data folder.")
    try:
        to.parent.mkdir(parents=True, exist_ok=True)
        to.touch(mode=0o600, exist_ok=False)  # nobody else takes the name meanwhile
    except FileExistsError:
        told = f"{to} is there already; choose another name, nothing is overwritten."
        raise BackupRefused(told) from None
    except OSError as error:
        raise BackupRefused(f"{to} cannot be written ({error.strerror}).") from error
    try:
        return _write_whole(data_folder, to)
    except BaseException as error:
        to.unlink()
        if isinstance(error, OSError):
            raise BackupRefused(f"{to} cannot be written ({error.strerror}).") from error
        if isinstance(error, sqlite3.Error):
            told = f"The records in {data_folder} cannot be read ({error}); start the service once."
            raise BackupRefused(told) from error
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
            {name: _digest_of(path) for name, path in files.items()},
        )
        fresh = Path(folder) / "whole"
        _write_tar(fresh, manifest, files)
        fresh.replace(to)
    return manifest


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
                raise BackupRefused(
                    f"{digest} is missing in {data_folder / folder}; put it back first."
                )
            yield f"{folder}/{digest[:2]}/{digest}", path


def _write_tar(to: Path, manifest: Manifest, files: dict[str, Path]) -> None:
    told = json.dumps(asdict(manifest), indent=1).encode()
    handle = os.open(to, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(handle, "wb") as raw:
        with (
            gzip.GzipFile(fileobj=raw, mode="wb", filename="", mtime=0) as packed,
            tarfile.open(fileobj=packed, mode="w") as tar,
        ):
            _add(tar, MANIFEST, io.BytesIO(told), len(told))
            for name, path in files.items():
                with path.open("rb") as file:
                    _add(tar, name, file, path.stat().st_size)
        raw.flush()
        os.fsync(raw.fileno())


def _add(tar: tarfile.TarFile, name: str, file: Any, size: int) -> None:
    member = tarfile.TarInfo(name)
    member.size, member.mode = size, 0o600
    tar.addfile(member, file)


def _digest_of(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def unpack_backup(file: Path, into: Path) -> Manifest:
    """Unpack a backup into an empty folder, each member checked; raises BackupRefused."""
    try:
        with tarfile.open(file, mode="r:gz") as tar:
            manifest = _read_manifest(tar)
            found: set[str] = set()
            while (member := tar.next()) is not None:
                wanted = manifest.members.get(member.name)
                if wanted is None or member.name in found or not member.isreg():
                    raise BackupRefused(
                        f"{file} has the member {member.name!r} that it should not."
                    )
                _unpack(tar, member, into, wanted)
                found.add(member.name)
    except (tarfile.TarError, OSError, EOFError, gzip.BadGzipFile) as error:
        raise BackupRefused(f"{file} is no whole backup ({error}); take another one.") from error
    if missing := manifest.members.keys() - found:
        raise BackupRefused(f"{file} is no whole backup: {min(missing)} is missing in it.")
    return manifest


def _read_manifest(tar: tarfile.TarFile) -> Manifest:
    first = tar.next()
    content = tar.extractfile(first) if first is not None and first.name == MANIFEST else None
    if content is None:
        raise BackupRefused("The file is no backup of Loricate: it does not begin with a manifest.")
    try:
        found = read_json(content.read(MOST_MANIFEST), most_names=50_000_000)
        manifest = Manifest(**found)
    except (JsonRefused, TypeError) as error:
        raise BackupRefused(f"The backup's manifest cannot be read ({error}).") from error
    if manifest.format not in KNOWN:
        raise BackupRefused(f"The backup is of the form {manifest.format!r}; {FORMAT} is known.")
    for name in manifest.members:
        path = PurePosixPath(name)
        if (
            path.is_absolute()
            or ".." in path.parts
            or path.parts[0]
            not in (
                DATABASE,
                PICTURES,
                PAPERS,
                HEADS,
            )
        ):
            raise BackupRefused(f"The backup names {name!r}, which belongs to no data folder.")
    return manifest


def _unpack(tar: tarfile.TarFile, member: tarfile.TarInfo, into: Path, wanted: str) -> None:
    source = tar.extractfile(member)
    target = into / member.name
    target.parent.mkdir(parents=True, exist_ok=True)
    hasher = hashlib.sha256()
    handle = os.open(target, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(handle, "wb") as out:
        while source is not None and (data := source.read(CHUNK)):
            hasher.update(data)
            out.write(data)
        out.flush()
        os.fsync(out.fileno())
    if hasher.hexdigest() != wanted:
        raise BackupRefused(f"{member.name} in the backup is damaged; take another backup.")
