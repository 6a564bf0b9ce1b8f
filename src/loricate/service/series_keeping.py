"""Series: one arming, many units; what is plugged in next is tested next."""

import asyncio
import contextlib
import logging
import sqlite3
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial

from loricate.bench.bench import Bench
from loricate.bench.errors import BenchError
from loricate.core.errors import Finding
from loricate.core.measuring.grading import Verdict
from loricate.core.planning.line import LineOptions
from loricate.core.planning.series import LOOKS, Exchange, first_serial, next_serial, sum_up
from loricate.core.sequences.ready import ReadySequence
from loricate.records import lots, runs, sequences, series, units
from loricate.records.errors import RecordsError
from loricate.records.series import SeriesRecord
from loricate.records.store import Store
from loricate.service.arming import ARM_LASTS_S, WATCH_S, InSeries, Permission
from loricate.service.errors import NotReady, ServiceError, WrongState
from loricate.service.holding import BenchHolders
from loricate.service.lot_keeping import lot_findings
from loricate.service.printing import check_printed
from loricate.service.running import Runs

logger = logging.getLogger("loricate.service")
SIGN_IN_EACH_S = 1.0
LET_GO_S = 1.0  # between plugging a unit in and the first that may be hazardous to who did
MOST_WAITING = 100  # serials
AGAIN = "Begun again every {:g} s by its series, with the unit left in"
SignedIn = Callable[[sqlite3.Connection, str], bool]


@dataclass(frozen=True, slots=True)
class ByWhom:
    """Whose arming it is: the account, and the digest of the sign-in that must hold."""

    account: str
    sign_in: str


@dataclass(slots=True)
class Live:
    """A series that is on."""

    record: SeriesRecord
    sequence: ReadySequence
    by: ByWhom
    exchange: Exchange
    until: float  # on the monotonic clock: when its arming ends
    run: str = ""  # under way
    dropped: str = ""  # why the arming ends with the run under way
    signed_in_at: float = 0.0  # when that was seen last
    began: float = 0.0  # on the monotonic clock: its last test
    load: tuple[tuple[str, str], ...] = ()  # nest and serial of the units tested last
    may_go_again: bool = False  # those units, if they stay in
    is_again: bool = False  # the run under way is of units that stayed in
    is_taken: bool = False  # the units that are in were taken for those of the run under way
    looking: asyncio.Lock = field(default_factory=asyncio.Lock)
    watch: asyncio.Task[None] = field(init=False)

    @property
    def is_armed(self) -> bool:
        """Whether high voltage may come on by it at any moment."""
        return self.sequence.is_hazardous

    @property
    def wait_s(self) -> float:
        """How long no test begins yet, by the rhythm of its line."""
        return max(0.0, self.began + self.record.line.again_s - time.monotonic())

    @property
    def goes_again(self) -> bool:
        """Whether the units that are in are tested again once the time is there."""
        return self.may_go_again and not self.run and self.exchange.are_the_same

    @property
    def holding(self) -> str:
        """What it has the bench for, in words."""
        return f"series {self.record.id}"


@dataclass(frozen=True, slots=True)
class Seen:
    """A series that is on as it stands: the run under way, and how its units are exchanged."""

    run: str
    armed_left_s: float | None
    to_take_out: tuple[str, ...]
    to_plug_in: tuple[str, ...]
    is_ending: bool = False
    goes_again: bool = False  # with the units that are in
    wait_s: float = 0.0  # until a test may begin, by the rhythm of its line


class SeriesKeeper:
    """The series of one service. One at a time is on, and has the bench."""

    def __init__(
        self, store: Store, bench: Bench, holders: BenchHolders, runs: Runs, signed_in: SignedIn
    ) -> None:
        self.store, self.bench, self.holders, self.runs = store, bench, holders, runs
        self._signed_in = signed_in
        self._live: Live | None = None
        self._ending: Live | None = None  # off already, and that is still being kept
        self._watches: set[asyncio.Task[None]] = set()
        holders.add(lambda: self._live.holding if self._live is not None else "")

    @property
    def on(self) -> str:
        """The id of the series that is on; empty when none is."""
        return self._live.record.id if self._live is not None else ""

    def seen(self, series_id: str) -> Seen | None:
        """How a series stands; None when it is not on."""
        live = self._live or self._ending
        if live is None or live.record.id != series_id:
            return None
        is_ending = self._live is None
        left_s = max(0.0, live.until - time.monotonic()) if live.is_armed else None
        exchange = live.exchange
        return Seen(
            live.run,
            None if is_ending else left_s,
            exchange.to_take_out,
            exchange.to_plug_in,
            is_ending,
            live.goes_again,
            live.wait_s,
        )

    async def begin(
        self,
        account: str,
        sequence_code: str,
        fixture: str,
        nests: list[str],
        lot: str,
        count_from: str,
        line: LineOptions,
    ) -> str:
        """Check everything, then make a series, paused; gives its id."""

        def look(conn: sqlite3.Connection) -> tuple[sequences.SequenceRecord, ReadySequence, str]:
            record = sequences.released_sequence(conn, sequence_code)
            self._refuse_while_held(conn, sequence_code, fixture)
            first = _first_serial(conn, record.product, count_from)
            if lot:
                _check_lot(conn, lot, record.product, first)
            return record, sequences.ready_sequence(conn, record), first

        record, sequence, first = await self.store.read(look)
        line = line.over(sequence.line)
        check_printed(line, self.runs.printer)
        if sequence.is_hazardous and line.again_s > ARM_LASTS_S:
            most = f"{ARM_LASTS_S:g} s"
            raise NotReady.because(
                [
                    Finding(
                        "line.repeat_every",
                        f"is more than {most}: no bench stays armed for longer with nothing done",
                        f"give {most} or less, or 0 s.",
                    )
                ]
            )
        nests = nests or self._nests_felt(fixture)
        await self._check(sequence, fixture, nests)

        def make(conn: sqlite3.Connection) -> str:
            made = (record.code, record.revision)
            series_id = series.add_series(
                conn, made, fixture, nests, lot, count_from, line, account
            )
            if first:
                series.give_serial(conn, series_id, first, account)
            return series_id

        return await self.store.write(make)

    def _nests_felt(self, fixture: str) -> list[str]:
        """The first nest of a fixture that has a switch, where nobody said which."""
        inputs = self.bench.plan.inputs
        return list(inputs.presence.get(fixture, {}))[:1] if inputs else []

    async def _check(self, sequence: ReadySequence, fixture: str, nests: list[str]) -> None:
        inputs = self.bench.plan.inputs
        felt = inputs.presence.get(fixture, {}) if inputs else {}
        if self.bench.plan.find_fixture(fixture) and not all(
            nest in felt for nest in nests or [""]
        ):
            known = f"it has them for {', '.join(felt)}" if felt else "it has none"
            raise NotReady.because(
                [
                    Finding(
                        "nests",
                        f"fixture {fixture} has no switch that feels a unit there; {known}",
                        "a series goes by them: add them to [inputs.presence] of the bench file.",
                    )
                ]
            )
        load = [(nest, f"of nest {nest}") for nest in nests]
        await self.runs.check(sequence, fixture, load)

    @staticmethod
    def _refuse_while_held(conn: sqlite3.Connection, sequence: str, fixture: str) -> None:
        held = series.held_with(conn, sequence, fixture)
        if held is not None:
            raise WrongState(f"Series {held.id} of {sequence} on {fixture} is held: {held.note}")

    async def arm(self, series_id: str, by: ByWhom) -> None:
        """Let a series go on, and high voltage with it; checks bench, guard and switches again."""
        async with self.holders.starting:
            if self._live is not None and self._live.record.id == series_id:
                raise WrongState("The series is on already.")
            if self._ending is not None:
                raise WrongState("A series is just being paused; arm again in a moment.")

            def look(conn: sqlite3.Connection) -> tuple[SeriesRecord, ReadySequence]:
                record = series.get_series(conn, series_id)
                if record.state == series.ENDED:
                    raise WrongState("The series has ended; begin another.")
                if record.state == series.HELD:
                    raise WrongState(f"The series is held: {record.note}")
                self._refuse_while_held(conn, record.sequence_code, record.fixture)
                found = sequences.get_sequence(conn, record.sequence_code, record.sequence_revision)
                return record, sequences.ready_sequence(conn, found)

            record, sequence = await self.store.read(look)
            self.holders.refuse_if_busy()
            await self._check(sequence, record.fixture, list(record.nests))
            if sequence.is_hazardous and not await self.bench.guard_is_closed():
                raise WrongState("The guard is open; close it, then arm again.")
            await self.bench.units_present(record.fixture, record.nests)
            exchange = Exchange(record.nests, LET_GO_S if sequence.is_hazardous else 0.0)
            live = Live(record, sequence, by, exchange, time.monotonic() + ARM_LASTS_S)

            def keep(conn: sqlite3.Connection) -> None:
                # One that says it is on, and is not, could not keep that it was paused.
                if series.get_series(conn, series_id).state not in (series.PAUSED, series.ON):
                    raise WrongState("The series is not paused any more.")
                _count_up(conn, record, by.account)
                series.set_state(conn, series_id, series.ON, by.account)

            await self.store.write(keep)
            self._live = live
            if live.is_armed:
                self.bench.armed_by.add(live.holding)
            live.watch = asyncio.create_task(self._watch(live))
            self._watches.add(live.watch)
            live.watch.add_done_callback(self._watches.discard)

    async def give_serial(self, series_id: str, serial: str, account: str) -> None:
        """Take the serial of a unit to come; raises NotReady where it cannot be tested."""

        def keep(conn: sqlite3.Connection) -> None:
            record = _going_on(conn, series_id)
            if record.is_counted:
                raise WrongState(
                    f"The serials of this series are counted from {record.count_from}."
                )
            waiting = series.waiting_serials(conn, series_id)
            if serial.casefold() in {each.casefold() for each in waiting}:
                raise _refused("serial", f"{serial} waits already.")
            if len(waiting) >= MOST_WAITING:
                raise _refused("serial", f"{len(waiting)} wait already; plug those in first.")
            if record.lot:
                product = sequences.get_sequence(
                    conn, record.sequence_code, record.sequence_revision
                ).product
                _check_lot(conn, record.lot, product, serial)
            series.give_serial(conn, series_id, serial, account)

        await self.store.write(keep)

    async def withdraw_serial(self, series_id: str, serial: str, account: str) -> None:
        """Take back the serial of a unit to come."""

        def keep(conn: sqlite3.Connection) -> None:
            record = _going_on(conn, series_id)
            if record.is_counted:
                raise WrongState("The serials of this series are counted; end it instead.")
            series.withdraw_serial(conn, series_id, serial, account)

        await self.store.write(keep)

    async def stop(self, series_id: str, account: str) -> None:
        """End a series: outputs fall first, whatever it does."""
        await self._take_off(series_id, account)
        async with self.holders.starting:  # whoever was arming it has done so by then
            pass
        await self._take_off(series_id, account)

        def keep(conn: sqlite3.Connection) -> None:
            record = _going_on(conn, series_id)
            if record.state == series.HELD:
                raise WrongState(f"The series is held: {record.note}")
            series.give_back(conn, series_id)
            series.set_state(conn, series_id, series.ENDED, account, f"{account} stopped it.")

        await self.store.write(keep)

    async def _take_off(self, series_id: str, account: str) -> None:
        """Have a series not be on; returns when nobody looks after it any more."""
        live = self._live
        if live is None or live.record.id != series_id:
            return
        self._forget(live)
        if live.run:
            await self._call_off(live, account, f"{account} stopped the series.")
        await asyncio.wait([live.watch])

    async def let_go_on(self, series_id: str, reason: str, account: str) -> None:
        """An engineer has seen why units fail: a held series may be armed again."""

        def keep(conn: sqlite3.Connection) -> None:
            record = series.get_series(conn, series_id)
            if record.state != series.HELD:
                raise WrongState(f"The series is {record.state}; nothing holds it.")
            series.let_go_on(conn, series_id, account, reason)

        await self.store.write(keep)

    def drop(self) -> None:
        """Let no more unit be tested; what runs is aborted by those who have the runs."""
        if self._live is not None:
            self._forget(self._live)

    async def close(self) -> None:
        """Drop what is on, and wait until nobody looks after it."""
        self.drop()
        if self._watches:
            await asyncio.wait(list(self._watches))

    def _forget(self, live: Live) -> None:
        if self._live is live:
            self._live = None
        self.bench.armed_by.discard(live.holding)

    async def _watch(self, live: Live) -> None:
        """Look after a series until it is paused, held or stopped.

        Switches, guard or records that do not answer pause it, and so does whatever else goes
        wrong.
        """
        why = ""
        try:
            while self._live is live and not why:
                await self._look(live)
                why = await (self._follow(live) if live.run else self._await_units(live))
                await asyncio.sleep(WATCH_S)
        except (BenchError, ServiceError, RecordsError) as error:
            why = str(error)
        except Exception as error:
            logger.exception("series paused", extra={"series": live.record.id})
            why = f"It could not go on: {error}"
        finally:
            was_on = self._live is live
            if was_on:
                self._ending = live
            self._forget(live)
            if live.run:
                await self._call_off(live, live.by.account, why or "The series was stopped.")
            if was_on:
                await self._keep_end(live, why or "The service is stopping.")

    async def _keep_end(self, live: Live, why: str) -> None:
        def keep(conn: sqlite3.Connection) -> None:
            record = series.get_series(conn, live.record.id)
            if record.state != series.ON:
                return  # it was stopped meanwhile
            series.give_back(conn, record.id)
            if held := _why_held(conn, record):
                series.set_state(conn, record.id, series.HELD, "service", held)
            else:
                series.set_state(conn, record.id, series.PAUSED, "service", why)

        try:
            await self.store.write(keep)
        except Exception:  # what is written is not what arms
            logger.exception("pause not recorded", extra={"series": live.record.id})
        finally:
            if self._ending is live:
                self._ending = None

    async def _look(self, live: Live) -> None:
        """Feel every nest, now; looks are taken in in the order in which they were begun."""
        async with live.looking:
            began_s = time.monotonic()
            present = await self.bench.units_present(live.record.fixture, live.record.nests)
            live.exchange.see(present, began_s, time.monotonic())

    async def _doubt_at_end(self, live: Live) -> str:
        """Why what was measured may not be the units' that are in; asked once nothing is on.

        Who is pulled out at the last moment is felt by looks that begin after it.
        """
        try:
            for _ in range(LOOKS):
                await asyncio.sleep(WATCH_S)
                await self._look(live)
        except BenchError as error:
            return str(error)
        return live.exchange.doubt

    async def _follow(self, live: Live) -> str:
        """Look after the run under way; gives why the series does not go on after it."""
        engine = self.runs.engines.get(live.run)
        if engine is not None and engine.has_bench:
            if live.is_armed and not await self.bench.guard_is_closed():
                # Hands may be in where the run asked for it: it asks for the guard after that.
                if not self.bench.reach.inside:
                    live.dropped = "The guard was opened."
            if engine.has_bench and (doubt := live.exchange.doubt):
                raise WrongState(doubt)
            return ""
        if engine is not None and engine.is_running:
            return ""  # its end is being kept
        return await self._end_load(live)

    async def _end_load(self, live: Live) -> str:
        """Take in how a run has ended; gives why the series does not go on."""
        run_id = live.run

        def look(conn: sqlite3.Connection) -> tuple[str, bool]:
            run = runs.get_summary(conn, run_id)
            left = series.unsettled(conn, run_id)
            if run["state"] == "finished" and not left:
                return _why_held(conn, live.record), run["verdict"] == Verdict.PASS
            why = run["note"] or "see its run."
            what = f"{' and '.join(left)} could not be tested to a verdict" if left else "It ended"
            return f"{what}: {why}", False

        why, have_passed = await self.store.read(look)
        why = why or live.dropped
        if not why:
            # What failed under a voltage that is dangerous is not put under it again by a clock.
            live.may_go_again = live.record.line.again_s > 0 and (have_passed or not live.is_armed)
            live.until = time.monotonic() + max(ARM_LASTS_S, live.wait_s + WATCH_S)
            await self.store.write(lambda c: _count_up(c, live.record, live.by.account))
        live.run = ""  # only now: whoever looks sees the next serials as well
        return why

    async def _await_units(self, live: Live) -> str:
        """Look after a series between two runs; gives why it is paused."""
        if live.is_armed and not await self.bench.guard_is_closed():
            return "The guard was opened."
        if live.is_armed and time.monotonic() >= live.until:
            return f"No unit was plugged in for {ARM_LASTS_S / 60:g} minutes."
        await self._check_sign_in(live)
        if live.wait_s:
            return ""
        if live.goes_again:
            await self._begin_run(live, list(live.load), is_again=True)
        elif live.exchange.is_done:
            nests = live.record.nests
            serials = await self.store.read(
                lambda conn: series.waiting_serials(conn, live.record.id)[: len(nests)]
            )
            if len(serials) == len(nests):
                await self._begin_run(live, list(zip(nests, serials, strict=True)))
        return ""

    async def _check_sign_in(self, live: Live, each_s: float = SIGN_IN_EACH_S) -> None:
        """Raise WrongState where the sign-in that a series goes by has ended."""
        now = time.monotonic()
        if now - live.signed_in_at < each_s:
            return
        by = live.by
        if not await self.store.read(lambda conn: self._signed_in(conn, by.sign_in)):
            raise WrongState(f"The sign-in of {by.account} has ended; sign in and arm again.")
        live.signed_in_at = now

    async def _begin_run(
        self, live: Live, load: list[tuple[str, str]], is_again: bool = False
    ) -> None:
        """Make and start the run of the units that are in; their nests are felt meanwhile.

        Records on a busy disk may take longer over it than a nest may go unfelt.
        """
        live.is_again, live.is_taken = is_again, is_again
        is_made = asyncio.Event()
        feeling = asyncio.create_task(self._feel_until(is_made, live))
        try:
            await self._make_and_start(live, load)
        finally:
            is_made.set()
            await asyncio.wait([feeling])  # not cancelled: its answer would come to another look
        live.began, live.load = time.monotonic(), tuple(load)

    async def _feel_until(self, is_made: asyncio.Event, live: Live) -> None:
        """Go on feeling the nests; one that cannot be felt is found by whoever looks next."""
        with contextlib.suppress(BenchError):
            while not is_made.is_set():
                await self._look(live)
                await asyncio.sleep(WATCH_S)

    async def _make_and_start(self, live: Live, load: list[tuple[str, str]]) -> None:
        record, is_again = live.record, live.is_again
        if record.is_counted and not is_again:
            await self._refuse_tested(live, [serial for _, serial in load])
        within = InSeries(record.id, record.sequence_revision, live.holding, is_again)
        live.run = await self.runs.create(
            live.by.account,
            record.sequence_code,
            record.fixture,
            load,
            lot=record.lot,
            retest=AGAIN.format(record.line.again_s) if is_again else "",
            start_by="series",
            line=record.line.model_copy(update={"stop_after_fails": 0}),  # the series counts
            within=within,
        )
        permission = Permission(
            partial(self._check_start, live), live.holding, partial(self._doubt_at_end, live)
        )
        await self.runs.start(live.run, live.by.account, permission)

    async def _refuse_tested(self, live: Live, serials: list[str]) -> None:
        product = live.sequence.product.code
        tested = await self.store.read(
            lambda conn: lots.tested_before(conn, product, serials, in_lots_only=False)
        )
        for serial, verdict in tested.items():
            raise WrongState(
                f"{serial} was tested already ({verdict}); begin a series that counts from another."
            )

    async def _check_start(self, live: Live) -> None:
        """Raise WrongState unless a series still allows the run of the units that are in now.

        Whoever asks for the first time takes them for those of the run: from then on, none may be
        taken out.
        """
        await self._check_sign_in(live, 0.0)
        if live.is_armed and not await self.bench.guard_is_closed():
            raise WrongState("The guard was opened.")
        await self._look(live)
        if self._live is not live:
            raise WrongState("The series was stopped.")
        exchange = live.exchange
        if live.run and not (exchange.are_the_same if live.is_taken else exchange.is_done):
            raise WrongState("A unit was taken out as its test began, or was not felt for a while.")
        if live.is_armed and time.monotonic() >= live.until:
            raise WrongState("The arming has ended.")
        if not live.is_taken:
            exchange.begin()
            live.is_taken = True

    async def _call_off(self, live: Live, account: str, why: str) -> None:
        """Abort the run of a series, whether it was started or only made."""
        try:
            await self.runs.abort(live.run, account, why)
        except WrongState:
            pass  # it has ended by itself
        except Exception:
            logger.exception("run not called off", extra={"run": live.run})


def _refused(field_name: str, message: str) -> NotReady:
    return NotReady.because([Finding(field_name, message)])


def _first_serial(conn: sqlite3.Connection, product: str, count_from: str) -> str:
    """The serial that a series begins to count with; nothing where serials are scanned."""
    if not count_from:
        return ""
    pattern = count_from.replace("#", "?")
    try:
        first = first_serial(count_from, units.known_serials(conn, product, pattern))
    except ValueError as error:
        raise _refused("count_from", str(error)) from error
    for serial, verdict in lots.tested_before(conn, product, [first], False).items():
        raise _refused("count_from", f"{serial} was tested already ({verdict}); begin higher.")
    return first


def _check_lot(conn: sqlite3.Connection, code: str, product: str, serial: str) -> None:
    """Raise NotReady where a lot is not to be had, or a serial is none of its."""
    load = [("", serial)] if serial else []
    if found := lot_findings(conn, code, product, load):
        raise NotReady.because(found)


def _going_on(conn: sqlite3.Connection, series_id: str) -> SeriesRecord:
    record = series.get_series(conn, series_id)
    if record.state == series.ENDED:
        raise WrongState("The series has ended; begin another.")
    return record


def _count_up(conn: sqlite3.Connection, record: SeriesRecord, account: str) -> None:
    """Have as many serials wait as a load takes, where they are counted."""
    if not record.is_counted:
        return
    waiting = len(series.waiting_serials(conn, record.id))
    last = series.last_serial(conn, record.id)
    try:
        for _ in range(waiting, len(record.nests)):
            last = next_serial(last) if last is not None else record.count_from
            series.give_serial(conn, record.id, last, account)
    except ValueError as error:
        raise WrongState(f"There is no serial left. {error}") from error


def _why_held(conn: sqlite3.Connection, record: SeriesRecord) -> str:
    """Why only an engineer may let a series go on; empty when so many have not failed."""
    most = record.line.fails_in_a_series
    if not most:
        return ""
    loads = series.loads_of(conn, record.id)
    counted_from = sum(run_id <= record.counted_after for run_id, _ in loads)
    failed = sum_up([load for _, load in loads], counted_from).failed_in_a_row
    if failed < most:
        return ""
    told = "A unit" if failed == 1 else f"{failed} units"
    after = "" if failed == 1 else " one after another"
    return (
        f"{told} failed{after}. An engineer looks at that first and says what it was; then the "
        "series is armed again."
    )
