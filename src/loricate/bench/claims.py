"""Who has what: locks that this machine's kernel keeps, and gives up when their holder dies.

One service has a data folder, and one has an instrument, whoever else on this machine wants it.
"""

import contextlib
import fcntl
import hashlib
import json
import os
import tempfile
from pathlib import Path

from loricate.bench.errors import BenchError


class Claimed(BenchError):
    """Another process has it."""

    def __init__(self, what: str, holder: str) -> None:
        super().__init__(what, holder)
        self.what, self.holder = what, holder

    def __str__(self) -> str:
        return f"{self.what} is in use by {self.holder}; stop that one, or use another."


class Claim:
    """A claim on one thing, held until it is let go or this process ends. Raises Claimed."""

    def __init__(self, path: Path, what: str, claimant: str) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        self._handle = os.open(path, os.O_RDWR | os.O_CREAT, 0o666)
        try:
            fcntl.flock(self._handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            holder = _holder(self._handle)
            os.close(self._handle)
            raise Claimed(what, holder) from None
        with contextlib.suppress(OSError):
            os.fchmod(self._handle, 0o666)
        os.ftruncate(self._handle, 0)
        told = {"process": os.getpid(), "claimant": claimant}
        os.pwrite(self._handle, json.dumps(told).encode(), 0)

    def let_go(self) -> None:
        """Let others have it."""
        os.close(self._handle)


def _holder(handle: int) -> str:
    try:
        told = json.loads(os.pread(handle, 4096, 0))
        return f"process {told['process']} ({told['claimant']})"
    except (OSError, ValueError, KeyError, TypeError):
        return "another process"


def instrument_lock(address: str) -> Path:
    """The lock's file of the instrument at an address, the same for everybody on this machine."""
    folder = Path(tempfile.gettempdir()) / "loricate-instruments"
    folder.mkdir(exist_ok=True)
    with contextlib.suppress(OSError):
        folder.chmod(0o1777)
    return folder / f"{hashlib.sha256(address.encode()).hexdigest()[:32]}.lock"
