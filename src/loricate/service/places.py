"""Where records stand: this service's own, and beside them those of each bench that carried in.

Who looks for something asks every place; what is found stays told apart, and nothing is merged.
"""

import asyncio
import logging
import sqlite3
from collections.abc import Callable, Sequence
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import TypeVar

from loricate.records import carrying, sites
from loricate.records.backup import CARRIED, DATABASE
from loricate.records.carrying import SITE_ID, CameIn, Ends
from loricate.records.errors import NotFound, RecordsError
from loricate.records.kept_files import PICTURES
from loricate.records.store import Readers, SiteOf, Store, migrate, open_connection
from loricate.service.errors import WrongState

R = TypeVar("R")
Work = Callable[[sqlite3.Connection], R]
READERS = 2
logger = logging.getLogger("loricate.service")


@dataclass(frozen=True, slots=True)
class Place:
    """Records, and of whom they are: ``site`` and ``bench`` are empty for the service's own.

    ``bench`` tells places apart: where two are called alike, it has more than the bench's code.
    """

    records: Readers
    site: str = ""
    bench: str = ""
    name: str = ""

    @property
    def pictures(self) -> Path:
        """The folder of their pictures."""
        return self.records.path.parent / PICTURES


def carried_databases(data_folder: Path) -> list[Path]:
    """The records of each bench that carried in, by site."""
    return [
        path / DATABASE
        for path in sorted((data_folder / CARRIED).glob("*"))
        if SITE_ID.fullmatch(path.name) and (path / DATABASE).is_file()
    ]


def _unreadable(database: Path, error: Exception) -> str:
    return (
        f"The records carried in at {database} cannot be read ({error}). Restore them from a "
        f"backup, or move {database.parent} away, start the service anew, and carry everything in "
        "again (`loricate carry out --all` at that bench)."
    )


class Places:
    """All of them; opened and closed by the desk."""

    def __init__(self, own: Store, code: str = "") -> None:
        self.own, self._code = Place(own), code
        self.carried: list[Place] = []
        self.problems: dict[str, str] = {}  # of records that cannot be opened, by site

    @property
    def all(self) -> Sequence[Place]:
        """This service's own first."""
        return (self.own, *self.carried)

    def open(self) -> None:
        """Open what was carried in; what cannot be opened holds up nothing else."""
        for database in carried_databases(self.own.records.path.parent):
            self.open_one(database)

    def open_one(self, database: Path) -> None:
        """Open the records of one bench, or see anew how it is called."""
        site = database.parent.name
        known = next((each for each in self.carried if each.site == site), None)
        try:
            if known is None:
                with closing(open_connection(database, read_only=True)) as conn:
                    of = SiteOf(*sites.site_of(conn))
                migrate(database, site=of)
            readers = Readers(database, READERS) if known is None else known.records
            came = readers.read_now(carrying.files_in)[0]
        except (sqlite3.Error, RecordsError, IndexError) as error:
            self.problems[site] = _unreadable(database, error)
            logger.exception("carried records not opened")
            return
        called = {(each.bench, each.name) for each in self.carried if each is not known}
        place = Place(readers, site, self._told_apart(came, site, called), came.name)
        self.carried = sorted(
            [each for each in self.carried if each is not known] + [place],
            key=lambda each: (each.bench, each.site),
        )

    def _told_apart(self, came: CameIn, site: str, called: set[tuple[str, str]]) -> str:
        """What a bench is called, so that no other one here is called so."""
        taken = {self._code, *(bench for bench, _ in called)}
        names = (came.bench, f"{came.bench} of {came.name}", f"{came.bench} {site[-12:]}")
        return next(each for each in names if each not in taken)

    def close(self) -> None:
        """Close what was carried in."""
        for each in self.carried:
            each.records.close()

    def named(self, of: str) -> Sequence[Place]:
        """The places of a bench, by its code or its site's id; all where that is empty.

        Raises NotFound.
        """
        if not of:
            return self.all
        found = [
            each
            for each in self.carried
            if each.site == of or each.bench.casefold() == of.casefold()
        ]
        if not found:
            raise NotFound("bench that has carried its records in", of)
        return found

    async def first(self, work: Work[R], of: str = "") -> tuple[Place, R]:
        """The first place where something is found, and what; raises NotFound where it is none."""
        missing: NotFound | None = None
        for place in self.named(of):
            try:
                return place, await self._read(place, work)
            except NotFound as error:
                missing = missing or error
        raise missing or NotFound("bench", of)

    async def each(self, work: Work[R], of: str = "") -> list[tuple[Place, R]]:
        """What is found at every place.

        Raises WrongState where one cannot be read: what is found would not be all that there is.
        """
        for problem in self.problems.values():
            raise WrongState(problem)
        places = self.named(of)
        found = await asyncio.gather(*(self._read(place, work) for place in places))
        return list(zip(places, found, strict=True))

    async def _read(self, place: Place, work: Work[R]) -> R:
        try:
            return await place.records.read(work)
        except sqlite3.DatabaseError as error:
            if place is self.own:
                raise
            raise WrongState(_unreadable(place.records.path, error)) from error

    async def files(self) -> list[tuple[Place, list[CameIn]]]:
        """What came in from each bench."""
        found = await asyncio.gather(
            *(place.records.read(carrying.files_in) for place in self.carried)
        )
        return list(zip(self.carried, found, strict=True))

    async def ends(self, site: str) -> Ends:
        """How far the records of a site have come in."""
        for place in self.carried:
            if place.site == site:
                return await place.records.read(carrying.carried_ends)
        return {}
