"""Finding units in runs, and the searches that the site has by name."""

from collections.abc import Iterator
from typing import Any
from urllib.parse import quote

from loricate.api.searching import SearchOut, UnitCounts, UnitFound, UnitNames
from loricate.client._wire import API, Wire


class SearchCalls(Wire):
    """Calls about searches."""

    def find_units(
        self, serial: str = "", count: int = 100, before: str = "", **search: Any
    ) -> list[UnitFound]:
        """Find units in runs, the newest first; those after the cursor ``before`` if it is given.

        ``serial`` is the serial or the asset number; ``search`` takes what else is known of them:
        product, lot, sequence, revision, verdict, cause, failed, since, until, since_renewal,
        operator, bench, fixture, nest, instrument, place, said, occasion, document, limit_set,
        limit_revision. ``*`` and ``?`` are wildcards; verdict, cause and document take a list.
        """
        query = {"serial": serial, "count": count, "before": before, **search}
        return self._get(list[UnitFound], f"{API}/units", **query)

    def all_units(self, serial: str = "", **search: Any) -> Iterator[UnitFound]:
        """All that a search finds, page after page as they are taken."""
        last = ""
        while page := self.find_units(serial, 500, last, **search):
            yield from page
            last = page[-1].cursor

    def count_units(self, serial: str = "", **search: Any) -> UnitCounts:
        """How many units in runs a search finds, by verdict."""
        return self._get(UnitCounts, f"{API}/unit-counts", serial=serial, **search)

    def unit_names(self) -> UnitNames:
        """What there is to pick from in a search."""
        return self._get(UnitNames, f"{API}/unit-names")

    def searches(self) -> list[SearchOut]:
        """The searches that the site has by name."""
        return self._get(list[SearchOut], f"{API}/searches")

    def kept_search(self, name: str) -> SearchOut:
        """A search by its name; ``find_units(**found.search.asked())`` does it."""
        return self._get(SearchOut, _path(name))

    def keep_search(self, name: str, **search: Any) -> SearchOut:
        """Keep a search by its name, for the whole site."""
        kept = self.send("PUT", _path(name), json={"search": search})
        return SearchOut.model_validate_json(kept.content)

    def drop_search(self, name: str) -> None:
        """Keep a search no longer."""
        self.send("DELETE", _path(name))


def _path(name: str) -> str:
    return f"{API}/searches/{quote(name, safe='')}"
