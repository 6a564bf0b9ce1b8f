"""A database with the demo's definitions."""

import sqlite3
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from loricate.core.sequences.ready import ReadySequence, facts_of
from loricate.records import definitions, sequences
from loricate.records.store import migrate, open_connection
from tests.conftest import read_demo


@pytest.fixture
def conn(
    tmp_path: Path, sequence: ReadySequence, sequence_document: dict[str, Any]
) -> Iterator[sqlite3.Connection]:
    """A database with the demo's definitions."""
    migrate(tmp_path / "r.sqlite")
    conn = open_connection(tmp_path / "r.sqlite")
    definitions.add_document(conn, "product", "DC-40", read_demo("products/dc-40.toml"), "mara")
    for name in ("iec-60335-1-annex-a", "iec-60335-1-leakage"):
        document = read_demo(f"limit-sets/{name}.toml")
        definitions.add_document(conn, "limit_set", document["code"], document, "mara")
    sequences.store_draft(conn, facts_of(sequence), sequence_document, "mara")
    sequences.release(conn, "DC40-FINAL", 1, {"why": "for the tests"}, "mara")
    yield conn
    conn.close()
