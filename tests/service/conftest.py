"""A service in this process: with an account of each role and a silent bench, or live."""

import asyncio
import shutil
from collections.abc import AsyncIterator
from pathlib import Path

import httpx
import pytest
from fastapi import FastAPI

from loricate.commands import demo_site
from loricate.core.planning import series as planning
from loricate.service import series_keeping
from loricate.service.app import create_app
from loricate.service.settings import FirstAccount, Settings
from loricate.simulator.standins import StandIns
from tests.conftest import five_steps, read_demo, write_patient_profiles
from tests.rig import DEMO, copy_bench
from tests.service.line_rig import Line
from tests.service.live_rig import PACE, Live, service

PEOPLE = {
    "mara": "engineer",
    "olle": "operator",
    "quin": "quality",
    "ada": "administrator",
    "depot": "system",
}


def _app(folder: Path) -> FastAPI:
    people = tuple(FirstAccount(name, name, role, f"{name}-pass") for name, role in PEOPLE.items())
    return create_app(Settings(copy_bench(folder), folder, "http://bench", accounts=people))


@pytest.fixture(scope="session")
def peopled(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The folder of a service with accounts and nothing else, to be copied."""
    folder = tmp_path_factory.mktemp("peopled")

    async def begin() -> None:
        app = _app(folder)
        async with app.router.lifespan_context(app):
            pass

    asyncio.run(begin())
    return folder


@pytest.fixture
async def app(tmp_path: Path, peopled: Path) -> AsyncIterator[FastAPI]:
    """The application, started."""
    shutil.copytree(peopled, tmp_path, dirs_exist_ok=True)
    app = _app(tmp_path)
    async with app.router.lifespan_context(app):
        yield app


@pytest.fixture
async def wire(app: FastAPI) -> AsyncIterator[httpx.AsyncClient]:
    """A wire to it."""
    transport = httpx.ASGITransport(app)
    async with httpx.AsyncClient(transport=transport, base_url="http://bench/api/v1") as wire:
        wire.headers["x-test-app"] = "1"
        yield wire


async def sign_in(wire: httpx.AsyncClient, name: str, keep: str = "token") -> httpx.Response:
    """Sign somebody of ``PEOPLE`` in."""
    body = {"name": name, "password": f"{name}-pass", "keep": keep}
    return await wire.post("/sign-in", json=body)


async def bearer(wire: httpx.AsyncClient, name: str) -> dict[str, str]:
    """The headers of somebody signed in."""
    return {"Authorization": f"Bearer {(await sign_in(wire, name)).json()['token']}"}


@pytest.fixture
async def floor(tmp_path: Path) -> AsyncIterator[StandIns]:
    """Stand-ins, and the bench file for them."""
    write_patient_profiles(tmp_path)
    floor = StandIns(DEMO / "stand-ins" / "stand-ins.toml", pace=PACE)
    demo_site.write_bench_file(await floor.serve(), tmp_path / "bench.toml")
    yield floor
    await floor.close()


@pytest.fixture(scope="session")
def defined(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The folder of a service with the demo's definitions, its fixtures fit by decree."""
    folder = tmp_path_factory.mktemp("defined")

    async def define() -> None:
        floor = StandIns(DEMO / "stand-ins" / "stand-ins.toml", pace=PACE)
        demo_site.write_bench_file(await floor.serve(), folder / "bench.toml")
        async with service(folder, floor) as live:
            for sort in ("products", "limit-sets"):
                for document in demo_site.demo_documents(sort):
                    await live.post(f"/{sort}", document)
            await live.release(five_steps())
        await floor.close()

    asyncio.run(define())
    (folder / "bench.toml").unlink()
    return folder


@pytest.fixture
async def live(tmp_path: Path, defined: Path, floor: StandIns) -> AsyncIterator[Live]:
    """A service with the demo's definitions, its fixtures fit by decree."""
    shutil.copytree(defined, tmp_path, dirs_exist_ok=True)
    async with service(tmp_path, floor) as live:
        yield live


@pytest.fixture
async def line(live: Live, monkeypatch: pytest.MonkeyPatch) -> AsyncIterator[Line]:
    """A line for reference cables, worked by quick hands; nothing is plugged in.

    A machine that is held up is no reason to doubt a unit.
    """
    monkeypatch.setattr(series_keeping, "LET_GO_S", 0.0)
    monkeypatch.setattr(planning, "BLIND_AFTER_S", 10.0)
    await live.release(read_demo("sequences/ref-cable.toml"))
    line = Line(live)
    line.pull()
    yield line
