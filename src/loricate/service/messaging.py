"""Messages to the other systems that a site names: queued with what they tell of, sent afterwards.

Each is queued in the transaction that keeps what it tells of, says the same however often it is
sent, and goes after every earlier one of its unit to the same target. No run waits for any.
"""

import asyncio
import json
import sqlite3
from collections.abc import Mapping
from functools import partial
from pathlib import Path
from typing import Any

from loricate.api.messages import IssuedDocument, Message, UnitOfMessage
from loricate.core.messages import shaped
from loricate.records import assets, ledger, outbox
from loricate.records.ledger import LedgerEntry
from loricate.records.outbox import Outgoing
from loricate.records.store import Store
from loricate.service.asset_keeping import Products
from loricate.service.maintaining import told_device
from loricate.service.report_making import reported_unit
from loricate.service.site_file import SendPlan
from loricate.service.targets import Target, target_of

AT_ONCE = 8  # messages to one target, each of another unit


class Messenger:
    """Queues messages and brings them to one target each."""

    def __init__(
        self,
        plans: tuple[SendPlan, ...],
        beside: Path,
        store: Store,
        site: str,
        bench: str,
    ) -> None:
        self.plans, self.store, self.site, self.bench = plans, store, site, bench
        self.targets: dict[str, Target] = {plan.name: target_of(plan, beside) for plan in plans}
        self._sent: list[int] = []
        self._keeping: asyncio.Task[None] | None = None

    async def close(self) -> None:
        """End every connection."""
        for each in self.targets.values():
            await each.close()

    # --- queued ----------------------------------------------------------------------------------

    def queue_run(self, conn: sqlite3.Connection, run: Mapping[str, Any]) -> None:
        """Queue what is told of the units of a run that ended."""
        tests = [plan for plan in self.plans if "test" in plan.what]
        devices = [plan for plan in self.plans if "device" in plan.what]
        products = Products(conn) if devices else None
        for unit in run["units"]:
            whose = UnitOfMessage(
                product=unit["product"], serial=unit["serial"], asset=unit["asset"], lot=run["lot"]
            )
            if tests:
                test = reported_unit(conn, "", run, unit)
                self._queue(conn, tests, unit["unit_id"], kind="test", at=run["ended_at"],
                            unit=whose, test=test)  # fmt: skip
            if products is not None:
                device = told_device(conn, run, unit, products)
                if device.asset.number or device.orders:
                    self._queue(conn, devices, unit["unit_id"], kind="device", at=run["ended_at"],
                                unit=whose, device=device)  # fmt: skip

    def queue_document(self, conn: sqlite3.Connection, entry: LedgerEntry) -> None:
        """Queue a document that was entered: once for its unit; an act once for each that it is on.

        What it says stands in the ledger; it is taken from there when its turn comes.
        """
        plans = [plan for plan in self.plans if "document" in plan.what]
        for about in entry.about or ("",):
            told = {"number": entry.number, "about": about}
            order = entry.lot or entry.number
            if (unit := assets.of_document(conn, about or entry.number)) is not None:
                told |= {"product": unit.product, "serial": unit.serial, "asset": unit.number}
                order = unit.unit_id
            for plan in plans:
                outbox.add_message(conn, plan.name, entry.number, order, told)

    def _queue(
        self, conn: sqlite3.Connection, plans: list[SendPlan], order: str, **parts: Any
    ) -> None:
        for plan in plans:
            message = Message(id="", site=self.site, bench=self.bench, **parts)
            body = json.dumps(_told(message), ensure_ascii=False)
            subject = parts["unit"].serial
            outbox.add_message(
                conn, plan.name, subject, order, {"kind": message.kind, "body": body}
            )

    # --- sent ------------------------------------------------------------------------------------

    async def send(self, plan: SendPlan, outgoing: Outgoing) -> None:
        """Bring one message to its target; raises Down and Refused."""
        kind, message = await self._drawn(outgoing)
        told = shaped(message, plan.fields, plan.words)
        body = json.dumps(told, ensure_ascii=False, allow_nan=False).encode()
        await self.targets[plan.name].deliver(outgoing.key, kind, body)
        await self._keep_sent(outgoing.id)

    async def _drawn(self, outgoing: Outgoing) -> tuple[str, dict[str, Any]]:
        facts = outgoing.facts
        if "body" in facts:
            return facts["kind"], {**json.loads(facts["body"]), "id": outgoing.key}
        entry = await self.store.read(partial(_numbered, facts["number"]))
        unit = None
        if "serial" in facts:
            unit = UnitOfMessage(
                product=facts["product"],
                serial=facts["serial"],
                asset=facts["asset"],
                lot=entry.lot,
            )
        message = Message(
            id=outgoing.key,
            kind="document",
            site=self.site,
            bench=self.bench,
            at=entry.issued_at,
            unit=unit,
            document=IssuedDocument(
                number=entry.number,
                kind=entry.kind,
                position=entry.position,
                issued_at=entry.issued_at,
                digest=entry.document_digest,
                supersedes=entry.supersedes or "",
                about=facts["about"],
                sealed=entry.sealed,
            ),
        )
        return message.kind, _told(message)

    async def _keep_sent(self, outgoing: int) -> None:
        """Keep that a message has got there, with whatever others have by the time it is written.

        One that is not kept by a service that dies is sent again, under its own id.
        """
        self._sent.append(outgoing)
        while outgoing in self._sent:
            if self._keeping is None or self._keeping.done():
                self._keeping = asyncio.create_task(self._keep())
            await asyncio.shield(self._keeping)

    async def _keep(self) -> None:
        sent = list(self._sent)
        try:
            await self.store.write(partial(_set_sent, sent))
        finally:
            del self._sent[: len(sent)]


def _told(message: Message) -> dict[str, Any]:
    """A message with the part of its kind alone."""
    told = message.model_dump(mode="json")
    return {name: each for name, each in told.items() if each is not None}


def _numbered(number: str, conn: sqlite3.Connection) -> LedgerEntry:
    return ledger.get_numbered(conn, number)


def _set_sent(sent: list[int], conn: sqlite3.Connection) -> None:
    outbox.set_messages_sent(conn, sent)
