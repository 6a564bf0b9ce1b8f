"""Retention: what is due to go is shown first, and only what was shown goes."""

import asyncio
import datetime as dt
import sqlite3
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial

from loricate.core.errors import Finding
from loricate.records import audit, retention
from loricate.records.retention import Due, Rule, Sizes
from loricate.records.store import Store
from loricate.service.errors import WrongState
from loricate.service.site_file import KeepPlan

MOST_AT_ONCE = 2_000  # units that are shown, and that go
AT_ONCE = 20  # in one transaction: whoever tests meanwhile waits for no more
GOES_ON = "Its run goes on."
CHANGED = "It is not as it was stored; see `loricate records check`."


@dataclass(frozen=True, slots=True)
class DueList:
    """What is due: the oldest units that may go, those that are held, and how large they are."""

    today: dt.date
    rules: tuple[Rule, ...]
    due: tuple[Due, ...]
    held: tuple[Due, ...]
    sizes: Sizes
    seen: str
    further: int  # that are due as well, once these have gone
    unknown: tuple[str, ...]  # products of the site file that nothing here is of


@dataclass(frozen=True, slots=True)
class Gone:
    """What went, and what stayed of it after all."""

    units: int
    readings: int
    curves: int
    left: tuple[Due, ...]


class Retention:
    """Finds what is due by the site file, and lets go what somebody has seen."""

    def __init__(self, plan: KeepPlan | None, must_carry: bool, store: Store) -> None:
        self.plan, self.must_carry, self.store = plan, must_carry, store
        self._one_at_a_time = asyncio.Lock()

    async def look(self) -> DueList:
        """What is due today."""
        today = dt.datetime.now(dt.UTC).date()

        def find(conn: sqlite3.Connection) -> DueList:
            known = retention.tested_products(conn)
            rules = () if self.plan is None else self.plan.rules(known)
            found = retention.find_due(conn, rules, today, self.must_carry)
            may_go = [each for each in found if not each.held]
            due = tuple(may_go[:MOST_AT_ONCE])
            return DueList(
                today,
                rules,
                due,
                tuple(each for each in found if each.held),
                retention.sizes_of(conn, due),
                retention.digest_of_list(due),
                len(may_go) - len(due),
                () if self.plan is None else tuple(sorted(set(self.plan.products) - set(known))),
            )

        return await self.store.read(find)

    async def let_go(self, seen: str, reason: str, account: str) -> Gone:
        """Let go what was measured of the units of a list that was seen.

        Raises WrongState where the list is another by now, and where the site file names a product
        that nothing is of: its units may be kept under another name.
        """
        async with self._one_at_a_time:
            found = await self.look()
            if found.unknown:
                findings = [
                    Finding(
                        f"keep.products.{each}",
                        "is a product that nothing here is of",
                        "correct its code in the site file, or take it out, and start the service.",
                    )
                    for each in found.unknown
                ]
                told = " ".join(f"{each.path}: {each.message}" for each in findings)
                raise WrongState(told, findings)
            if found.seen != seen:
                raise WrongState(
                    "What is due is another list by now than the one that was seen; look again."
                )
            if not found.due:
                raise WrongState("Nothing is due to go.")
            return await self._let_go(found, reason, account)

    async def _let_go(self, found: DueList, reason: str, account: str) -> Gone:
        marked = await self.store.read(partial(retention.marks_of, due=found.due))
        left, gone = list[Due](), list[Due]()
        for begin in range(0, len(found.due), AT_ONCE):
            some = found.due[begin : begin + AT_ONCE]

            def sound(conn: sqlite3.Connection, some: Sequence[Due] = some) -> list[Due]:
                return [
                    each for each in some if retention.is_as_stored(conn, each.id, marked[each.id])
                ]

            whole = await self.store.read(sound)
            # What somebody has changed is evidence, and stays.
            left += [replace(each, held=CHANGED) for each in some if each not in whole]
            went = await self.store.write(partial(_keep, due=whole, reason=reason, account=account))
            left += [replace(each, held=GOES_ON) for each in whole if each not in went]
            gone += went
        sizes = [found.sizes[each.id] for each in gone]
        return Gone(
            len(gone), sum(each[0] for each in sizes), sum(each[1] for each in sizes), tuple(left)
        )


def _keep(conn: sqlite3.Connection, due: Sequence[Due], reason: str, account: str) -> list[Due]:
    went = retention.let_go(conn, due, reason, account) if due else []
    for product in dict.fromkeys(each.product for each in went):
        own = [each for each in went if each.product == product]
        what = f"{len(own)} units in runs that ended by {own[-1].ended_at[:10]}: {reason}"
        audit.note(conn, account, "let go", product, what)
    return went
