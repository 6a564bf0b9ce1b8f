"""The site's keys: opened at the start as the records know them, changed while it runs.

There is one key for documents (Ed25519) and one for papers (P-256 with its certificate). The next
one of each is prepared first: it is known to whoever verifies before anything is signed with it.
"""

import datetime as dt
import json
import sqlite3
from dataclasses import dataclass
from pathlib import Path

from loricate.bench.claims import Claim
from loricate.certificates.paper_key import PaperKey, make_paper_key, read_paper_key
from loricate.certificates.sealing import SealError, SiteKey, key_id
from loricate.certificates.site_key import (
    KeyDoesNotFit,
    KeyMissing,
    make_site_key,
    open_site_key,
    read_site_key,
)
from loricate.records import audit, ledger, site_keys
from loricate.records.site_keys import DOCUMENTS, PAPERS
from loricate.records.store import Store, open_connection
from loricate.service.errors import WrongState

PURPOSES = (DOCUMENTS, PAPERS)


@dataclass(frozen=True, slots=True)
class KeyFiles:
    """Where the private keys are; ``own_paper_key`` is a PKCS#12 file of the site's own."""

    folder: Path
    own_paper_key: Path | None = None
    passphrase: str = ""

    def current(self, purpose: str) -> Path:
        """The file of the key in use."""
        return self.folder / ("site-key.pem" if purpose == DOCUMENTS else "paper-key.p12")

    def next(self, purpose: str) -> Path:
        """The file of the key that was prepared."""
        path = self.current(purpose)
        return path.with_name(f"{path.stem}-next{path.suffix}")

    def put_away(self, purpose: str) -> Path:
        """Where a key goes that is used no longer."""
        path = self.current(purpose)
        stamp = dt.datetime.now(dt.UTC).strftime("%Y%m%dT%H%M%SZ")
        return path.with_name(f"{path.stem}-until-{stamp}{path.suffix}")


def _read(path: Path, purpose: str) -> SiteKey | PaperKey:
    return read_site_key(path) if purpose == DOCUMENTS else read_paper_key(path)


def kid_of_records(conn: sqlite3.Connection) -> str:
    """The name of the key that the records are sealed with; empty for those of a new site."""
    known = site_keys.newest_kid(conn)
    if known:
        return known
    last = ledger.last_entry(conn)
    if last is None:
        return ""
    return key_id(json.loads(last.sealed)["jws"])


def _finish_change(files: KeyFiles, purpose: str, kid: str) -> None:
    """Put a key in its place that was begun by a service which died just then."""
    current, prepared = files.current(purpose), files.next(purpose)
    if not kid or not prepared.exists() or _read(prepared, purpose).kid != kid:
        return
    if current.exists():
        current.rename(files.put_away(purpose))
    prepared.rename(current)


def check_keys(database: Path, files: KeyFiles) -> None:
    """Say what is wrong with the keys before anything is opened; raises SealError."""
    conn = open_connection(database, read_only=True)
    try:
        kid, paper_kid = kid_of_records(conn), site_keys.newest_kid(conn, PAPERS)
    finally:
        conn.close()
    _finish_change(files, DOCUMENTS, kid)
    _finish_change(files, PAPERS, paper_kid)
    if kid or files.current(DOCUMENTS).exists():
        open_site_key(files.current(DOCUMENTS), kid)
    if paper_kid or files.own_paper_key or files.current(PAPERS).exists():
        _open_paper_key(files, paper_kid, "")


def _open_paper_key(files: KeyFiles, kid: str, site: str) -> PaperKey:
    """The key for papers that fits the records, one of the site's own, or a new one."""
    path = files.own_paper_key or files.current(PAPERS)
    if files.own_paper_key is None and not path.exists():
        if kid:
            raise KeyMissing(path, kid)
        return make_paper_key(path, site)
    key = read_paper_key(path, files.passphrase if files.own_paper_key else "")
    # A key that the site names itself may be a new one; a file that lies there may not.
    if kid and files.own_paper_key is None and key.kid != kid:
        raise KeyDoesNotFit(path, key.kid, kid)
    key.check(dt.datetime.now(dt.UTC))
    return key


class Keyring:
    """The keys of a service that runs."""

    def __init__(self, store: Store, files: KeyFiles, site: str) -> None:
        self.store, self.files, self.site = store, files, site

        def keep(conn: sqlite3.Connection) -> tuple[SiteKey, PaperKey]:
            documents = open_site_key(files.current(DOCUMENTS), kid_of_records(conn))
            papers = _open_paper_key(files, site_keys.newest_kid(conn, PAPERS), site)
            for key, purpose in ((documents, DOCUMENTS), (papers, PAPERS)):
                if site_keys.newest_kid(conn, purpose) != key.kid:
                    site_keys.add_key(conn, key.public_jwk, purpose)
                    site_keys.begin_key(conn, key.kid)
                    audit.note(conn, "service", "begin key", key.kid, purpose)
            return documents, papers

        self.documents, self.papers = store.write_now(keep)

    async def prepare(self, purpose: str, by: str) -> str:
        """Make the next key of a purpose and have it known; gives its name.

        Raises WrongState where one is prepared already, or papers are signed with the site's own.
        """
        if purpose == PAPERS and self.files.own_paper_key is not None:
            raise WrongState(
                f"Papers are signed with the site's own key {self.files.own_paper_key}; start the "
                "service with another one (--paper-key) to change it."
            )
        path = self.files.next(purpose)

        def keep(conn: sqlite3.Connection) -> str:
            if path.exists():
                raise WrongState(f"{path} is there: a next key is prepared already; begin it.")
            made = make_site_key(path) if purpose == DOCUMENTS else make_paper_key(path, self.site)
            try:
                site_keys.add_key(conn, made.public_jwk, purpose)
                audit.note(conn, by, "prepare key", made.kid, purpose)
            except BaseException:
                path.unlink()
                raise
            return made.kid

        return await self.store.write(keep)

    async def begin(self, kid: str, by: str) -> Path:
        """Sign with a prepared key from now on; gives where the one before it went."""

        def keep(conn: sqlite3.Connection) -> str:
            known = site_keys.find_key(conn, kid)
            path = self.files.next(known.purpose)
            if known.in_use:
                raise WrongState(f"Key {kid} is in use already.")
            if not path.exists() or _read(path, known.purpose).kid != kid:
                raise WrongState(f"Key {kid} is not prepared; prepare the next one first.")
            site_keys.begin_key(conn, kid)
            audit.note(conn, by, "begin key", kid, known.purpose)
            return known.purpose

        purpose = await self.store.write(keep)
        # The records say so first: a service that dies here puts the files in their place later.
        away = self.files.put_away(purpose)
        current = self.files.current(purpose)
        current.rename(away)
        self.files.next(purpose).rename(current)
        if purpose == DOCUMENTS:
            self.documents = read_site_key(current)
        else:
            self.papers = read_paper_key(current)
        return away


class KeyIsThere(SealError):
    """There is a key already, and none is put in its place."""

    def __init__(self, path: Path) -> None:
        super().__init__(path)
        self.path = path

    def __str__(self) -> str:
        return f"{self.path} is there; move it to where old keys are kept, then begin a new one."


def replace_key(data_folder: Path, purpose: str, site: str, by: str) -> str:
    """Begin a new key in place of one that is lost, while no service runs; gives its name.

    The old public keys stay for what was signed with them. Raises KeyIsThere, and Claimed while a
    service has the folder.
    """
    path = KeyFiles(data_folder).current(purpose)
    claim = Claim(data_folder / "service.lock", f"The data folder {data_folder}", "a new key")
    try:
        if path.exists():
            raise KeyIsThere(path)
        store = Store(data_folder / "records.sqlite")
        try:
            key = make_site_key(path) if purpose == DOCUMENTS else make_paper_key(path, site)

            def keep(conn: sqlite3.Connection) -> None:
                site_keys.add_key(conn, key.public_jwk, purpose)
                site_keys.begin_key(conn, key.kid)
                audit.note(conn, "service", "replace key", key.kid, by)

            store.write_now(keep)
        finally:
            store.close()
        return key.kid
    finally:
        claim.let_go()
