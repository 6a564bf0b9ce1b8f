"""Issued documents, the ledger, and the site's keys."""

import time
from collections.abc import Sequence

from pydantic import TypeAdapter

from loricate.api.ambient import AmbientOut
from loricate.api.certificates import (
    DocumentFound,
    Entered,
    KeyBegun,
    KeyOut,
    KeySet,
    LedgerState,
    Purpose,
    Verified,
    VerifiedFile,
)
from loricate.api.records import RunOut
from loricate.client._wire import API, Wire

LOOK_EACH_S = 0.1


class CertificateCalls(Wire):
    """Calls about issued documents."""

    def certificates(
        self,
        kind: str = "",
        serial: str = "",
        lot: str = "",
        number: str = "",
        standing: str = "",
        before: int = 0,
        count: int = 100,
    ) -> list[DocumentFound]:
        """What was issued, newest first; those before a position, for the next page.

        ``serial`` may have ``*`` and ``?``; ``standing`` is counts, superseded, revoked, approved
        or unapproved.
        """
        wanted = {
            "kind": kind,
            "serial": serial,
            "lot": lot,
            "number": number,
            "standing": standing,
            "before": str(before),
            "count": str(count),
        }
        asked = {name: value for name, value in wanted.items() if value not in ("", "0")}
        found = self.send("GET", f"{API}/certificates", params=asked)
        return TypeAdapter(list[DocumentFound]).validate_json(found.content)

    def certificate(self, name: str) -> str:
        """The sealed JSON of a document with how it stands, by number or serial."""
        return self.send("GET", f"{API}/certificates/{name}").text

    def certificate_pdf(self, name: str) -> bytes:
        """The signed PDF of a document, by number or serial; waits while it is being made."""
        return self.send("GET", f"{API}/certificates/{name}/pdf", timeout=30.0).content

    def wait_for_papers(self, run_id: str, within_s: float = 60.0) -> RunOut:
        """The run once all its documents are issued and their papers made, or the time is over.

        A run is finished before they are: nobody has to wait for them to go on.
        """
        until = time.monotonic() + within_s
        while True:
            run = self._get(RunOut, f"{API}/runs/{run_id}")
            is_coming = run.documents == "coming" or any(u.paper == "coming" for u in run.units)
            if not is_coming or time.monotonic() > until:
                return run
            time.sleep(LOOK_EACH_S)

    def revoke(self, number: str, reason: str) -> str:
        """Have a document count no longer; gives the revocation's number."""
        path = f"{API}/certificates/{number}/revoke"
        return self._post(Entered, path, {"reason": reason}).number

    def approve(self, numbers: Sequence[str] = (), lot: str = "", note: str = "") -> str:
        """Put quality's signature on documents, or on a lot's; gives the approval's number."""
        body = {"numbers": list(numbers), "lot": lot, "note": note}
        return self._post(Entered, f"{API}/approvals", body).number

    def draw_again(self, number: str) -> None:
        """Have the paper of a document made again."""
        self.send("POST", f"{API}/certificates/{number}/draw-again")

    def print_certificate(self, number: str) -> None:
        """Have the paper of a document printed once more on the site's printer."""
        self.send("POST", f"{API}/certificates/{number}/print", timeout=30.0)

    def revocations(self) -> str:
        """What counts no longer, signed (JWS); needs no sign-in."""
        return self.send("GET", f"{API}/revocations").text

    def verify(self, number: str) -> Verified:
        """What the service holds under a number; needs no sign-in."""
        return self._get(Verified, f"{API}/verify/{number}")

    def verify_file(self, data: bytes) -> VerifiedFile:
        """Verify a PDF or sealed JSON against the site's keys and its ledger of now."""
        headers = {"Content-Type": "application/octet-stream"}
        found = self.send("POST", f"{API}/verify", content=data, headers=headers)
        return VerifiedFile.model_validate_json(found.content)

    def ledger(self, within_s: float = 900.0) -> LedgerState:
        """Whether what was issued is whole: chain, rows, seals, papers, heads kept outside."""
        found = self.send("GET", f"{API}/ledger", timeout=within_s)
        return LedgerState.model_validate_json(found.content)

    def site_key(self) -> dict[str, str]:
        """The public half of the key for documents as a JWK; needs no sign-in."""
        return self._get(dict[str, str], f"{API}/site-key")

    def site_keys(self) -> KeySet:
        """Every public key of the site, the next one included; needs no sign-in."""
        return self._get(KeySet, f"{API}/site-keys")

    def keys(self) -> list[KeyOut]:
        """The site's keys with where they stand, the newest first."""
        return self._get(list[KeyOut], f"{API}/keys")

    def prepare_key(self, purpose: Purpose) -> KeyOut:
        """Make the next key for documents or papers, and have it known."""
        return self._post(KeyOut, f"{API}/keys", {"purpose": purpose})

    def begin_key(self, kid: str) -> KeyBegun:
        """Sign with the next key from now on."""
        return self._post(KeyBegun, f"{API}/keys/{kid}/begin")

    def ledger_head(self) -> str:
        """A signed head of the ledger as it is now, to be kept elsewhere."""
        return self.send("GET", f"{API}/ledger/head").text

    def ambient(self) -> AmbientOut:
        """What was said last of the air about the units, and whether it still holds."""
        return self._get(AmbientOut, f"{API}/ambient")

    def note_ambient(self, temperature: str, humidity: str = "") -> AmbientOut:
        """Say what the air is like: ``21.5 °C``, ``45 %``."""
        body = {"temperature": temperature, "humidity": humidity}
        return self._post(AmbientOut, f"{API}/ambient", body)
