"""Trends as drawings, in SVG or PNG: over time, as a control chart, a histogram, or by group.

Readings that are only known to be over or under a value are arrows from it. In the worker alone.
"""

import datetime as dt
import io
import math
from collections.abc import Sequence
from typing import Any, Literal

import numpy as np

from loricate.core.measuring.readings import Bound
from loricate.core.quantities import Dimension, display
from loricate.core.trends.groups import natural
from loricate.core.trends.observations import Observation, unscaled
from loricate.core.trends.terms import Scale
from loricate.core.trends.trend import DAY_S, Trend
from loricate.papers.plots import COLOURS, LINES, dressed
from loricate.papers.wording import zone_of

SIZE_IN, DOTS = (9.0, 4.4), 144
ARROWS = {Bound.ABOVE: "^", Bound.BELOW: "v"}
FAILED = "fail"
MOST_GROUPS = 40


def draw_trend(
    trend: Trend,
    chart: Literal["time", "individuals", "histogram", "groups"],
    heading: str,
    dimension: Dimension,
    zone: str,
    form: Literal["svg", "png"],
    by: str = "",
) -> bytes:
    """A chart of a trend; times are those of a zone, values have their unit on the axis."""
    figure = dressed(SIZE_IN)
    if chart == "individuals":
        panel, below = figure.subplots(2, 1, sharex=True, height_ratios=(3, 1))
        _individuals(panel, below, trend, dimension)
    else:
        panel = figure.subplots(1, 1)
        if chart == "time":
            _over_time(panel, trend, dimension, zone)
        elif chart == "histogram":
            _histogram(panel, trend, dimension)
        else:
            _by_group(panel, trend, dimension, by)
    panel.set_title(heading, loc="left", color=COLOURS["ink"], parse_math=False)
    out = io.BytesIO()
    metadata = {"Date": None, "Creator": None} if form == "svg" else {"Software": None}
    figure.savefig(out, format=form, dpi=DOTS, metadata=metadata)
    return out.getvalue()


def _own(trend: Trend) -> list[Observation]:
    return [trend.observed[place] for place in trend.used]


def _over_time(panel: Any, trend: Trend, dimension: Dimension, zone: str) -> None:
    from matplotlib import dates

    own, there = _own(trend), zone_of(zone)
    times = [dt.datetime.fromisoformat(each.at).astimezone(there) for each in own]
    _points(panel, times, own)
    for name in ("minimum", "maximum"):
        limits = [getattr(each, name) for each in own]
        if any(each is not None for each in limits) and times:
            values = [math.nan if each is None else each for each in limits]
            panel.step(
                times, values, where="post", color=COLOURS["bad"], linestyle="--", linewidth=1
            )
            _name(panel, times[-1], values[-1], name)
    line = trend.forecast
    if line.is_drift and line.begins_at is not None and line.ends_at is not None:
        ends = [unscaled(each, trend.scale) for each in (line.begins_at, line.ends_at)]
        panel.plot([times[0], times[-1]], ends, color=LINES[1], linewidth=1.2)
        _ahead(panel, trend, times, ends[1])
    _value_axis(panel.yaxis, panel.set_yscale, trend, dimension)
    panel.set_xlabel(f"Tested ({zone})")
    locator = dates.AutoDateLocator(tz=there)  # type: ignore[no-untyped-call]
    panel.xaxis.set_major_locator(locator)
    named = dates.ConciseDateFormatter(locator, tz=there)  # type: ignore[no-untyped-call]
    panel.xaxis.set_major_formatter(named)


def _ahead(panel: Any, trend: Trend, times: Sequence[dt.datetime], end: float) -> None:
    """Where the line goes on to, if it meets the limit before as long again has passed."""
    told = trend.forecast
    limit = {"minimum": trend.minimum, "maximum": trend.maximum}.get(told.limit)
    span = times[-1] - times[0]
    if limit is None or told.meets is None or told.meets * DAY_S > 2 * span.total_seconds():
        return
    whens = [
        times[0] + dt.timedelta(days=each)
        for each in (told.meets, told.earliest, told.latest)
        if each is not None and each * DAY_S < 3 * span.total_seconds()
    ]
    panel.plot([times[-1], whens[0]], [end, limit], color=LINES[1], linewidth=1.2, linestyle=":")
    panel.plot(whens[1:], [limit] * len(whens[1:]), color=LINES[1], linewidth=4, alpha=0.6)


def _individuals(panel: Any, below: Any, trend: Trend, dimension: Dimension) -> None:
    own = _own(trend)
    places = list(range(1, len(own) + 1))
    _points(panel, places, own)
    _value_axis(panel.yaxis, panel.set_yscale, trend, dimension)
    below.set_xlabel("Reading")
    chart = trend.chart
    if chart is None:
        below.set_ylabel("range")
        return
    for value, words, style in (
        (chart.centre, "centre", "-"),
        (chart.upper, "upper", ":"),
        (chart.lower, "lower", ":"),
    ):
        at = unscaled(value, trend.scale)
        panel.axhline(at, color=LINES[0], linewidth=0.9, linestyle=style)
        _name(panel, places[-1], at, words, LINES[0])
    marked = sorted({place for each in chart.signals for place in range(each.first, each.last + 1)})
    panel.plot(
        [places[each] for each in marked],
        [own[each].value for each in marked],
        linestyle="none",
        marker="o",
        markersize=9,
        fillstyle="none",
        color=COLOURS["bad"],
    )
    below.plot(places[1:], chart.ranges, marker="o", markersize=2.5, linewidth=0.7, color=LINES[0])
    below.axhline(chart.mean_range, color=LINES[0], linewidth=0.9)
    below.axhline(chart.most_range, color=LINES[0], linewidth=0.9, linestyle=":")
    below.set_ylim(bottom=0)
    if trend.scale is Scale.DECADES:
        below.set_ylabel("range (decades)")
    else:
        below.set_ylabel("range")
        below.yaxis.set_major_formatter(lambda value, _: display(float(value), dimension, 3))


def _histogram(panel: Any, trend: Trend, dimension: Dimension) -> None:
    bins = trend.histogram
    edges = [unscaled(each, trend.scale) for each in bins.edges]
    if len(bins.counts) == 1:
        panel.plot([edges[0]], [bins.counts[0]], marker="s", color=LINES[0])
    elif bins.counts:
        widths = np.diff(edges)
        panel.bar(
            edges[:-1],
            bins.counts,
            width=widths,
            align="edge",
            color=LINES[0],
            edgecolor="white",
            linewidth=0.6,
        )
    for limit, words in ((trend.minimum, "minimum"), (trend.maximum, "maximum")):
        if limit is not None and not (trend.scale is Scale.DECADES and limit <= 0):
            panel.axvline(limit, color=COLOURS["bad"], linestyle="--", linewidth=1)
            panel.annotate(
                words,
                (limit, 1.0),
                xycoords=("data", "axes fraction"),
                xytext=(3, -10),
                textcoords="offset points",
                color=COLOURS["bad"],
            )
    told = [
        f"{count} {words}"
        for count, words in (
            (bins.below, "under the floor"),
            (bins.above, "over the range"),
        )
        if count
    ]
    if told:
        panel.annotate(
            f"without a place: {', '.join(told)}",
            (0.99, 0.97),
            xycoords="axes fraction",
            horizontalalignment="right",
            verticalalignment="top",
            color=COLOURS["soft"],
        )
    _value_axis(panel.xaxis, panel.set_xscale, trend, dimension)
    panel.set_ylabel("readings")


def _by_group(panel: Any, trend: Trend, dimension: Dimension, by: str) -> None:
    own = _own(trend)
    names = sorted({each.group(by) for each in own}, key=natural)[:MOST_GROUPS]
    out = {each.name for each in trend.groups if each.stands_out}
    for column, name in enumerate(names):
        mine = [each for each in own if each.group(by) == name]
        # Side by side within the column, in the order of time.
        places = [column - 0.3 + 0.6 * (k + 0.5) / len(mine) for k in range(len(mine))]
        _points(panel, places, mine)
    for group in trend.groups:
        if group.name in names:
            at = group.median.low if group.median.low is not None else group.median.high
            if at is not None:
                column = names.index(group.name)
                panel.plot([column - 0.35, column + 0.35], [at, at], color=COLOURS["ink"])
    panel.set_xticks(
        range(len(names)),
        [f"{name or 'none'}{' (!)' if name in out else ''}" for name in names],
    )
    panel.set_xlabel(f"{by}; (!) stands out" if out else by)
    _value_axis(panel.yaxis, panel.set_yscale, trend, dimension)


def _points(panel: Any, x: Sequence[Any], own: Sequence[Observation]) -> None:
    """Readings as points; those that are only known to be over or under a value as arrows."""
    for bound, shape in ((Bound.EXACT, "o"), *ARROWS.items()):
        for is_failed, colour in ((False, LINES[0]), (True, COLOURS["bad"])):
            marker = "X" if is_failed and bound is Bound.EXACT else shape
            places = [
                place
                for place, each in enumerate(own)
                if each.bound is bound and (each.verdict == FAILED) == is_failed
            ]
            panel.plot(
                [x[place] for place in places],
                [own[place].value for place in places],
                linestyle="none",
                marker=marker,
                markersize=3.5 if marker == "o" else 6,
                color=colour,
            )


def _value_axis(axis: Any, set_scale: Any, trend: Trend, dimension: Dimension) -> None:
    if trend.scale is Scale.DECADES:
        set_scale("log")
        axis.set_minor_formatter(lambda *_: "")
    axis.set_major_formatter(lambda value, _: display(float(value), dimension, 3))
    axis.grid(True, color="#e3e9e9", linewidth=0.5)
    axis.axes.spines[["top", "right"]].set_visible(False)


def _name(panel: Any, x: Any, y: float, words: str, colour: str = COLOURS["bad"]) -> None:
    if math.isfinite(y):
        panel.annotate(
            words,
            (1.0, y),
            xycoords=("axes fraction", "data"),
            xytext=(-2, 2),
            textcoords="offset points",
            horizontalalignment="right",
            color=colour,
        )
