"""How a challenge is shown: a matrix of faults and steps on the terminal, and as CSV."""

import csv
from typing import IO, TYPE_CHECKING

import click

from loricate.commands.output import print_table

if TYPE_CHECKING:
    from loricate.api.definitions import ChallengeOut, StepVerdictOut

PASSED = "."


def print_challenge(found: "ChallengeOut") -> None:
    """Print the matrix, what was missed, and false alarms."""
    rows = [
        (
            " + ".join(row.faults),
            "caught" if row.caught else "MISSED",
            *(_cell(row.verdicts[step]) for step in found.steps),
        )
        for row in found.rows
    ]
    print_table(("FAULT", "", *found.steps), rows)
    alarms = [f"{step} {count}" for step, count in found.false_alarms.items() if count]
    told = f"{found.caught} of {len(found.rows)} faults are caught"
    if found.missed:
        missed = ["; ".join(row.faults) for row in found.rows if not row.caught]
        told += f"; missed: {', '.join(missed)}"
    click.secho(f"{told}.", fg="red" if found.missed else "green")
    good = f"{found.repetitions} good units: "
    good += f"false alarms in {', '.join(alarms)}" if alarms else "no false alarm"
    click.secho(f"{good}.", fg="red" if alarms else "green")
    click.echo(f"A load of {found.nests} takes {found.load_s:.1f} s as programmed.")


def _cell(found: "StepVerdictOut") -> str:
    if found.verdict == "pass":
        return PASSED
    word = (found.cause or found.verdict).replace("_", " ")
    return word if found.verdict == "fail" else f"({word})"


def write_matrix(found: "ChallengeOut", to: IO[str]) -> None:
    """Write a row a fault: whether it is caught, and the verdict and cause of each step."""
    table = csv.writer(to)
    heads = [f"{step} {what}" for step in found.steps for what in ("verdict", "cause")]
    table.writerow(["fault", "title", "caught", *heads])
    for row in found.rows:
        cells = [
            part
            for step in found.steps
            for part in (row.verdicts[step].verdict, row.verdicts[step].cause)
        ]
        table.writerow([" + ".join(row.faults), row.title, "yes" if row.caught else "no", *cells])
    alarms = [part for step in found.steps for part in (str(found.false_alarms[step]), "")]
    table.writerow(["false alarms", f"of {found.repetitions} good units", "", *alarms])
