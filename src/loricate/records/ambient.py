"""The air about the units: temperature and humidity, as somebody or an instrument said them."""

import sqlite3
from dataclasses import dataclass

from loricate.records import audit
from loricate.records.stamps import new_id, now


@dataclass(frozen=True, slots=True)
class Ambient:
    """Ambient conditions at a moment: °C and a fraction; ``instrument`` is empty where typed."""

    temperature_c: float
    humidity: float | None
    account: str
    instrument: str
    at: str


def add_ambient(
    conn: sqlite3.Connection,
    temperature_c: float,
    humidity: float | None,
    account: str,
    instrument: str = "",
) -> Ambient:
    """Keep what the air is like now."""
    made = Ambient(temperature_c, humidity, account, instrument, now())
    conn.execute(
        "INSERT INTO ambient (id, temperature_c, humidity, account, instrument, at)"
        " VALUES (?, ?, ?, ?, ?, ?)",
        (new_id(), made.temperature_c, made.humidity, account, instrument, made.at),
    )
    told = f"{temperature_c:g} °C" + ("" if humidity is None else f", {humidity * 100:g} %")
    audit.note(conn, account, "note ambient", instrument or "typed", told)
    return made


def newest_ambient(conn: sqlite3.Connection) -> Ambient | None:
    """What was said last, or None."""
    row = conn.execute(
        "SELECT temperature_c, humidity, account, instrument, at FROM ambient"
        " ORDER BY id DESC LIMIT 1"
    ).fetchone()
    return None if row is None else Ambient(**row)
