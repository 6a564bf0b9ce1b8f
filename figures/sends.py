"""What sending messages costs beside posting them."""

import asyncio
import base64
import datetime as dt
import multiprocessing
import tempfile
import time
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from functools import partial
from multiprocessing.connection import Connection
from pathlib import Path

import httpx
from standardwebhooks import Webhook

from figures.pairs import ratio_of_pairs
from loricate.records import outbox
from loricate.records.store import Store
from loricate.service.messaging import AT_ONCE, Messenger
from loricate.service.sending import Sender
from loricate.service.site_file import SendPlan
from loricate.simulator.receiver import Receiver

MESSAGES, PAIRS = 400, 5
BODY = '{"format": "loricate-message/1", "kind": "test", "text": "%s"}' % ("x" * 4_000)
SECRET = base64.b64encode(b"x" * 32).decode()


def outbox_rate() -> float:
    """Messages sent a second, kept as sent, over bare posts of the same bytes at once."""
    with tempfile.TemporaryDirectory() as name, _receiver() as port:
        (Path(name) / "secret").write_text(SECRET)
        url = f"http://127.0.0.1:{port}/messages"
        return 1.0 / ratio_of_pairs(
            lambda: asyncio.run(_sent_s(Path(name), url)),
            lambda: asyncio.run(_posted_s(url)),
            PAIRS,
        )


@contextmanager
def _receiver() -> Iterator[int]:
    """A system that takes messages, in a process of its own; gives its port."""
    spawn = multiprocessing.get_context("spawn")
    ours, theirs = spawn.Pipe()
    process = spawn.Process(target=_serve, args=(theirs,), daemon=True)
    process.start()
    try:
        yield int(ours.recv())
    finally:
        process.terminate()
        process.join()


def _serve(told: Connection) -> None:
    async def serve() -> None:
        told.send(await Receiver(SECRET).serve("127.0.0.1", 0))
        await asyncio.Event().wait()

    asyncio.run(serve())


async def _posted_s(url: str) -> float:
    """Seconds for as many posts, signed before, so many at once, over connections that stay."""
    async with httpx.AsyncClient(trust_env=False) as wire:
        left = iter([(BODY.encode(), _signed(str(uuid.uuid4()))) for _ in range(MESSAGES)])

        async def post_each() -> None:
            for content, headers in left:
                (await wire.post(url, content=content, headers=headers)).raise_for_status()

        begun = time.perf_counter()
        await asyncio.gather(*(post_each() for _ in range(AT_ONCE)))
        return time.perf_counter() - begun


def _signed(key: str) -> dict[str, str]:
    at = dt.datetime.now(dt.UTC)
    return {
        "webhook-id": key,
        "webhook-timestamp": str(int(at.timestamp())),
        "webhook-signature": Webhook(SECRET).sign(key, at, BODY),
    }


async def _sent_s(folder: Path, url: str) -> float:
    """Seconds from an outbox that is full to one that is empty."""
    plan = SendPlan(name="works", to=url, secret_file="secret")
    store = Store(folder / "r.sqlite")
    messenger = Messenger((plan,), folder, store, "Quillmere", "BENCH-2")
    sender = Sender(store)
    sender.add(plan.name, partial(messenger.send, plan), AT_ONCE)

    def queue(conn: object) -> None:
        for number in range(MESSAGES):
            facts = {"kind": "test", "body": BODY}
            outbox.add_message(conn, plan.name, str(number), f"U{number}", facts)  # type: ignore[arg-type]

    await store.write(queue)
    begun = time.perf_counter()
    sender.open()
    while await store.read(outbox.count_waiting):  # noqa: ASYNC110  # it is polled
        await asyncio.sleep(0.005)
    spent = time.perf_counter() - begun
    await sender.close()
    await messenger.close()
    store.close()
    return spent
