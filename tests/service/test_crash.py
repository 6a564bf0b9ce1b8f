"""A service that dies: output off in time, nothing lost, nothing certified, ready again."""

import shutil
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

import pytest
from drill.__main__ import drill
from drill.processes import PASSWORD, outputs_on, say, service

from loricate.client import Client, UnreachableError
from loricate.commands import demo_site
from loricate.records.store import open_connection
from tests.conftest import copy_site, finish, release
from tests.rig import PATIENCE_S


def start_and_reach_high_voltage(client: Client, ports: dict[str, int]) -> str:
    """Start a run whose withstand dwells long; returns in mid-dwell."""
    run = client.create_run("LONG", "FX-A", {"1": "K-1"})
    client.arm_run(run.id)
    client.start_run(run.id)
    for event in client.events(run.id):
        if event.data.get("step") == "withstand" and event.data.get("phase") == "dwell":
            break
    assert "HV1" in outputs_on(ports)
    return run.id


def long_sequence(document: dict[str, Any]) -> dict[str, Any]:
    """Earth, then a withstand that dwells for two minutes."""
    steps = {step["id"]: step for step in document["steps"]}
    steps["withstand"]["settings"]["dwell"] = "2 min"
    steps["earth"]["settings"].update(dwell="0.2 s")
    steps["earth"]["on_fail"] = "carry_on"
    return {**document, "code": "LONG", "steps": [steps["earth"], steps["withstand"]]}


@pytest.mark.parametrize("how", [signal.SIGKILL, signal.SIGSTOP])
def test_the_output_falls_when_the_service_dies_or_hangs(
    tmp_path: Path, fit_folder: Path, sequence_document: dict[str, Any], how: signal.Signals
) -> None:
    shutil.copytree(fit_folder, tmp_path, dirs_exist_ok=True)
    port = demo_site.free_port()
    url = f"http://127.0.0.1:{port}"
    with demo_site.stand_ins(1.0) as floor:
        demo_site.write_bench_file(floor.ports, tmp_path / "bench.toml")
        with service(tmp_path, port) as process, Client(url) as client:
            demo_site.wait_for(client)
            client.sign_in("mara", PASSWORD)
            release(client, long_sequence(sequence_document))
            run_id = start_and_reach_high_voltage(client, floor.ports)
            process.send_signal(how)
            killed = time.monotonic()
            while outputs_on(floor.ports):
                # The promise is 500 ms; a machine that holds processes up adds to what is seen.
                assert time.monotonic() - killed < 5, "the dead-man never came"
        with service(tmp_path, port), Client(url) as client:
            demo_site.wait_for(client)
            client.sign_in("mara", PASSWORD)
            run = client.run(run_id)
            assert (run.state, run.verdict) == ("interrupted", "inconclusive")
            (unit,) = run.units
            assert [attempt.step_id for attempt in unit.attempts] == ["earth"]
            assert unit.attempts[0].readings, "a finished step keeps its readings"
            assert unit.certificate is None
            assert [event.name for event in client.events(run_id)] == ["finished"]
            assert client.health().status == "ok"
            say(floor.ports, "HANDS", "HAND:PACE 200")
            client.arm_run(run_id)
            client.start_run(run_id)
            finish(client, run_id)
            resumed = client.run(run_id)
            assert (resumed.state, resumed.units[0].verdict) == ("finished", "pass")
            assert [a.step_id for a in resumed.units[0].attempts] == ["earth", "withstand"]
            assert resumed.units[0].attempts[0] == unit.attempts[0], "kept, not done again"
            assert resumed.units[0].certificate is not None
    conn = open_connection(tmp_path / "records.sqlite")
    assert conn.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
    assert conn.execute("PRAGMA foreign_key_check").fetchall() == []
    conn.close()


def wait_until(holds: Callable[[], bool], seconds: float = PATIENCE_S) -> None:
    """Return when something holds; fails when it never does."""
    until = time.monotonic() + seconds
    while not holds():
        assert time.monotonic() < until
        time.sleep(0.05)


def test_a_restart_issues_what_a_crash_left_unissued_and_goes_on(
    tmp_path: Path, fit_folder: Path
) -> None:
    """Killed between the last reading and the certificate, the certificate comes at the restart."""
    copy_site(fit_folder, tmp_path)
    with demo_site.running_site(tmp_path, 20.0) as sign_in, Client(sign_in["url"]) as client:
        client.sign_in(sign_in["name"], sign_in["password"])
        run = client.create_run("DC40-FINAL", "FX-A", {"1": "M-1"})
        client.arm_run(run.id)
        client.start_run(run.id)
        finish(client, run.id)
        number = client.run(run.id).units[0].certificate
    conn = open_connection(tmp_path / "records.sqlite")
    conn.execute("DROP TRIGGER ledger_stays")  # what a crash would have prevented from being added
    conn.execute("DROP TRIGGER paper_stays")
    conn.execute("DELETE FROM issued_after")
    conn.execute("DELETE FROM paper")
    conn.execute("DELETE FROM outbox")
    conn.execute("DELETE FROM ledger")
    conn.execute("UPDATE run SET is_issued = 0")
    conn.close()
    with demo_site.running_site(tmp_path, 20.0) as sign_in, Client(sign_in["url"]) as client:
        client.sign_in(sign_in["name"], sign_in["password"])
        wait_until(lambda: client.run(run.id).units[0].certificate is not None)
        # A signed head says that the number was given, whatever became of the ledger.
        assert str(client.run(run.id).units[0].certificate) > str(number)
        told = " ".join(client.check_records().faults)
        assert "Issued document 1 was taken away and another stored" in told
        assert "chained anew" in " ".join(client.ledger().faults)


def test_a_full_disk_is_told_before_anything_is_energised(tmp_path: Path) -> None:
    import asyncio

    import httpx

    from loricate.service.app import create_app
    from loricate.service.settings import FirstAccount, Settings

    async def attempt(ports: dict[str, int]) -> httpx.Response:
        demo_site.write_bench_file(ports, tmp_path / "bench.toml")
        people = (FirstAccount("mara", "Mara", "engineer", PASSWORD),)
        settings = Settings(
            tmp_path / "bench.toml", tmp_path, "http://b", accounts=people, least_free_bytes=2**60
        )
        app = create_app(settings)
        async with app.router.lifespan_context(app):
            transport = httpx.ASGITransport(app)
            async with httpx.AsyncClient(transport=transport, base_url="http://b/api/v1") as wire:
                signed = await wire.post("/sign-in", json={"name": "mara", "password": PASSWORD})
                wire.headers["Authorization"] = f"Bearer {signed.json()['token']}"
                for folder, route in (("products", "products"), ("limit-sets", "limit-sets"),
                                      ("sequences", "sequences")):  # fmt: skip
                    for document in demo_site.demo_documents(folder):
                        if document["code"] != "DC40-REWORK":  # its picture would have to be sent
                            added = await wire.post(f"/{route}", json=document)
                            assert added.status_code == 201, added.text
                grounds = {"why": "for a test"}
                released = await wire.post("/sequences/DC40-FINAL/release", json=grounds)
                assert released.status_code == 200, released.text
                load = [{"nest": "1", "serial": "A"}]
                body = {"sequence": "DC40-FINAL", "fixture": "FX-A", "load": load}
                return await wire.post("/runs", json=body)

    with demo_site.stand_ins(20.0) as floor:
        answer = asyncio.run(attempt(floor.ports))
    assert answer.status_code == 422
    (error,) = answer.json()["errors"]
    assert error["field"] == "disk" and "make room" in error["message"]


def test_a_newer_database_is_refused_with_one_sentence(tmp_path: Path) -> None:
    with demo_site.stand_ins(1.0) as floor:
        demo_site.write_bench_file(floor.ports, tmp_path / "bench.toml")
        conn = open_connection(tmp_path / "records.sqlite")
        conn.execute("PRAGMA user_version = 999")
        conn.close()
        words = [
            "serve",
            "--bench",
            str(tmp_path / "bench.toml"),
            "--data",
            str(tmp_path),
            "--port",
            "0",
        ]
        done = subprocess.run(
            [sys.executable, "-m", "loricate", *words], capture_output=True, text=True, timeout=60
        )
    assert done.returncode != 0
    assert "start it with a newer Loricate" in done.stderr
    assert "Traceback" not in done.stderr


def test_a_short_drill_is_survived() -> None:
    """The long one is `make drill`; here the restart may take longer than its three seconds."""
    for survival in drill(kills=1, seed=11):
        assert [fault for fault in survival.faults if "restart took" not in fault] == []


def serve_again(folder: Path, bench: Path) -> subprocess.CompletedProcess[str]:
    """A second service, which is expected not to come up."""
    words = ["serve", "--bench", str(bench), "--data", str(folder), "--port", "0", "--log", "-"]
    return subprocess.run(
        [sys.executable, "-m", "loricate", *words], capture_output=True, text=True, timeout=60
    )


def test_a_second_service_on_the_same_records_or_bench_is_told_who_has_them(
    tmp_path: Path,
) -> None:
    folder = tmp_path / "one"
    folder.mkdir()
    with demo_site.stand_ins(1.0) as floor:
        demo_site.write_bench_file(floor.ports, folder / "bench.toml")
        port = demo_site.free_port()
        with service(folder, port) as first, Client(f"http://127.0.0.1:{port}") as client:
            demo_site.wait_for(client)
            same = serve_again(folder, folder / "bench.toml")
            assert same.returncode == 1 and "Traceback" not in same.stderr
            assert "Serving at" not in same.stderr
            assert f"data folder {folder} is in use by process {first.pid}" in same.stderr
            other = serve_again(tmp_path / "two", folder / "bench.toml")
            assert other.returncode != 0
            assert "Instrument HV1" in other.stderr
            assert f"is in use by process {first.pid} (BENCH-2)" in other.stderr
            client.sign_in("mara", PASSWORD)
            assert client.health().ready, "the first one has noticed nothing"
        with service(tmp_path / "two", port, folder / "bench.toml"):
            with Client(f"http://127.0.0.1:{port}") as client:
                demo_site.wait_for(client)
                assert client.health().ready, "what a dead service had is free"


def test_a_stop_ends_outputs_at_once_and_everything_else_soon(
    tmp_path: Path, fit_folder: Path, sequence_document: dict[str, Any]
) -> None:
    """With a run at high voltage and event streams open; its end is recorded all the same."""
    shutil.copytree(fit_folder, tmp_path, dirs_exist_ok=True)
    with demo_site.stand_ins(1.0) as floor:
        demo_site.write_bench_file(floor.ports, tmp_path / "bench.toml")
        port = demo_site.free_port()
        url = f"http://127.0.0.1:{port}"
        with service(tmp_path, port) as process, Client(url) as client:
            demo_site.wait_for(client)
            client.sign_in("mara", PASSWORD)
            release(client, long_sequence(sequence_document))
            run_id = start_and_reach_high_voltage(client, floor.ports)

            def follow() -> None:
                with suppress(UnreachableError), Client(url, token=client.token) as own:
                    list(own.events(run_id))

            following = [threading.Thread(target=follow, daemon=True) for _ in range(3)]
            for thread in following:
                thread.start()
            time.sleep(0.2)
            told = time.monotonic()
            process.send_signal(signal.SIGTERM)
            while outputs_on(floor.ports):
                assert time.monotonic() - told < 3.0
            process.wait(timeout=60)
            assert time.monotonic() - told < 8.0, "2 s is the promise; machines are held up"
            for thread in following:
                thread.join(PATIENCE_S)
                assert not thread.is_alive(), "who followed is told that nobody is there"
        with service(tmp_path, port), Client(url) as client:
            demo_site.wait_for(client)
            client.sign_in("mara", PASSWORD)
            run = client.run(run_id)
            assert (run.state, run.note) == ("aborted", "The service is stopping.")
