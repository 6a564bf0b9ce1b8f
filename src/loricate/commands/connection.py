"""How commands reach the service: by options, environment, or the sign-in that was kept."""

import functools
import json
import os
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click
import platformdirs

from loricate.commands.output import printed

if TYPE_CHECKING:
    from loricate.client import Client

DEFAULT_URL = "http://127.0.0.1:8640"


def session_file() -> Path:
    """Where the sign-in is kept, readable by its owner only."""
    return Path(platformdirs.user_config_dir("loricate")) / "session.json"


def saved_session() -> dict[str, str]:
    """The kept sign-in: ``url`` and ``token``; empty when there is none."""
    try:
        found: dict[str, str] = json.loads(session_file().read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return {}
    return found


def save_session(url: str, token: str) -> None:
    """Keep a sign-in for later commands (mode 0600)."""
    path = session_file()
    path.parent.mkdir(parents=True, exist_ok=True)
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(handle, "w", encoding="utf-8") as file:
        json.dump({"url": url, "token": token}, file)


@dataclass(frozen=True, slots=True)
class Call:
    """How a command reaches the service, and whether it answers a program."""

    service: str | None
    token: str | None
    as_json: bool

    def connect(self) -> "Client":
        """Give a client for the chosen service with the best token known for it."""
        from loricate.client import Client

        saved = saved_session()
        url = (self.service or saved.get("url") or DEFAULT_URL).rstrip("/")
        token = self.token
        if token is None and saved.get("url") == url:
            token = saved.get("token")
        return Client(url, token=token or "")

    def printed(self, found: object) -> bool:
        """Print what was found as JSON, if that was asked for; whether it was."""
        return printed(self.as_json, found)


def service_options(function: Callable[..., None]) -> Callable[..., None]:
    """Add --service, --token and --json to a command; it is given them as its ``call``."""

    @functools.wraps(function)
    def called(service: str | None, token: str | None, as_json: bool, **own: Any) -> None:
        function(call=Call(service, token, as_json), **own)

    made: Callable[..., None] = called
    for option in (
        click.option("--json", "as_json", is_flag=True, help="Print JSON for programs."),
        click.option("--token", envvar="LORICATE_TOKEN", help="Bearer token; else the kept one."),
        click.option(
            "--service",
            envvar="LORICATE_SERVICE",
            help=f"Address; else the one signed in to, else {DEFAULT_URL}.",
        ),
    ):
        made = option(made)
    return made


fixture_option = click.option(
    "--fixture",
    envvar="LORICATE_FIXTURE",
    default="",
    help="The fixture; needs no telling where the bench has one only.",
)


def chosen_fixture(client: "Client", fixture: str) -> str:
    """The fixture that was named, else the only one there is; raises ClickException."""
    if fixture:
        return fixture
    codes = [each.code for each in client.bench().fixtures]
    if len(codes) > 1:
        known = f"{', '.join(codes[:-1])} and {codes[-1]}"
        raise click.ClickException(
            f"The bench has the fixtures {known}; name one with --fixture, or in LORICATE_FIXTURE."
        )
    return codes[0]
