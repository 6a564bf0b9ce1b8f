"""Lots."""

from loricate.api.certificates import Entered
from loricate.api.lots import LotOut, LotSummary
from loricate.client._wire import API, Wire


class LotCalls(Wire):
    """Calls about lots."""

    def open_lot(
        self,
        code: str,
        product: str,
        serials: str,
        *,
        quantity: int | None = None,
        order_number: str = "",
    ) -> LotSummary:
        """Open a lot of a product.

        ``serials`` are ranges ``FIRST..LAST`` and single ones with commas between, or a pattern
        with ``#`` for each digit, which takes a ``quantity``.
        """
        body = {
            "code": code,
            "product": product,
            "serials": serials,
            "quantity": quantity,
            "order_number": order_number,
        }
        return self._post(LotSummary, f"{API}/lots", body)

    def lots(self) -> list[LotOut]:
        """Every lot with its progress, newest first."""
        return self._get_all(LotOut, f"{API}/lots")

    def lot(self, code: str) -> LotSummary:
        """A lot's progress, its units with their latest verdicts, and those that wait."""
        return self._get(LotSummary, f"{API}/lots/{code}")

    def issue_summary(self, code: str) -> str:
        """Issue a lot's summary as it stands, a signed document; gives its number."""
        return self._post(Entered, f"{API}/lots/{code}/summary").number

    def lot_pdf(self, code: str) -> bytes:
        """A view of a lot as a PDF, as it stands now; it is no document."""
        return self.send("GET", f"{API}/lots/{code}/pdf").content

    def close_lot(self, code: str) -> LotSummary:
        """Close a lot: no run is made in it any more."""
        return self._post(LotSummary, f"{API}/lots/{code}/close")
