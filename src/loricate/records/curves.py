"""Curves as they are kept: JSON, deflated."""

import json
import sqlite3
import zlib
from typing import Any

from loricate.core.measuring.curves import Column, Curve, Drawn, Mark
from loricate.core.quantities import DIMENSIONS
from loricate.records.errors import NotFound


def packed(curve: Curve) -> bytes:
    """A curve's axis, columns and marks."""
    told = {
        "x": _told(curve.x),
        "columns": [_told(column) for column in curve.columns],
        "marks": [[mark.x, mark.text] for mark in curve.marks],
        "drawn": curve.drawn,
    }
    return zlib.compress(json.dumps(told, separators=(",", ":"), allow_nan=False).encode())


def _told(column: Column) -> dict[str, Any]:
    return {
        "name": column.name,
        "dimension": column.dimension.name,
        "values": column.values,
    }


def unpacked(name: str, point: str, repetition: int, data: bytes) -> Curve:
    """A curve from what was kept of it."""
    told = json.loads(zlib.decompress(data))
    marks = tuple(Mark(float(x), str(text)) for x, text in told["marks"])
    columns = tuple(_column(each) for each in told["columns"])
    drawn = Drawn(told.get("drawn", Drawn.LINE))
    return Curve(name, _column(told["x"]), columns, point, marks, repetition, drawn)


def _column(told: dict[str, Any]) -> Column:
    return Column(told["name"], DIMENSIONS[told["dimension"]], tuple(told["values"]))


def curves_of(
    conn: sqlite3.Connection, run_id: str, nest: str, step_id: str, number: int
) -> tuple[Curve, ...]:
    """The curves of one attempt; raises NotFound where none was kept."""
    rows = conn.execute(
        "SELECT curve.name, curve.point, curve.repetition, curve.data FROM curve"
        " JOIN run_unit ON run_unit.id = curve.run_unit_id"
        " WHERE run_id = ? AND nest = ? AND step_id = ? AND number = ? ORDER BY position",
        (run_id, nest, step_id, number),
    ).fetchall()
    if not rows:
        raise NotFound("curve", f"{step_id} (attempt {number}) of nest {nest}")
    return tuple(
        unpacked(row["name"], row["point"], row["repetition"], row["data"]) for row in rows
    )
