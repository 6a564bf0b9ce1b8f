"""Files with private keys: the owner's alone, and whole or not there."""

import os
import stat
from pathlib import Path

from loricate.certificates.sealing import SealError


class KeyIsOpen(SealError):
    """Others than the owner may read a private key, or it is somebody else's."""

    def __init__(self, path: Path, reason: str, remedy: str) -> None:
        super().__init__(path, reason, remedy)
        self.path, self.reason, self.remedy = path, reason, remedy

    def __str__(self) -> str:
        return (
            f"The key file {self.path} {self.reason}: whoever has a copy of it can issue in the "
            f"site's name. Give `{self.remedy}`; if others may have read it, begin a new key then "
            "(`loricate key`)."
        )


def check_private(path: Path) -> None:
    """Raise KeyIsOpen unless a file is for its owner, who is the one that asks, alone."""
    found = path.stat()
    if stat.S_IMODE(found.st_mode) & 0o077:
        raise KeyIsOpen(path, "can be read or written by others", f"chmod 600 {path}")
    if os.geteuid() not in (0, found.st_uid):
        raise KeyIsOpen(path, "belongs to another account", f"chown {os.geteuid()} {path}")


def write_private(path: Path, data: bytes) -> None:
    """Write a file that only the owner can read, durably, and never in place of another."""
    path.parent.mkdir(parents=True, exist_ok=True)
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(handle, "wb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())
