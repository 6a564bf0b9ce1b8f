"""Series of consecutive units on one arming."""

from collections.abc import Mapping, Sequence
from typing import Any
from urllib.parse import quote

from loricate.api.series import SeriesOut, SeriesSummary
from loricate.client._wire import API, Wire


class SeriesCalls(Wire):
    """Calls about series."""

    def begin_series(
        self,
        sequence: str,
        fixture: str,
        nests: Sequence[str] = (),
        *,
        lot: str = "",
        count_from: str = "",
        line: Mapping[str, Any] | None = None,
    ) -> SeriesOut:
        """Make a series, paused: once armed, whatever is plugged in next is tested.

        Serials are counted from one, or from a pattern such as ``CL7-26-####``, or else scanned.
        ``line`` are line options, by name, that are otherwise than the sequence has them, such as
        ``stop_after_fails=2``.
        """
        body = {
            "sequence": sequence,
            "fixture": fixture,
            "nests": list(nests),
            "lot": lot,
            "count_from": count_from,
            "line": dict(line or {}),
        }
        return self._post(SeriesOut, f"{API}/series", body)

    def list_series(self, count: int = 20, before: str = "") -> list[SeriesSummary]:
        """Series, newest first, older than the series ``before`` if that is given."""
        return self._get(list[SeriesSummary], f"{API}/series", count=count, before=before)

    def series(self, series_id: str) -> SeriesOut:
        """A series as it goes: what to do now, how units came out, how fast."""
        return self._get(SeriesOut, f"{API}/series/{series_id}")

    def arm_series(self, series_id: str) -> SeriesOut:
        """Let a series go on, and high voltage with it."""
        return self._post(SeriesOut, f"{API}/series/{series_id}/arm")

    def stop_series(self, series_id: str) -> SeriesOut:
        """End a series now: outputs fall first."""
        return self._end(SeriesOut, f"{API}/series/{series_id}/stop")

    def give_serial(self, series_id: str, serial: str) -> SeriesOut:
        """Give the serial of a unit to come, after those that wait."""
        return self._post(SeriesOut, f"{API}/series/{series_id}/serials", {"serial": serial})

    def withdraw_serial(self, series_id: str, serial: str) -> SeriesOut:
        """Take back the serial of a unit to come."""
        found = self.send("DELETE", f"{API}/series/{series_id}/serials/{quote(serial, safe='')}")
        return SeriesOut.model_validate_json(found.content)

    def let_series_go_on(self, series_id: str, reason: str) -> SeriesOut:
        """Say, as an engineer, why units failed one after another; it may be armed again."""
        return self._post(SeriesOut, f"{API}/series/{series_id}/release", {"reason": reason})
