"""Upkeep of fixtures: zeroing and daily checks under way, and what the records say of a fixture."""

import datetime as dt
import sqlite3
from collections.abc import Sequence
from dataclasses import asdict
from functools import partial
from math import isfinite
from typing import Any

from loricate.bench.bench import Bench
from loricate.bench.plan import FixturePlan
from loricate.core.capture.seen import SeenUnit
from loricate.core.errors import Finding
from loricate.core.fixtures.daily_check import BoxStep
from loricate.core.fixtures.mapping import Mapped
from loricate.core.fixtures.zeroes import Zero, is_young
from loricate.core.fixtures.zeroing import ZeroMeasured
from loricate.core.gate import Requirement
from loricate.core.measuring.actions import Answer
from loricate.core.measuring.impedance import ImpedancePath, ImpedanceZero
from loricate.core.measuring.readings import Doubt
from loricate.core.measuring.roles import BOND, IMPEDANCE, WIRING, WITHSTAND, Role
from loricate.core.products.product import Product
from loricate.core.sequences.ready import ReadySequence
from loricate.core.wiring.description import Wiring
from loricate.execution.capturing import WINDING_ROLES, CapturingCable, CapturingWindings
from loricate.execution.load import NestZeroes
from loricate.execution.mapping import Mapping
from loricate.execution.preflight import check_bench, check_load, needed_roles
from loricate.execution.touching import Touching
from loricate.execution.upkeep import CheckReport, DailyCheck, Upkeep, Zeroing
from loricate.records import captures, definitions, doubts, sequences, upkeep
from loricate.records.errors import NotFound
from loricate.records.stamps import new_id
from loricate.records.store import Store
from loricate.service.answering import answer_question
from loricate.service.errors import NotReady, WrongState
from loricate.service.fixture_requirements import fixture_requirements
from loricate.service.holding import BenchHolders
from loricate.service.upkeep_findings import (
    beside_findings,
    capture_findings,
    map_findings,
    named_windings,
    read_temperature,
    touch_findings,
)

KEPT = 20


class Upkeeps:
    """Acts of upkeep, one at a time, and the state of every fixture."""

    def __init__(self, store: Store, bench: Bench, holders: BenchHolders) -> None:
        self.store, self.bench, self.holders = store, bench, holders
        self.acts: dict[str, Upkeep] = {}
        holders.add(self._holding)

    def _holding(self) -> str:
        act = self.running
        return "" if act is None else f"the {act.kind.replace('_', ' ')} of {act.fixture.code}"

    @property
    def running(self) -> Upkeep | None:
        """The act that has the bench, or None."""
        return next((each for each in self.acts.values() if each.has_bench), None)

    async def close(self) -> None:
        """Abort what is under way."""
        for act in self.acts.values():
            if act.is_running:
                act.abort("The service is stopping.")
                await act.wait()

    def find(self, act_id: str) -> Upkeep:
        """The act of this id; raises NotFound."""
        found = self.acts.get(act_id)
        if found is None:
            raise NotFound("act of upkeep", act_id)
        return found

    async def answer(self, act_id: str, nest: str, answer: Answer, number: int | None) -> None:
        """Hand in what the operator answered; raises WrongState when nothing was asked there."""
        act = self.find(act_id)
        await answer_question(self.store, act.questions, act_id, nest, answer, number)

    async def abort(self, act_id: str, account: str) -> None:
        """Outputs fall first; nothing more is kept of it."""
        act = self.find(act_id)
        if not act.has_bench:
            raise WrongState(f"It is over ({act.state}); there is nothing to abort.")
        act.abort(f"Aborted by {account}.")
        await act.wait()

    def fixture(self, code: str) -> FixturePlan:
        """The fixture of this code; raises NotFound."""
        found = self.bench.plan.find_fixture(code)
        if found is None:
            raise NotFound("fixture", code)
        return found

    async def _begin(self, act: Upkeep) -> Upkeep:
        async with self.holders.starting:
            self.holders.refuse_if_busy()
            while len(self.acts) >= KEPT:
                del self.acts[next(iter(self.acts))]
            self.acts[act.id] = act
            act.doubt = partial(self._keep_doubt, act)
            act.start()
        return act

    async def _keep_doubt(self, act: Upkeep, doubt: Doubt) -> None:
        place = f"{act.kind} of {act.fixture.code}"
        await self.store.write(lambda conn: doubts.add_doubts(conn, [doubt], place))

    async def begin_zero(self, code: str, nests: Sequence[str], account: str) -> Upkeep:
        """Begin to zero the leads of some nests of a fixture, all by default."""
        fixture = self.fixture(code)
        unknown = [nest for nest in nests if nest not in fixture.nests]
        if unknown:
            known = ", ".join(fixture.nests)
            message = f"{code} has no nest {', '.join(unknown)}", f"it has {known}."
            raise NotReady.because([Finding("nests", *message)])
        self.holders.refuse_if_busy()
        await self._check_instruments([WIRING if fixture.zeroed_by == WIRING else BOND])

        async def keep(measured: dict[str, ZeroMeasured]) -> None:
            leads = {nest: each.leads for nest, each in measured.items()}
            (instrument,) = {each.instrument for each in measured.values()}
            await self.store.write(
                lambda conn: upkeep.add_zeroing(conn, code, leads, instrument, account)
            )

        async def keep_path(
            nest: str, path: ImpedancePath, open_ohms: complex, short_ohms: complex
        ) -> None:
            await self.store.write(
                lambda conn: upkeep.add_impedance_zero(
                    conn, code, nest, path, open_ohms, short_ohms, account
                )
            )

        chosen = tuple(nests) or tuple(fixture.nests)
        paths: tuple[ImpedancePath, ...] = ()
        if self.bench.of_role(IMPEDANCE):
            paths = await self.store.read(_paths_in_use)
        act = Zeroing(new_id(), fixture, self.bench, account, chosen, keep, paths, keep_path)
        return await self._begin(act)

    async def begin_capture(
        self,
        code: str,
        nest: str,
        serial: str,
        positions: Sequence[str],
        temperature: str,
        capture: str,
        account: str,
    ) -> Upkeep:
        """Begin to capture a known-good unit, in a capture that is there or as a new one.

        Contacts that are named by connector are a cable's; others are pins of windings.
        """
        fixture = self.fixture(code)
        nest = nest or next(iter(fixture.nests))
        is_cable = all(":" in each for each in fixture.nests.get(nest, ()))
        temperature_c, found = read_temperature(temperature)
        found += capture_findings(fixture, nest, positions, is_cable, temperature)
        if capture:
            there = await self.store.read(lambda conn: captures.captured_units(conn, capture))
            found += beside_findings(there, fixture, nest, serial, positions)
        if found:
            raise NotReady.because(found)
        self.holders.refuse_if_busy()
        await self._check_instruments([WIRING] if is_cable else WINDING_ROLES)

        async def keep(seen: SeenUnit) -> str:
            return await self.store.write(
                lambda conn: captures.add_captured_unit(conn, capture, code, nest, seen, account)
            )

        of = (new_id(), fixture, self.bench, account, nest, serial)
        leads = (await self.zeroes(code)).get(nest, NestZeroes()).leads
        if not is_cable:
            return await self._begin(CapturingWindings(*of, temperature_c, leads, keep))
        return await self._begin(CapturingCable(*of, positions, leads, keep))

    async def begin_touch(
        self,
        code: str,
        nest: str,
        product: str,
        wanted: Sequence[str],
        in_any_order: bool,
        account: str,
    ) -> Upkeep:
        """Begin to name contacts as they are touched, or to lead somebody through some."""
        fixture = self.fixture(code)
        nest = nest or next(iter(fixture.nests))
        wiring = await self._wiring_of(product)
        found = list(touch_findings(fixture, nest, product, wiring, wanted))
        if found:
            raise NotReady.because(found)
        self.holders.refuse_if_busy()
        await self._check_instruments([WIRING])
        return await self._begin(
            Touching(
                new_id(), fixture, self.bench, account, nest, wiring, tuple(wanted), in_any_order
            )
        )

    async def begin_map(self, code: str, nest: str, part: str, account: str) -> Upkeep:
        """Begin to find the columns of a nest: with the probe, or by a part that is known."""
        fixture = self.fixture(code)
        nest = nest or next(iter(fixture.nests))
        product = await self._product(part) if part else None
        if found := list(map_findings(fixture, nest, product)):
            raise NotReady.because(found)
        known = None
        if product is not None:
            known = next(iter(product.wirings), None) or named_windings(product)
        self.holders.refuse_if_busy()

        async def keep(mapped: Mapped) -> None:
            await self.store.write(
                lambda conn: upkeep.add_column_map(conn, code, nest, part, mapped, account)
            )

        act = Mapping(new_id(), fixture, self.bench, account, nest, part, known, keep)
        await self._check_instruments(act.roles)
        return await self._begin(act)

    async def _wiring_of(self, product: str) -> Wiring | None:
        """The wiring of a cable in its first position; None without a product, or of no cable."""
        if not product:
            return None
        return next(iter((await self._product(product)).wirings), None)

    async def _product(self, code: str) -> Product:
        document, _ = await self.store.read(
            lambda conn: definitions.get_document(conn, "product", code)
        )
        return Product.model_validate(document)

    async def begin_check(self, code: str, nest: str, account: str) -> Upkeep:
        """Begin the daily check of a fixture with the boxes in ``nest``, its first by default."""
        fixture = self.fixture(code)
        plan = self.bench.plan.check_of(fixture)
        if plan is None:
            message = "the bench file names no daily check", "add [daily_check] to it."
            raise NotReady.because([Finding("daily_check", *message)])
        nest = nest or next(iter(fixture.nests))
        sequence = await self.store.read(
            lambda conn: sequences.ready_sequence(
                conn, sequences.released_sequence(conn, plan.sequence)
            )
        )
        self.holders.refuse_if_busy()
        await self.holders.look()
        today = dt.datetime.now(dt.UTC).date()
        states, capabilities = self.bench.states(), self.bench.capabilities()
        found = [
            *check_load(self.bench.plan, code, [(nest, plan.good)], sequence),
            *check_bench(states, capabilities, sequence, today),
        ]
        if found:
            raise NotReady.because(found)
        await self._check_instruments([WITHSTAND])
        zeroes = (await self.zeroes(code)).get(nest, NestZeroes())
        act_id = new_id()
        before = await self.store.read(doubts.newest_doubt)

        async def keep(report: CheckReport) -> None:
            kept = _report(report, nest, (plan.good, plan.bad))
            passed = not report.findings
            started = self.acts[act_id].started_at
            await self.store.write(
                lambda conn: upkeep.add_daily_check(
                    conn, code, passed, kept, account, started, before
                )
            )

        boxes = (plan.good, plan.bad)
        return await self._begin(
            DailyCheck(act_id, fixture, self.bench, account, nest, sequence, boxes, zeroes, keep)
        )

    async def _check_instruments(self, roles: Sequence[Role]) -> None:
        await self.holders.look()
        wanted = [*roles, "matrix", "guard"]
        states = self.bench.states()
        answering = {state.role for state in states if not state.problem}
        found = [
            Finding(f"bench.{state.id}", state.problem)
            for state in states
            if state.role in wanted and state.role not in answering
        ]
        missing = [role for role in roles if not self.bench.of_role(role)]
        found += [Finding("bench", f"has no {role} instrument", "add one.") for role in missing]
        if found:
            raise NotReady.because(found)

    async def zeroes(self, code: str) -> dict[str, NestZeroes]:
        """The zeroes of a fixture that are young enough to be taken off, by nest."""
        fixture, at = self.fixture(code), dt.datetime.now(dt.UTC)
        leads = await self.store.read(lambda conn: upkeep.latest_zeroes(conn, code))
        paths = await self.store.read(lambda conn: upkeep.latest_impedance_zeroes(conn, code))

        def young(zero: Zero | ImpedanceZero) -> bool:
            return is_young(zero.measured_at, fixture.zero_lasts, at)

        return {
            nest: NestZeroes(
                {name: zero for name, zero in leads.get(nest, {}).items() if young(zero)},
                {path: zero for path, zero in paths.get(nest, {}).items() if young(zero)},
            )
            for nest in fixture.nests
        }

    async def requirements(
        self, code: str, sequence: ReadySequence, nests: Sequence[str]
    ) -> tuple[Requirement, ...]:
        """The gate's requirements that a fixture meets, or not, at this moment."""
        fixture, plan, states = self.fixture(code), self.bench.plan, self.bench.states()
        contacts = (each for step in sequence.steps for each in step.zeroed_contacts)
        paths = (path for step in sequence.steps for path in step.impedance_paths)
        wanted = dict.fromkeys(nests, tuple(dict.fromkeys((*contacts, *paths))))
        roles = needed_roles(sequence)
        return await self.store.read(
            lambda conn: fixture_requirements(conn, plan, fixture, states, wanted, roles)
        )

    async def worn_nests(self, code: str, nests: Sequence[str]) -> tuple[Finding, ...]:
        """The nests whose contacts have come to the end of their service."""
        limit = self.fixture(code).mating_limit
        times = await self.store.read(lambda conn: upkeep.matings(conn, code))
        return tuple(
            Finding(
                f"load.{nest}",
                f"nest {nest} of {code} has taken {times[nest]} units and may take {limit}",
                "renew its contacts and enter that on the bench page.",
            )
            for nest in nests
            if times.get(nest, 0) >= limit
        )


def _paths_in_use(conn: sqlite3.Connection) -> tuple[ImpedancePath, ...]:
    """The impedance paths that any released sequence measures."""
    found: dict[ImpedancePath, None] = {}
    for record in sequences.released_sequences(conn):
        for step in sequences.ready_sequence(conn, record).steps:
            found |= dict.fromkeys(step.impedance_paths)
    return tuple(found)


def _report(report: CheckReport, nest: str, boxes: tuple[str, str]) -> dict[str, Any]:
    """A daily check as the records keep it."""

    def steps(found: Sequence[BoxStep]) -> list[dict[str, Any]]:
        return [
            {
                "id": step.step_id,
                "title": step.title,
                "verdict": step.grade.verdict,
                "cause": step.grade.cause,
                "readings": [
                    {
                        "name": each.reading.name,
                        "text": each.reading.text,
                        "limit": each.limit.text if each.limit else "",
                        "quantity": each.reading.quantity,
                        "point": each.reading.point,
                        "value": each.reading.value if isfinite(each.reading.value) else None,
                        "dimension": each.reading.dimension.name,
                        "bound": each.reading.bound,
                        "uncertainty": each.reading.uncertainty,
                        "instrument": each.reading.instrument,
                        "minimum": each.limit.minimum if each.limit else None,
                        "maximum": each.limit.maximum if each.limit else None,
                    }
                    for each in step.grade.readings
                ],
            }
            for step in found
        ]

    return {
        "nest": nest,
        "faults": [{**asdict(fault), "text": fault.text} for fault in report.faults],
        "good": {"serial": boxes[0], "steps": steps(report.good)},
        "bad": {"serial": boxes[1], "steps": steps(report.bad)},
        "instruments": sorted(
            {
                each.reading.instrument
                for step in (*report.good, *report.bad)
                for each in step.grade.readings
                if each.reading.instrument
            }
        ),
        "findings": list(report.findings),
    }
