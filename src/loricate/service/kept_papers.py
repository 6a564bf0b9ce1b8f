"""The papers of a document as they lie beside the records, read with their digests."""

import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from loricate.certificates.agreeing import KeptPaper
from loricate.records import papers
from loricate.records.kept_files import read_file


@dataclass(frozen=True, slots=True)
class PaperFolder:
    """Some documents' papers by number; can be sent to a worker, which reads the files."""

    folder: Path
    digests: dict[str, list[str]]

    def __call__(self, number: str) -> Iterator[KeptPaper]:
        for digest in self.digests.get(number, ()):
            yield KeptPaper(digest, read_file(self.folder, digest))


@dataclass(frozen=True, slots=True)
class AllPapers:
    """Every document's papers, looked up as they are asked for."""

    folder: Path
    conn: sqlite3.Connection

    def __call__(self, number: str) -> Iterator[KeptPaper]:
        for digest in papers.papers_of(self.conn, number):
            yield KeptPaper(digest, read_file(self.folder, digest))
