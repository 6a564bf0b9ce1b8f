"""The command line against the shared site."""

import os
import subprocess
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from loricate.client import Client
from tests import command_line

Run = Callable[..., subprocess.CompletedProcess[str]]


@pytest.fixture
def loricate(site: dict[str, Any], client: Client, tmp_path: Path) -> Run:
    """Run a command against the shared site, signed in as its engineer."""
    environment = {
        **os.environ, "LORICATE_SERVICE": site["url"], "LORICATE_TOKEN": client.token,
        "XDG_CONFIG_HOME": str(tmp_path), "LORICATE_FIXTURE": "FX-A",
    }  # fmt: skip

    def run(*words: str, given: str = "", **more: str) -> subprocess.CompletedProcess[str]:
        return command_line.run(*words, env={**environment, **more}, cwd=tmp_path, given=given)

    return run


def token_of(site: dict[str, Any]) -> str:
    with Client(site["url"]) as client:
        return client.sign_in(site["name"], site["password"]).token
