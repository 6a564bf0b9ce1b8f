"""``drill sends``: documents go to a system that has every trouble there is, while services end.

None may be lost, none doubled, none otherwise than it was, and those of a unit in their order.
"""

import asyncio
import base64
import contextlib
import json
import random
import tempfile
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from unittest.mock import patch

from loricate.records import outbox
from loricate.records.store import Store
from loricate.service import sending
from loricate.service.messaging import AT_ONCE, Messenger
from loricate.service.sending import Sender
from loricate.service.site_file import SendPlan
from loricate.simulator.receiver import TROUBLES, Receiver

UNITS_EACH = 5  # messages a unit
WITHIN_S, LATE_S, DOWN_S = 0.25, 0.4, 0.3
SHARE = 0.2  # of the posts that meet a trouble


@dataclass
class Sent:
    """What became of the messages, and what was wrong with it."""

    taken: int = 0
    times: int = 0
    services: int = 1
    downs: int = 0
    faults: list[str] = field(default_factory=list)


class Line:
    """Records with an outbox, whose service may end at any moment and another begin."""

    def __init__(self, folder: Path, port: int, secret: str) -> None:
        (folder / "secret").write_text(secret, encoding="ascii")
        self.folder, self.store = folder, Store(folder / "r.sqlite")
        self.plan = SendPlan(
            name="works",
            to=f"http://127.0.0.1:{port}/messages",
            secret_file="secret",
            within_s=WITHIN_S,
        )

    async def queue(self, count: int) -> None:
        """Queue so many messages, of several to each unit."""

        def add(conn: object) -> None:
            for number in range(count):
                unit = f"U-{number // UNITS_EACH % 997:04}"
                told = {"kind": "document", "unit": unit, "n": number, "text": "é " * 40}
                facts = {"kind": "document", "body": json.dumps(told)}
                outbox.add_message(conn, self.plan.name, str(number), unit, facts)  # type: ignore[arg-type]

        await self.store.write(add)

    async def send_for(self, seconds: float | None) -> None:
        """Have a service send for a while, or until nothing waits."""
        messenger = Messenger((self.plan,), self.folder, self.store, "Quillmere", "BENCH-2")
        sender = Sender(self.store)
        sender.add(self.plan.name, partial(messenger.send, self.plan), AT_ONCE)
        sender.open()
        try:
            if seconds is not None:
                await asyncio.sleep(seconds)
                return
            while await self.store.read(outbox.count_waiting):  # noqa: ASYNC110  # it is polled
                await asyncio.sleep(0.1)
        finally:
            await sender.close()
            await messenger.close()


async def send_through_trouble(
    count: int, seed: int, say: Callable[[str], None], services: int = 3
) -> Sent:
    """Send so many messages through a bad system; services end while they are at it."""
    chance, sent = random.Random(seed), Sent()
    secret = base64.b64encode(chance.randbytes(32)).decode()
    receiver = Receiver(secret, LATE_S, troubles=TROUBLES, share=SHARE, chance=chance)
    with (
        tempfile.TemporaryDirectory() as name,
        patch.object(outbox, "FIRST_WAIT_S", 0.05),
        patch.object(outbox, "LONGEST_WAIT_S", 0.5),
        patch.object(sending, "LOOK_S", 0.1),
    ):
        line = Line(Path(name), await receiver.serve("127.0.0.1", 0), secret)
        await line.queue(count)
        ended = asyncio.Event()
        downs = asyncio.create_task(_be_down_at_times(receiver, chance, sent, ended))
        for _ in range(services):
            await line.send_for(chance.uniform(0.3, 1.5))
            sent.services += 1
            say(f"{len(receiver.taken)} of {count} taken as a service ends")
        await line.send_for(None)
        ended.set()
        await downs
        await receiver.close()
        sent.faults = _faults(receiver, count)
        line.store.close()
    sent.taken = len(receiver.taken)
    sent.times = sum(each.times for each in receiver.taken.values())
    return sent


async def _be_down_at_times(
    receiver: Receiver, chance: random.Random, sent: Sent, ended: asyncio.Event
) -> None:
    while True:
        with contextlib.suppress(TimeoutError):
            async with asyncio.timeout(chance.uniform(1.0, 4.0)):
                await ended.wait()
                return
        await receiver.be_down(DOWN_S)
        sent.downs += 1


def _faults(receiver: Receiver, count: int) -> list[str]:
    came = list(receiver.taken.values())
    numbers = [each.message["n"] for each in came]
    faults = []
    if lost := sorted(set(range(count)) - set(numbers)):
        faults.append(f"{len(lost)} lost, such as {lost[0]}")
    if len(numbers) != len(set(numbers)):
        faults.append("one message has come under two ids")
    if changed := [each.message["n"] for each in came if not each.is_the_same]:
        faults.append(f"{len(changed)} came otherwise the second time, such as {changed[0]}")
    if wrong := [key for key, each in receiver.taken.items() if each.message["id"] != key]:
        faults.append(f"{len(wrong)} name another id than theirs")
    if receiver.unsigned:
        faults.append(f"{receiver.unsigned} were not signed")
    order: dict[str, list[int]] = {}
    for each in came:
        order.setdefault(each.message["unit"], []).append(each.message["n"])
    if mixed := [unit for unit, found in order.items() if found != sorted(found)]:
        faults.append(f"{len(mixed)} units' came out of order, such as of {mixed[0]}")
    return faults
