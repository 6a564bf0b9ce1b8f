"""The desk: everything one service holds, and who has the bench."""

import logging
import secrets
import sqlite3
from functools import partial

from loricate.bench.plan import read_bench_plan
from loricate.certificates.sealing import load_or_make_site_key
from loricate.records import accounts, runs
from loricate.records.store import Store
from loricate.service.bench_side import BenchAccess
from loricate.service.chain_check import ChainCheck
from loricate.service.challenging import Challenger
from loricate.service.exporting import Exporter
from loricate.service.issuing import Issuer
from loricate.service.settings import FirstAccount, Settings
from loricate.service.sign_in import AttemptLimiter, Hashing
from loricate.service.workroom import Workroom

STUDY_S, DRAW_S = 10.0, 60.0
logger = logging.getLogger("loricate.service")


class Desk:
    """Opened and closed by the application's lifespan."""

    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        self.store = Store(settings.database)
        self.plan = read_bench_plan(settings.bench_file)
        self.bench = BenchAccess(settings, self.store, self.plan)
        self.site_key = load_or_make_site_key(settings.site_key)
        exporter = Exporter(self.plan.exports, settings.bench_file.parent)
        self.drawing = Workroom("drawing", within_s=DRAW_S, most_waiting=64)  # papers
        self.issuer = Issuer(
            self.store, self.site_key, settings.base_url, settings.page_size, exporter, self.drawing
        )
        self.limiter, self.hashing = AttemptLimiter(), Hashing()
        self.first_code = ""
        self.challenger = Challenger()
        self.study = Workroom("study", within_s=STUDY_S)  # what people hand in
        self.chain = ChainCheck(settings.database)

    async def open(self) -> None:
        """Make accounts, mark runs that a dead service left, make the bench safe."""
        for account in self.settings.accounts:
            hashed = await self.hashing.hash(account.password)
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
        await self.bench.open(self.issuer.issue_for)
        self.issuer.catch_up()

    @staticmethod
    def _put_account(account: FirstAccount, hashed: str, conn: sqlite3.Connection) -> None:
        accounts.put_account(conn, account.name, account.full_name, account.role, hashed)

    async def close(self) -> None:
        """Abort what runs, make safe, close the records."""
        await self.bench.close()
        await self.issuer.close()
        self.study.close()
        self.drawing.close()
        self.chain.close()
        self.store.close()
