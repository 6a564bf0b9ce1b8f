"""The life of a run: created, armed, started, answered, aborted, repeated."""

import asyncio
import datetime as dt
import hashlib
import logging
import shutil
import sqlite3
import time
from collections.abc import Mapping
from functools import partial
from typing import Any

from loricate import __version__
from loricate.bench.bench import Bench
from loricate.bench.errors import BenchError
from loricate.core.errors import Finding
from loricate.core.measuring.actions import Answer
from loricate.core.planning.line import NOTHING_SAID, LineOptions
from loricate.core.sequences.ready import ReadySequence
from loricate.core.sequences.repeats import steps_to_repeat
from loricate.execution.driving import Cables
from loricate.execution.engine import Engine
from loricate.execution.events import EventLog
from loricate.execution.load import LoadedUnit
from loricate.execution.preflight import check_bench, check_load, needed_roles, unfit_instruments
from loricate.records import (
    ambient,
    attempts,
    audit,
    definitions,
    doubts,
    runs,
    sequences,
    series,
)
from loricate.records.ambient import Ambient
from loricate.records.store import Store
from loricate.service.ambient import kept_with_run
from loricate.service.answering import answer_question
from loricate.service.arming import ARM_LASTS_S, WATCH_S, Arming, InSeries, Permission, unchecked
from loricate.service.asset_keeping import occasion_of, wanted_run
from loricate.service.errors import KeyReused, NotReady, ServiceError, WrongState
from loricate.service.holding import BenchHolders
from loricate.service.lot_keeping import lot_findings
from loricate.service.printing import check_printed
from loricate.service.recording import Issue, LateEnds, RunRecorder, loaded
from loricate.service.settings import Settings
from loricate.service.upkeep import Upkeeps

logger = logging.getLogger("loricate.service")
AIR_WITHIN_S = 1.0  # a run does not wait longer for a thermometer
EARLIER = " So it was when other steps of this run were measured; test the unit in a new run."
ARMABLE = ("created", "armed", "interrupted")
KEPT_ENGINES = 20  # runs whose events can still be followed from the first; none of them runs


class Runs:
    """The runs of one service. One at a time has the bench."""

    def __init__(
        self,
        settings: Settings,
        store: Store,
        bench: Bench,
        issue: Issue,
        upkeeps: Upkeeps,
        holders: BenchHolders,
    ) -> None:
        self.settings, self.store, self.bench = settings, store, bench
        self.issue, self.upkeeps, self.holders = issue, upkeeps, holders
        self.late = LateEnds(store, issue)
        self.printer = settings.site.printer
        self.engines: dict[str, Engine] = {}
        self._armings: dict[str, Arming] = {}
        self._called_off: set[str] = set()  # whoever is starting one of these does not
        holders.add(self._holding)

    def _holding(self) -> str:
        return f"run {self.running}" if self.running else ""

    @property
    def running(self) -> str:
        """The id of the run that has the bench; empty when none has."""
        return next((each.run_id for each in self.engines.values() if each.has_bench), "")

    def stop(self) -> None:
        """Drop armings and abort what runs, at once."""
        for run_id, arming in list(self._armings.items()):
            self._forget_arming(run_id)
            arming.watch.cancel()
        for engine in self.engines.values():
            engine.abort("The service is stopping.")

    async def close(self) -> None:
        """Drop armings and abort what runs; its end is recorded."""
        self.stop()
        for engine in self.engines.values():
            await engine.wait()
        self.late.close()

    async def _bench_facts(
        self, sequence: ReadySequence, fixture: str, nests: list[str]
    ) -> dict[str, Any]:
        """What a run keeps of the bench: the instruments it uses, and the state of its fixture."""
        needed = {str(role) for role in needed_roles(sequence)}
        today = dt.datetime.now(dt.UTC).date()
        unfit = unfit_instruments(self.bench.states(), today)
        requirements = await self.upkeeps.requirements(fixture, sequence, nests)
        states = [
            state for state in self.bench.states() if state.role in needed and state.id not in unfit
        ]
        names = [state.id for state in states]
        answered = await self.store.read(lambda conn: doubts.answered_doubts(conn, names))
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
                for state in states
            ],
            "answered": answered,
            "unseen": {
                state.id: list(state.unseen)
                for state in self.bench.states()
                if state.unseen and state.role in {*needed, "matrix"}
            },
            "upkeep": [
                {"name": each.name, "met": each.met, "reason": each.reason} for each in requirements
            ],
        }

    async def _air(self, account: str) -> Ambient | None:
        """What the air is like: as it is measured now, else as it was said last."""
        if self.bench.climate is not None:
            name = self.bench.climate.name
            try:
                async with asyncio.timeout(AIR_WITHIN_S):
                    celsius, share = await self.bench.air()
                return await self.store.write(
                    lambda conn: ambient.add_ambient(conn, celsius, share, account, name)
                )
            except (BenchError, OSError, TimeoutError) as error:
                logger.warning("air not measured", extra={"reason": str(error)})
        return await self.store.read(ambient.newest_ambient)

    async def check(
        self,
        sequence: ReadySequence,
        fixture: str,
        load: list[tuple[str, str]],
        holding: str = "",
    ) -> None:
        """Raise NotReady with all that keeps a load from being tested now.

        ``holding`` is what the asker has the bench for already.
        """
        found = list(check_load(self.bench.plan, fixture, load, sequence))
        found += [Finding(f"bench.{name}", why) for name, why in self.bench.charged.items()]
        await self.holders.look(holding)
        today = dt.datetime.now(dt.UTC).date()
        found += check_bench(self.bench.states(), self.bench.capabilities(), sequence, today)
        if not found:
            found += await self.upkeeps.worn_nests(fixture, [nest for nest, _ in load])
        free = shutil.disk_usage(self.settings.data_folder).free
        if free < self.settings.least_free_bytes:
            needed = self.settings.least_free_bytes // 2**20
            found.append(
                Finding(
                    "disk",
                    f"{free // 2**20} MiB are free where the records are, {needed} MiB are needed",
                    "make room first.",
                )
            )
        if found:
            raise NotReady.because(found)

    async def create(
        self,
        account: str,
        sequence_code: str,
        fixture: str,
        load: list[tuple[str, str]],
        *,
        lot: str = "",
        retest: str = "",
        start_by: str = "key",
        line: LineOptions = NOTHING_SAID,
        occasion: str = "",
        key: str | None = None,
        within: InSeries | None = None,
    ) -> str:
        """Check everything, then make a run; gives its id. The same key gives the same run."""
        request_digest = hashlib.sha256(
            repr((sequence_code, fixture, load, lot, retest, start_by, line, occasion)).encode()
        ).hexdigest()
        if key is not None:
            kept = await self.store.read(lambda conn: runs.find_idempotent(conn, account, key))
            if kept is not None:
                if kept[0] != request_digest:
                    raise KeyReused("This Idempotency-Key made another run; use a fresh key.")
                return kept[1]
        asked = await self.store.read(lambda c: wanted_run(c, load, sequence_code, occasion))
        load = asked.load
        record = await self.store.read(lambda c: sequences.released_sequence(c, asked.sequence))
        if within is not None and record.revision != within.revision:
            raise WrongState(
                f"Revision {record.revision} of {record.code} is released by now; begin another "
                "series."
            )
        sequence = await self.store.read(lambda c: sequences.ready_sequence(c, record))
        why = occasion_of(asked, sequence)
        line = line.over(sequence.line)
        check_printed(line, self.printer)
        await self.check(sequence, fixture, load, within.holding if within else "")
        if lot:
            found = await self.store.read(
                lambda conn: lot_findings(conn, lot, record.product, load, bool(retest))
            )
            if found:
                raise NotReady.because(found)
        facts = await self._bench_facts(sequence, fixture, [nest for nest, _ in load])

        def make(conn: sqlite3.Connection) -> str:
            kept = None if key is None else runs.find_idempotent(conn, account, key)
            if kept is not None:  # the same request came in between, over another connection
                return kept[1]
            run_id = runs.add_run(
                conn,
                (record.code, record.revision),
                record.product,
                fixture,
                dict(load),
                facts,
                __version__,
                account,
                lot,
                retest,
                start_by,
                line,
                why,
            )
            if key is not None:
                runs.keep_idempotent(conn, account, key, request_digest, run_id)
            if within is not None:
                within.take(conn, run_id, [serial for _, serial in load])
            return run_id

        return await self.store.write(make)

    async def get(self, run_id: str) -> dict[str, Any]:
        """A run as recorded; raises NotFound."""
        return await self.store.read(lambda conn: runs.get_run(conn, run_id))

    async def _sequence_of(self, run: Mapping[str, Any]) -> ReadySequence:
        code, revision = run["sequence_code"], run["sequence_revision"]
        return await self.store.read(
            lambda conn: sequences.ready_sequence(
                conn, sequences.get_sequence(conn, code, revision)
            )
        )

    async def _other_cables(self, sequence: ReadySequence) -> Cables:
        """The wirings of other products, where the sequence is for a cable."""
        if not sequence.product.wirings:
            return ()
        known = await self.store.read(definitions.known_products)
        return tuple(
            (code, wiring)
            for code, product in known.items()
            if code != sequence.product.code
            for wiring in product.wirings
        )

    async def arm(self, run_id: str, account: str) -> None:
        """Allow high voltage for one run, new or interrupted; checks bench and guard again."""
        async with self.holders.starting:  # whoever aborts it meanwhile does so after that
            await self._arm(run_id, account)

    async def _arm(self, run_id: str, account: str) -> None:
        run = await self.get(run_id)
        if run["state"] not in ARMABLE:
            raise WrongState(f"The run is {run['state']}; create a new run to test again.")
        await self._refuse_of_series(run)
        _refuse_let_go(run)
        load = [(unit["nest"], unit["serial"]) for unit in run["units"]]
        await self.check(await self._sequence_of(run), run["fixture"], load)
        if not await self.bench.guard_is_closed():
            raise WrongState("The guard is open; close it, then arm again.")
        presses = 0
        if run["start_by"] == "foot":
            presses = await self.bench.foot_presses()
        elif run["start_by"] == "presence":
            await self.bench.units_present(run["fixture"], [nest for nest, _ in load])
        await self.store.write(lambda conn: runs.set_state(conn, run_id, "armed", account))
        watch = asyncio.create_task(self._watch_arming(run, account, presses))
        self._armings[run_id] = Arming(time.monotonic() + ARM_LASTS_S, watch)
        self.bench.armed_by.add(run_id)

    async def _watch_arming(self, run: Mapping[str, Any], account: str, presses: int) -> None:
        """Start by foot switch or presence; drop the arming at its end or when the guard opens.

        A guard or inputs that do not answer drop it as well, and so does whatever else ends this.
        """
        run_id = run["id"]
        arming = self._armings.get(run_id)
        if arming is None:
            return  # it was dropped before this began
        nests = [unit["nest"] for unit in run["units"]]
        present_before = False
        try:
            # Whoever takes the arming, or makes another, ends this without breaking off a question.
            while self._armings.get(run_id) is arming and arming.holds:
                if not await self.bench.guard_is_closed():
                    break
                wanted = False
                if run["start_by"] == "foot":
                    wanted = await self.bench.foot_presses() > presses
                elif run["start_by"] == "presence":
                    # Twice in a row: a unit that is just being put in makes and breaks contact.
                    present = all((await self.bench.units_present(run["fixture"], nests)).values())
                    wanted, present_before = present and present_before, present
                if wanted:
                    await self.start(run_id, account)
                    return
                await asyncio.sleep(WATCH_S)
        except (BenchError, ServiceError) as error:
            logger.warning("arming dropped", extra={"run": run_id, "reason": str(error)})
        except Exception:
            logger.exception("arming dropped", extra={"run": run_id})
        finally:
            if self._armings.get(run_id) is arming:
                self._forget_arming(run_id)
                try:
                    await self.store.write(partial(self._disarm, run_id))
                except Exception:  # what is written is not what arms
                    logger.exception("dropped arming not recorded", extra={"run": run_id})

    async def _refuse_of_series(self, run: Mapping[str, Any]) -> None:
        """Raise WrongState where a run of a series never came to its end.

        Nobody has felt its units since: what it measured of some may not go on with others.
        """
        if run["finished_at"] is None and await self.store.read(
            lambda conn: series.is_run_of_series(conn, run["id"])
        ):
            raise WrongState(
                "The run is of a series and did not come to its end; plug its units in again there."
            )

    def _forget_arming(self, run_id: str) -> None:
        self._armings.pop(run_id, None)
        self.bench.armed_by.discard(run_id)

    async def _check_armed(self, run_id: str) -> None:
        """Raise WrongState unless a run's arming holds, with the guard closed now."""
        arming = self._armings.get(run_id)
        if arming is None or not arming.holds:
            raise WrongState("The arming was dropped; arm the run again.")
        if not await self.bench.guard_is_closed():
            raise WrongState("The guard is open; close it, then arm the run again.")
        if self._armings.get(run_id) is not arming or not arming.holds:
            raise WrongState("The arming was dropped; arm the run again.")

    def _permission_of(self, run: Mapping[str, Any], sequence: ReadySequence) -> Permission:
        """What a run may be started by; raises WrongState where it must be armed first."""
        is_allowed = run["state"] == "armed"
        if not sequence.is_hazardous:
            if not is_allowed and run["state"] not in ARMABLE:
                raise WrongState(f"The run is {run['state']}; it is not to be started.")
            return Permission(unchecked)
        if not is_allowed:
            raise WrongState(f"The run is {run['state']}; arm it first.")
        return Permission(partial(self._check_armed, run["id"]))

    @staticmethod
    def _disarm(run_id: str, conn: sqlite3.Connection) -> None:
        runs.set_state(conn, run_id, "created", "service", "The arming was dropped.")

    async def start(self, run_id: str, account: str, permission: Permission | None = None) -> None:
        """Start a run; raises WrongState when it is not allowed or the bench is busy.

        One that puts nothing hazardous on needs no arming. Others have their own, or the
        ``permission`` of what has the bench for them.
        """
        async with self.holders.starting:
            self._called_off.discard(run_id)
            run = await self.get(run_id)
            _refuse_let_go(run)
            sequence = await self._sequence_of(run)
            if permission is None:
                await self._refuse_of_series(run)
                permission = self._permission_of(run, sequence)
                if run["state"] != "armed":  # else that was done as it was armed
                    load = [(unit["nest"], unit["serial"]) for unit in run["units"]]
                    await self.check(sequence, run["fixture"], load)
            await permission.check()
            self.holders.refuse_if_busy(permission.holding)
            fixture = self.bench.plan.find_fixture(run["fixture"])
            if fixture is None:
                raise WrongState(f"The bench no longer has fixture {run['fixture']}.")
            facts = await self._bench_facts(
                sequence, fixture.code, [unit["nest"] for unit in run["units"]]
            )
            air = await self._air(account)
            facts["ambient"] = kept_with_run(air, self.settings.site.ambient)
            engine = Engine(
                run_id,
                sequence,
                fixture,
                await self._load(run),
                self.bench,
                RunRecorder(self.store, self.issue, self.late, run_id, fixture.code),
                await self.upkeeps.zeroes(fixture.code),
                unfit_instruments(self.bench.states(), dt.datetime.now(dt.UTC).date()),
                await self._other_cables(sequence),
                permission.doubt,
                run["line"],
            )
            # Claimed last: the guard may have opened while the run was looked up.
            await permission.check()
            self._armings.pop(run_id, None)
            if any(unit["attempts"] for unit in run["units"]):
                facts = facts_going_on(run["bench"], facts)

            def keep(conn: sqlite3.Connection) -> None:
                runs.set_bench(conn, run_id, facts)
                runs.set_state(conn, run_id, "running", account)

            try:
                await self.store.write(keep)
                if run_id in self._called_off:
                    await self.store.write(partial(self._disarm, run_id))
                    raise WrongState("The run was aborted while it was being started.")
                while len(self.engines) >= KEPT_ENGINES:
                    del self.engines[next(iter(self.engines))]
                self.engines.pop(run_id, None)
                self.engines[run_id] = engine
                engine.start()
            finally:
                self.bench.armed_by.discard(run_id)

    async def _load(self, run: Mapping[str, Any]) -> list[LoadedUnit]:
        """The units with what is to be done: repeats that were asked for, else what is left."""

        def look(conn: sqlite3.Connection) -> dict[str, dict[str, str]]:
            return {unit["id"]: attempts.due_repeats(conn, unit["id"]) for unit in run["units"]}

        due = await self.store.read(look)
        is_repeat = any(due.values())
        found = []
        for unit in run["units"]:
            asked = due[unit["id"]]
            one = loaded(unit, frozenset(asked) if is_repeat else None)
            one.reasons.update(asked)
            found.append(one)
        return found

    async def abort(self, run_id: str, account: str, reason: str = "") -> None:
        """Outputs fall first; then the run is ended and recorded as aborted."""
        engine = self.engines.get(run_id)
        if engine is not None and engine.is_running:
            had_bench = engine.has_bench
            engine.abort(reason or f"Aborted by {account}.")
            await engine.wait()
            if had_bench:
                return
        self._called_off.add(run_id)
        async with self.holders.starting:  # whoever is starting it has seen that by then
            self._called_off.discard(run_id)
        run = await self.get(run_id)
        if run["state"] not in ARMABLE:
            raise WrongState(f"The run is {run['state']} already; there is nothing to abort.")
        self._forget_arming(run_id)
        # A repeat that never began leaves the run as it had ended.
        state = "aborted" if run["finished_at"] is None else "finished"
        note = reason or f"Aborted by {account} before the start."

        def keep(conn: sqlite3.Connection) -> None:
            runs.set_state(conn, run_id, state, account, note)
            attempts.withdraw_repeats(conn, run_id)

        await self.store.write(keep)

    async def repeat(self, run_id: str, nest: str, step_id: str, reason: str, account: str) -> None:
        """Ask for a failed unit, or one failed step of it, to be done again in the same run.

        The run must be armed and started again for it; what follows a repeated step and has not
        passed is done as well.
        """
        run = await self.get(run_id)
        if run["state"] not in ("finished", "aborted", "created"):
            raise WrongState(f"The run is {run['state']}; a repeat is asked for after its end.")
        await self._refuse_of_series(run)
        unit = next((each for each in run["units"] if each["nest"] == nest), None)
        if unit is None:
            raise NotReady.because([Finding("nest", f"nest {nest} is not in this run.")])
        _refuse_let_go(run)
        sequence = await self._sequence_of(run)
        one = loaded(unit, None)
        latest = {step.id: (one.latest(step.id), one.tries(step.id)) for step in sequence.steps}
        verdicts = {key: found.verdict if found else None for key, (found, _) in latest.items()}
        tries = {key: count for key, (_, count) in latest.items()}
        skipped = [key for key, (found, _) in latest.items() if found and found.cause == "skipped"]
        steps, findings = steps_to_repeat(sequence, verdicts, tries, step_id, skipped)
        if findings:
            raise NotReady.because(findings)
        counts = {each: len(one.attempts.get(each, [])) for each in steps}

        def keep(conn: sqlite3.Connection) -> None:
            attempts.ask_repeat(conn, unit["id"], counts, reason, account)
            what = f"nest {nest}: {step_id or 'the whole unit'}. {reason}"
            audit.note(conn, account, "repeat", run_id, what)
            runs.set_state(conn, run_id, "created", account, f"Repeat asked for: {what}")

        await self.store.write(keep)

    async def answer(
        self, run_id: str, nest: str, answer: Answer, number: int | None = None
    ) -> None:
        """Hand in an operator's answer; raises WrongState when nothing was asked there."""
        engine = self.engines.get(run_id)
        if engine is None or not engine.has_bench:
            raise WrongState(f"Nothing is being asked for nest {nest} of this run.")
        await answer_question(self.store, engine.questions, run_id, nest, answer, number)

    def questions(self, run_id: str) -> list[dict[str, Any]]:
        """What the run is waiting to be answered."""
        engine = self.engines.get(run_id)
        if engine is None:
            return []
        return [engine.questions.told(number) for number in engine.questions.open]

    async def log(self, run_id: str) -> EventLog:
        """The run's events; of a run from before this start, only its end."""
        engine = self.engines.get(run_id)
        if engine is not None:
            return engine.log
        run = await self.get(run_id)
        name = "state" if run["state"] in ("created", "armed") else "finished"
        log = EventLog()
        if name == "state":
            log.publish(name, state=run["state"], units=[])
        else:
            log.publish(name, state=run["state"], verdict=run["verdict"], note=run["note"])
        log.close()
        return log


def _refuse_let_go(run: Mapping[str, Any]) -> None:
    """Raise WrongState where what was measured in a run went: what it passed rests on nothing."""
    for unit in run["units"]:
        if unit["let_go_at"]:
            raise WrongState(
                f"What was measured of {unit['serial']} was let go on {unit['let_go_at'][:10]}: "
                "nothing is added to this run any more; test its units in a new one."
            )


def facts_going_on(before: Mapping[str, Any], facts: Mapping[str, Any]) -> dict[str, Any]:
    """The bench of a run that goes on: all that measured it, and each requirement at its worst.

    What was measured before a daily check, or with another instrument, stays so.
    """
    instruments = [each for each in before["instruments"] if each not in facts["instruments"]]
    unmet = {
        each["name"]: {**each, "reason": f"{each['reason'].removesuffix(EARLIER)}{EARLIER}"}
        for each in before.get("upkeep", ())
        if not each["met"]
    }
    return {
        **facts,
        "instruments": [*instruments, *facts["instruments"]],
        # A check between the parts answers no doubt of what was measured before it.
        "answered": {**facts.get("answered", {}), **before.get("answered", {})},
        "unseen": {**before.get("unseen", {}), **facts["unseen"]},
        "upkeep": list({**{each["name"]: each for each in facts["upkeep"]}, **unmet}.values()),
    }
