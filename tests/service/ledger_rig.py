"""What issues documents, over records of its own, for tests that need no service around it."""

from pathlib import Path

from loricate.records.outbox import Outgoing
from loricate.records.papers import PAPER
from loricate.records.store import Store
from loricate.service.head_keeping import HeadKeeper
from loricate.service.keyring import KeyFiles, Keyring
from loricate.service.ledger_keeping import LedgerKeeper
from loricate.service.sending import Sender
from loricate.service.workroom import Workroom

SITE = "Quillmere"


async def _nothing(outgoing: Outgoing) -> None:
    """Papers are another test's."""


class LedgerRig:
    """Records in ``r.sqlite`` of a folder, and the way into their ledger; no paper is made."""

    def __init__(self, folder: Path, way: type[LedgerKeeper] = LedgerKeeper) -> None:
        self.store = Store(folder / "r.sqlite")
        self.keys = Keyring(self.store, KeyFiles(folder), SITE)
        heads = HeadKeeper(self.store, self.keys, SITE, "BENCH-2", [folder])
        self.sealing = Workroom("sealing")
        self.sender = Sender(self.store)
        self.sender.add(PAPER, _nothing)
        self.keeper = way(
            self.store, self.keys, heads, self.sender, self.sealing, (SITE, "UTC"),
            "http://127.0.0.1",
        )  # fmt: skip

    async def close(self) -> None:
        """End it."""
        await self.sender.close()
        self.sealing.close()
        self.store.close()
