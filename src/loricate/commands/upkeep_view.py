"""An act of upkeep in the terminal: what it does, what it asks, how it ended."""

from typing import TYPE_CHECKING

import click

if TYPE_CHECKING:
    from loricate.api.bench import UpkeepOut
    from loricate.client import Client


def follow_to_end(client: "Client", act: "UpkeepOut") -> "UpkeepOut":
    """Put an act's questions to the terminal until it is over; Ctrl-C aborts it."""
    try:
        for event in client.upkeep_events(act.id):
            if event.name == "progress":
                click.echo(event.data["text"], err=True)
            elif event.name == "question":
                choice = click.prompt(
                    event.data["question"],
                    type=click.Choice(event.data["choices"]),
                    default=event.data["choices"][0],
                    err=True,
                )
                client.answer_upkeep(act.id, event.data["nest"], choice)
    except (KeyboardInterrupt, click.Abort):
        client.abort_upkeep(act.id)
    return client.upkeep(act.id)
