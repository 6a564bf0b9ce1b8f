"""The site key at the start: the one that the records are sealed with, or none at all."""

import sqlite3
from pathlib import Path

from loricate.bench.claims import Claim
from loricate.certificates.sealing import SealError, SiteKey, key_id
from loricate.certificates.site_key import make_site_key, open_site_key
from loricate.records import audit, certificates, site_keys
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


class KeyIsThere(SealError):
    """There is a key already, and none is put in its place."""

    def __init__(self, path: Path) -> None:
        super().__init__(path)
        self.path = path

    def __str__(self) -> str:
        return f"{self.path} is there; move it to where old keys are kept, then begin a new one."


def begin_new_key(data_folder: Path, by: str) -> SiteKey:
    """Seal with a new key from now on; the old public keys stay for what was sealed with them.

    Raises KeyIsThere, and Claimed while a service has the folder.
    """
    path = data_folder / "site-key.pem"
    claim = Claim(data_folder / "service.lock", f"The data folder {data_folder}", "a new key")
    try:
        if path.exists():
            raise KeyIsThere(path)
        store = Store(data_folder / "records.sqlite")
        try:
            key = make_site_key(path)

            def keep(conn: sqlite3.Connection) -> None:
                site_keys.add_key(conn, key.public_jwk)
                audit.note(conn, "service", "begin a new site key", key.kid, by)

            store.write_now(keep)
        finally:
            store.close()
        return key
    finally:
        claim.let_go()
