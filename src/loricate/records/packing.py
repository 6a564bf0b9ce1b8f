"""Packed files: a gzipped tar whose first member names every other one with its SHA-256.

Backups and what is carried from bench to bench are of this form. A file is there whole or not at
all, and its owner's alone.
"""

import gzip
import hashlib
import io
import os
import tarfile
import zlib
from collections.abc import Callable, Mapping
from pathlib import Path, PurePosixPath
from typing import Any, TypeVar

from loricate.records.errors import RecordsError
from loricate.records.kept_files import check_room

MOST_FIRST = 512 * 2**20
CHUNK = 2**20
M = TypeVar("M")


class PackRefused(RecordsError):
    """A packed file is not whole, or not what it should be, or cannot be made."""

    def __init__(self, reason: str) -> None:
        super().__init__(reason)
        self.reason = reason

    def __str__(self) -> str:
        return self.reason


def digest_of(path: Path) -> str:
    """The SHA-256 of a file."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def pack(to: Path, first: str, told: bytes, files: Mapping[str, Path]) -> None:
    """Write a packed file that must not be there yet, durably."""
    handle = os.open(to, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(handle, "wb") as raw:
        with (
            gzip.GzipFile(fileobj=raw, mode="wb", filename="", mtime=0) as packed,
            tarfile.open(fileobj=packed, mode="w") as tar,
        ):
            _add(tar, first, io.BytesIO(told), len(told))
            for name, path in files.items():
                with path.open("rb") as file:
                    _add(tar, name, file, path.stat().st_size)
        raw.flush()
        os.fsync(raw.fileno())


def _add(tar: tarfile.TarFile, name: str, file: Any, size: int) -> None:
    member = tarfile.TarInfo(name)
    member.size, member.mode = size, 0o600
    tar.addfile(member, file)


def unpack(
    file: Path,
    into: Path,
    first: str,
    read: Callable[[bytes], M],
    members: Callable[[M], Mapping[str, str]],
) -> M:
    """Unpack a file into an empty folder, each member checked; gives what its first one tells.

    ``read`` makes something of that first member, and ``members`` gives the digests in it. Raises
    PackRefused, and whatever ``read`` raises.
    """
    try:
        with tarfile.open(file, mode="r:gz") as tar:
            beginning = tar.next()
            content = (
                tar.extractfile(beginning)
                if beginning is not None and beginning.name == first
                else None
            )
            if content is None:
                raise PackRefused(f"{file.name} does not begin with a {first}.")
            told = read(content.read(MOST_FIRST))
            wanted, found = members(told), set[str]()
            while (member := tar.next()) is not None:
                digest = wanted.get(member.name)
                if digest is None or member.name in found or not member.isreg():
                    raise PackRefused(
                        f"{file.name} has the member {member.name!r} that it should not."
                    )
                _unpack(tar, member, into, digest)
                found.add(member.name)
    except (tarfile.TarError, OSError, EOFError, gzip.BadGzipFile, zlib.error) as error:
        raise PackRefused(f"{file.name} is not whole ({error}); take another one.") from error
    if missing := wanted.keys() - found:
        raise PackRefused(f"{file.name} is not whole: {min(missing)} is missing in it.")
    return told


def belongs(name: str, places: tuple[str, ...]) -> bool:
    """Whether a member's name leads to one of some places, and nowhere else."""
    path = PurePosixPath(name)
    return not path.is_absolute() and ".." not in path.parts and path.parts[0] in places


def _unpack(tar: tarfile.TarFile, member: tarfile.TarInfo, into: Path, wanted: str) -> None:
    source = tar.extractfile(member)
    target = into / member.name
    target.parent.mkdir(parents=True, exist_ok=True)
    hasher = hashlib.sha256()
    handle = os.open(target, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(handle, "wb") as out:
        while source is not None and (data := source.read(CHUNK)):
            check_room(into)
            hasher.update(data)
            out.write(data)
        out.flush()
        os.fsync(out.fileno())
    if hasher.hexdigest() != wanted:
        raise PackRefused(f"{member.name} in the file is damaged; take another one.")
