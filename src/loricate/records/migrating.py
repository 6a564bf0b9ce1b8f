"""What migrations need that SQL cannot say: functions that their statements call, and fillings.

Each is named after the last migration whose records it reads, and never changes any more.
"""

import json
import sqlite3
import zlib
from functools import partial
from pathlib import Path
from typing import Any

from loricate.core.errors import CoreError
from loricate.core.measuring.curves import COURSE, TIME_AXIS, Column, Curve, Mark
from loricate.core.quantities import CURRENT, POWER, RESISTANCE, TIME, VOLTAGE
from loricate.records import sequences
from loricate.records.curves import packed
from loricate.records.kept_files import keep_file

DIMENSIONS_UNTIL_0011 = {
    "voltage": VOLTAGE,
    "current": CURRENT,
    "load_current": CURRENT,
    "peak_current": CURRENT,
    "power": POWER,
    "resistive_current": CURRENT,
    "impedance": RESISTANCE,
    "resistance": RESISTANCE,
    "reactance": RESISTANCE,
}


def add_functions(conn: sqlite3.Connection, papers: Path) -> None:
    """Let the statements of migrations call these; papers are kept below that folder."""
    conn.create_function("paper_kept_until_0012", 1, partial(keep_file, papers))
    conn.create_function("point_until_0011", 3, point_until_0011, deterministic=True)
    conn.create_function("corrections_until_0011", 2, corrections_until_0011, deterministic=True)
    conn.create_function("curve_until_0011", 2, curve_until_0011, deterministic=True)


def point_until_0011(name: str, step_id: str, document: str) -> str:
    """The point that a reading's name had in it: ``resistance A-B`` is of ``A to B``.

    Terminals have hyphens themselves, so the path is looked up in the step that it is of.
    """
    ends = name.removeprefix("resistance ")
    for step in json.loads(document).get("steps", ()):
        if step.get("id") != step_id:
            continue
        settings = step.get("settings", {})
        for path in (*settings.get("paths", ()), *settings.get("conductors", ())):
            first = path.get("high", path.get("plug"))
            second = path.get("low", path.get("far"))
            if f"{first}-{second}" == ends:
                return f"{first} to {second}"
    return ends


def corrections_until_0011(kind: str, as_measured: float | None) -> str:
    """What was done to a reading, with the value before it: at mains it was scaled."""
    if as_measured is None:
        return ""
    what = "supply" if kind in ("leakage", "power") else "zero"
    return json.dumps([[what, as_measured]])


def curve_until_0011(data: bytes, position: int) -> bytes | None:
    """One of the outputs in a trace as a curve, None past the last.

    A trace had the samples of every output of its step after one another; where the time goes back
    the next one begins.
    """
    told: dict[str, Any] = json.loads(zlib.decompress(data))
    elapsed = told["columns"]["elapsed_s"]
    begins = [0, *(at for at in range(1, len(elapsed)) if elapsed[at] < elapsed[at - 1])]
    if position >= len(begins):
        return None
    begin = begins[position]
    end = begins[position + 1] if position + 1 < len(begins) else len(elapsed)
    columns = tuple(
        Column(name, DIMENSIONS_UNTIL_0011.get(name, VOLTAGE), tuple(values[begin:end]))
        for name, values in told["columns"].items()
        if name != "elapsed_s" and any(value is not None for value in values[begin:end])
    )
    x = Column(TIME_AXIS, TIME, tuple(elapsed[begin:end]))
    # Its phases were told in one list, in the order of the samples.
    marks, at_output = [], -1
    last = float("inf")
    for moment, text in told["phases"]:
        at_output += moment < last
        last = moment
        if at_output == position:
            marks.append(Mark(moment, text))
    return packed(Curve(COURSE, x, columns, marks=tuple(marks)))


def resolve_released(conn: sqlite3.Connection) -> list[str]:
    """Resolve each released revision that was released before that was kept; gives those it cannot.

    Of one that today's software cannot read, what its runs have kept is all that can be shown.
    """
    unread = []
    for record in sequences.unresolved(conn):
        try:
            sequences.keep_resolved(conn, record)
        except (CoreError, LookupError, ValueError) as error:
            unread.append(f"{record.code} revision {record.revision}: {error}"[:500])
    return unread
