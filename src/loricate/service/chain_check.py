"""Checking the whole ledger's chain in a process of its own; who asks together shares it."""

import asyncio
from pathlib import Path

from loricate.certificates.ledger import ChainState, check_chain
from loricate.records.certificates import chain
from loricate.records.store import open_connection
from loricate.service.workroom import Workroom

WITHIN_S = 120.0


def check_ledger(database: Path) -> ChainState:
    """Follow the chain of a database's ledger; in a worker, on a connection of its own."""
    conn = open_connection(database, read_only=True)
    try:
        return check_chain(chain(conn))
    finally:
        conn.close()


class ChainCheck:
    """One check at a time."""

    def __init__(self, database: Path) -> None:
        self._database = database
        self._room = Workroom("ledger", within_s=WITHIN_S)
        self._going: asyncio.Task[ChainState] | None = None

    async def get(self) -> ChainState:
        """The state of the ledger, checked since this was asked or at the same time."""
        if self._going is None or self._going.done():
            self._going = asyncio.create_task(self._room.do(check_ledger, self._database))
        return await asyncio.shield(self._going)

    def close(self) -> None:
        """Stop."""
        self._room.close()
