"""Switching: which relays of the matrix are closed for whom, opened and closed as it must be.

No relay moves while what it reaches may be charged, or under a current; what a command left that
nobody knows the end of is asked, and opened before anything else is closed; and the matrix must say
that just what was asked for is closed.
"""

import asyncio
import contextlib
from collections.abc import AsyncIterator, Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass

from loricate.bench.errors import BenchError, ChargeUnknown, InstrumentFault
from loricate.bench.instrument import Instrument
from loricate.core.measuring.scpi_values import read_value

STEP_SEPARATOR = ";"  # between the paths of a list
Point = tuple[int, int]  # row and column of a crosspoint
Holder = str | None  # an instrument, or nobody in particular
Nest = Mapping[str, int]  # the matrix column of each terminal
Rows = Mapping[str, Mapping[str, tuple[int, ...]]]  # by instrument and its terminal


@dataclass(frozen=True, slots=True)
class Wear:
    """A relay, and how often it was closed."""

    row: int
    column: int
    count: int


class Switching:
    """The relay matrix of a bench. ``may_be_charged`` says whether what a holder reaches may be."""

    def __init__(
        self, matrix: Instrument, rows: Rows, may_be_charged: Callable[[Holder], bool]
    ) -> None:
        self.matrix, self.rows, self.may_be_charged = matrix, rows, may_be_charged
        self._turn = asyncio.Lock()
        self._closed: dict[Holder, set[Point]] = {}
        self._to_open: set[Holder] = set()  # of whom paths are closed that nobody uses

    def points(
        self, name: str, terminals: Mapping[str, tuple[str, ...]], nest: Nest
    ) -> list[Point]:
        """The crosspoints that connect an instrument to the unit in a nest."""
        rows = self.rows.get(name, {})
        points = []
        for terminal, contacts in terminals.items():
            if terminal not in rows:
                raise InstrumentFault(
                    self.matrix.name, f"has no rows for {name} {terminal}; add them"
                )
            for contact in contacts:
                if contact not in nest:
                    raise InstrumentFault(
                        self.matrix.name, f"has no column for terminal {contact} in this nest"
                    )
                points += [(row, nest[contact]) for row in rows[terminal]]
        return points

    def rows_of(self, name: str) -> frozenset[int]:
        """The rows that an instrument is wired to."""
        return frozenset(row for rows in self.rows.get(name, {}).values() for row in rows)

    async def most_closed(self) -> Wear | None:
        """The relay that was closed most; None where the matrix does not count.

        Raises BenchError when it says something else.
        """
        spelling = self.matrix.profile.most_closed
        if not spelling:
            return None
        told = await self.matrix.ask(spelling)
        parts = [read_value(each) for each in told.split(",")]
        if len(parts) != 3 or not all(each >= 0 and each == int(each) for each in parts):
            raise self.matrix.misfit("how often its relays were closed", told)
        row, column, count = map(int, parts)
        return Wear(row, column, count)

    async def close(self, holder: Holder, points: set[Point]) -> None:
        """Close crosspoints for a holder, in place of its last ones."""
        async with self._turn:
            # Within the turn: whoever had it before may have lost the link.
            await self.matrix.ready()
            self._to_open.discard(holder)
            await self._open_left()
            self._refuse_live(holder, points)
            await self._open(holder)
            await self._close(holder, points, points)

    async def _close(self, holder: Holder, points: set[Point], fresh: set[Point]) -> None:
        """Close the fresh ones of what a holder then has."""
        if not points:
            await self._check()
            return
        self._closed[holder] = points
        if fresh:
            spelled = self._spelled(fresh)
            try:
                await self.matrix.link.write(self.matrix.profile.close.format(points=spelled))
                await self.matrix.ask(self.matrix.profile.settled)
                await self.matrix.check_errors("did not connect the unit")
            except BenchError:
                await self._find(holder)
                raise
        await self._check()

    def _refuse_live(self, holder: Holder, points: set[Point]) -> None:
        """Nothing is connected to what another instrument has under its output."""
        columns = {column for _, column in points}
        for other, closed in self._closed.items():
            if other == holder or other is None or not self.may_be_charged(other):
                continue
            if columns & {column for _, column in closed}:
                told = (
                    f"would connect {holder or 'the scanner'} to what {other} has under its output"
                )
                raise InstrumentFault(self.matrix.name, told)

    async def change(self, holder: Holder, add: set[Point], remove: set[Point]) -> None:
        """Open and close what differs of a holder's crosspoints; the others stay as they are."""
        kept = self._closed.get(holder, set()) - remove
        async with self._turn:
            await self.matrix.ready()
            self._refuse_live(holder, add)
            await self._open(holder, remove & self._closed.get(holder, set()))
            await self._close(holder, kept | add, add - kept)

    @contextlib.asynccontextmanager
    async def stepping(self, holder: Holder, steps: Sequence[set[Point]]) -> AsyncIterator[None]:
        """Have the matrix go from step to step, by a trigger from the meter, until this ends.

        It does nothing else meanwhile. At the end it must have taken every step, none of its relays
        may have missed one, and just the last is closed. Raises InstrumentFault.
        """
        profile = self.matrix.profile
        async with self._turn:
            await self.matrix.ready()
            self._to_open.discard(holder)
            await self._open_left()
            touched = {point for step in steps for point in step}
            self._refuse_live(holder, touched)
            await self._open(holder)
            # Whatever goes wrong from here on, any of them may be closed.
            self._closed[holder] = touched
            try:
                await self._load(steps)
                await self.matrix.link.write(profile.scan_start)
                await self.matrix.ask(profile.settled)
                await self.matrix.check_errors("did not connect the first path")
                yield
                await self._check_steps(len(steps))
            except BaseException:
                self.matrix.link.send_now(profile.scan_stop)
                raise
            await self.matrix.link.write(profile.scan_stop)
            self._closed[holder] = set(steps[-1])
            await self._check()

    async def _load(self, steps: Sequence[set[Point]]) -> None:
        """Tell the matrix the list of paths; it must say it back as it was told."""
        profile, link = self.matrix.profile, self.matrix.link
        await link.write(profile.scan_clear)
        for step in steps:
            await link.write(profile.scan_add.format(points=self._spelled(step)))
        await self.matrix.check_errors("refused the list of paths")
        told = await self.matrix.ask(profile.scan_count)
        if read_value(told) != len(steps):
            raise self.matrix.misfit(profile.scan_count, told)
        listed = (await self.matrix.ask(profile.scan_list)).split(STEP_SEPARATOR)
        for place, step in enumerate(steps):
            heard = profile.points_in(listed[place]) if place < len(listed) else None
            if heard != frozenset(step) or len(listed) != len(steps):
                self.matrix.link.close()
                told = f"has another path than it was told in step {place + 1} of its list"
                raise InstrumentFault(self.matrix.name, told)

    async def _check_steps(self, count: int) -> None:
        profile = self.matrix.profile
        await self.matrix.check_errors("did not go through its list of paths")
        taken = read_value(await self.matrix.ask(profile.scan_taken))
        if taken != count:
            raise InstrumentFault(self.matrix.name, f"took {taken:g} of {count} steps of its list")
        missed = read_value(await self.matrix.ask(profile.scan_missed))
        if missed:
            told = f"has a relay that was not as asked in step {missed:g} of {count}"
            raise InstrumentFault(self.matrix.name, told)

    async def open(self, holders: Iterable[Holder]) -> None:
        """Open the paths of holders, so that other nests may use their columns.

        What cannot be opened is opened before anything else is closed.
        """
        async with self._turn:
            self._to_open.update(holders)
            await self._open_left()

    async def open_all(self) -> None:
        """Open every relay; quiet when the matrix does not answer, for nothing is on by then."""
        self._closed.clear()
        self._to_open.clear()
        with contextlib.suppress(BenchError):
            if not self.matrix.link.is_open:
                self.matrix.identity = ""
                await self.matrix.connect()
            await self.matrix.link.write(self.matrix.profile.open_all)
            await self.matrix.link.query(self.matrix.profile.settled)

    async def read(self) -> frozenset[Point] | None:
        """The crosspoints that the matrix says are closed; None where its make cannot say."""
        profile = self.matrix.profile
        if not profile.closed_points:
            return None
        answer = await self.matrix.link.query(profile.closed_points)
        found = profile.points_in(answer)
        if found is None:
            raise self.matrix.misfit(profile.closed_points, answer)
        return found

    async def _find(self, holder: Holder) -> None:
        """After a command that nobody knows the end of: ask what of a holder's is closed now.

        Where the matrix cannot say, what may be closed is taken for closed.
        """
        with contextlib.suppress(BenchError):
            await self.matrix.connect()
            closed = await self.read()
            if closed is not None:
                others = {
                    point
                    for other, points in self._closed.items()
                    if other != holder
                    for point in points
                }
                self._closed[holder] = set(closed - others)

    async def _check(self) -> None:
        """The matrix must say that just what was asked for is closed, where it can say so."""
        closed = await self.read()
        asked = {point for points in self._closed.values() for point in points}
        if closed is not None and closed != asked:
            told = f"says that {self._spelled(closed) or 'nothing'} is closed"
            reason = f"{told}, asked for {self._spelled(asked) or 'nothing'}"
            self.matrix.link.close()
            raise InstrumentFault(self.matrix.name, reason)

    def _spelled(self, points: Iterable[Point]) -> str:
        point = self.matrix.profile.point
        return ",".join(point.format(row=row, column=column) for row, column in sorted(points))

    async def _open_left(self) -> None:
        for holder in list(self._to_open):
            await self._open(holder)
            self._to_open.discard(holder)

    async def _open(self, holder: Holder, some: set[Point] | None = None) -> None:
        """Open a holder's relays, or some of them, unless what they reach may be charged."""
        if self.may_be_charged(holder):
            raise ChargeUnknown(holder or "matrix", "it was not measured since its output")
        closed = self._closed.get(holder, set())
        if points := closed if some is None else some:
            await self.matrix.connect()
            spelled = self._spelled(points)
            try:
                await self.matrix.link.write(self.matrix.profile.open.format(points=spelled))
            except BenchError:
                await self._find(holder)
                raise
        # Only now: what was not told to open is closed still.
        self._closed.pop(holder, None)
        if left := closed - points:
            self._closed[holder] = left
