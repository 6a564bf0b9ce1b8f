"""Items with their owners and ends, and trends that are looked at by themselves."""

from typing import Any
from urllib.parse import quote

from loricate.api.items import ItemEnd, ItemOut, NewItem, NewOwner, WatchOut
from loricate.client._wire import API, Wire


class ItemCalls(Wire):
    """Calls about items and watched trends."""

    def items(self, state: str = "open", owner: str = "") -> list[ItemOut]:
        """Items, the newest first; ``state`` is open, ended, or empty for all."""
        return self._get_all(ItemOut, f"{API}/items", state=state, owner=owner)

    def raise_item(
        self, about: str, text: str, address: str = "", owner: str | None = None
    ) -> ItemOut:
        """Raise an item for what somebody has seen; it is one's own unless ``owner`` is given."""
        body = NewItem(about=about, text=text, address=address, owner=owner)
        return self._post(ItemOut, f"{API}/items", body)

    def give_item(self, item_id: str, owner: str) -> ItemOut:
        """Give an open item to another owner."""
        return self._post(ItemOut, f"{API}/items/{item_id}/owner", NewOwner(owner=owner))

    def end_item(self, item_id: str, how: Any, note: str) -> ItemOut:
        """End an item: ``accepted`` as it is, or ``acted_on``, with a note."""
        return self._post(ItemOut, f"{API}/items/{item_id}/end", ItemEnd(how=how, note=note))

    def watches(self) -> list[WatchOut]:
        """The trends that are looked at by themselves."""
        return self._get(list[WatchOut], f"{API}/watches")

    def watch(self, name: str, owner: str | None = None, **trend: Any) -> WatchOut:
        """Have a trend looked at by itself; ``trend`` is what ``Client.trend`` is asked with."""
        kept = self.send("PUT", _path(name), json={"trend": trend, "owner": owner})
        return WatchOut.model_validate_json(kept.content)

    def drop_watch(self, name: str) -> None:
        """Look at a trend by itself no longer; its items stay."""
        self.send("DELETE", _path(name))


def _path(name: str) -> str:
    return f"{API}/watches/{quote(name, safe='')}"
