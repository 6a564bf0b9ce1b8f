"""One kill: what was acknowledged before it, and what must be true after it."""

import random
import signal
import sqlite3
import subprocess
import threading
import time
from contextlib import ExitStack
from dataclasses import dataclass, field
from pathlib import Path

from drill.processes import ACCOUNT, PASSWORD, outputs_on, service
from loricate.client import Client, ClientError
from loricate.commands import demo_site

LOAD_S = 4.5  # about how long the load takes at the drill's pace, until its papers are made
PACE = 5.0
OFF_WITHIN_S, READY_WITHIN_S = 0.5, 3.0
LOAD = {nest: f"DC40-26-01{16 + int(nest)}" for nest in "1234"}


@dataclass
class Survival:
    """What was found after one kill; empty ``faults`` means that it was survived."""

    killed_after_s: float
    off_s: float = 0.0
    ready_s: float = 0.0
    acknowledged: int = 0
    faults: list[str] = field(default_factory=list)


class Site:
    """One site that is killed again and again: its folder, its stand-ins, its service."""

    def __init__(self, folder: Path, ports: dict[str, int]) -> None:
        self.folder, self.ports = folder, ports
        self.port = demo_site.free_port()
        self.url = f"http://127.0.0.1:{self.port}"
        self._stack = ExitStack()
        self.process: subprocess.Popen[bytes] | None = None

    def start(self) -> float:
        """Start the service; gives the seconds until it answered."""
        begun = time.monotonic()
        self.process = self._stack.enter_context(service(self.folder, self.port))
        with Client(self.url) as client:
            demo_site.wait_for(client)
        return time.monotonic() - begun

    def kill(self) -> None:
        """Kill the service as a power cut would."""
        if self.process is not None:
            self.process.send_signal(signal.SIGKILL)
            self.process.wait()

    def close(self) -> None:
        """End the service."""
        self._stack.close()

    def client(self) -> Client:
        """A client signed in to the service."""
        client = Client(self.url)
        try:
            client.sign_in(ACCOUNT, PASSWORD)
        except BaseException:
            client.close()
            raise
        return client


def kill_once(site: Site, chance: random.Random) -> Survival:
    """Run a load, kill the service at a random moment, start it again, and check everything."""
    found = Survival(killed_after_s=chance.uniform(0.05, LOAD_S))
    acknowledged: set[tuple[str, str]] = set()
    with site.client() as client:
        run = client.create_run("DC40-FINAL", "FX-A", LOAD)
        client.arm_run(run.id)
        client.start_run(run.id)
        watching = threading.Thread(target=_watch, args=(client, run.id, acknowledged))
        watching.start()
        time.sleep(found.killed_after_s)
        site.kill()
        killed = time.monotonic()
        while outputs_on(site.ports) and time.monotonic() - killed < 10:
            pass
        found.off_s = time.monotonic() - killed
        watching.join()
    found.acknowledged = len(acknowledged)
    found.ready_s = site.start()
    if found.off_s > OFF_WITHIN_S:
        found.faults.append(f"an output was still on {found.off_s:.2f} s after the kill")
    if found.ready_s > READY_WITHIN_S:
        found.faults.append(f"the restart took {found.ready_s:.2f} s")
    found.faults += _record_faults(site.folder / "records.sqlite", run.id, acknowledged)
    with site.client() as client:
        if client.run(run.id).state == "interrupted":
            found.faults += _resume_faults(client, run.id)
        client.wait_for_papers(run.id)
        found.faults += client.ledger().faults
    found.faults += _paper_faults(site.folder / "records.sqlite")
    return found


def _watch(client: Client, run_id: str, acknowledged: set[tuple[str, str]]) -> None:
    """Answer questions and note each attempt that the service says is kept, until it dies."""
    try:
        for event in client.events(run_id):
            if event.name == "question":
                client.answer(run_id, event.data["nest"], "pass")
            if event.name == "step_finished":
                acknowledged.add((event.data["nest"], event.data["step"]))
    except ClientError:
        pass  # the service is gone, as it should be


def _record_faults(path: Path, run_id: str, acknowledged: set[tuple[str, str]]) -> list[str]:
    """Look into the records themselves."""
    faults = []
    conn = sqlite3.connect(f"file:{path}?mode=ro", uri=True)
    if conn.execute("PRAGMA integrity_check").fetchone()[0] != "ok":
        faults.append("the database is damaged")
    if conn.execute("PRAGMA foreign_key_check").fetchall():
        faults.append("a foreign key points nowhere")
    kept = set(
        conn.execute(
            "SELECT nest, step_id FROM attempt JOIN run_unit ON run_unit.id = run_unit_id"
            " WHERE run_id = ?",
            (run_id,),
        )
    )
    if lost := acknowledged - kept:
        faults.append(f"acknowledged and lost: {sorted(lost)}")
    issued = conn.execute(
        "SELECT count(*) FROM ledger JOIN run_unit ON run_unit.id = run_unit_id"
        " JOIN run ON run.id = run_id WHERE run_id = ? AND state = 'interrupted'",
        (run_id,),
    ).fetchone()[0]
    if issued:
        faults.append("a document was issued for an interrupted unit")
    conn.close()
    return faults


def _paper_faults(path: Path) -> list[str]:
    """What was under way at the kill was done at the restart, once."""
    conn = sqlite3.connect(f"file:{path}?mode=ro", uri=True)
    found = {
        "a unit has two documents": "SELECT 1 FROM ledger WHERE supersedes IS NULL AND run_unit_id"
        " IS NOT NULL GROUP BY run_unit_id HAVING count(*) > 1",
        "a paper was made twice": "SELECT 1 FROM paper GROUP BY number HAVING count(*) > 1",
        "a document has no paper": "SELECT 1 FROM ledger LEFT JOIN paper USING (number)"
        " WHERE paper.number IS NULL",
        "a paper still waits": "SELECT 1 FROM outbox WHERE target = 'paper' AND sent_at IS NULL",
    }
    faults = [fault for fault, asked in found.items() if conn.execute(asked).fetchone()]
    conn.close()
    return faults


def _resume_faults(client: Client, run_id: str) -> list[str]:
    """Go on with the run: what was done stays as it was, and the load comes to its verdict."""
    before = {
        (unit.nest, attempt.step_id): attempt
        for unit in client.run(run_id).units
        for attempt in unit.attempts
    }
    client.arm_run(run_id)
    client.start_run(run_id)
    _watch(client, run_id, set())
    run = client.run(run_id)
    faults = []
    if run.state != "finished":
        faults.append(f"the resumed run is {run.state}: {run.note}")
    for unit in run.units:
        done = [attempt.step_id for attempt in unit.attempts]
        if len(done) != len(set(done)) or len(done) != len(run.steps):
            faults.append(f"nest {unit.nest} did {done}")
        for attempt in unit.attempts:
            if before.get((unit.nest, attempt.step_id), attempt) != attempt:
                faults.append(f"nest {unit.nest} {attempt.step_id} was changed")
    return faults
