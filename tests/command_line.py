"""The command line as people run it, without each of its processes importing everything anew.

A process that has imported all commands forks one for each call: own arguments, environment, folder
and streams, own exit status. ``python -m tests.command_line`` is that process.
"""

import functools
import gc
import json
import os
import select
import signal
import socket
import subprocess
import sys
import tempfile
import traceback
from collections.abc import Mapping
from pathlib import Path
from typing import IO

STREAMS = (0, 1, 2)


def run(
    *words: str | Path,
    env: Mapping[str, str] | None = None,
    cwd: Path | str = ".",
    given: str = "",
    within_s: float = 120.0,
) -> subprocess.CompletedProcess[str]:
    """Run a command to its end; raises TimeoutExpired where that does not come."""
    args = [str(word) for word in words]
    asked = {"words": args, "env": dict(env or os.environ), "cwd": str(Path(cwd).absolute())}
    with _line() as line, tempfile.TemporaryFile() as told, tempfile.TemporaryFile() as err:
        line.settimeout(within_s)
        with tempfile.TemporaryFile() as typed:
            typed.write(given.encode())
            typed.seek(0)
            files: list[IO[bytes]] = [typed, told, err]
            socket.send_fds(line, [json.dumps(asked).encode()], [each.fileno() for each in files])
        line.shutdown(socket.SHUT_WR)
        try:
            status = line.recv(16)
        except TimeoutError:
            raise subprocess.TimeoutExpired(args, within_s) from None
        texts = [each.seek(0) or each.read().decode() for each in (told, err)]
    return subprocess.CompletedProcess(args, int(status), *map(str, texts))


def _line() -> socket.socket:
    line = socket.socket(socket.AF_UNIX)
    line.connect(_forking())
    return line


@functools.cache
def _forking() -> str:
    """Where the process that forks is asked; it ends with this one."""
    process = subprocess.Popen(
        [sys.executable, "-m", __name__], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    )
    assert process.stdout is not None
    _held.append(process)
    return process.stdout.readline().strip()


_held: list[subprocess.Popen[str]] = []


def _answer(line: socket.socket) -> None:
    """Do what is asked for on a line in a process of its own, and say how it ended."""
    signal.signal(signal.SIGCHLD, signal.SIG_DFL)
    told, streams, _, _ = socket.recv_fds(line, 2**20, len(STREAMS))
    while piece := line.recv(2**20):
        told += piece
    child = os.fork()
    if child == 0:
        os._exit(_perform(json.loads(told), streams))
    _, status = os.waitpid(child, 0)
    line.sendall(str(os.waitstatus_to_exitcode(status)).encode())


def _perform(asked: dict[str, object], streams: list[int]) -> int:
    for there, here in zip(streams, STREAMS, strict=True):
        os.dup2(there, here)
    os.environ.clear()
    os.environ.update(asked["env"])  # type: ignore[call-overload]
    os.chdir(str(asked["cwd"]))
    sys.argv = ["loricate", *asked["words"]]  # type: ignore[misc]
    from loricate.commands import main

    status = 0
    try:
        main()
    except SystemExit as leaving:
        if isinstance(leaving.code, str):
            sys.stderr.write(f"{leaving.code}\n")
        status = leaving.code if isinstance(leaving.code, int) else int(leaving.code is not None)
    except BaseException:
        traceback.print_exc()
        status = 1
    sys.stdout.flush()
    sys.stderr.flush()
    return status


def _serve() -> None:
    from loricate import client  # noqa: F401 - what every command imports
    from loricate.commands import NOUNS, cli

    for noun in NOUNS:
        cli.get_command(None, noun)  # type: ignore[arg-type]
    gc.freeze()
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)  # nobody waits for who answers
    with tempfile.TemporaryDirectory() as folder, socket.socket(socket.AF_UNIX) as listening:
        listening.bind(f"{folder}/calls")
        listening.listen()
        os.write(1, f"{folder}/calls\n".encode())
        while True:
            ready, _, _ = select.select([listening.fileno(), 0], [], [])
            if 0 in ready:  # whoever started this is gone
                return
            line, _ = listening.accept()
            with line:
                if os.fork() == 0:
                    _answer(line)
                    os._exit(0)


if __name__ == "__main__":
    _serve()
