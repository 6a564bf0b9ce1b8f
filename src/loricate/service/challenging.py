"""Running a challenge in a process of its own, so that it holds up no heartbeat of the bench."""

import asyncio
import contextlib
import json
import sys
import tomllib
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from loricate.api.definitions import ChallengeOut
from loricate.core.errors import Finding
from loricate.service.errors import Busy, NotReady, WrongState

MOST_S, MOST_INSIDE = 120.0, 4
UNITS = "units"  # the folder beside the bench file that holds unit files


def unit_file(bench_file: Path, product: str) -> dict[str, Any] | None:
    """The unit file for a product from the folder beside the bench file, if there is one."""
    for path in sorted((bench_file.parent / UNITS).glob("*.toml")):
        with contextlib.suppress(tomllib.TOMLDecodeError, UnicodeDecodeError):
            document = tomllib.loads(path.read_text(encoding="utf-8"))
            if document.get("code") == product:
                return document
    return None


class Challenger:
    """One challenge at a time; a few may wait for it."""

    def __init__(self, kinds: Sequence[str] = ()) -> None:
        self._kinds = tuple(kinds)
        self._turn = asyncio.Lock()
        self._inside = 0

    async def challenge(self, request: dict[str, Any]) -> ChallengeOut:
        """Run a request; raises NotReady with what was refused, WrongState when it is too long.

        Raises Busy when enough wait already.
        """
        if self._inside >= MOST_INSIDE:
            raise Busy("Several challenges wait already; ask again when one of them is over.")
        self._inside += 1
        try:
            return await self._in_turn(request)
        finally:
            self._inside -= 1

    async def _in_turn(self, request: dict[str, Any]) -> ChallengeOut:
        async with self._turn:
            process = await asyncio.create_subprocess_exec(
                sys.executable,
                "-m",
                "loricate.challenge",
                stdin=asyncio.subprocess.PIPE,
                stdout=asyncio.subprocess.PIPE,
                stderr=asyncio.subprocess.PIPE,
            )
            try:
                sent = json.dumps({**request, "kinds": self._kinds}).encode()
                async with asyncio.timeout(MOST_S):
                    out, err = await process.communicate(sent)
            except TimeoutError:
                raise WrongState(
                    f"The challenge took more than {MOST_S:g} s; ask for fewer repetitions, or "
                    "without pairs."
                ) from None
            finally:
                if process.returncode is None:
                    process.kill()
                    await process.wait()
        if process.returncode == 0:
            return ChallengeOut.model_validate_json(out)
        try:
            refused = json.loads(out)
        except ValueError:
            raise RuntimeError(f"The challenge failed: {err.decode(errors='replace')}") from None
        findings = [Finding(*each) for each in refused["findings"]]
        raise NotReady(refused["refused"], findings)
