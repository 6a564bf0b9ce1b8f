"""Everything at once against a service during a run: bodies without end, long sequences, guesses.

The beats are watched from outside, on their way to the instrument.
"""

import json
import os
import re
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager, suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx

from drill.processes import ACCOUNT, PASSWORD, service
from loricate.client import Client
from loricate.commands import demo_site
from loricate.commands.demo_upkeep import make_fit
from loricate.simulator.hands_link import Hands

INTERVAL_S = 0.05  # of the bench's beats
FOLLOWERS = 20
PACE = 1.0
STEP = "withstand"
SOURCES = ("HV1", "HV2")
BEAT, START = b"SYSTem:DEADman:BEAT", b"INITiate"
GUESSES = 40


@dataclass(slots=True)
class Beats:
    """When beats came past on their way to an instrument, and when an output was started."""

    at: list[float] = field(default_factory=list)
    started: list[float] = field(default_factory=list)

    @property
    def gaps_s(self) -> list[float]:
        """The times between beats of one output."""
        gaps = []
        for before, after in zip(self.at, self.at[1:], strict=False):
            if not any(before < start < after for start in self.started):
                gaps.append(after - before)
        return gaps


def relay() -> None:
    """``python -m drill.attack PORT``: pass lines on to a port; at the end, tell of the beats.

    A process of its own: what holds up the service or its attackers does not hold up the watch.
    """
    to = int(sys.argv[1])
    listening = socket.create_server(("127.0.0.1", 0))
    sys.stdout.write(f"{listening.getsockname()[1]}\n")
    sys.stdout.flush()
    beats = Beats()

    def one_way(source: socket.socket, sink: socket.socket, watched: bool) -> None:
        with suppress(OSError):
            while data := source.recv(65536):
                moment = time.monotonic()
                if watched:
                    beats.at += [moment] * data.count(BEAT)
                    beats.started += [moment] * len(re.findall(START, data, re.IGNORECASE))
                sink.sendall(data)
        for each in (source, sink):
            with suppress(OSError):
                each.shutdown(socket.SHUT_RDWR)

    def accept() -> None:
        while True:
            near, _ = listening.accept()
            far = socket.create_connection(("127.0.0.1", to))
            for each in (near, far):
                each.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            for ends in ((near, far, True), (far, near, False)):
                threading.Thread(target=one_way, args=ends, daemon=True).start()

    threading.Thread(target=accept, daemon=True).start()
    sys.stdin.read()  # until whoever started it hangs up
    sys.stdout.write(json.dumps({"at": beats.at, "started": beats.started}))


@contextmanager
def watched(port: int) -> Iterator[tuple[int, Beats]]:
    """A relay to a port: its own port, and the beats, which are filled in at the end."""
    process = subprocess.Popen(
        [sys.executable, "-m", "drill.attack", str(port)],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    assert process.stdout is not None and process.stdin is not None
    beats = Beats()
    try:
        yield int(process.stdout.readline()), beats
    finally:
        process.stdin.close()
        told = json.loads(process.stdout.read())
        process.stdout.close()
        beats.at, beats.started = told["at"], told["started"]
        process.wait(timeout=60)


@dataclass(slots=True)
class Attack:
    """What came of an attack: how the run ended, the greatest gap, what the attackers were told."""

    verdicts: list[str]
    state: str
    gap_s: float
    beats: int
    told: dict[str, dict[int, int]]
    faults: list[str]


def _long_sequence(steps: int) -> dict[str, Any]:
    document = demo_site.demo_sequence("DC40-FINAL")
    own = [step for step in document["steps"] if "when" not in step]
    many = [{**own[n % len(own)], "id": f"s{n}"} for n in range(steps)]
    return {**document, "code": "LONG", "steps": many}


class Attackers:
    """Threads that each do one evil thing again and again until told to stop."""

    def __init__(self, url: str, token: str, run_id: str) -> None:
        self.url, self.token, self.run_id = url, token, run_id
        self.told: dict[str, dict[int, int]] = {}
        self.broken: list[str] = []
        self._stop = threading.Event()
        self._threads: list[threading.Thread] = []
        long = json.dumps(_long_sequence(500)).encode()
        longer = json.dumps(_long_sequence(3000)).encode()
        nested = b'{"name":' + b"[" * 7000 + b"]" * 7000 + b"}"
        dotted = b"a." * 12000 + b"a = 1"
        self.evils: dict[str, Callable[[httpx.Client], httpx.Response]] = {
            "16 MB to sign-in": self._post("/sign-in", b'{"name":"' + b"x" * 16_000_000 + b'"}'),
            "pieces to sign-in": self._post("/sign-in", _pieces),
            "nested to sign-in": self._post("/sign-in", nested),
            "review of 500": self._post("/sequences/review", long, signed=True),
            "review of 3000": self._post("/sequences/review", longer, signed=True),
            "dotted TOML": self._post(
                "/sequences/read", dotted, signed=True, kind="application/toml"
            ),
            "a picture of 8 MB": self._post(
                "/pictures", b"\x89PNG\r\n\x1a\n" + b"\0" * 8_000_000, signed=True, kind="image/png"
            ),
            "16 MB to verify": self._post("/verify", b"%PDF-2.0" + b"\0" * 16_000_000, signed=True),
            "nonsense to verify": self._post("/verify", b"%PDF-2.0" + b"[" * 100_000, signed=True),
            "every document": self._get("/certificates?count=500"),
            "the revocations": self._get("/revocations"),
            "the ledger": self._get("/ledger"),
            "every unit": self._get("/units?count=500"),
            "the audit trail": self._get("/audit?count=500"),
            "the sequences": self._get("/sequences"),
            "the bench": self._get("/bench"),
        }  # fmt: skip

    def _post(
        self,
        path: str,
        body: bytes | Callable[[], Iterator[bytes]],
        signed: bool = False,
        kind: str = "application/json",
    ) -> Callable[[httpx.Client], httpx.Response]:
        headers = {"Content-Type": kind}
        if signed:
            headers["Authorization"] = f"Bearer {self.token}"

        def post(wire: httpx.Client) -> httpx.Response:
            content = body() if callable(body) else body
            return wire.post(f"/api/v1{path}", content=content, headers=headers)

        return post

    def _get(self, path: str) -> Callable[[httpx.Client], httpx.Response]:
        headers = {"Authorization": f"Bearer {self.token}"}
        return lambda wire: wire.get(f"/api/v1{path}", headers=headers)

    def start(self) -> None:
        """Begin."""
        for name, evil in self.evils.items():
            self._begin(self._repeat, name, evil)
        for number in range(GUESSES):
            self._begin(self._repeat, "guesses", self._guess(number))
        for _ in range(FOLLOWERS):
            self._begin(self._follow)

    def _begin(self, what: Callable[..., None], *given: object) -> None:
        def attack() -> None:
            # Attackers sit at other machines: they take none of this one's time if need be.
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), 10)
            what(*given)

        thread = threading.Thread(target=attack, daemon=True)
        self._threads.append(thread)
        thread.start()

    def _guess(self, number: int) -> Callable[[httpx.Client], httpx.Response]:
        body = json.dumps({"name": ACCOUNT, "password": f"guess {number}"}).encode()
        return self._post("/sign-in", body)

    def _repeat(self, name: str, evil: Callable[[httpx.Client], httpx.Response]) -> None:
        told = self.told.setdefault(name, {})
        while not self._stop.is_set():
            with httpx.Client(base_url=self.url, timeout=30) as wire:
                try:
                    status = evil(wire).status_code
                except httpx.TransportError:
                    status = 0  # hung up on: the body was not read to its end
            told[status] = told.get(status, 0) + 1
            if status >= 500 and status not in (503, 507):
                self.broken.append(f"{name} was answered {status}.")
            self._stop.wait(0.05 if status in (0, 413, 429, 503) else 0.0)

    def _follow(self) -> None:
        """List and follow, as a console does."""
        headers = {"Authorization": f"Bearer {self.token}"}
        with httpx.Client(base_url=self.url, timeout=30, headers=headers) as wire:
            while not self._stop.is_set():
                with suppress(httpx.TransportError):
                    wire.get("/api/v1/runs?count=200")
                    path = f"/api/v1/runs/{self.run_id}/events"
                    with wire.stream("GET", path) as stream:
                        for _ in stream.iter_lines():
                            if self._stop.is_set():
                                return
                self._stop.wait(0.2)

    def stop(self) -> None:
        """Have them end."""
        self._stop.set()
        for thread in self._threads:
            thread.join(timeout=35)


def _pieces() -> Iterator[bytes]:
    yield b'{"name":"'
    for _ in range(400):
        yield b"x" * 2**20


def attack_run(seconds: float, with_attack: bool = True) -> Attack:
    """Run long outputs of two sources for so long while everybody attacks; says what came of it."""
    with tempfile.TemporaryDirectory() as name, demo_site.stand_ins(PACE) as floor:
        folder = Path(name)
        with ExitStack() as relays:
            watch = {each: relays.enter_context(watched(floor.ports[each])) for each in SOURCES}
            ports = {each: port for each, (port, _) in watch.items()}
            demo_site.write_bench_file({**floor.ports, **ports}, folder / "bench.toml")
            at = demo_site.free_port()
            serving = service(folder, at, kinds=("drill.served_kinds",))
            with serving, Client(f"http://127.0.0.1:{at}") as client:
                found = _attack(client, floor.ports, seconds, with_attack)
    for source, (_, beats) in watch.items():
        found.gap_s = max(found.gap_s, max(beats.gaps_s, default=0.0))
        found.beats += len(beats.at)
        if len(beats.at) < seconds / INTERVAL_S / 2:
            told = f"Only {len(beats.at)} beats came past to {source} in {seconds:g} s."
            found.faults.append(told)
    return found


def _attack(client: Client, ports: dict[str, int], seconds: float, with_attack: bool) -> Attack:
    demo_site.wait_for(client)
    client.sign_in(ACCOUNT, PASSWORD)
    demo_site.add_definitions(client)
    hands = Hands("127.0.0.1", ports["HANDS"])
    make_fit(client, hands, PACE, ["FX-A"])
    document = _long_outputs(seconds)
    client.add_sequence(document)
    with _second(client) as second:
        left = {
            f"{each.rule}@{each.step}".removesuffix("@"): "long outputs alone, for a drill"
            for each in client.review(document["code"]).findings
        }
        second.release_sequence(document["code"], "for a drill", left)
        token = _quality(client)
    run = client.create_run(document["code"], "FX-A", {"1": "ATTACKED-1", "2": "ATTACKED-2"})
    attackers = Attackers(client.base_url, token, run.id)
    if with_attack:
        attackers.start()
        time.sleep(1.0)
    client.arm_run(run.id)
    client.start_run(run.id)
    for _ in client.events(run.id):
        pass
    ended = client.run(run.id)
    attackers.stop()
    faults = list(attackers.broken)
    verdicts = [str(unit.verdict) for unit in ended.units]
    if ended.state != "finished" or set(verdicts) != {"pass"}:
        faults.append(f"The run is {ended.state}, {', '.join(verdicts)}: {ended.note}")
    return Attack(verdicts, ended.state, 0.0, 0, attackers.told, faults)


def _long_outputs(seconds: float) -> dict[str, Any]:
    """A sequence of a withstand and of a ladder of three levels, each half as long."""
    document = demo_site.demo_sequence("DC40-FINAL")
    found = next(each for each in document["steps"] if each["kind"] == STEP)
    own = {key: each for key, each in found.items() if key not in ("when", "cues")}
    own["settings"] = {**own["settings"], "dwell": f"{seconds / 2:g} s"}
    ladder = {
        "id": "ladder", "kind": "ladder", "settings": {"stands": seconds / 6},
        "limits": {"current": {"maximum": "10 mA", "source": "the drill"}},
    }  # fmt: skip
    return {**document, "code": "ATTACKED", "steps": [own, ladder]}


@contextmanager
def _second(client: Client) -> Iterator[Client]:
    """A second engineer: who leaves an error is not who wrote it."""
    once = client.add_account("second", "Second Engineer", "engineer").password
    with Client(client.base_url) as other:
        other.sign_in("second", once)
        other.change_password(once, PASSWORD)
        other.sign_in("second", PASSWORD)
        yield other


def _quality(client: Client) -> str:
    """The token of somebody who may only read: enough to attack with."""
    once = client.add_account("quin", "Quin Adder", "quality").password
    with Client(client.base_url) as other:
        other.sign_in("quin", once)
        other.change_password(once, PASSWORD)
        return other.sign_in("quin", PASSWORD).token


if __name__ == "__main__":
    relay()
