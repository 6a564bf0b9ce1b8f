"""Automatic exports: each document issued is written to the folder and name that the site chose."""

import asyncio
from collections.abc import Mapping
from pathlib import Path, PurePosixPath

from loricate.core.export_names import export_path
from loricate.records import outbox
from loricate.records.outbox import Outgoing
from loricate.records.store import Store
from loricate.service.paper_making import paper_as_it_stands
from loricate.service.site_file import ExportsPlan


class NoExports(LookupError):
    """A document waits to be exported, and the site exports none any more."""

    def __str__(self) -> str:
        return "The site names no folder for exports any more; name one, and start the service."


class Exporter:
    """What the outbox has for the folder of exports: writes documents below it."""

    def __init__(self, plan: ExportsPlan | None, beside: Path, store: Store) -> None:
        self.plan, self.store = plan, store
        self.folder = Path() if plan is None else (beside / plan.folder).resolve()

    async def send(self, outgoing: Outgoing) -> None:
        """Write one document as it stands; raises OSError, NoExports."""
        sealed, pdf = await paper_as_it_stands(self.store, outgoing.subject)
        contents = {"pdf": pdf, "json": sealed.encode()}
        await asyncio.to_thread(self.write, outgoing.facts, contents)
        await self.store.write(lambda conn: outbox.set_sent(conn, outgoing.id))

    def write(self, facts: Mapping[str, str], contents: Mapping[str, bytes]) -> list[Path]:
        """Write one document in each of its forms (``pdf``, ``json``); gives the files written.

        What is there already is left. Raises OSError for what cannot be written, NoExports.
        """
        if self.plan is None:
            raise NoExports
        return [
            self._write(self.plan.name, facts, f".{form}", contents[form])
            for form in self.plan.forms
        ]

    def _write(self, pattern: str, facts: Mapping[str, str], suffix: str, content: bytes) -> Path:
        tried: set[PurePosixPath] = set()
        while True:
            path = export_path(pattern, facts, suffix, tried.__contains__)
            target = self.folder / path
            target.parent.mkdir(parents=True, exist_ok=True)
            try:
                with target.open("xb") as file:  # refuses a file that is there, whoever made it
                    file.write(content)
                return target
            except FileExistsError:
                if target.read_bytes() == content:
                    return target  # the same document, exported before
                tried.add(path)
