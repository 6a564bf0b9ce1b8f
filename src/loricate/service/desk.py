"""The desk: everything one service holds, and who has the bench."""

import asyncio
import logging
import secrets
import sqlite3
from functools import partial

from loricate.bench.claims import Claim
from loricate.bench.plan import read_bench_plan
from loricate.core.quantities import show_temperatures_in
from loricate.papers.look import Look
from loricate.records import accounts, lots, runs, series
from loricate.records.papers import PAPER
from loricate.records.store import Store
from loricate.service.acting import Acts
from loricate.service.bench_side import BenchAccess
from loricate.service.carried_files import Named
from loricate.service.carrying import CARRY, Carrier
from loricate.service.challenging import Challenger
from loricate.service.codes import CodeSecret
from loricate.service.exporting import Exporter
from loricate.service.guessing import AttemptLimiter, Hashing
from loricate.service.head_keeping import HeadKeeper
from loricate.service.issuing import Issuer
from loricate.service.keyring import Keyring
from loricate.service.ledger_check import LedgerCheck
from loricate.service.ledger_keeping import LedgerKeeper
from loricate.service.lot_keeping import LotKeeper
from loricate.service.maintaining import MAINTENANCE, Maintenance
from loricate.service.messaging import AT_ONCE, Messenger
from loricate.service.order_keeping import end_orders
from loricate.service.paper_look import tried_look
from loricate.service.paper_making import EXPORT, PRINT, PaperMaker
from loricate.service.places import Places
from loricate.service.printing import Printing
from loricate.service.report_keeping import ReportKeeper
from loricate.service.retaining import Retention
from loricate.service.sending import Sender
from loricate.service.settings import FirstAccount, Settings
from loricate.service.sign_in import Door
from loricate.service.watching import Watcher
from loricate.service.workroom import Workroom

STUDY_S, DRAW_S = 10.0, 60.0
MAKERS = 2  # papers that are drawn at once
UNDER_WAY = MAKERS + 1  # while one is being kept, no maker waits
logger = logging.getLogger("loricate.service")


def claim_data(settings: Settings) -> Claim:
    """Have the data folder for this process alone; raises Claimed."""
    what = f"The data folder {settings.data_folder}"
    return Claim(settings.data_folder / "service.lock", what, f"bench {settings.bench_file}")


class Desk:
    """Opened and closed by the application's lifespan."""

    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        self.stopping = asyncio.Event()
        self._is_closed = False
        self.started_by = asyncio.get_running_loop()
        self.plan = read_bench_plan(settings.bench_file)
        self.claim = claim_data(settings)
        self.store = Store(settings.database)
        self.keys = Keyring(self.store, settings.key_files, self.plan.site)
        self.bench = BenchAccess(settings, self.store, self.plan)
        self.site = settings.site
        exporter = Exporter(self.site.exports, settings.site_folder, self.store)
        show_temperatures_in(self.site.shown.temperature)
        self.papers = tried_look(self.site.papers, settings.site_folder)
        outside = [settings.data_folder, *settings.head_folders]
        if self.site.exports is not None:
            outside.append(exporter.folder)
        self.heads = HeadKeeper(self.store, self.keys, self.plan.site, self.plan.code, outside)
        self.sealing = Workroom("sealing", within_s=DRAW_S)  # what is entered in the ledger
        self.drawing = Workroom("drawing", MAKERS, within_s=DRAW_S, most_waiting=64)  # papers
        maker = PaperMaker(
            self.store, self.keys, self.look, self.drawing, self.site.exports is not None
        )
        self.sender = Sender(self.store)
        self.sender.add(PAPER, maker.send, UNDER_WAY)
        self.sender.add(EXPORT, exporter.send)
        self.printing = Printing(self.site.printer, self.store)
        self.sender.add(PRINT, self.printing.send)
        self.messenger = Messenger(
            self.site.send, settings.site_folder, self.store, self.plan.site, self.plan.code
        )
        for plan in self.site.send:
            self.sender.add(plan.name, partial(self.messenger.send, plan), AT_ONCE)
        site = self.plan.site, self.look.zone
        self.keeper = LedgerKeeper(
            self.store,
            self.keys,
            self.heads,
            self.sender,
            self.sealing,
            site,
            settings.base_url,
            self.messenger.queue_document,
        )
        self.maintenance = Maintenance(self.site.maintenance, settings.site_folder, self.store)
        self.sender.add(MAINTENANCE, self.maintenance.send)
        self.places = Places(self.store, self.plan.code)
        self.carrier = Carrier(
            self.store,
            self.places,
            self.keys,
            Named(self.plan.site, self.plan.code),
            self.site.carry,
            settings.site_folder,
        )
        self.sender.add(CARRY, self.carrier.send)
        self.issuer = Issuer(
            self.store,
            self.keeper,
            end_orders,
            self.maintenance.queue,
            self.messenger.queue_run,
            self.carrier.queue_after,
        )
        self.acts = Acts(self.store, self.keeper, self.site.printer, self.site.approvals)
        self.lots = LotKeeper(self.store, self.keeper)
        self.sender.add(lots.SUMMARY, self.lots.send)
        self.limiter, self.hashing = AttemptLimiter(), Hashing()
        self.door = Door(self.store, self.hashing, self.limiter, settings.idle_minutes)
        self.codes: dict[str, CodeSecret] = {}  # by account: given, and not yet confirmed
        self.first_code = ""
        self.challenger = Challenger(settings.kinds)
        self.study = Workroom(
            "study", within_s=STUDY_S, kinds=settings.kinds
        )  # what people hand in
        # What anybody may ask for has a room by itself: however many ask, no engineer waits.
        self.verifying = Workroom("verifying")
        fixtures = [each.code for each in self.plan.fixtures]
        self.reports = ReportKeeper(
            self.places, self.papers.look, self.plan.site, settings.base_url, settings.kinds
        )
        self.watcher = Watcher(self.store, self.places, self.papers.look.zone, fixtures)
        self.check = LedgerCheck(settings.database, outside, self.heads.benches)
        self.retention = Retention(self.site.keep, bool(self.site.carry.to), self.store)
        self._daily: asyncio.Task[None] | None = None

    @property
    def look(self) -> Look:
        """How papers look."""
        return self.papers.look

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
        paused = await self.store.write(series.pause_unfinished)
        if paused:
            logger.warning("series paused", extra={"series": paused})
        await self.heads.open()
        await self.bench.open(self._run_ended)
        for problem in self.papers.problems:
            logger.warning("template not used", extra={"reason": problem})
        self._daily = asyncio.create_task(self.heads.keep_daily())
        await asyncio.to_thread(self.places.open)
        self.sender.open()
        await asyncio.to_thread(self.carrier.clear)
        self.carrier.open()
        await asyncio.to_thread(self.reports.open)
        self.watcher.open()
        self.issuer.catch_up()

    def _run_ended(self, run_id: str) -> None:
        self.issuer.issue_for(run_id)
        self.watcher.wake()

    @staticmethod
    def _put_account(account: FirstAccount, hashed: str, conn: sqlite3.Connection) -> None:
        accounts.put_account(conn, account.name, account.full_name, account.role, hashed)

    def begin_stop(self) -> None:
        """What must not wait for anything else of a stop: outputs and event streams; any thread."""
        self.bench.begin_stop()
        self.started_by.call_soon_threadsafe(self.stopping.set)

    async def close(self) -> None:
        """Abort what runs, make safe, close the records; once is enough."""
        if self._is_closed:
            return
        self._is_closed = True
        self.begin_stop()
        if self._daily is not None:
            self._daily.cancel()
        await self.issuer.close()
        await self.sender.close()
        await self.messenger.close()
        await self.watcher.close()
        await self.carrier.close()
        await self.reports.close()
        await self.bench.close()
        self.study.close()
        self.verifying.close()
        self.drawing.close()
        self.sealing.close()
        self.check.close()
        self.places.close()
        self.store.close()
        self.claim.let_go()
