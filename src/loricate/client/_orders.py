"""Work orders."""

from loricate.api.orders import OrderOut
from loricate.client._wire import API, Wire


class OrderCalls(Wire):
    """Calls about work orders."""

    def order(self, number: str) -> OrderOut:
        """An order by its number."""
        return self._get(OrderOut, f"{API}/orders/{number}")

    def orders(self, state: str = "") -> list[OrderOut]:
        """Orders by number: ``open``, ``done``, ``withdrawn``, or all."""
        return self._get_all(OrderOut, f"{API}/orders", state=state)

    def put_order(
        self,
        number: str,
        occasion: str,
        *,
        asset: str = "",
        product: str = "",
        serial: str = "",
        due: str = "",
        said: str = "",
    ) -> OrderOut:
        """Give an order, for an asset number or for product and serial; once, however often."""
        body = {
            "occasion": occasion,
            "asset": asset,
            "product": product,
            "serial": serial,
            "due": due or None,
            "said": said,
        }
        found = self.send("PUT", f"{API}/orders/{number}", tries=2, json=body)
        return OrderOut.model_validate_json(found.content)

    def withdraw_order(self, number: str, reason: str) -> OrderOut:
        """Withdraw an order that nobody wants any more."""
        return self._post(OrderOut, f"{API}/orders/{number}/withdrawal", {"reason": reason})
