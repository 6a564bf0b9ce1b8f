"""An act of upkeep in the terminal: what it does, what it asks, how it ended."""

from collections.abc import Collection
from typing import TYPE_CHECKING

import click

if TYPE_CHECKING:
    from loricate.api.bench import UpkeepOut
    from loricate.client import Client


def follow_to_end(client: "Client", act: "UpkeepOut", waits: Collection[str] = ()) -> "UpkeepOut":
    """Put an act's questions to the terminal until it is over; Ctrl-C ends it.

    At a moment among ``waits`` what is asked for comes by itself: it is only shown, and Ctrl-C
    answers it.
    """
    try:
        for event in client.upkeep_events(act.id):
            if event.name == "progress":
                click.echo(event.data["text"], err=True)
            elif event.name == "touched":
                bell = "\a" if event.data["is_refusal"] else ""
                click.echo(f"{bell}{event.data['text']}", err=True)
            elif event.name == "question" and event.data["moment"] in waits:
                click.echo(event.data["question"], err=True)
            elif event.name == "question":
                choice = click.prompt(
                    event.data["question"],
                    type=click.Choice(event.data["choices"]),
                    default=event.data["choices"][0],
                    err=True,
                )
                client.answer_upkeep(act.id, event.data["nest"], choice)
    except (KeyboardInterrupt, click.Abort):
        _end(client, act.id, waits)
    return client.upkeep(act.id)


def _end(client: "Client", act_id: str, waits: Collection[str]) -> None:
    """End an act: what only waits by the answer that it waits for, anything else by an abort."""
    open_now = client.upkeep(act_id).questions
    if not open_now or open_now[0].moment not in waits:
        client.abort_upkeep(act_id)
        return
    client.answer_upkeep(act_id, open_now[0].nest, open_now[0].choices[-1])
    for _ in client.upkeep_events(act_id):
        pass  # to its end
