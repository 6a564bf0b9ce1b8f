"""A service in a process of its own, on stand-ins that outlive it."""

import os
import socket
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

ACCOUNT, PASSWORD = "mara", "for this drill"


@contextmanager
def service(
    folder: Path, port: int, bench_file: Path | None = None, kinds: tuple[str, ...] = ()
) -> Iterator[subprocess.Popen[bytes]]:
    """Serve a bench, by default ``folder/bench.toml``, with its records in ``folder``.

    It is killed at the end.
    """
    folder.mkdir(exist_ok=True)
    bench = bench_file or folder / "bench.toml"
    words = ["serve", "--bench", str(bench), "--data", str(folder)]
    words += ["--port", str(port), "--account", ACCOUNT]
    words += [word for kind in kinds for word in ("--kinds", kind)]
    with (folder / "service.log").open("ab") as log:
        process = subprocess.Popen(
            [sys.executable, "-m", "loricate", *words],
            env={**os.environ, "LORICATE_PASSWORD": PASSWORD},
            stdout=log,
            stderr=log,
        )
        try:
            yield process
        finally:
            process.kill()
            process.wait()


def say(ports: dict[str, int], instrument: str, line: str) -> str:
    """Say something to an instrument on a link of our own; gives its answer, or 1."""
    question = line if line.endswith("?") else f"{line};*OPC?"
    with socket.create_connection(("127.0.0.1", ports[instrument]), timeout=30) as link:
        link.sendall(question.encode() + b"\n")
        return link.recv(200).decode().strip()


def outputs_on(ports: dict[str, int]) -> list[str]:
    """The instruments whose output is on, as they say themselves."""
    return [name for name in ("HV1", "GB1", "LK1") if say(ports, name, "OUTP?") == "1"]
