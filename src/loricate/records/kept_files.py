"""Files kept beside the database by digest: pictures, and the papers of what was issued."""

import hashlib
import os
import shutil
from pathlib import Path

from loricate.records.errors import StorageFull

PICTURES, PAPERS = "pictures", "papers"
SPARE_BYTES = 256 * 2**20  # what is large and can wait leaves so much to the tests that run


def check_room(folder: Path) -> None:
    """Raise StorageFull where there is no room but for what is being tested."""
    if shutil.disk_usage(folder).free < SPARE_BYTES:
        raise StorageFull


def place_of(folder: Path, digest: str) -> Path:
    """Where the file of a digest is."""
    return folder / digest[:2] / digest


def keep_file(folder: Path, data: bytes) -> str:
    """Keep a file whole, durably and once; gives its digest (SHA-256)."""
    digest = hashlib.sha256(data).hexdigest()
    place = place_of(folder, digest)
    if place.exists():
        return digest
    place.parent.mkdir(parents=True, exist_ok=True)
    fresh = place.with_suffix(".new")
    with os.fdopen(os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as out:
        out.write(data)
        out.flush()
        os.fsync(out.fileno())
    fresh.replace(place)
    parent = os.open(place.parent, os.O_RDONLY)
    try:
        os.fsync(parent)  # its name is to last as well
    finally:
        os.close(parent)
    return digest


def read_file(folder: Path, digest: str) -> bytes | None:
    """What is kept under a digest; None when it is gone, or is not that any more."""
    try:
        data = place_of(folder, digest).read_bytes()
    except OSError:
        return None
    return data if hashlib.sha256(data).hexdigest() == digest else None
