"""The desk: joins records, bench, execution and certificates into the acts of a run's life."""

import asyncio
import datetime as dt
import hashlib
import logging
import shutil
import sqlite3
import time
from collections.abc import AsyncIterator, Mapping
from functools import partial
from typing import Any

from loricate import __version__
from loricate.bench.bench import Bench
from loricate.bench.errors import BenchError
from loricate.bench.plan import read_bench_plan
from loricate.certificates.sealing import load_or_make_site_key
from loricate.core.actions import Answer
from loricate.core.errors import Finding
from loricate.core.grading import Cause, StepGrade, Verdict
from loricate.core.lots import check_lot
from loricate.core.sequences import ReadySequence, ReadyStep
from loricate.execution.engine import Engine, LoadedUnit
from loricate.execution.events import Event
from loricate.execution.preflight import check_bench, check_load, needed_roles
from loricate.records import accounts, audit, definitions, lots, runs
from loricate.records.store import Store
from loricate.service.issuing import Issuer
from loricate.service.problems import KeyReused, NotReady, WrongState
from loricate.service.settings import FirstAccount, Settings
from loricate.service.sign_in import AttemptLimiter, hasher

ARM_LASTS_S = 300.0
GUARD_WATCH_S = 0.25
ARMABLE = ("created", "armed", "interrupted")
KEPT_ENGINES = 20  # runs whose events can still be followed from the first; none of them runs
logger = logging.getLogger("loricate.service")


class _Recorder:
    """Leaves the engine's results in the records."""

    def __init__(self, desk: "Desk", run_id: str) -> None:
        self.desk, self.run_id = desk, run_id

    async def attempt(
        self,
        unit: LoadedUnit,
        index: int,
        step: ReadyStep,
        grade: StepGrade,
        note: str,
        started: str,
    ) -> None:
        place = (index, step.id, step.kind.name, step.title)
        await self.desk.store.write(
            lambda conn: runs.add_attempt(conn, unit.run_unit_id, place, grade, note, started)
        )

    async def ended(
        self, state: str, note: str, verdict: Verdict, units: Mapping[str, tuple[Verdict, str]]
    ) -> None:
        def keep(conn: sqlite3.Connection) -> None:
            runs.set_verdicts(conn, self.run_id, verdict, units)
            runs.set_state(conn, self.run_id, state, "engine", note)

        await self.desk.store.write(keep)
        await self.desk.issuer.issue_for(self.run_id)


def _loaded(unit: Mapping[str, Any]) -> LoadedUnit:
    """A unit in its nest, with the verdicts of the steps that an earlier start finished."""
    loaded = LoadedUnit(unit["id"], unit["nest"], unit["serial"])
    for attempt in unit["attempts"]:
        loaded.verdicts[attempt["step_id"]] = Verdict(attempt["verdict"])
        if attempt["verdict"] != Verdict.PASS and not loaded.cause:
            loaded.cause = Cause(attempt["cause"])
    return loaded


class Desk:
    """Everything one service holds. Opened and closed by the application's lifespan."""

    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        self.store = Store(settings.database)
        self.bench = Bench(read_bench_plan(settings.bench_file), settings.bench_file.parent)
        self.site_key = load_or_make_site_key(settings.site_key)
        self.issuer = Issuer(self.store, self.site_key, settings.base_url, settings.page_size)
        self.limiter = AttemptLimiter()
        self.engines: dict[str, Engine] = {}
        self._armed: dict[str, float] = {}
        self._watches: set[asyncio.Task[None]] = set()
        self._starting = asyncio.Lock()

    async def open(self) -> None:
        """Make accounts, mark runs that a dead service left, make the bench safe."""
        for account in self.settings.accounts:
            hashed = await asyncio.to_thread(hasher.hash, account.password)
            await self.store.write(partial(self._put_account, account, hashed))
        interrupted = await self.store.write(runs.interrupt_unfinished)
        if interrupted:
            logger.warning("runs interrupted", extra={"runs": interrupted})
        await self.bench.connect()
        await self.bench.make_safe()
        await self.issuer.issue_missing()

    @staticmethod
    def _put_account(account: FirstAccount, hashed: str, conn: sqlite3.Connection) -> None:
        accounts.put_account(conn, account.name, account.full_name, account.role, hashed)

    async def close(self) -> None:
        """Abort what runs, make safe, close the records."""
        self._armed.clear()
        for watch in list(self._watches):
            watch.cancel()
        for engine in self.engines.values():
            if engine.is_running:
                engine.abort("The service is stopping.")
                await engine.wait()
        await self.bench.close()
        self.store.close()

    def _bench_facts(self, sequence: ReadySequence) -> dict[str, Any]:
        """What a run keeps of the bench: its name and the instruments that the sequence uses."""
        needed = {str(role) for role in needed_roles(sequence)}
        return {
            "code": self.bench.plan.code,
            "site": self.bench.plan.site,
            "instruments": [
                {
                    "id": state.id,
                    "title": state.title,
                    "identity": state.identity,
                    "serial": state.serial,
                    "calibrated": str(state.calibrated),
                    "due": str(state.due),
                    "certificate": state.certificate,
                }
                for state in self.bench.states()
                if state.role in needed
            ],
        }

    async def _check(
        self, sequence: ReadySequence, fixture: str, load: list[tuple[str, str]]
    ) -> None:
        found = list(check_load(self.bench.plan, fixture, load, sequence))
        if not any(engine.is_running for engine in self.engines.values()):
            await self.bench.look()
        today = dt.datetime.now(dt.UTC).date()
        found += check_bench(self.bench.states(), self.bench.capabilities(), sequence, today)
        free = shutil.disk_usage(self.settings.data_folder).free
        if free < self.settings.least_free_bytes:
            needed = self.settings.least_free_bytes // 2**20
            found.append(
                Finding(
                    "disk",
                    f"{free // 2**20} MiB are free where the records are, {needed} MiB are needed; "
                    "make room first.",
                )
            )
        if found:
            raise NotReady.because(found)

    async def create_run(
        self,
        account: str,
        sequence_code: str,
        fixture: str,
        load: list[tuple[str, str]],
        lot: str,
        retest: str,
        key: str | None,
    ) -> str:
        """Check everything, then make a run; gives its id. The same key gives the same run."""
        request_digest = hashlib.sha256(
            repr((sequence_code, fixture, load, lot, retest)).encode()
        ).hexdigest()
        if key is not None:
            kept = await self.store.read(lambda conn: runs.find_idempotent(conn, account, key))
            if kept is not None:
                if kept[0] != request_digest:
                    raise KeyReused("This Idempotency-Key made another run; use a fresh key.")
                return kept[1]
        record = await self.store.read(lambda c: definitions.get_sequence(c, sequence_code))
        sequence = await self.store.read(lambda c: definitions.ready_sequence(c, record))
        await self._check(sequence, fixture, load)
        if lot:
            look = partial(self._lot_findings, lot, record.product, load, retest)
            found = await self.store.read(look)
            if found:
                raise NotReady.because(found)

        def make(conn: sqlite3.Connection) -> str:
            kept = None if key is None else runs.find_idempotent(conn, account, key)
            if kept is not None:  # the same request came in between, over another connection
                return kept[1]
            run_id = runs.add_run(
                conn, (record.code, record.revision), record.product, fixture, dict(load),
                self._bench_facts(sequence), __version__, account, lot,
                retest,
            )  # fmt: skip
            if key is not None:
                runs.keep_idempotent(conn, account, key, request_digest, run_id)
            return run_id

        return await self.store.write(make)

    @staticmethod
    def _lot_findings(
        code: str, product: str, load: list[tuple[str, str]], retest: str, conn: sqlite3.Connection
    ) -> tuple[Finding, ...]:
        lot = lots.find_lot(conn, code)
        before = lots.tested_before(conn, product, [serial for _, serial in load])
        own = None if lot is None else (lot.product, lot.state, lot.serials)
        return check_lot(code, own, product, load, before if not retest else {})

    async def _sequence_of(self, run: Mapping[str, Any]) -> ReadySequence:
        code, revision = run["sequence_code"], run["sequence_revision"]
        return await self.store.read(
            lambda conn: definitions.ready_sequence(
                conn, definitions.get_sequence(conn, code, revision)
            )
        )

    async def arm(self, run_id: str, account: str) -> None:
        """Allow high voltage for one run, new or interrupted; checks bench and guard again."""
        run = await self.store.read(lambda conn: runs.get_run(conn, run_id))
        if run["state"] not in ARMABLE:
            raise WrongState(f"The run is {run['state']}; create a new run to test again.")
        load = [(unit["nest"], unit["serial"]) for unit in run["units"]]
        await self._check(await self._sequence_of(run), run["fixture"], load)
        if not await self.bench.guard_is_closed():
            raise WrongState("The guard is open; close it, then arm again.")
        await self.store.write(lambda conn: runs.set_state(conn, run_id, "armed", account))
        self._armed[run_id] = time.monotonic() + ARM_LASTS_S
        watch = asyncio.create_task(self._watch_arming(run_id))
        self._watches.add(watch)
        watch.add_done_callback(self._watches.discard)

    async def _watch_arming(self, run_id: str) -> None:
        """Drop the arming when its time is over, or when the guard opens or does not answer."""
        while time.monotonic() < self._armed.get(run_id, 0.0):
            try:
                is_closed = await self.bench.guard_is_closed()
            except BenchError:
                is_closed = False
            if not is_closed:
                break
            await asyncio.sleep(GUARD_WATCH_S)
        if self._armed.pop(run_id, None) is not None:
            await self.store.write(partial(self._disarm, run_id))

    @staticmethod
    def _disarm(run_id: str, conn: sqlite3.Connection) -> None:
        runs.set_state(conn, run_id, "created", "service", "The arming was dropped.")

    async def start(self, run_id: str, account: str) -> None:
        """Start an armed run; raises WrongState when it is not armed or another one runs."""
        async with self._starting:
            run = await self.store.read(lambda conn: runs.get_run(conn, run_id))
            if run["state"] != "armed":
                raise WrongState(f"The run is {run['state']}; arm it first.")
            busy = next((each for each in self.engines.values() if each.is_running), None)
            if busy is not None:
                raise WrongState(f"The bench is busy with run {busy.run_id}; wait for its end.")
            sequence = await self._sequence_of(run)
            fixture = self.bench.plan.find_fixture(run["fixture"])
            if fixture is None:
                raise WrongState(f"The bench no longer has fixture {run['fixture']}.")
            units = [_loaded(unit) for unit in run["units"]]
            recorder = _Recorder(self, run_id)
            engine = Engine(run_id, sequence, fixture, units, self.bench, recorder)
            # Claimed in one step: the guard may have opened while the run was looked up.
            if self._armed.pop(run_id, None) is None:
                raise WrongState("The arming was dropped; arm the run again.")
            await self.store.write(lambda conn: runs.set_state(conn, run_id, "running", account))
            while len(self.engines) >= KEPT_ENGINES:
                del self.engines[next(iter(self.engines))]
            self.engines[run_id] = engine
            engine.start()

    async def abort(self, run_id: str, account: str) -> None:
        """Outputs fall first; then the run is ended and recorded as aborted."""
        engine = self.engines.get(run_id)
        if engine is not None and engine.is_running:
            engine.abort(f"Aborted by {account}.")
            await engine.wait()
            return
        run = await self.store.read(lambda conn: runs.get_run(conn, run_id))
        if run["state"] not in ARMABLE:
            raise WrongState(f"The run is {run['state']} already; there is nothing to abort.")
        self._armed.pop(run_id, None)
        note = f"Aborted by {account} before the start."
        await self.store.write(lambda conn: runs.set_state(conn, run_id, "aborted", account, note))

    async def answer(self, run_id: str, nest: str, answer: Answer, account: str) -> None:
        """Hand in an operator's answer; raises WrongState when nothing was asked there."""
        engine = self.engines.get(run_id)
        asked = engine.questions.get(nest) if engine is not None else None
        if engine is None or asked is None:
            raise WrongState(f"Nothing is being asked for nest {nest} of this run.")
        choices = asked[0].choices
        if answer.choice not in choices:
            message = f"'{answer.choice}' is not a choice; answer {', '.join(choices)}."
            raise NotReady.because([Finding("choice", message)])
        await self.store.write(
            lambda conn: audit.note(
                conn,
                account,
                "answer",
                run_id,
                f"nest {nest}: {answer.choice} {answer.note}".strip(),
            )
        )
        engine.answer(nest, answer)

    def questions(self, run_id: str) -> list[dict[str, Any]]:
        """What the run is waiting to be answered, by nest."""
        engine = self.engines.get(run_id)
        if engine is None:
            return []
        return [
            {"nest": nest, "question": ask.question, "choices": list(ask.choices)}
            for nest, (ask, _) in engine.questions.items()
        ]

    async def events(self, run_id: str, after: int) -> AsyncIterator[Event]:
        """The run's events after a number; of a run from before this start, only its end."""
        engine = self.engines.get(run_id)
        if engine is not None:
            async for event in engine.log.follow(after):
                yield event
            return
        run = await self.store.read(lambda conn: runs.get_run(conn, run_id))
        name = "state" if run["state"] in ("created", "armed") else "finished"
        data = {"state": run["state"], "verdict": run["verdict"], "note": run["note"]}
        yield Event(1, name, data)
