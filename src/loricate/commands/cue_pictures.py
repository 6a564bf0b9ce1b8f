"""Pictures that a sequence file names by path: sent to the service, and named by digest then."""

import re
from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

if TYPE_CHECKING:
    from loricate.client import Client

_DIGEST = re.compile(r"[0-9a-f]{64}")


def send_pictures(client: "Client", document: Mapping[str, Any], folder: Path) -> dict[str, Any]:
    """Give the document with each cue's picture by digest; ``folder`` is where its paths begin."""
    steps = []
    for step in _dicts(document.get("steps")):
        cues = []
        for cue in _dicts(step.get("cues")):
            picture = cue.get("picture", "")
            if isinstance(picture, str) and picture and not _DIGEST.fullmatch(picture):
                cue = {**cue, "picture": _sent(client, folder / picture)}
            cues.append(cue)
        steps.append({**step, "cues": cues} if cues else step)
    return {**document, "steps": steps} if steps else dict(document)


def _dicts(found: object) -> list[dict[str, Any]]:
    """The tables of a list; whatever else stands there is for the service to refuse."""
    whole = isinstance(found, list) and all(isinstance(each, dict) for each in found)
    return found if isinstance(found, list) and whole else []


def _sent(client: "Client", path: Path) -> str:
    try:
        data = path.read_bytes()
    except OSError as error:
        reason = (error.strerror or "no reason given").lower()
        raise click.ClickException(f"The picture {path} cannot be read: {reason}.") from error
    return client.add_picture(data).digest
