"""If-Match (RFC 9110): nobody overwrites what somebody else stored meanwhile."""

import sqlite3
from typing import Annotated

from fastapi import Header

from loricate.records import definitions
from loricate.records.definitions import Table
from loricate.records.errors import NotFound
from loricate.service.errors import ChangedMeanwhile

IfMatch = Annotated[
    str | None, Header(description="The ETag of the revision that is being changed")
]


def refuse_if_changed(
    conn: sqlite3.Connection, table: Table, code: str, if_match: str | None
) -> None:
    """Raise ChangedMeanwhile when the newest revision is not the one that If-Match names."""
    if if_match is None:
        return
    try:
        _, newest = definitions.get_document(conn, table, code)
    except NotFound:
        newest = 0
    if if_match.strip().removeprefix("W/") != f'"{newest}"':
        raise ChangedMeanwhile(
            f"{code} is at revision {newest} now; what you changed was {if_match}. Look at the "
            "differences, then store yours again on top of it."
        )
