"""A service without a bench that answers, with what another works has carried in."""

import os
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from loricate.client import Client
from loricate.commands.demo_site import free_port, wait_for
from tests import command_line
from tests.rig import DEMO, PATIENCE_S, copy_bench

FILE = DEMO / "history" / "bench-5.carried"
KEY = (DEMO / "history" / "bench-5.key").read_text().strip()
PASSWORD = "quality-at-the-hall"


class Hall:
    """Where it is, and the command line at it."""

    def __init__(self, url: str, folder: Path, name: str, password: str) -> None:
        self.url, self.folder = url, folder
        self.site = {"url": url, "name": name, "password": password}
        with Client(url) as client:
            wait_for(client)
            self._token = client.sign_in(name, password).token

    def run(self, *words: str | Path, given: str = "") -> subprocess.CompletedProcess[str]:
        """Run a command there; ``given`` is typed at it."""
        environment = {
            **os.environ, "LORICATE_SERVICE": self.url, "LORICATE_TOKEN": self._token,
            "XDG_CONFIG_HOME": str(self.folder), "HOME": str(self.folder),
        }  # fmt: skip
        return command_line.run(*words, env=environment, cwd=self.folder, given=given)

    def told(self, *words: str | Path) -> str:
        """What a command says that does what it should."""
        done = self.run(*words)
        assert done.returncode == 0, done.stderr
        return done.stdout


@contextmanager
def serving(folder: Path, *words: str) -> Iterator[str]:
    """A service over ``records`` of a folder, whose bench does not answer; gives its address."""
    port = free_port()
    service = subprocess.Popen(
        [
            *(sys.executable, "-m", "loricate", "serve", "--bench", str(copy_bench(folder))),
            *("--data", str(folder / "records"), "--port", str(port), *words),
        ],
        stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    try:
        yield f"http://127.0.0.1:{port}"
    finally:
        service.terminate()
        service.wait(PATIENCE_S)


@contextmanager
def running_hall(folder: Path) -> Iterator[Hall]:
    """It begins with nothing; the demo's history is carried in by command."""
    first = ("--account", "ada", "--role", "administrator", "--password", PASSWORD)
    with serving(folder, *first) as url:
        hall = Hall(url, folder, "ada", PASSWORD)
        strange = hall.run("carry", "in", FILE)
        assert strange.returncode != 0 and f"--key {KEY}" in strange.stderr
        told = hall.told("carry", "in", FILE, "--key", KEY, "--receipt", "back.json")
        assert "BENCH-5 of Quillmere Apparatus, Fellside works" in told
        assert "400 units in runs" in told and "the first of this bench" in told
        yield hall
