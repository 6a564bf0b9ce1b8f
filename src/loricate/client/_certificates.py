"""Certificates, the ledger, and the site's key."""

from loricate.api.certificates import LedgerState, Verified
from loricate.client._wire import API, Wire


class CertificateCalls(Wire):
    """Calls about issued documents."""

    def certificate(self, name: str) -> str:
        """The sealed JSON of a certificate or nonconformance report, by number or serial."""
        return self._send("GET", f"{API}/certificates/{name}").text

    def certificate_pdf(self, name: str) -> bytes:
        """The PDF of a certificate or nonconformance report, by number or serial."""
        return self._send("GET", f"{API}/certificates/{name}/pdf").content

    def verify(self, number: str) -> Verified:
        """What the service holds under a number; needs no sign-in."""
        return self._get(Verified, f"{API}/verify/{number}")

    def ledger(self) -> LedgerState:
        """Whether the chain of issued documents is whole."""
        return self._get(LedgerState, f"{API}/ledger")

    def site_key(self) -> dict[str, str]:
        """The public half of the site key as a JWK; needs no sign-in."""
        return self._get(dict[str, str], f"{API}/site-key")
