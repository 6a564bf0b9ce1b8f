"""Certificates, the ledger, and the site's key."""

from loricate.api.certificates import KeySet, LedgerState, Verified
from loricate.client._wire import API, Wire


class CertificateCalls(Wire):
    """Calls about issued documents."""

    def certificate(self, name: str) -> str:
        """The sealed JSON of a certificate or nonconformance report, by number or serial."""
        return self.send("GET", f"{API}/certificates/{name}").text

    def certificate_pdf(self, name: str) -> bytes:
        """The PDF of a certificate or nonconformance report, by number or serial."""
        return self.send("GET", f"{API}/certificates/{name}/pdf").content

    def verify(self, number: str) -> Verified:
        """What the service holds under a number; needs no sign-in."""
        return self._get(Verified, f"{API}/verify/{number}")

    def ledger(self, within_s: float = 900.0) -> LedgerState:
        """Whether what was issued is whole: chain, rows, seals, papers, heads kept outside."""
        found = self.send("GET", f"{API}/ledger", timeout=within_s)
        return LedgerState.model_validate_json(found.content)

    def site_key(self) -> dict[str, str]:
        """The public half of the site key as a JWK; needs no sign-in."""
        return self._get(dict[str, str], f"{API}/site-key")

    def site_keys(self) -> KeySet:
        """Every public key that the site has sealed with; needs no sign-in."""
        return self._get(KeySet, f"{API}/site-keys")

    def ledger_head(self) -> str:
        """A signed head of the ledger as it is now, to be kept elsewhere."""
        return self.send("GET", f"{API}/ledger/head").text
