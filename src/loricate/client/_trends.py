"""Trends of readings, of units and of daily checks' boxes; yields."""

from typing import Any

from loricate.api.trends import (
    ChartName,
    CheckMeasurandOut,
    MeasurandOut,
    TrendOut,
    YieldBy,
    YieldsOut,
)
from loricate.client._wire import API, Wire


class TrendCalls(Wire):
    """Calls about what readings of many units say together.

    ``search`` takes what units are looked for by, as ``find_units`` does.
    """

    def measurands(self, **search: Any) -> list[MeasurandOut]:
        """What the newest units that a search finds have readings of."""
        return self._get(list[MeasurandOut], f"{API}/measurands", **search)

    def trend(self, step: str, quantity: str, point: str = "", **asked: Any) -> TrendOut:
        """What readings of one measurand say together.

        ``asked`` takes what units are looked for by, and ``which`` (last, first, all attempts),
        ``count``, ``scale`` (straight, decades), ``base`` (readings that the chart's limits rest
        on) and ``by`` (groups to be compared: nest, instrument, lot, ...).
        """
        query = {"step": step, "quantity": quantity, "point": point, **asked}
        return self._get(TrendOut, f"{API}/trends", **query)

    def trend_drawing(
        self,
        chart: ChartName,
        form: str,
        step: str,
        quantity: str,
        point: str = "",
        **asked: Any,
    ) -> bytes:
        """A trend drawn: ``time``, ``individuals``, ``histogram`` or ``groups``; svg or png."""
        query = {"step": step, "quantity": quantity, "point": point, **asked}
        return self.send("GET", f"{API}/trends/{chart}/{form}", params=query).content

    def trend_table(self, step: str, quantity: str, point: str = "", **asked: Any) -> str:
        """A trend's readings as CSV; ``bom`` and ``decimal_comma`` for spreadsheets."""
        query = {"step": step, "quantity": quantity, "point": point, **asked}
        return self.send("GET", f"{API}/trends/table", params=query).text

    def check_measurands(self, fixture: str) -> list[CheckMeasurandOut]:
        """What a fixture's daily checks have read of their reference boxes."""
        return self._get(list[CheckMeasurandOut], f"{API}/check-measurands", fixture=fixture)

    def check_trend(
        self, fixture: str, step: str, quantity: str, point: str = "", **asked: Any
    ) -> TrendOut:
        """What an instrument has read of a reference box in daily checks, as a trend.

        ``asked`` takes ``box`` (good, bad), ``serial``, ``instrument``, ``count``, ``scale``,
        ``base``.
        """
        query = {"fixture": fixture, "step": step, "quantity": quantity, "point": point, **asked}
        return self._get(TrendOut, f"{API}/check-trends", **query)

    def check_drawing(
        self,
        chart: ChartName,
        form: str,
        fixture: str,
        step: str,
        quantity: str,
        point: str = "",
        **asked: Any,
    ) -> bytes:
        """The readings of daily checks drawn, as ``trend_drawing`` draws."""
        query = {"fixture": fixture, "step": step, "quantity": quantity, "point": point, **asked}
        return self.send("GET", f"{API}/check-trends/{chart}/{form}", params=query).content

    def check_table(
        self, fixture: str, step: str, quantity: str, point: str = "", **asked: Any
    ) -> str:
        """The readings of daily checks as CSV."""
        query = {"fixture": fixture, "step": step, "quantity": quantity, "point": point, **asked}
        return self.send("GET", f"{API}/check-trends/table", params=query).text

    def yields(self, by: YieldBy = "week", **search: Any) -> YieldsOut:
        """First-pass and final yield by group, and what units fail of."""
        return self._get(YieldsOut, f"{API}/yields/{by}", **search)
