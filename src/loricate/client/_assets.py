"""Devices by asset number."""

from loricate.api.assets import AssetOut
from loricate.client._wire import API, Wire


class AssetCalls(Wire):
    """Calls about devices that have an asset number."""

    def asset(self, number: str) -> AssetOut:
        """A device by its number or its serial."""
        return self._get(AssetOut, f"{API}/assets/{number}")

    def assets(self, search: str = "*") -> list[AssetOut]:
        """Devices in the order of their numbers; ``search`` is of number, serial or place."""
        return self._get_all(AssetOut, f"{API}/assets", search=search)

    def describe_asset(self, number: str, product: str, serial: str, place: str = "") -> AssetOut:
        """Say which device has a number, and where it is used."""
        body = {"product": product, "serial": serial, "place": place}
        found = self.send("PUT", f"{API}/assets/{number}", json=body)
        return AssetOut.model_validate_json(found.content)
