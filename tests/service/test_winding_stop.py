"""A service told to stop while a winding is earthed: its relays stay for all of the time."""

import asyncio
import contextlib
import shutil
import signal
from collections.abc import AsyncIterator, Callable
from pathlib import Path

import pytest
from drill.processes import PASSWORD, service

from loricate.client import Client
from loricate.commands import demo_site
from loricate.simulator.instruments.dc_source import DcSource
from loricate.simulator.standins import StandIns
from tests.conftest import read_demo, release
from tests.rig import DEMO, PATIENCE_S

PACE, LASTS_S, TIMES = 20.0, 15.0, 4.0


def begin(url: str) -> str:
    """A quarter of a minute of volts on a motor, started; gives the run."""
    document = read_demo("sequences/wm3-final.toml")
    (quarter,) = (each for each in document["steps"] if each["kind"] == "polarization")
    quarter["settings"] |= {
        "lasts": "15 s", "read_at": "15 s", "ratio_from": "5 s", "ratio_to": "15 s",
        "earthed_times": f"{TIMES:g}",
    }  # fmt: skip
    quarter["limits"] = {"resistance": {"minimum": "100 MΩ", "source": "for a test"}}
    with Client(url) as client:
        demo_site.wait_for(client)
        client.sign_in("mara", PASSWORD)
        release(client, {**document, "code": "WM3-QUARTER", "steps": [quarter]})
        run = client.create_run("WM3-QUARTER", "FX-M", {"1": "WM3-STOP"})
        client.arm_run(run.id)
        client.start_run(run.id)
        return run.id


async def until(holds: Callable[[], bool]) -> None:
    """Return once something holds of the stand-ins; they tell nobody by themselves."""
    while not holds():  # noqa: ASYNC110
        await asyncio.sleep(0.005)


@pytest.mark.parametrize("when", ["under volts", "while it is earthed"])
async def test_a_winding_stays_earthed_though_the_service_is_told_to_stop(
    tmp_path: Path, fit_folder: Path, when: str
) -> None:
    shutil.copytree(fit_folder, tmp_path, dirs_exist_ok=True)
    floor = StandIns(DEMO / "stand-ins" / "stand-ins.toml", pace=PACE)
    async with closing(floor):
        await stop(tmp_path, floor, when)


@contextlib.asynccontextmanager
async def closing(floor: StandIns) -> AsyncIterator[None]:
    """Stand-ins that leave nothing open, whatever comes of a test."""
    try:
        yield
    finally:
        await floor.close()


async def stop(tmp_path: Path, floor: StandIns, when: str) -> None:
    """Start a run, tell the service to stop, and see what becomes of the winding."""
    demo_site.write_bench_file(await floor.serve(), tmp_path / "bench.toml")
    source = floor.instruments["DS1"]
    assert isinstance(source, DcSource)
    port = demo_site.free_port()
    url = f"http://127.0.0.1:{port}"
    with service(tmp_path, port) as process:
        run_id = await asyncio.to_thread(begin, url)
        async with asyncio.timeout(PATIENCE_S):
            await until(lambda: source.output_on)
            began_s = floor.clock.now()
            is_on = when == "under volts"
            await until(lambda: floor.clock.now() - began_s > LASTS_S / 2)
            await until(lambda: source.output_on is is_on)
            process.send_signal(signal.SIGTERM)
            await until(lambda: not source.output_on)
            under_s = floor.clock.now() - began_s
            await until(lambda: not floor.floor.closed)
            assert source.earthed_s >= TIMES * under_s * 0.9, "a relay opened before its time"
            assert floor.floor.volts_in("FX-M/1") < 30.0
            await until(lambda: process.poll() is not None)

    def ended() -> tuple[str, str]:
        with service(tmp_path, port), Client(url) as client:
            demo_site.wait_for(client)
            client.sign_in("mara", PASSWORD)
            run = client.run(run_id)
            return run.state, run.note

    state, note = await asyncio.to_thread(ended)
    assert (state, note) == ("aborted", "The service is stopping.")
