"""The core's error tree. Facts are attributes; the sentence is derived from them."""

from dataclasses import dataclass


class CoreError(Exception):
    """Root of every error that the core raises."""


class QuantityError(CoreError, ValueError):
    """A text could not be read as a quantity of the wanted dimension."""

    def __init__(self, text: str, reason: str, wanted: str, example: str) -> None:
        super().__init__(text, reason, wanted, example)
        self.text, self.reason, self.wanted, self.example = text, reason, wanted, example

    def __str__(self) -> str:
        return f"'{self.text}' {self.reason}; write {self.wanted}, for example '{self.example}'."


class AlreadyRegistered(CoreError):
    """A name was registered a second time."""

    def __init__(self, table: str, name: str) -> None:
        super().__init__(table, name)
        self.table, self.name = table, name

    def __str__(self) -> str:
        return f"The {self.table} '{self.name}' is registered already; choose another name."


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing wrong with a document: where (a dotted path), why, and what to do about it.

    What others found, a validator for instance, is a whole sentence and has no remedy of its own.
    """

    path: str
    reason: str
    remedy: str = ""

    @property
    def message(self) -> str:
        """Reason and remedy in one sentence, for whoever is told."""
        return f"{self.reason}; {self.remedy}" if self.remedy else self.reason


class DocumentError(CoreError, ValueError):
    """A document (sequence, limit set, bench) is refused; ``findings`` names every reason."""

    def __init__(self, document: str, findings: tuple[Finding, ...]) -> None:
        super().__init__(document, findings)
        self.document, self.findings = document, findings

    def __str__(self) -> str:
        listed = " ".join(f"{found.path}: {found.message}" for found in self.findings)
        return f"The {self.document} is refused. {listed}"


class ProcedureError(CoreError):
    """A procedure was driven in a way it does not allow (a defect, not bad input)."""


class ProbeFailed(CoreError):
    """A check of the scanner had no voltage to probe with, so it can say nothing."""

    def __init__(self, instrument: str, reached: str, wanted: str) -> None:
        super().__init__(instrument, reached, wanted)
        self.instrument, self.reached, self.wanted = instrument, reached, wanted

    def __str__(self) -> str:
        return (
            f"Instrument {self.instrument} reached {self.reached} of the {self.wanted} that the "
            "check probes with; check its output and its leads, then check again."
        )
