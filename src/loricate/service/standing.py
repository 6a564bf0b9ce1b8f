"""How a document stands by the records: with the sealed acts about it, as files carry them."""

import sqlite3

from loricate.certificates.standing_file import SealedStanding
from loricate.records import ledger


def standing_of(conn: sqlite3.Connection, number: str) -> SealedStanding:
    """What came after a document: the one that took its place, a revocation, approvals."""
    acts = ledger.acts_on(conn, number)
    return SealedStanding(acts.superseded_by, acts.revocation, acts.approvals)
