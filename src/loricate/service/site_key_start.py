"""The site key at the start: the one that the records are sealed with, or none at all."""

import sqlite3
from pathlib import Path

from loricate.certificates.sealing import SiteKey, key_id
from loricate.certificates.site_key import open_site_key
from loricate.records import certificates, site_keys
from loricate.records.store import Store, open_connection


def kid_of_records(conn: sqlite3.Connection) -> str:
    """The name of the key that the records are sealed with; empty for those of a new site."""
    known = site_keys.newest_kid(conn)
    if known:
        return known
    last = certificates.last_entry(conn)
    if last is None:
        return ""
    return key_id(last.sealed.rpartition('"jws": "')[2].partition('"')[0])


def check_site_key(database: Path, path: Path) -> None:
    """Say what is wrong before anything is opened; raises SealError."""
    conn = open_connection(database, read_only=True)
    try:
        kid = kid_of_records(conn)
    finally:
        conn.close()
    if kid or path.exists():
        open_site_key(path, kid)


def load_site_key(store: Store, path: Path) -> SiteKey:
    """The site key, which the records name from now on; a new site gets one. Raises SealError."""

    def keep(conn: sqlite3.Connection) -> SiteKey:
        key = open_site_key(path, kid_of_records(conn))
        if not site_keys.newest_kid(conn):
            site_keys.add_key(conn, key.public_jwk)
        return key

    return store.write_now(keep)
