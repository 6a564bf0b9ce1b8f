"""Files that carry records from a bench to another service: made there, taken in here.

Both run in a worker. What comes in stands in ``carried/SITE/`` of the data folder, as it stood at
its bench: ``records.sqlite``, ``papers`` and ``pictures``.
"""

import os
import sqlite3
import tempfile
from collections.abc import Collection, Iterator
from contextlib import closing
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Self

from loricate.certificates.agreeing import check_entry
from loricate.certificates.sealing import (
    SealError,
    SiteKey,
    Sort,
    canonical,
    opened,
    public_key,
    unopened,
)
from loricate.core.json_text import JsonRefused
from loricate.records import carrying, ledger, marks, packing, site_keys, sites
from loricate.records.backup import CARRIED, DATABASE
from loricate.records.carrying import MANIFEST, RECORDS, CameIn, Ends, Manifest, TakenIn, TakingIn
from loricate.records.kept_files import PAPERS, PICTURES, check_room, keep_file, place_of
from loricate.records.ledger import LedgerEntry
from loricate.records.packing import PackRefused
from loricate.records.site_keys import DOCUMENTS
from loricate.records.stamps import now
from loricate.records.store import SiteOf, atomic, migrate, migrations, open_connection

PAPER = "paper"  # the kind of record
MOST_FAULTS = 5


class StrangeKey(PackRefused):
    """A file is signed with a key that is not known here."""

    @classmethod
    def of(cls, manifest: Manifest, kid: str) -> Self:
        """Of this bench, with a key of this thumbprint."""
        return cls(
            f"The file is signed with a key that is not known here: {kid}, of bench "
            f"{manifest.bench} at {manifest.name}. Compare it with what `loricate key list` shows "
            f"there; if it is that bench's, take the file in with `--key {kid}`."
        )


@dataclass(frozen=True, slots=True)
class Named:
    """Whose records are carried out: the site and its bench, as people call them."""

    site: str
    bench: str


@dataclass(frozen=True, slots=True)
class CarriedOut:
    """A file that was made."""

    records: int
    papers: int
    pictures: int
    missing: int
    begins: Ends
    ends: Ends


@dataclass(frozen=True, slots=True)
class CarriedIn:
    """What came of taking a file in."""

    site: str
    name: str
    bench: str
    kid: str
    made_at: str
    is_first: bool
    missing: int
    taken: TakenIn
    ends: Ends


def write_carried(
    data_folder: Path, named: Named, begins: Ends, key: SiteKey, to: Path, papers: bool = True
) -> CarriedOut:
    """Write what was stored after ``begins`` into a file that is not there yet.

    Raises PackRefused where a record is not as it was stored, and OtherChain.
    """
    check_room(to.parent)
    with tempfile.TemporaryDirectory(dir=to.parent, prefix=".carrying-") as folder:
        lines = Path(folder) / RECORDS
        with closing(open_connection(data_folder / DATABASE, read_only=True)) as conn:
            conn.execute("BEGIN")  # one moment of the records
            with lines.open("x", encoding="ascii") as out:
                but = () if papers else (PAPER,)
                written = carrying.write_records(conn, begins, out, but)
            site, since = sites.site_of(conn)
            version = marks.version_of(conn)
        files, missing = {RECORDS: lines}, 0
        for place, digests in ((PAPERS, written.papers), (PICTURES, written.pictures)):
            for digest in digests:
                path = place_of(data_folder / place, digest)
                if path.is_file():
                    files[f"{place}/{digest}"] = path
                else:
                    missing += 1
        manifest = Manifest(
            carrying.FORMAT,
            site,
            since,
            named.site,
            named.bench,
            version,
            now(),
            {kind: begins[kind] for kind in written.ends if kind in begins},
            written.ends,
            {name: packing.digest_of(path) for name, path in files.items()},
            missing,
            key.public_jwk,
        )
        sealed = key.sign(canonical(asdict(manifest)), Sort.CARRIED)
        whole = Path(folder) / "whole"
        packing.pack(whole, MANIFEST, sealed.encode(), files)
        whole.replace(to)
    return CarriedOut(
        written.records,
        len(written.papers),
        len(written.pictures),
        missing,
        manifest.begins,
        written.ends,
    )


@dataclass(frozen=True, slots=True)
class _Admitted:
    """A file whose own word was looked at: who signed it, and where its records belong."""

    sealed: str
    manifest: Manifest
    kid: str
    known: int  # the version of this service's records
    target: Path


def take_in(data_folder: Path, file: Path, trusted: Collection[str], by: str) -> CarriedIn:
    """Take a file in, whole or not at all; ``trusted`` are keys that a person has compared.

    Raises PackRefused for what is tampered with, damaged, of this service itself, of another
    version, or begins after something that has not come.
    """
    folder = data_folder / CARRIED
    folder.mkdir(mode=0o700, exist_ok=True)

    def admit(content: bytes) -> _Admitted:
        """What the file says of itself, before anything of it is unpacked."""
        sealed, manifest = _read(content)
        with closing(open_connection(data_folder / DATABASE, read_only=True)) as conn:
            if sites.site_id(conn) == manifest.site:
                raise PackRefused("The file holds this service's own records; nothing to take in.")
            known = marks.version_of(conn)
        target, kid = folder / manifest.site, public_key(manifest.jwk).thumbprint()
        if kid not in trusted and kid not in _keys_of(target / DATABASE):
            raise StrangeKey.of(manifest, kid)
        _check_version(manifest, known, target)
        return _Admitted(sealed, manifest, kid, known, target)

    with tempfile.TemporaryDirectory(dir=folder, prefix=".coming-") as into:
        coming = Path(into) / "file"
        coming.mkdir()
        came = packing.unpack(file, coming, MANIFEST, admit, lambda told: told.manifest.members)
        sealed, manifest, kid, target = came.sealed, came.manifest, came.kid, came.target
        is_first = not target.is_dir()
        at = Path(into) / "first" if is_first else target
        at.mkdir(mode=0o700, exist_ok=True)
        site = SiteOf(manifest.site, manifest.since)
        if is_first or manifest.version == came.known:
            as_there = {
                number: each for number, each in migrations().items() if number <= manifest.version
            }
            migrate(at / DATABASE, as_there, site)
        for name in manifest.members:
            place, _, digest = name.partition("/")
            if digest and keep_file(at / place, (coming / name).read_bytes()) != digest:
                raise PackRefused(f"{name} in the file is not what its name says.")
        taken, ends = _take_rows(at / DATABASE, coming / RECORDS, sealed, manifest, file, kid, by)
        if manifest.version < came.known:
            migrate(at / DATABASE, site=site)
        if is_first:
            os.rename(at, target)
    return CarriedIn(
        manifest.site,
        manifest.name,
        manifest.bench,
        kid,
        manifest.made_at,
        is_first,
        manifest.missing,
        taken,
        ends,
    )


def _check_version(manifest: Manifest, here: int, target: Path) -> None:
    """Refuse what cannot be read here, or would not go on from what came before.

    The first file of a bench may be of an older version: it is brought up to this one afterwards.
    So may one that has come before, from the time before that.
    """
    there = manifest.version
    if there == here:
        return
    if carrying.FIRST_VERSION <= there < here and (
        not target.is_dir() or _has_come(target / DATABASE, manifest)
    ):
        return
    older, newer = (
        ("that bench", "this service") if there < here else ("this service", "that bench")
    )
    raise PackRefused(
        f"The records of that bench are of version {there}, those of this service of {here}. Bring "
        f"{older} up to the Loricate of {newer}, start it once, and carry out again."
    )


def _has_come(database: Path, manifest: Manifest) -> bool:
    """Whether a file ends nowhere beyond what has come of its bench."""
    with closing(open_connection(database, read_only=True)) as conn:
        had = carrying.carried_ends(conn)
    return all(end <= had.get(kind, (0, ""))[0] for kind, (end, _) in manifest.ends.items())


def _read(content: bytes) -> tuple[str, Manifest]:
    """What a file says of itself, once its own key has been held against its seal."""
    try:
        sealed = content.decode("ascii")
        manifest = Manifest.read(unopened(sealed))
        opened(sealed, manifest.jwk, Sort.CARRIED)
    except (SealError, UnicodeDecodeError) as error:
        raise PackRefused(f"The file is not signed as it should be: {error}") from error
    for name in manifest.members:
        if name != RECORDS and not packing.belongs(name, (PAPERS, PICTURES)):
            raise PackRefused(f"The file names {name!r:.80}, which carries no records.")
    if RECORDS not in manifest.members:
        raise PackRefused(f"The file names no {RECORDS}: it carries no records.")
    return sealed, manifest


def _keys_of(database: Path) -> set[str]:
    if not database.is_file():
        return set()
    with closing(open_connection(database, read_only=True)) as conn:
        return _documents_keys(conn)


def _documents_keys(conn: sqlite3.Connection) -> set[str]:
    return {each.kid for each in site_keys.known_keys(conn) if each.purpose == DOCUMENTS}


def _take_rows(
    database: Path, lines: Path, sealed: str, manifest: Manifest, file: Path, kid: str, by: str
) -> tuple[TakenIn, Ends]:
    with closing(open_connection(database)) as conn:
        is_of_now = marks.version_of(conn) == max(migrations())
        if is_of_now:
            marks.watch(conn)
        try:
            with atomic(conn), lines.open(encoding="ascii") as rows:
                taking = TakingIn(conn, manifest)
                taken = taking.take(rows)
                if kid not in _documents_keys(conn):
                    raise PackRefused("The file is signed with a key that its own records lack.")
                _check_documents(conn, taking.had.get("issued document", (0, ""))[0])
                if taking.ends != taking.had or taken != TakenIn():
                    came = CameIn(
                        packing.digest_of(file),
                        manifest.bench,
                        manifest.name,
                        kid,
                        manifest.made_at,
                        taken.records,
                        taken.documents,
                        taken.units,
                        now(),
                        by,
                    )
                    carrying.keep_file_in(conn, came, sealed, taking.ends)
                if not is_of_now:  # nothing was here before, and it is brought up next
                    marks.mark_all(conn)
                elif changed := marks.mark_touched(conn):
                    raise PackRefused(
                        f"What came before was changed here from outside: {changed[0]} See "
                        "`loricate records check`."
                    )
            return taken, taking.ends
        except sqlite3.IntegrityError as error:
            raise PackRefused(f"The rows in the file do not go together ({error}).") from error
        except (JsonRefused, KeyError, TypeError, ValueError, AttributeError) as error:
            raise PackRefused(f"The rows in the file cannot be read ({error}).") from error


def _check_documents(conn: sqlite3.Connection, after_mark: int) -> None:
    """Hold each document that came against its row, its seal, and the ledger of its bench."""
    jwk, faults = site_keys.key_set(conn), list[str]()
    for entry in _new_entries(conn, after_mark):
        found = check_entry(entry, jwk, lambda number: (), redraws=False).faults
        if ledger.hash_at(conn, entry.position - 1) != entry.previous:
            found = (*found, "The entry before it in the ledger is another.")
        faults += [f"{entry.number}: {each}" for each in found]
        if len(faults) >= MOST_FAULTS:
            break
    if faults:
        raise PackRefused(f"Documents in the file are not genuine. {' '.join(faults)}")


def _new_entries(conn: sqlite3.Connection, after_mark: int) -> Iterator[LedgerEntry]:
    rows = conn.execute(
        "SELECT number FROM carried_mark JOIN ledger ON ledger.position = key ->> 0"
        " WHERE carried_mark.kind = 'issued document' AND carried_mark.position > ?"
        " ORDER BY ledger.position",
        (after_mark,),
    ).fetchall()
    for row in rows:
        yield ledger.get_numbered(conn, row["number"])
