"""Making reports of many units, in a worker: a few units at a time, each kept before the next.

A worker reads the records by itself, so that however long a report is, nothing else waits for it.
"""

import json
import sqlite3
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from loricate.api.reports import ReportedUnit
from loricate.certificates.content import used_instruments
from loricate.core.reports import ReportForm, ReportPlan
from loricate.papers.binding import Cover, bind, draw_cover
from loricate.papers.look import Look
from loricate.papers.report import Parts
from loricate.papers.unit_tables import INSTRUMENT_HEADS, Head, units_in, write_table
from loricate.records import ledger, runs
from loricate.records.kept_files import PICTURES, check_room
from loricate.records.store import open_connection
from loricate.service.reporting import OVER, draw, report_in
from loricate.service.routers.showing import unit_out

LISTED, UNITS = "listed.jsonl", "units.jsonl"


@dataclass(frozen=True, slots=True)
class Chosen:
    """A unit in a run that a report is of: whose records it is in, and its id there."""

    database: Path
    bench: str  # empty for the service's own
    site: str
    id: str


@dataclass(frozen=True, slots=True)
class Drawing:
    """How a report is made, and of what it says that it is."""

    plan: ReportPlan
    look: Look
    folder: Path
    site: str
    base_url: str
    software: str
    drawn_at: str
    drawn_by: str


def looked(look: Look, plan: ReportPlan) -> Look:
    """The site's look, as far as a report leaves it."""
    return replace(
        look,
        page=plan.page or look.page,
        language=plan.language or look.language,
        logo=look.logo if plan.logo else b"",
        signatures=tuple(plan.signatures) or look.signatures,
    )


def make_part(drawing: Drawing, first: int, chosen: Sequence[Chosen]) -> int:
    """Make some units of a report, of which ``first`` come before; gives how many go on still.

    What is made lies in the folder: a PDF a unit, or a line a unit.
    """
    left = 0
    check_room(drawing.folder)
    with (drawing.folder / LISTED).open("a", encoding="utf-8") as listed:
        for number, (conn, one) in enumerate(_opened(chosen), first):
            made = _make(drawing, number, conn, one)
            left += made is None
            if made is not None:
                listed.write(f"{json.dumps(made, ensure_ascii=False)}\n")
    return left


def _opened(chosen: Sequence[Chosen]) -> Iterator[tuple[sqlite3.Connection, Chosen]]:
    opened: dict[Path, sqlite3.Connection] = {}
    try:
        for one in chosen:
            if one.database not in opened:
                opened[one.database] = open_connection(one.database, read_only=True)
            yield opened[one.database], one
    finally:
        for conn in opened.values():
            conn.close()


def _make(
    drawing: Drawing, number: int, conn: sqlite3.Connection, one: Chosen
) -> dict[str, Any] | None:
    """What the first sheet lists of a unit; None where its run goes on, or it is gone."""
    row = conn.execute("SELECT run_id, nest FROM run_unit WHERE id = ?", (one.id,)).fetchone()
    if row is None:
        return None
    run = runs.get_run(conn, row["run_id"])
    if run["state"] not in OVER:
        return None
    unit = next(each for each in run["units"] if each["nest"] == row["nest"])
    if drawing.plan.form is ReportForm.PDF:
        _draw(drawing, number, conn, one, run, unit)
    else:
        told = reported_unit(conn, one.bench, run, unit)
        with (drawing.folder / UNITS).open("a", encoding="utf-8") as out:
            out.write(f"{told.model_dump_json()}\n")
    return {
        "file": f"{number:06}.pdf",
        "serial": unit["serial"],
        "verdict": unit["verdict"],
        "cause": unit["cause"],
        "nest": unit["nest"],
        "document": unit["certificate"] or "",
        "revoked": bool(unit["revoked"]),
    }


def _draw(
    drawing: Drawing,
    number: int,
    conn: sqlite3.Connection,
    one: Chosen,
    run: dict[str, Any],
    unit: dict[str, Any],
) -> None:
    plan = drawing.plan
    report = report_in(conn, run, unit, drawing.drawn_by)
    url = f"{drawing.base_url}/verify/{report.document}" if report.document else ""
    report = replace(
        report,
        drawn_at=drawing.drawn_at,
        site=one.site,
        verify_url=report.verify_url if one.bench else url,
        ledger=_place(conn, report.document) if plan.ledger else "",
    )
    parts = Parts(plan.curves, plan.instruments, plan.remarks, signatures=False)
    pictures = one.database.parent / PICTURES
    pdf = draw(report, plan.depth, plan.failed_only, drawing.look, pictures, parts)
    (drawing.folder / f"{number:06}.pdf").write_bytes(pdf)


def _place(conn: sqlite3.Connection, number: str) -> str:
    if not number:
        return ""
    entry = ledger.get_numbered(conn, number)
    return f"entry {entry.position}, hash {entry.hash}"


def reported_unit(
    conn: sqlite3.Connection, from_bench: str, run: Mapping[str, Any], unit: Mapping[str, Any]
) -> ReportedUnit:
    """A unit in a run with all that is known; ``from_bench`` is empty for the service's own."""
    place: dict[str, Any] | None = None
    if unit["certificate"]:
        entry = ledger.get_numbered(conn, unit["certificate"])
        place = {"position": entry.position, "hash": entry.hash}
    return ReportedUnit(
        **unit_out(dict(unit)).model_dump(exclude={"from_bench"}),
        from_bench=from_bench,
        lot=run["lot"],
        bench=run["bench"].get("code", ""),
        fixture=run["fixture"],
        instruments=[
            {name: str(each[name]) for name in INSTRUMENT_HEADS}
            for each in used_instruments(run["bench"]["instruments"], unit)
        ],
        ledger=place,
    )


def finish(drawing: Drawing, scope: Sequence[str], left_out: Sequence[str]) -> Path:
    """Make the file of a report whose units are all made; what they lay in is taken away."""
    folder, plan = drawing.folder, drawing.plan
    to = folder / f"report.{plan.form}"
    listed = folder / LISTED
    found = (
        [json.loads(line) for line in listed.read_text("utf-8").splitlines()]
        if listed.exists()
        else []
    )
    title = plan.title or drawing.look.text("report")
    if plan.form is ReportForm.PDF:
        cover = Cover(
            title, drawing.site, drawing.software, drawing.drawn_at, drawing.drawn_by, scope,
            plan.depth, plan.failed_only, left_out, found,
        )  # fmt: skip
        parts = [(each["serial"], folder / each["file"]) for each in found]
        bind(draw_cover(cover, drawing.look), parts, to)
    else:
        units = folder / UNITS
        units.touch()
        head = Head(
            title, drawing.site, drawing.drawn_at, drawing.drawn_by, drawing.software,
            plan.model_dump(mode="json", exclude_defaults=True), plan.depth, len(found),
        )  # fmt: skip
        write_table(plan, head, units_in(units), to)
    for path in folder.iterdir():
        if path != to:
            path.unlink()
    return to
