"""What a link and an event stream cost, in queries over a raw socket and in link round trips."""

import asyncio
import json
import socket
import statistics
import tempfile
import threading
import time
from pathlib import Path

import httpx
import uvicorn

from figures.demo_documents import demo_sequence
from loricate.bench.links import TcpLink
from loricate.commands import demo_site
from loricate.execution.engine import Engine
from loricate.execution.rehearsal import Blackboard
from loricate.service.app import create_app
from loricate.service.bench_side import BenchSide
from loricate.service.rehearsing import Rehearsal
from loricate.service.settings import FirstAccount, Settings

QUERIES, PAIRS, EVENTS = 400, 9, 200
QUESTION = "FETCh?"


def _raw_socket_s(port: int) -> float:
    """Seconds a query over a plain blocking socket."""
    with socket.create_connection(("127.0.0.1", port)) as wire:
        wire.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        begun = time.perf_counter()
        for _ in range(QUERIES):
            wire.sendall(QUESTION.encode() + b"\n")
            while not wire.recv(4096).endswith(b"\n"):
                pass
        return (time.perf_counter() - begun) / QUERIES


async def _link_s(port: int) -> float:
    """Seconds a query over our link."""
    link = TcpLink("X", f"tcp://127.0.0.1:{port}")
    await link.open()
    begun = time.perf_counter()
    for _ in range(QUERIES):
        await link.query(QUESTION)
    spent = (time.perf_counter() - begun) / QUERIES
    link.close()
    return spent


def _run(work: object) -> float:
    """Run a coroutine on the event loop that the service uses."""
    import uvloop

    return float(uvloop.run(work))  # type: ignore[arg-type]  # uvloop.run is typed for its own use


def link_query() -> float:
    """A query over our link, over one over a raw socket, to the same instrument."""
    with demo_site.stand_ins(1.0) as floor:
        port = floor.ports["HV1"]
        ratios = []
        for _ in range(PAIRS):
            ours, raw = _run(_link_s(port)), _raw_socket_s(port)
            ratios.append(ours / raw)
    return statistics.median(ratios)


def event_lag() -> float:
    """From the moment an instrument is asked to the moment a watcher over HTTP has the sample."""
    with tempfile.TemporaryDirectory() as name, demo_site.stand_ins(1.0) as floor:
        folder = Path(name)
        demo_site.write_bench_file(floor.ports, folder / "bench.toml")
        port = demo_site.free_port()
        people = (FirstAccount("mara", "Mara", "engineer", "bench"),)
        settings = Settings(folder / "bench.toml", folder, f"http://127.0.0.1:{port}",
                            accounts=people)  # fmt: skip
        app = create_app(settings)
        config = uvicorn.Config(app, port=port, log_config=None, access_log=False)
        server = uvicorn.Server(config)
        lags: list[float] = []
        trip: list[float] = []

        async def serve() -> None:
            serving = asyncio.create_task(server.serve())
            while not server.started:  # noqa: ASYNC110 - uvicorn has no event for this
                await asyncio.sleep(0.01)
            desk = app.state.desk
            board = Blackboard()

            def put(side: BenchSide) -> Engine:
                """A rehearsal that is never started: its events go the same way, with no record."""
                fixture = desk.plan.fixtures[0]
                engine = Engine("lag", demo_sequence(), fixture, [], side.bench, board)
                made = Rehearsal(engine, board, "FX-A", "1", "mara", 0.0)
                side.rehearsals.all["lag"] = made
                return engine

            engine = await desk.bench.look(put)
            watching = threading.Thread(target=_watch, args=(port, lags))
            watching.start()
            await asyncio.sleep(1.0)
            await desk.bench.do(lambda side: publish(engine))
            await asyncio.to_thread(watching.join)
            server.should_exit = True
            await serving

        async def publish(engine: Engine) -> None:
            link = TcpLink("X", f"tcp://127.0.0.1:{floor.ports['HV1']}")
            await link.open()
            for _ in range(EVENTS):
                asked = time.perf_counter()
                answer = await link.query(QUESTION)
                trip.append(time.perf_counter() - asked)
                engine.log.publish("sample", nest="1", asked=asked, answer=answer)
                await asyncio.sleep(0.01)
            engine.log.close()
            link.close()

        import uvloop

        uvloop.run(serve())
    return statistics.median(lags) / statistics.median(trip)


def _watch(port: int, lags: list[float]) -> None:
    """Follow the event stream as any HTTP client would."""
    base = f"http://127.0.0.1:{port}/api/v1"
    with httpx.Client() as wire:
        body = {"name": "mara", "password": "bench"}
        token = wire.post(f"{base}/sign-in", json=body).json()["token"]
        headers = {"Authorization": f"Bearer {token}"}
        with wire.stream("GET", f"{base}/rehearsals/lag/events", headers=headers) as stream:
            for line in stream.iter_lines():
                if line.startswith("data:"):
                    data = json.loads(line.removeprefix("data:"))
                    lags.append(time.perf_counter() - data["asked"])
