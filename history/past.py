"""A service whose clock tells a moment of the past, and its bench."""

import contextlib
import datetime as dt
import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import tomlkit

from history.units import at_fellside
from loricate.client import Client
from loricate.commands import demo_site

CLOCK = Path(__file__).parent / "clock"
PASSWORD = "made-for-the-history"


class Past:
    """How far back the clock is; services under way follow it."""

    def __init__(self, folder: Path) -> None:
        self.file = folder / "clock"
        self.set(dt.datetime.now(dt.UTC))

    def set(self, moment: dt.datetime) -> None:
        """Have it be a moment now."""
        back = moment - dt.datetime.now(dt.UTC)
        fresh = self.file.with_suffix(".new")
        fresh.write_text(f"{back.total_seconds():.0f}", encoding="ascii")
        fresh.replace(self.file)

    @property
    def environment(self) -> dict[str, str]:
        """What a process needs to go by it."""
        return {**os.environ, "HISTORY_CLOCK": str(self.file), "PYTHONPATH": str(CLOCK)}


def write_bench(ports: dict[str, int], to: Path) -> None:
    """The bench of Fellside works: wired like the demo's, calibrated before the history begins."""
    demo_site.write_bench_file(ports, to)
    bench = tomlkit.parse(to.read_text(encoding="utf-8"))
    bench["code"], bench["title"] = "BENCH-5", "Final test, Fellside"
    bench["site"] = "Quillmere Apparatus, Fellside works"
    for part in demo_site.parts_of(bench):
        if "calibrated" in part:
            part["calibrated"] = tomlkit.date(str(part["calibrated"] - dt.timedelta(days=120)))
    to.write_text(at_fellside(tomlkit.dumps(bench)), encoding="utf-8")
    site = to.with_name("site.toml")
    chosen = tomlkit.parse(site.read_text(encoding="utf-8"))
    for part in ("exports", "maintenance", "printer", "ambient"):
        chosen.pop(part, None)
    chosen["ambient"] = {"asked": False}
    site.write_text(tomlkit.dumps(chosen), encoding="utf-8")


@contextlib.contextmanager
def service(folder: Path, past: Past, port: int) -> Iterator[Client]:
    """The service of that bench, with its engineer signed in."""
    log = folder / "serve.log"
    with log.open("a", encoding="utf-8") as out:
        process = subprocess.Popen(
            [
                *(sys.executable, "-m", "loricate", "serve"),
                *("--bench", str(folder / "bench.toml"), "--data", str(folder / "data")),
                *("--port", str(port), "--one-person", "--account", "sten"),
                *("--password", PASSWORD),
            ],
            env=past.environment, stdout=out, stderr=out,
        )  # fmt: skip
    try:
        with Client(f"http://127.0.0.1:{port}", timeout_s=120) as client:
            demo_site.wait_for(client, 60)
            client.sign_in("sten", PASSWORD)
            yield client
    finally:
        process.terminate()
        process.wait(30)
