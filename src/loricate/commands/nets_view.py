"""The nets of a tested cable as a table: a line a net, those that failed first."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import click

from loricate.commands.output import percent, print_table, verdict_word

if TYPE_CHECKING:
    from loricate.api.records import AttemptOut, ReadingOut

HEADS = {"low": "LOW VOLTAGE", "insulation": "INSULATION", "dc": "DC", "ac": "AC"}
GRAVITY = ("fail", "inconclusive", "not_run", "pass", "")
OF_NETS = ("wiring", "continuity", "insulation", "withstand")
FEW = 4  # readings of as many points are better read step by step


@dataclass(slots=True)
class _Net:
    """One net: what each column read of it, and the gravest verdict."""

    verdict: str = ""
    read: dict[str, "ReadingOut"] = field(default_factory=dict)


def is_told(reading: "ReadingOut", nets: Collection[str]) -> bool:
    """Whether a reading is in the table of these nets."""
    return bool(_names(reading.point, nets))


def print_nets(attempts: Sequence["AttemptOut"]) -> Collection[str]:
    """Print the nets of a cable's latest attempts; gives their names, none where they are few."""
    latest = {attempt.step_id: attempt for attempt in attempts}.values()
    if not any(attempt.kind == "wiring" for attempt in latest):
        return ()
    nets = _nets([attempt for attempt in latest if attempt.kind in OF_NETS])
    if len(nets) <= FEW:
        return ()
    columns = [name for name in HEADS if any(name in net.read for net in nets.values())]
    order = sorted(nets, key=lambda name: GRAVITY.index(nets[name].verdict))
    rows = [
        (
            name,
            verdict_word(nets[name].verdict) if nets[name].verdict else "",
            *(_told(nets[name].read.get(column)) for column in columns),
        )
        for name in order
    ]
    heads = [HEADS[column] for column in columns]
    print_table(("NET", "VERDICT", *heads), rows, heads)
    failed = sum(net.verdict == "fail" for net in nets.values())
    click.echo(f"{failed} of {len(nets)} nets and components failed." if failed else "")
    return nets.keys()


def _nets(attempts: Sequence["AttemptOut"]) -> dict[str, _Net]:
    found = {
        _bare(reading.point): _Net()
        for attempt in attempts
        if attempt.kind == "wiring"
        for reading in attempt.readings
        if reading.quantity != "isolation" and reading.point
    }
    for attempt in attempts:
        column = _column(attempt)
        for reading in attempt.readings:
            for name in _names(reading.point, found):
                net = found[name]
                before = net.read.get(column)
                if before is None or _gravity(reading.verdict) < _gravity(before.verdict):
                    net.read[column] = reading
                if _gravity(reading.verdict) < _gravity(net.verdict):
                    net.verdict = reading.verdict
    return found


def _column(attempt: "AttemptOut") -> str:
    if attempt.kind in ("wiring", "continuity"):
        return "low"
    if attempt.kind == "insulation":
        return "insulation"
    is_ac = any(reading.quantity == "resistive_current" for reading in attempt.readings)
    return "ac" if is_ac else "dc"


def _bare(point: str) -> str:
    """A point without the position that it was seen in."""
    return point.rpartition(": ")[2]


def _names(point: str, nets: Collection[str]) -> list[str]:
    """The nets that a point is about: itself, or those that a component ties together."""
    tied = f"+{_bare(point)}+"
    return [name for name in nets if f"+{name}+" in tied]


def _gravity(verdict: str) -> int:
    return GRAVITY.index(verdict) if verdict in GRAVITY else len(GRAVITY)


def _told(reading: "ReadingOut | None") -> str:
    if reading is None:
        return ""
    margin = f" {percent(reading.margin)}" if reading.margin is not None else ""
    return f"{reading.text}{margin}"
