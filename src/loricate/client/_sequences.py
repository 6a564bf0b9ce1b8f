"""Sequences: written, reviewed, challenged, released."""

from collections.abc import Mapping
from typing import Any

from loricate.api.definitions import (
    ChallengeOut,
    Checked,
    ReviewOut,
    SequenceOut,
    SequenceRevision,
    SequenceSummary,
    Stored,
)
from loricate.client._wire import API, Wire

CHALLENGE_S = 180.0


class SequenceCalls(Wire):
    """Calls about sequences."""

    def sequences(self) -> list[SequenceSummary]:
        """Every sequence's newest revision."""
        return self._get_all(SequenceSummary, f"{API}/sequences")

    def sequence(self, code: str, revision: int | None = None) -> SequenceOut:
        """One revision of a sequence with its document, the newest by default."""
        return self._get(SequenceOut, f"{API}/sequences/{code}", revision=revision)

    def check_sequence(self, document: Mapping[str, Any]) -> Checked:
        """Check a sequence document; raises RefusedError with every finding."""
        return self._post(Checked, f"{API}/sequences/check", document)

    def review_document(self, document: Mapping[str, Any], nests: int = 4) -> ReviewOut:
        """Read a sequence document for mistakes, on the service's bench; stores nothing."""
        path = f"{API}/sequences/review?nests={nests}"
        return self._post(ReviewOut, path, document)

    def review(self, code: str, revision: int | None = None, nests: int = 4) -> ReviewOut:
        """Read a stored sequence for mistakes, on the service's bench."""
        path = f"{API}/sequences/{code}/review"
        return self._get(ReviewOut, path, revision=revision, nests=nests)

    def challenge(
        self, code: str, *, pairs: bool = False, repetitions: int = 200, nests: int = 4
    ) -> ChallengeOut:
        """Run a stored sequence against stand-in units with each fault of its product."""
        return self._challenge(code, None, pairs, repetitions, nests)

    def challenge_document(
        self,
        document: Mapping[str, Any],
        *,
        pairs: bool = False,
        repetitions: int = 200,
        nests: int = 4,
    ) -> ChallengeOut:
        """Run a sequence document against stand-in units; stores nothing."""
        return self._challenge("", document, pairs, repetitions, nests)

    def _challenge(
        self, code: str, document: object, pairs: bool, repetitions: int, nests: int
    ) -> ChallengeOut:
        query = f"pairs={str(pairs).lower()}&repetitions={repetitions}&nests={nests}"
        place = f"{code}/challenge" if code else "challenge"
        found = self.send(
            "POST", f"{API}/sequences/{place}?{query}", json=document, timeout=CHALLENGE_S
        )
        return ChallengeOut.model_validate_json(found.content)

    def add_sequence(self, document: Mapping[str, Any], etag: str = "") -> Stored:
        """Store a sequence as a draft; with ``etag`` only if nobody changed it meanwhile."""
        headers = {"If-Match": etag} if etag else {}
        return self._post(Stored, f"{API}/sequences", document, headers)

    def release_sequence(
        self, code: str, why: str, accepted: Mapping[str, str] | None = None
    ) -> Stored:
        """Release a sequence's draft; ``accepted`` gives the reason for each finding left.

        A finding is named by its rule, with ``@step`` after it where it is of one step.
        """
        left = []
        for name, reason in (accepted or {}).items():
            rule, _, step = name.partition("@")
            left.append({"rule": rule, "step": step, "reason": reason})
        body = {"why": why, "accepted": left}
        return self._post(Stored, f"{API}/sequences/{code}/release", body)

    def withdraw_sequence(self, code: str, why: str, revision: int | None = None) -> Stored:
        """Take a released revision, the newest by default, out of use."""
        body = {"why": why, "revision": revision}
        return self._post(Stored, f"{API}/sequences/{code}/withdraw", body)

    def sequence_file(self, code: str, revision: int | None = None) -> str:
        """A revision as a TOML file, the newest by default."""
        query = {} if revision is None else {"revision": revision}
        return self.send("GET", f"{API}/sequences/{code}/file", params=query).text

    def read_sequence_file(self, text: str) -> dict[str, Any]:
        """A TOML file as a document, whatever is still wrong with its steps; stores nothing."""
        headers = {"Content-Type": "application/toml"}
        found = self.send("POST", f"{API}/sequences/read", content=text.encode(), headers=headers)
        document: dict[str, Any] = found.json()
        return document

    def sequence_label(self, code: str) -> bytes:
        """A label with a sequence's code as Code 128 and QR code, as a PDF."""
        return self.send("GET", f"{API}/sequences/{code}/label").content

    def sequence_revisions(self, code: str) -> list[SequenceRevision]:
        """Every revision of a sequence, newest first."""
        return self._get(list[SequenceRevision], f"{API}/sequences/{code}/revisions")
