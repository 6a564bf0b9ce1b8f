"""Curves as vector drawings: axes with quantity and unit, limits, marks. In the worker alone.

The library that draws is slow to come; whoever draws no curve never loads it.
"""

import io
import itertools
import math
from collections.abc import Mapping, Sequence
from functools import lru_cache
from statistics import median
from typing import Any

from loricate.core.quantities import DIMENSIONS, Dimension
from loricate.core.windings.ladder import line_through
from loricate.papers.typesetting import showable
from loricate.papers.wording import PaperWords

WIDTH_IN, TEXT_PT = 6.4, 7.0
ALONE_IN, AMONG_IN = 2.1, 1.35  # how high a panel is, by itself and among others
COLOURS = {"ink": "#1c2426", "soft": "#56646a", "rule": "#b7c2c2", "bad": "#a3321f"}
LINES = ("#1f5f7a", "#8a5a00", "#5a3f7d", "#1f6b4f")
RESISTANCES = ("resistance", "corrected_resistance")
DYING = 10.0  # times its median that the greatest value of what dies away is, at least
PREFIXES = {-12: "p", -9: "n", -6: "µ", -3: "m", 0: "", 3: "k", 6: "M", 9: "G", 12: "T"}


def plot_curve(
    curve: Mapping[str, Any], limits: Sequence[Mapping[str, Any]], words: PaperWords
) -> bytes:
    """A curve of a certificate's document in SVG: a panel a column, one below another.

    ``limits`` are those of the readings of its step: ``quantity``, ``minimum``, ``maximum``, and
    ``caution_below`` and ``caution_above`` where a band is between.
    """
    columns = _with_resistance(curve, limits)
    height_in = AMONG_IN * len(columns) if len(columns) > 1 else ALONE_IN
    figure = dressed((WIDTH_IN, height_in))
    panels = figure.subplots(max(1, len(columns)), 1, sharex=True, squeeze=False)[:, 0]
    x_scale, x_unit = _scale(curve["x"])
    x = [math.nan if each is None else each * x_scale for each in curve["x"]["values"]]
    for index, (panel, column) in enumerate(zip(panels, columns, strict=False)):
        own = [each for each in limits if each["quantity"] == column["name"]]
        _draw(
            panel, x, column, own, LINES[index % len(LINES)], curve.get("drawn") == "points", words
        )
        _in_language(panel.yaxis, words)
        for mark in curve["marks"]:
            panel.axvline(mark["x"] * x_scale, color=COLOURS["rule"], linewidth=0.6)
    if curve.get("drawn") == "points":
        for panel in panels:
            panel.set_xlim(left=0)
    for mark in curve["marks"]:
        _say(
            panels[0],
            words.of("mark", mark["text"]),
            (mark["x"] * x_scale, 0.86),
            ("data", "axes fraction"),
        )
    panels[-1].set_xlabel(
        _axis(words.term("quantity", curve["x"]["name"]), x_unit), parse_math=False
    )
    _in_language(panels[-1].xaxis, words)
    out = io.BytesIO()
    figure.savefig(out, format="svg", metadata={"Date": None, "Creator": None})
    return out.getvalue()


def dressed(size_in: tuple[float, float]) -> Any:
    """An empty figure in the house's ink."""
    import matplotlib
    from matplotlib.figure import Figure

    matplotlib.rcParams.update(
        {
            "svg.fonttype": "none",  # words stay words
            "svg.hashsalt": "loricate",
            "font.family": "DejaVu Sans",
            "font.size": TEXT_PT,
            "axes.edgecolor": COLOURS["rule"],
            "axes.labelcolor": COLOURS["ink"],
            "xtick.color": COLOURS["soft"],
            "ytick.color": COLOURS["soft"],
        }
    )
    return Figure(figsize=size_in, layout="constrained")


def curve_words(curve: Mapping[str, Any], words: PaperWords) -> str:
    """What a curve shows, for who cannot see it: its axes, and the ends of each column."""
    parts = []
    for column in curve["columns"]:
        values = [each for each in column["values"] if each is not None]
        if values:
            scale, unit = _scale(column)
            low, high = min(values) * scale, max(values) * scale
            told = {"low": words.figure(f"{low:.4g}"), "high": words.figure(f"{high:.4g}")}
            name = showable(words.term("quantity", column["name"]))
            parts.append(words.say("curve-from", name=name, unit=unit, **told).strip())
    if not parts:
        parts.append(words.say("curve-empty"))
    if curve["marks"]:
        marks = ", ".join(words.of("mark", mark["text"]) for mark in curve["marks"])
        parts.append(words.say("curve-marks", marks=marks))
    axis = showable(words.term("quantity", curve["x"]["name"]))
    told = {"axis": axis, "parts": "; ".join(parts)}
    if curve["point"]:
        return words.say("curve-of", **told, point=words.point(curve["point"]))
    return words.say("curve", **told)


def _in_language(axis: Any, words: PaperWords) -> None:
    """Figures along an axis with the decimal sign of the language."""
    from matplotlib.ticker import ScalarFormatter

    class Said(ScalarFormatter):
        def __call__(self, x: float, pos: int | None = None) -> str:
            return words.figure(super().__call__(x, pos))

    if words.language != "en" and isinstance(axis.get_major_formatter(), ScalarFormatter):
        axis.set_major_formatter(Said())


def _draw(
    panel: Any,
    x: Sequence[float],
    column: Mapping[str, Any],
    limits: Sequence[Mapping[str, Any]],
    colour: str,
    as_points: bool,
    words: PaperWords,
) -> None:
    scale, unit = _scale(column)
    values = [math.nan if each is None else each * scale for each in column["values"]]
    if as_points:
        panel.plot(x, values, linestyle="none", marker="o", markersize=3.5, color=colour)
        _through(panel, x, values)
    else:
        panel.plot(x, values, linewidth=0.9, color=colour)
    if _dies_away(column):
        panel.set_yscale("log")
    panel.set_title(
        _axis(words.term("quantity", column["name"]), unit),
        loc="left",
        fontsize=TEXT_PT,
        color=COLOURS["ink"],
        pad=3,
        parse_math=False,
    )
    panel.grid(True, color="#e3e9e9", linewidth=0.5)
    panel.spines[["top", "right"]].set_visible(False)
    for limit in limits:
        for side, sign in (("minimum", "≥"), ("maximum", "≤")):
            if limit.get(side) is not None:
                at = limit[side] * scale
                panel.axhline(at, color=COLOURS["bad"], linewidth=0.9, linestyle="--")
                place = (1.0, at)  # the panel's name is on the left
                _say(
                    panel,
                    words.figure(f"{sign} {at:.6g} {unit}"),
                    place,
                    ("axes fraction", "data"),
                    "right",
                )
        _band(panel, limit, scale)


def _dies_away(column: Mapping[str, Any]) -> bool:
    """Whether most of a curve would be a flat line beside its beginning in a straight scale."""
    values = [abs(each) for each in column["values"] if each]
    is_dying = column["name"] in ("current", "resistance")
    return is_dying and len(values) > 1 and max(values) > DYING * median(values)


def _through(panel: Any, x: Sequence[float], y: Sequence[float]) -> None:
    """The straight line through points, by least squares."""
    line = line_through(x, y)
    if line is not None:
        ends = (0.0, max(x))
        panel.plot(ends, [line.at(end) for end in ends], linewidth=0.7, color=COLOURS["soft"])


def _with_resistance(
    curve: Mapping[str, Any], limits: Sequence[Mapping[str, Any]]
) -> list[Mapping[str, Any]]:
    """The columns, and the resistance of volts over amperes where the step judges one."""
    columns = {each["name"]: each for each in curve["columns"]}
    is_asked = any(each["quantity"] in RESISTANCES for each in limits)
    if not is_asked or not {"voltage", "current"} <= columns.keys() or "resistance" in columns:
        return list(columns.values())
    pairs = zip(columns["voltage"]["values"], columns["current"]["values"], strict=True)
    ohms = [v / i if v is not None and i else None for v, i in pairs]
    resistance = {"name": "resistance", "dimension": "resistance", "values": ohms}
    return [*columns.values(), resistance]


def _say(
    panel: Any,
    text: str,
    place: tuple[float, float],
    coordinates: tuple[str, str],
    side: str = "left",
) -> None:
    """Write a word beside a place of a panel; the panel gives way to none of it."""
    note = panel.annotate(
        _fitting(showable(text), WIDTH_IN / 2),
        place,
        xycoords=coordinates,
        xytext=(2 if side == "left" else -2, 2),
        horizontalalignment=side,
        textcoords="offset points",
        color=COLOURS["soft"],
        fontsize=TEXT_PT - 1,
        parse_math=False,
    )
    note.set_in_layout(False)


def _band(panel: Any, limit: Mapping[str, Any], scale: float) -> None:
    """The band of caution between a limit and what is good."""
    for edge, caution in (("minimum", "caution_below"), ("maximum", "caution_above")):
        if limit.get(edge) is not None and limit.get(caution) is not None:
            low, high = sorted((limit[edge] * scale, limit[caution] * scale))
            panel.axhspan(low, high, color="#8a5a00", alpha=0.12, linewidth=0)


def _scale(column: Mapping[str, Any]) -> tuple[float, str]:
    """What to multiply a column with, and the unit that it is then in."""
    dimension = DIMENSIONS.get(column["dimension"])
    if dimension is None:
        return 1.0, ""
    most = max((abs(each) for each in column["values"] if each is not None), default=0.0)
    exponent = _exponent(most, dimension)
    return dimension.shown_times * 10.0**-exponent, f"{PREFIXES[exponent]}{dimension.unit}"


def _exponent(most: float, dimension: Dimension) -> int:
    if most <= 0 or not dimension.prefixes:
        return 0
    wanted = 3 * math.floor(math.log10(most) / 3)
    known = [
        power for power, prefix in PREFIXES.items() if not prefix or prefix in dimension.prefixes
    ]
    return min(known, key=lambda power: (abs(power - wanted), power))


def _axis(name: str, unit: str) -> str:
    """An axis's quantity and unit, no wider than the drawing; the alternative text has it all."""
    told = f" ({unit})" if unit else ""
    return _fitting(showable(name), 0.8 * WIDTH_IN - _length_in(told)) + told


def _fitting(text: str, most_in: float) -> str:
    """A text, or as much of it as is not longer than that: whoever names a column knows no page."""
    if _length_in(text) <= most_in:
        return text
    kept = itertools.accumulate(map(_width_in, text), initial=_width_in("…"))
    return text[: max(0, sum(length <= most_in for length in kept) - 1)] + "…"


def _length_in(text: str) -> float:
    return sum(map(_width_in, text))


@lru_cache(maxsize=4096)
def _width_in(sign: str) -> float:
    from matplotlib.font_manager import FontProperties
    from matplotlib.textpath import text_to_path

    font = FontProperties(family="DejaVu Sans", size=TEXT_PT)
    points, _, _ = text_to_path.get_text_width_height_descent(sign, font, ismath=False)
    return float(points) / 72
