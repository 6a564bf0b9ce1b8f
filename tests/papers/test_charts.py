"""Charts of trends as drawings, and tables as a spreadsheet takes them."""

import csv
import io
import math
import re
from collections import Counter
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from loricate.core.quantities import CURRENT, RESISTANCE
from loricate.core.trends.trend import Trend, trend_of
from loricate.papers.charts import draw_trend
from loricate.papers.tables import FORMULA, MARK, csv_text
from tests.core.trends.made import observed, scattered

CHARTS = ("time", "individuals", "histogram", "groups")
ZONE = "Europe/Vienna"


def drifting() -> Trend:
    """Resistances that fall over weeks, the first over the range, the last failing, one none."""
    values: list[float | tuple[str, float]] = [
        10 ** (9.5 - 0.02 * place + 0.1 * (each - 10)) for place, each in enumerate(scattered(60))
    ]
    own = observed([("above", 4e9), *values, math.nan], 3e8, hours=12)
    own = [
        replace(
            each,
            groups=(("nest", f"FX-B/{1 + place % 3}"),),
            verdict="fail" if place > 55 else "pass",
        )
        for place, each in enumerate(own)
    ]
    return trend_of(own, RESISTANCE, by="nest")


def svg(trend: Trend, chart: str) -> str:
    drawn = draw_trend(trend, chart, "Insulation: $x$ <b>", RESISTANCE, ZONE, "svg", "nest")  # type: ignore[arg-type]
    return drawn.decode()


@pytest.mark.parametrize("chart", CHARTS)
def test_a_chart_has_its_axes_with_units_and_its_heading(chart: str) -> None:
    drawn = svg(drifting(), chart)
    assert re.search(r"Ω</text>", drawn), "values have their unit"
    assert "Insulation: $x$ &lt;b&gt;" in drawn, "a heading is text, and no formula"
    named = {
        "time": ["Tested (Europe/Vienna)", "minimum"],
        "individuals": ["upper", "centre", "lower", "range (decades)"],
        "histogram": ["readings", "minimum", "without a place: 1 over the range"],
        "groups": ["FX-B/1", "nest"],
    }
    for words in named[chart]:
        assert words in drawn, words


def test_a_bound_is_an_arrow_and_a_failure_no_dot() -> None:
    """Each look has a mark of its own: as many are drawn as there are readings of it."""
    drawn = svg(drifting(), "time")
    drawn_times = Counter(re.findall(r'<use xlink:href="#(m\w+)"', drawn))
    assert {55, 5, 1} <= set(drawn_times.values()), "numbers, failures, one over the range"


@pytest.mark.parametrize("chart", CHARTS)
@pytest.mark.parametrize("values", [[], [1e6], [1e6] * 12, [("above", 1e9)] * 9, [math.nan]])
def test_whatever_there_is_is_drawn(chart: str, values: list[float | tuple[str, float]]) -> None:
    own = trend_of(observed(values, 1e5), RESISTANCE, by="nest")
    assert svg(own, chart).rstrip().endswith("</svg>")


def test_a_picture_is_one_that_can_be_put_on_a_page() -> None:
    drawn = draw_trend(drifting(), "individuals", "Insulation", RESISTANCE, ZONE, "png")
    with Image.open(io.BytesIO(drawn)) as picture:
        assert picture.format == "PNG" and picture.size[0] > 1200
    straight = trend_of(observed(scattered(20), 9.0, 11.0), CURRENT)
    assert b"\x89PNG" in draw_trend(straight, "individuals", "x", CURRENT, "UTC", "png")


CELLS = st.one_of(
    st.text(max_size=12), st.floats(allow_nan=False, allow_infinity=False), st.integers(), st.none()
)


@given(st.lists(st.lists(CELLS, min_size=2, max_size=2), max_size=6), st.booleans(), st.booleans())
def test_a_spreadsheet_reads_what_was_written_and_runs_none_of_it(
    rows: list[list[str | float | int | None]], with_mark: bool, decimal_comma: bool
) -> None:
    text = csv_text(["one", "=two"], rows, with_mark, decimal_comma)
    assert text.startswith(MARK) == with_mark
    read = list(
        csv.reader(
            io.StringIO(text.removeprefix(MARK), newline=""),
            delimiter=";" if decimal_comma else ",",
        )
    )
    assert read[0] == ["one", "'=two"]
    for cells, wanted in zip(read[1:], rows, strict=True):
        for cell, value in zip(cells, wanted, strict=True):
            if isinstance(value, str):
                assert cell in (value, f"'{value}") and not cell.startswith(FORMULA)
            elif value is None:
                assert cell == ""
            else:
                assert float(cell.replace(",", ".") if decimal_comma else cell) == value
