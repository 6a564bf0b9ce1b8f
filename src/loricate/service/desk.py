"""The desk: everything one service holds, and who has the bench."""

import asyncio
import logging
import secrets
import sqlite3
from functools import partial

from loricate.bench.bench import Bench
from loricate.bench.plan import read_bench_plan
from loricate.certificates.sealing import load_or_make_site_key
from loricate.records import accounts, runs
from loricate.records.store import Store
from loricate.service.challenging import Challenger
from loricate.service.exporting import Exporter
from loricate.service.holding import BenchHolders
from loricate.service.issuing import Issuer
from loricate.service.rehearsing import Rehearsals
from loricate.service.running import Runs
from loricate.service.settings import FirstAccount, Settings
from loricate.service.sign_in import AttemptLimiter, hasher
from loricate.service.upkeep import Upkeeps

logger = logging.getLogger("loricate.service")


class Desk:
    """Opened and closed by the application's lifespan."""

    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        self.store = Store(settings.database)
        self.bench = Bench(read_bench_plan(settings.bench_file), settings.bench_file.parent)
        self.site_key = load_or_make_site_key(settings.site_key)
        exporter = Exporter(self.bench.plan.exports, settings.bench_file.parent)
        self.issuer = Issuer(
            self.store, self.site_key, settings.base_url, settings.page_size, exporter
        )
        self.limiter = AttemptLimiter()
        self.first_code = ""
        self.challenger = Challenger()
        self.holders = BenchHolders(self.bench)
        self.upkeeps = Upkeeps(self.store, self.bench, self.holders)
        self.runs = Runs(settings, self.store, self.bench, self.issuer, self.upkeeps, self.holders)
        self.rehearsals = Rehearsals(self.store, self.bench, self.upkeeps, self.holders)

    async def open(self) -> None:
        """Make accounts, mark runs that a dead service left, make the bench safe."""
        for account in self.settings.accounts:
            hashed = await asyncio.to_thread(hasher.hash, account.password)
            await self.store.write(partial(self._put_account, account, hashed))
        if not await self.store.read(accounts.list_accounts):
            self.first_code = secrets.token_hex(4)
            logger.warning(
                "no account yet: make the first engineer with `loricate account first`, or in the "
                "console",
                extra={"code": self.first_code},
            )
        interrupted = await self.store.write(runs.interrupt_unfinished)
        if interrupted:
            logger.warning("runs interrupted", extra={"runs": interrupted})
        await self.bench.connect()
        for danger in await self.bench.find_safe():
            logger.error("treat the fixture as charged", extra={"reason": danger})
        await self.issuer.issue_missing()

    @staticmethod
    def _put_account(account: FirstAccount, hashed: str, conn: sqlite3.Connection) -> None:
        accounts.put_account(conn, account.name, account.full_name, account.role, hashed)

    async def close(self) -> None:
        """Abort what runs, make safe, close the records."""
        await self.runs.close()
        await self.upkeeps.close()
        await self.rehearsals.close()
        await self.bench.close()
        self.store.close()
