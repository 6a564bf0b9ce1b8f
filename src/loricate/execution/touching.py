"""Touching contacts with the probe, without a sequence: naming them, or leading through some."""

import asyncio
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import TypeVar

from loricate.bench.bench import Bench
from loricate.bench.plan import FixturePlan
from loricate.bench.switching import Nest
from loricate.core.measuring.actions import Answer, Ask, Asking, Enter, Form, Tell
from loricate.core.measuring.roles import WIRING
from loricate.core.wiring.description import Wiring
from loricate.core.wiring.probing import lead_through, missed_text, touch_freely
from loricate.execution.questions import WHOLE_LOAD, Question
from loricate.execution.upkeep import Upkeep, UpkeepDriver, nobody_asked, unshown

WAIT_S = 600.0
R = TypeVar("R")


class Probing(Upkeep):
    """An act in which somebody holds the probe."""

    async def _probe(self, procedure: Asking[R], wires: Nest) -> R:
        """Drive a procedure that waits for touches in a nest of these wires."""
        driver = UpkeepDriver(
            self.bench,
            self._using(),
            [wires],
            nobody_asked,
            unshown,
            {},
            meanwhile=self._ask,
            reach=self._reach,
            on_tell=self._hear,
        )
        return await driver.drive(procedure)

    @asynccontextmanager
    async def _reach(self) -> AsyncIterator[None]:
        async with self.bench.reach.hands(self.fixture.code):
            yield

    async def _ask(self, ask: Ask | Enter | Form) -> Answer:
        choices = ask.choices if isinstance(ask, Ask) else ()
        touch = ask.touch if isinstance(ask, Ask) else ""
        question = Question(
            WHOLE_LOAD, ask.question, choices, moment="touch", hands_in=True, touch=touch
        )
        answer = await self.questions.ask(question)
        if answer is None:
            raise asyncio.CancelledError
        return answer

    def _hear(self, told: Tell) -> None:
        if not told.is_refusal:
            self.touched.append(told.contacts[0])
        self.log.publish(
            "touched", text=told.text, contacts=list(told.contacts), is_refusal=told.is_refusal
        )


class Touching(Probing):
    """Names whatever is touched in a nest, or leads through contacts; measures at low voltage."""

    kind = "touch"

    def __init__(
        self,
        upkeep_id: str,
        fixture: FixturePlan,
        bench: Bench,
        account: str,
        nest: str,
        wiring: Wiring | None,
        wanted: tuple[str, ...],
        in_any_order: bool,
    ) -> None:
        super().__init__(upkeep_id, fixture, bench, account)
        self.nest, self.wiring = nest, wiring
        self.wanted, self.in_any_order = wanted, in_any_order

    async def perform(self) -> tuple[str, ...]:
        columns = self.fixture.nests[self.nest]
        self.log.publish("progress", text=f"The probe at nest {self.nest}")
        contacts = tuple(columns)
        try:
            if not self.wanted:
                await self._probe(touch_freely(contacts, self.wiring), columns)
                return ()
            leading = lead_through(contacts, self.wiring, self.wanted, self.in_any_order, WAIT_S)
            led = await self._probe(leading, columns)
        finally:
            await self.bench.disconnect([self._using()[WIRING]])
        return tuple(missed_text(each, led.instead) for each in led.left)
