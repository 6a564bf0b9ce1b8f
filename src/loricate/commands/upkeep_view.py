"""An act of upkeep in the terminal: what it does, what it asks, how it ended."""

from typing import TYPE_CHECKING

import click

if TYPE_CHECKING:
    from loricate.api.bench import UpkeepOut
    from loricate.client import Client


def follow_to_end(client: "Client", act: "UpkeepOut", answers: bool = True) -> "UpkeepOut":
    """Put an act's questions to the terminal until it is over; Ctrl-C ends it.

    Without ``answers`` they are only shown, for what is asked comes by itself; Ctrl-C answers then.
    """
    try:
        for event in client.upkeep_events(act.id):
            if event.name == "progress":
                click.echo(event.data["text"], err=True)
            elif event.name == "touched":
                bell = "\a" if event.data["is_refusal"] else ""
                click.echo(f"{bell}{event.data['text']}", err=True)
            elif event.name == "question" and not answers:
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
        _end(client, act.id, answers)
    return client.upkeep(act.id)


def _end(client: "Client", act_id: str, answers: bool) -> None:
    """End an act: what only waits by the answer that it waits for, anything else by an abort."""
    open_now = client.upkeep(act_id).questions
    if answers or not open_now:
        client.abort_upkeep(act_id)
        return
    client.answer_upkeep(act_id, open_now[0].nest, open_now[0].choices[-1])
    for _ in client.upkeep_events(act_id):
        pass  # to its end
