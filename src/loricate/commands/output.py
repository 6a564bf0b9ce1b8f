"""How commands print: JSON for programs, plain tables for people."""

import json
from collections.abc import Collection, Sequence

import click
from pydantic import BaseModel

NOT_PASSED = 3  # the exit status of a command that was done and did not find all well
MARKS = {"pass": "PASS", "fail": "FAIL", "inconclusive": "INCONCLUSIVE", "not_run": "NOT RUN"}
COLOURS = {"pass": "green", "fail": "red", "inconclusive": "yellow", "not_run": "yellow"}


def print_json(data: object) -> None:
    """Print a model, or a list of models, or plain data, as JSON."""
    if isinstance(data, BaseModel):
        data = data.model_dump(mode="json")
    elif isinstance(data, list):
        data = [
            each.model_dump(mode="json") if isinstance(each, BaseModel) else each for each in data
        ]
    click.echo(json.dumps(data, ensure_ascii=False, indent=2))


def printed(as_json: bool, found: object) -> bool:
    """Print what was found as JSON, if that was asked for; whether it was."""
    if as_json:
        print_json(found)
    return as_json


def print_table(
    heads: Sequence[str], rows: Sequence[Sequence[str]], right: Collection[str] = ()
) -> None:
    """Print a table; columns whose head stands in ``right`` align right."""
    if not rows:
        return
    widths = [max(len(head), *(len(row[i]) for row in rows)) for i, head in enumerate(heads)]

    def line(cells: Sequence[str]) -> str:
        padded = [
            cell.rjust(width) if head in right else cell.ljust(width)
            for cell, width, head in zip(cells, widths, heads, strict=True)
        ]
        return "  ".join(padded).rstrip()

    click.secho(line(heads), bold=True)
    for row in rows:
        click.echo(line(row))


def verdict_word(verdict: str) -> str:
    """A verdict as a word."""
    return MARKS.get(verdict, verdict)


def percent(margin: float | None) -> str:
    """A margin for people, in percent of the limit."""
    if margin is None:
        return ""
    if abs(margin) > 9.99:
        return "> +999 %" if margin > 0 else "< -999 %"
    return f"{margin * 100:+.0f} %"


def moment(text: str) -> str:
    """A moment of the records to the second, for a table."""
    return text[:19].replace("T", " ")
