"""A service and its stand-ins in this process, so that either can be spoilt."""

import asyncio
import contextlib
import threading
from collections.abc import AsyncIterator, Awaitable, Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from types import ModuleType
from typing import Any

import httpx
import pytest
from fastapi import FastAPI

from loricate.service.app import create_app
from loricate.service.desk import Desk
from loricate.service.settings import FirstAccount, Settings
from loricate.simulator.standins import StandIns
from tests.rig import PATIENCE_S, SpoiltFloor

PACE = 50.0
ENGINEERS = ("mara", "nils")
WHY = "left as it is, for a test"


@dataclass
class Live:
    """A service and its stand-ins in this process."""

    app: FastAPI
    wire: httpx.AsyncClient
    floor: StandIns

    @property
    def desk(self) -> Desk:
        """What the service holds."""
        desk: Desk = self.app.state.desk
        return desk

    @property
    def rig(self) -> SpoiltFloor:
        """Its stand-ins, to be spoilt."""
        return SpoiltFloor(self.floor)

    async def post(self, path: str, body: Any = None, status: int | None = None) -> Any:
        """Post; a status other than wanted (any good one by default) fails."""
        answer = await self.wire.post(path, json=body)
        is_good = answer.is_success if status is None else answer.status_code == status
        assert is_good, (path, answer.status_code, answer.text)
        return answer.json() if answer.content else None

    async def get(self, path: str) -> Any:
        """What is at a path."""
        answer = await self.wire.get(path)
        assert answer.is_success, (path, answer.text)
        return answer.json()

    async def new_run(self, **load: str) -> str:
        """A run of FX-A, created; nests are n1, n2 and so on."""
        places = [{"nest": nest[1:], "serial": serial} for nest, serial in load.items()]
        body = {"sequence": "DC40-FINAL", "fixture": "FX-A", "load": places}
        made = await self.post("/runs", body)
        return str(made["id"])

    async def signed_in(self, name: str) -> dict[str, str]:
        """The headers of one of the engineers, signed in."""
        body = {"name": name, "password": f"{name}-pass"}
        return {"Authorization": f"Bearer {(await self.post('/sign-in', body))['token']}"}

    async def release(self, document: Mapping[str, Any]) -> None:
        """Store a sequence and have another engineer release it, whatever its review finds."""
        await self.post("/sequences", document)
        place = f"/sequences/{document['code']}"
        found = (await self.get(f"{place}/review"))["findings"]
        accepted = [{"rule": each["rule"], "step": each["step"], "reason": WHY} for each in found]
        answer = await self.wire.post(
            f"{place}/release",
            json={"why": WHY, "accepted": accepted},
            headers=await self.signed_in(ENGINEERS[1]),
        )
        assert answer.is_success, answer.text

    async def run(self, **load: str) -> Any:
        """A run from its beginning to its end."""
        run_id = await self.new_run(**load)
        await self.post(f"/runs/{run_id}/arm")
        await self.post(f"/runs/{run_id}/start")
        return await self.ended(run_id)

    async def ended(self, run_id: str) -> Any:
        """The run, once it is over and recorded so; questions are answered with their first."""
        async with asyncio.timeout(PATIENCE_S):
            while True:
                run = await self.get(f"/runs/{run_id}")
                if run["state"] not in ("running", "armed"):
                    return run
                for asked in run["questions"]:
                    body = {"nest": asked["nest"], "choice": asked["choices"][0]}
                    await self.wire.post(f"/runs/{run_id}/answers", json=body)
                await asyncio.sleep(0.02)

    async def until(self, holds: Callable[[], Any]) -> Any:
        """What ``holds`` gives once it is true."""
        return await until(holds)


async def until(holds: Callable[[], Any]) -> Any:
    """What ``holds`` gives once it is true."""
    async with asyncio.timeout(PATIENCE_S):
        while True:
            if found := await holds():
                return found
            await asyncio.sleep(0.05)


class HeldUp:
    """A state of a run or a series whose writing takes as long as a test wants it to."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch, records: ModuleType, state: str) -> None:
        self._is_writing, self._may_go = threading.Event(), threading.Event()
        write = records.set_state

        def held(conn: Any, record_id: str, to: str, *given: Any) -> None:
            if to == state:
                self._is_writing.set()
                assert self._may_go.wait(PATIENCE_S)
            write(conn, record_id, to, *given)

        monkeypatch.setattr(records, "set_state", held)

    async def begun(self) -> None:
        """Return once it is being written."""
        assert await asyncio.to_thread(self._is_writing.wait, PATIENCE_S)

    async def meanwhile(self, asked: Awaitable[Any]) -> Any:
        """What is asked for while it is still being written, which ends only then."""
        asking = asyncio.ensure_future(asked)
        await asyncio.sleep(0.1)
        self._may_go.set()
        return await asking


@contextlib.asynccontextmanager
async def service(folder: Path, floor: StandIns) -> AsyncIterator[Live]:
    """A service over records that may be there already."""
    people = tuple(FirstAccount(name, name, "engineer", f"{name}-pass") for name in ENGINEERS)
    app = create_app(Settings(folder / "bench.toml", folder, "http://b", accounts=people))
    transport = httpx.ASGITransport(app)
    async with (
        app.router.lifespan_context(app),
        httpx.AsyncClient(transport=transport, base_url="http://b/api/v1", timeout=60) as wire,
    ):
        live = Live(app, wire, floor)
        wire.headers.update(await live.signed_in(ENGINEERS[0]))
        yield live
