"""``loricate sequence``."""

from pathlib import Path

import click

from loricate.commands.connection import connect, service_options
from loricate.commands.cue_pictures import send_pictures
from loricate.commands.documents import FILE, print_differences, read_toml
from loricate.commands.output import print_json, print_table


@click.group("sequence")
def command() -> None:
    """List, show, check and add sequences."""


@command.command("list")
@service_options
def list_(service: str | None, token: str | None, as_json: bool) -> None:
    """List the newest revision of every sequence.

    Example: loricate sequence list
    """
    with connect(service, token) as client:
        found = client.sequences()
    if as_json:
        print_json(found)
        return
    rows = [
        (s.code, str(s.revision), s.status, s.product, str(len(s.steps)), s.title) for s in found
    ]
    print_table(("CODE", "REV", "STATUS", "PRODUCT", "STEPS", "TITLE"), rows, ("REV", "STEPS"))
    if not found:
        click.echo("No sequences yet; add one with `loricate sequence add FILE`.", err=True)


@command.command("show")
@click.argument("code")
@click.option("--revision", type=int, help="The newest by default.")
@service_options
def show(
    code: str, revision: int | None, service: str | None, token: str | None, as_json: bool
) -> None:
    """Show a sequence's steps with their limits.

    Example: loricate sequence show DC40-FINAL
    """
    with connect(service, token) as client:
        found = client.sequence(code, revision)
    if as_json:
        print_json(found)
        return
    click.echo(f"{found.code} revision {found.revision} ({found.status}): {found.title}")
    rows = [
        (
            step.id, step.kind, step.title,
            "; ".join(f"{name} {limit}" for name, limit in step.limits.items()),
            "; ".join(dict.fromkeys(step.sources.values())),
            f"{step.programmed_s:g} s", step.across, step.on_fail,
        )
        for step in found.steps
    ]  # fmt: skip
    heads = ("STEP", "KIND", "TITLE", "LIMITS", "SOURCE", "TIME", "ACROSS", "ON FAIL")
    print_table(heads, rows, ("TIME",))
    for step in found.steps:
        for cue in step.cues:
            choices = f" ({', '.join(cue.choices)})" if cue.choices else ""
            click.echo(f"{step.id}, {cue.at.replace('_', ' ')}: {cue.text}{choices}")


@command.command("check")
@click.argument("file", type=FILE)
@service_options
def check(file: Path, service: str | None, token: str | None, as_json: bool) -> None:
    """Check a sequence file; stores nothing.

    Example: loricate sequence check demo/sequences/dc40-final.toml
    """
    with connect(service, token) as client:
        found = client.check_sequence(send_pictures(client, read_toml(file), file.parent))
    if as_json:
        print_json(found)
    else:
        click.echo(f"{found.code} is good: {found.steps} steps, {found.programmed_s:g} s a unit.")


@command.command("add")
@click.argument("file", type=FILE)
@service_options
def add(file: Path, service: str | None, token: str | None, as_json: bool) -> None:
    """Add a sequence file as a new released revision.

    Example: loricate sequence add demo/sequences/dc40-final.toml
    """
    with connect(service, token) as client:
        stored = client.add_sequence(send_pictures(client, read_toml(file), file.parent))
    if as_json:
        print_json(stored)
    else:
        click.echo(f"{stored.code} is stored as revision {stored.revision}.")


@command.command("differences")
@click.argument("code")
@click.argument("old", type=int)
@click.argument("new", type=int)
@service_options
def differences(
    code: str, old: int, new: int, service: str | None, token: str | None, as_json: bool
) -> None:
    """Show what differs between two revisions of a sequence, step by step.

    Example: loricate sequence differences DC40-FINAL 1 2
    """
    with connect(service, token) as client:
        found = client.differences("sequences", code, old, new)
    if as_json:
        print_json(found)
    else:
        print_differences(found)
