"""Messages over a real broker: what it says it has for somebody is sent, and nothing else."""

import asyncio
import contextlib
import json
import shutil
import subprocess
from collections.abc import AsyncIterator, Iterator
from functools import partial
from pathlib import Path
from typing import Any

import pytest
from paho.mqtt import client as mqtt
from paho.mqtt.enums import CallbackAPIVersion
from paho.mqtt.packettypes import PacketTypes
from paho.mqtt.properties import Properties

from loricate.commands.demo_site import free_port
from loricate.records import outbox
from loricate.records.store import Store
from loricate.service import sending
from loricate.service.messaging import AT_ONCE, Messenger
from loricate.service.sending import Sender
from loricate.service.site_file import SendPlan
from tests.rig import PATIENCE_S
from tests.service.live_rig import until

TOPIC = "quillmere/bench-2"
CONFIG = """
listener {port} 127.0.0.1
allow_anonymous false
password_file {folder}/people
acl_file {folder}/rights
persistence true
persistence_location {folder}/
max_packet_size 20000
"""
RIGHTS = f"user bench\ntopic write {TOPIC}/#\n\nuser works\ntopic read {TOPIC}/#\n"


class BrokerProcess:
    """A broker that can be stopped and begun again; it knows ``bench`` and ``works``."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.port = folder, free_port()
        folder.chmod(0o777)  # it takes on an account of its own
        for number, name in enumerate(("bench", "works")):
            made = ["mosquitto_passwd", "-b", *([] if number else ["-c"]), "people", name, "secret"]
            subprocess.run(made, cwd=folder, check=True, capture_output=True)
        (folder / "rights").write_text(RIGHTS)
        (folder / "config").write_text(CONFIG.format(port=self.port, folder=folder))
        for path in folder.iterdir():
            path.chmod(0o644)
        self.process: subprocess.Popen[bytes] | None = None

    def begin(self) -> None:
        """Begin to serve."""
        program = shutil.which("mosquitto", path="/usr/sbin:/usr/bin") or "mosquitto"
        self.process = subprocess.Popen(
            [program, "-c", str(self.folder / "config")],
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )

    def stop(self) -> None:
        """Stop it; what it has for those who are away it keeps."""
        if self.process is not None:
            self.process.terminate()
            self.process.wait(timeout=PATIENCE_S)
            self.process = None


class Subscriber:
    """The works' side: what it was given, by id; it has a session of its own while it is away."""

    def __init__(self, port: int) -> None:
        self.port, self.taken = port, {}  # type: int, dict[str, dict[str, Any]]
        self.is_ready = False
        self._client: mqtt.Client | None = None

    def begin(self) -> None:
        """Connect and subscribe."""
        client = mqtt.Client(CallbackAPIVersion.VERSION2, "works", protocol=mqtt.MQTTv5)
        client.username_pw_set("works", "secret")
        about = Properties(PacketTypes.CONNECT)  # type: ignore[no-untyped-call]
        about.SessionExpiryInterval = 3600
        client.on_message = self._take
        client.on_connect = lambda wire, *_: wire.subscribe(f"{TOPIC}/#", qos=1)
        client.on_subscribe = lambda *_: setattr(self, "is_ready", True)
        client.connect("127.0.0.1", self.port, clean_start=False, properties=about)
        client.loop_start()
        self._client = client

    def _take(self, wire: mqtt.Client, data: object, message: mqtt.MQTTMessage) -> None:
        told = json.loads(message.payload)
        about: Any = message.properties
        assert dict(about.UserProperty)["id"] == told["id"]
        self.taken[told["id"]] = {**told, "topic": message.topic}

    def end(self) -> None:
        """Go away."""
        if self._client is not None:
            self._client.disconnect()
            self._client.loop_stop()
            self._client = None


@pytest.fixture
def broker(tmp_path_factory: pytest.TempPathFactory) -> Iterator[BrokerProcess]:
    folder = tmp_path_factory.mktemp("broker")
    for parent in list(folder.parents)[:3]:
        with contextlib.suppress(PermissionError):
            parent.chmod(0o755)
    broker = BrokerProcess(folder)
    broker.begin()
    yield broker
    broker.stop()


class Bench:
    """A sender to the broker, with an outbox of its own."""

    def __init__(self, folder: Path, port: int, account: str = "bench") -> None:
        (folder / "password").write_text("secret\n")
        self.store = Store(folder / "r.sqlite")
        plan = SendPlan(
            name="line",
            to=f"mqtt://127.0.0.1:{port}/{TOPIC}",
            account=account,
            secret_file="password",
            within_s=3.0,
        )
        self.messenger = Messenger((plan,), folder, self.store, "Quillmere", "BENCH-2")
        self.sender = Sender(self.store)
        self.sender.add(plan.name, partial(self.messenger.send, plan), AT_ONCE)
        self.sender.open()

    async def queue(self, count: int, first: int = 0, text: str = "") -> None:
        """Queue so many messages, of three units."""

        def add(conn: Any) -> None:
            for n in range(first, first + count):
                body = json.dumps({"kind": "test", "n": n, "text": text})
                facts = {"kind": "test", "body": body}
                outbox.add_message(conn, "line", str(n), f"U{n % 3}", facts)

        await self.store.write(add)
        self.sender.look()

    async def until_sent(self) -> None:
        """Return once nothing waits."""

        async def is_sent() -> bool:
            return await self.store.read(outbox.count_waiting) == 0

        await until(is_sent)

    async def until_stuck(self, *said: str) -> None:
        """Return once something waits with a problem that says this."""

        async def is_stuck() -> bool:
            found = await self.store.read(lambda conn: outbox.held_up(conn, "line"))
            return any(all(word in problem for word in said) for _, problem in found)

        await until(is_stuck)

    async def close(self) -> None:
        """End it."""
        await self.sender.close()
        await self.messenger.close()
        self.store.close()


@pytest.fixture(autouse=True)
def quick(monkeypatch: pytest.MonkeyPatch) -> None:
    """What is put off is not put off for long."""
    monkeypatch.setattr(outbox, "FIRST_WAIT_S", 0.05)
    monkeypatch.setattr(outbox, "LONGEST_WAIT_S", 0.3)
    monkeypatch.setattr(sending, "LOOK_S", 0.05)


@pytest.fixture
async def bench(tmp_path: Path, broker: BrokerProcess) -> AsyncIterator[Bench]:
    bench = Bench(tmp_path, broker.port)
    yield bench
    await bench.close()


@pytest.fixture
async def works(broker: BrokerProcess) -> AsyncIterator[Subscriber]:
    works = Subscriber(broker.port)
    await _begun(works)
    yield works
    works.end()


async def _begun(works: Subscriber) -> None:
    works.is_ready = False

    async def is_there() -> bool:
        try:
            await asyncio.to_thread(works.begin)
        except OSError:
            return False
        return True

    await until(is_there)

    async def is_ready() -> bool:
        return works.is_ready

    await until(is_ready)


async def test_messages_get_through_a_broker_that_goes_and_a_receiver_that_is_away(
    bench: Bench, works: Subscriber, broker: BrokerProcess
) -> None:
    await bench.queue(30)
    await bench.until_sent()
    broker.stop()
    await bench.queue(30, 30)
    await bench.until_stuck("127.0.0.1")
    works.end()
    broker.begin()  # the receiver has a session there, and is away
    await bench.until_sent()
    await _begun(works)

    async def all_taken() -> bool:
        return len(works.taken) == 60

    await until(all_taken)
    taken = list(works.taken.values())
    assert {each["topic"] for each in taken} == {f"{TOPIC}/test"}
    for unit in range(3):
        own = [each["n"] for each in taken if each["n"] % 3 == unit]
        assert own == sorted(own), "those of a unit come in their order"


async def test_what_the_broker_has_for_nobody_waits(bench: Bench, broker: BrokerProcess) -> None:
    await bench.queue(3)
    await bench.until_stuck("Nobody has subscribed", f"{TOPIC}/test")
    works = Subscriber(broker.port)
    await _begun(works)
    await bench.until_sent()

    async def all_taken() -> bool:
        return len(works.taken) == 3

    await until(all_taken)
    works.end()


async def test_what_the_broker_does_not_let_in_is_not_sent(
    tmp_path: Path, works: Subscriber, broker: BrokerProcess
) -> None:
    """It says so of the connection, or of each message, which has an answer all the same."""
    for account, said in (("nobody", "lets nobody in"), ("works", "ot authorized")):
        folder = tmp_path / account
        folder.mkdir()
        bench = Bench(folder, broker.port, account)
        await bench.queue(2)
        await bench.until_stuck(said)
        assert await bench.store.read(outbox.count_waiting) == 2 and not works.taken
        await bench.close()


async def test_a_message_that_is_too_large_holds_up_its_own_unit_alone(
    bench: Bench, works: Subscriber
) -> None:
    await bench.queue(1, text="x" * 30_000)
    await bench.until_stuck("It has 30", "takes 20000 at once")
    await bench.queue(8, 1)

    async def others_are_sent() -> bool:
        taken = {each["n"] for each in works.taken.values()}
        return taken == {1, 2, 4, 5, 7, 8} and await bench.store.read(outbox.count_waiting) == 3

    await until(others_are_sent)
