"""What a paper shows of a step, in words: its rows, its points, and what came before them."""

from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any

from loricate.core.measuring.headlines import Judged, headlines, kind_of
from loricate.core.quantities import DIMENSIONS, NUMBER, display
from loricate.papers.plots import curve_words
from loricate.papers.wording import PaperWords, begun, tint_of

FEWEST_POINTS = 3  # that are a table of points; fewer are rows like others
FEW_POINTS = 4  # whose values before a correction are told
MOST_COLUMNS = 5  # of a table of points
FEWEST_WIDE, MOST_WIDE = 2, 12  # circumstances beside one another in a grid
PLAIN = "normal"  # circumstances that a point's name does not say


def step_words(step: dict[str, Any], names: Mapping[int, str], words: PaperWords) -> dict[str, Any]:
    """All that is shown of a step: rows, or its many points, with curves and what came before.

    ``names`` are the files of its curves, by the curve's id.
    """
    words = told_of(step, words)
    rows = [reading for reading in step["readings"] if _is_row(reading)]
    table = None if step["repetitions"] else points_table(rows, words)
    stated = [words.conditions(step["conditions"]), *_times(step, words)]
    history = [words.sentence(step["note"]), *_history(step, table is not None, words)]
    told = (", ".join(filter(None, stated)), " ".join(filter(None, history)))
    shown = {
        "title": step["title"] + words.cause_after(step["cause"]),
        "verdict": words.verdict(step["verdict"]),
        "tint": tint_of(step["verdict"]),
        "told": ". ".join(filter(None, told)),
        "curves": [
            {"file": names[id(curve)], "alt": curve_words(curve, words)}
            for curve in step["curves"]
            if not is_table(curve)
        ],
        "tables": [curve_table(curve, words) for curve in step["curves"] if is_table(curve)],
    }
    if table is not None:
        shown["headlines"] = list(_headlines(rows, words))
        shown["points"] = table
        shown["grids"] = point_grids(rows, words)
        rows = [reading for reading in rows if not reading["point"]]
    return {**shown, "rows": list(_rows(step, rows, words))}


def told_of(step: Mapping[str, Any], words: PaperWords) -> PaperWords:
    """The words for a step: what its points are called depends on its kind."""
    return replace(words, kind=step["kind"])


def is_table(curve: Mapping[str, Any]) -> bool:
    """Whether a curve is shown in figures."""
    return bool(curve.get("drawn") == "table")


def curve_table(curve: Mapping[str, Any], words: PaperWords) -> dict[str, Any]:
    """A curve in figures: a row for each place of its x axis."""
    columns = [curve["x"], *curve["columns"]]
    dimensions = [DIMENSIONS[each["dimension"]] for each in columns]
    return {
        "heads": [begun(words.term("quantity", each["name"])) for each in columns],
        "rows": [
            [
                "–" if value is None else words.figure(display(value, dimension))
                for value, dimension in zip(row, dimensions, strict=True)
            ]
            for row in zip(*(each["values"] for each in columns), strict=True)
        ],
    }


def points_table(readings: list[dict[str, Any]], words: PaperWords) -> dict[str, Any] | None:
    """The readings of a step's points as a table: a row a point, a column a quantity.

    None where there are too few points for one, or more quantities than a page is wide.
    """
    at_points = [reading for reading in readings if reading["point"]]
    points = list(dict.fromkeys(reading["point"] for reading in at_points))
    quantities = list(dict.fromkeys(reading["quantity"] for reading in at_points))
    by_place = {(each["point"], each["quantity"]): each for each in at_points}
    is_one_each = len(by_place) == len(at_points)  # else one would hide another
    if len(points) < FEWEST_POINTS or not is_one_each or not 0 < len(quantities) <= MOST_COLUMNS:
        return None
    heads, limits, own_limits = [], [], set()
    for quantity in quantities:
        column = [each for each in at_points if each["quantity"] == quantity]
        texts = {each.get("limit", {}).get("text", "") for each in column}
        shared = texts.pop() if len(texts) == 1 else ""
        heads.append(
            words.term("quantity", quantity) + (f", {words.figure(shared)}" if shared else "")
        )
        if len(column) and not shared and texts:
            own_limits.add(quantity)
        sources = dict.fromkeys(
            each["limit"]["source"] for each in column if each.get("limit", {}).get("source")
        )
        if sources:
            cited = words.listed([words.of("source", each) for each in sources])
            limits.append(f"{begun(words.term('quantity', quantity))}: {cited}.")
    rows = []
    for point in points:
        own = [by_place[point, name] for name in quantities if (point, name) in by_place]
        verdict = _worst(own)
        rows.append(
            {
                "name": words.point(point),
                "cells": [
                    _cell(by_place.get((point, name)), name in own_limits, words)
                    for name in quantities
                ],
                "verdict": words.verdict(verdict) if verdict else "",
                "tint": tint_of(verdict) if verdict else "plain",
            }
        )
    edges = {"first": words.say("head-point"), "last": words.say("head-verdict")}
    return {**edges, "heads": heads, "rows": rows, "limits": limits}


def point_grids(readings: list[dict[str, Any]], words: PaperWords) -> list[dict[str, Any]]:
    """Points as places by the circumstances that they were measured under, a grid a quantity.

    For points whose names part a place from circumstances by a comma; none where few do, or each
    place has circumstances of its own. What a page is too narrow for is in one more grid below.
    """
    at_points = [reading for reading in readings if reading["point"]]
    if sum(", " in each["point"] for each in at_points) * 2 < len(at_points):
        return []
    by_quantity: dict[str, dict[str, dict[str, dict[str, Any]]]] = {}
    for each in at_points:
        place, _, circumstances = each["point"].partition(", ")
        own = by_quantity.setdefault(each["quantity"], {})
        own.setdefault(circumstances or PLAIN, {})[place] = each
    if all(len(own) < FEWEST_WIDE for own in by_quantity.values()):
        return []
    grids = []
    for quantity, own in by_quantity.items():
        columns = list(own.items())
        for at in range(0, len(columns), MOST_WIDE):
            grids.append(_grid(quantity, columns[at : at + MOST_WIDE], words))
    return grids


def _grid(
    quantity: str, columns: list[tuple[str, dict[str, dict[str, Any]]]], words: PaperWords
) -> dict[str, Any]:
    shared = [_shared_limit(list(by_place.values())) for _, by_place in columns]
    places = dict.fromkeys(place for _, by_place in columns for place in by_place)
    return {
        "first": begun(words.term("quantity", quantity)),
        "heads": [
            {"text": words.point(circumstances), "limit": words.figure(limit)}
            for (circumstances, _), limit in zip(columns, shared, strict=True)
        ],
        "rows": [
            {
                "name": words.point(place),
                "cells": [
                    _grid_cell(by_place.get(place), not limit, words)
                    for (_, by_place), limit in zip(columns, shared, strict=True)
                ],
            }
            for place in places
        ],
    }


def _shared_limit(readings: list[dict[str, Any]]) -> str:
    texts = {each.get("limit", {}).get("text", "") for each in readings}
    return texts.pop() if len(texts) == 1 else ""


def _grid_cell(
    reading: dict[str, Any] | None, with_limit: bool, words: PaperWords
) -> dict[str, str]:
    if reading is None:
        return {"text": "–", "below": "", "limit": "", "verdict": "", "tint": "plain"}
    is_plain = reading["verdict"] in ("", "pass")
    spread = _spread(reading, words)
    return {
        "text": _measured(reading, words),
        "below": f"± {spread}" if spread else "",
        "limit": words.figure(reading.get("limit", {}).get("text", "")) if with_limit else "",
        "verdict": "" if is_plain else words.verdict(reading["verdict"]),
        "tint": "plain" if is_plain else tint_of(reading["verdict"]),
    }


def _headlines(readings: list[dict[str, Any]], words: PaperWords) -> Iterator[dict[str, Any]]:
    """Of many points, for each kind of limit the reading that tells most."""
    judged = [
        Judged(
            reading["point"],
            kind_of(reading["quantity"], limit.get("applies", ""), limit["text"]),
            reading["verdict"],
            reading["margin"],
        )
        if (limit := reading.get("limit")) and reading["verdict"]
        else None
        for reading in readings
    ]
    for found in headlines(judged):
        reading = readings[found.place]
        limit = reading["limit"]
        named = limit.get("applies", "") or (
            f"{words.term('quantity', reading['quantity'])} {words.figure(limit['text'])}"
        )
        point = words.point(reading["point"])
        if found.count > 1:
            point = words.say("of-count", point=point, count=found.count)
        yield {**_row(reading, words), "name": f"{begun(named)} ({point})"}


def _worst(readings: list[dict[str, Any]]) -> str:
    verdicts = {reading["verdict"] for reading in readings}
    return next(
        (each for each in ("fail", "inconclusive", "not_run", "pass") if each in verdicts), ""
    )


def _cell(reading: dict[str, Any] | None, with_limit: bool, words: PaperWords) -> dict[str, str]:
    if reading is None:
        return {"text": "–", "tint": "plain"}
    limit = words.figure(reading.get("limit", {}).get("text", ""))
    spread = _spread(reading, words)
    text = _measured(reading, words) + (f" ± {spread}" if spread else "")
    tint = "plain" if reading["verdict"] in ("", "pass") else tint_of(reading["verdict"])
    return {"text": f"{text} ({limit})" if with_limit and limit else text, "tint": tint}


def _rows(
    step: dict[str, Any], readings: list[dict[str, Any]], words: PaperWords
) -> Iterator[dict[str, Any]]:
    """The rows of a step: its readings, under each repetition where it has several."""
    if not step["repetitions"]:
        yield from (_row(reading, words) for reading in readings)
        return
    for repetition in step["repetitions"]:
        number = repetition["repetition"]
        yield {
            "heading": True,
            "name": words.say("repetition", number=number) + words.cause_after(repetition["cause"]),
            "verdict": words.verdict(repetition["verdict"]),
            "tint": tint_of(repetition["verdict"]),
        }
        own = (each for each in readings if each["repetition"] == number)
        yield from (_row(reading, words) for reading in own)


def _row(reading: dict[str, Any], words: PaperWords) -> dict[str, Any]:
    limit = reading.get("limit", {"text": "", "source": ""})
    word = words.verdict(reading["verdict"]) if reading["verdict"] else ""
    if reading["guarded"].startswith("conditional"):
        word = words.term("outcome", reading["guarded"])
    return {
        "heading": False,
        "name": ", ".join(text for text in (words.reading(reading), reading["instrument"]) if text),
        "measured": _measured(reading, words),
        "uncertainty": _spread(reading, words),
        "limit": words.figure(limit["text"]),
        "source": words.of("source", limit["source"]),
        "verdict": word,
        "tint": tint_of(reading["verdict"]) if reading["verdict"] else "plain",
    }


def _measured(reading: dict[str, Any], words: PaperWords) -> str:
    """A value; that it is no number in words."""
    text = str(reading["text"])
    return words.sentence(text) if reading["value"] is None else words.figure(text)


def _is_row(reading: dict[str, Any]) -> bool:
    """Whether a reading has a row: a time that nothing limits is told with the conditions."""
    return reading["quantity"] != "time_at_level" or "limit" in reading


def _times(step: dict[str, Any], words: PaperWords) -> Iterator[str]:
    """How long the level stood, as measured, where no limit makes it a row."""
    texts = [words.figure(each["text"]) for each in step["readings"] if not _is_row(each)]
    if texts:
        yield words.say("at-level-as-measured", times=", ".join(texts))


def _history(step: dict[str, Any], is_table: bool, words: PaperWords) -> Iterator[str]:
    """What came before the readings shown: values before a correction, earlier attempts and why."""
    yield from _corrections(step, is_table, words)
    if left := step.get("left_out"):  # former papers say none
        what = " ".join(begun(words.left_out(each)) for each in left)
        yield words.say("left-out", what=what)
    for fault in step["faults"]:
        if fault["text"]:
            yield words.fault(fault)
    for reading in step["readings"]:
        if reading["ungraded"]:
            why = words.sentence(reading["ungraded"])
            yield words.say("said-not-judged", reading=begun(words.reading(reading)), why=why)
    for attempt in step["earlier"]:
        outcome, cause = words.term("outcome", attempt["verdict"]), attempt["cause"]
        told = {
            "number": attempt["attempt"],
            "outcome": outcome,
            "cause": words.term("cause", cause),
        }
        yield words.say("earlier-cause" if cause else "earlier", **told)
    if step["reason"]:
        reason = words.sentence(step["reason"])
        yield words.say("shown-attempt", number=step["attempt"], reason=reason)


def _corrections(step: dict[str, Any], is_table: bool, words: PaperWords) -> Iterator[str]:
    """What readings were corrected for, each reason once, with the values before where there is
    room: those of a table of many points are in the attached data."""
    found: dict[tuple[str, str], dict[str, list[str]]] = {}
    for reading in step["readings"]:
        reasons = [each["reason"] for each in reading["corrections"]]
        if not reasons:
            continue
        # Former papers say none.
        said = [words.of("why", each) for each in dict.fromkeys(reasons) if each]
        place = reading["quantity"], words.listed(said) if said else ""
        before = words.figure(reading["corrections"][0]["text"])
        found.setdefault(place, {}).setdefault(words.point(reading["point"]), []).append(before)
    by_reason: dict[str, list[str]] = {}
    for (quantity, why), points in found.items():
        name = words.term("quantity", quantity)
        before = "; ".join(f"{point} {', '.join(texts)}".strip() for point, texts in points.items())
        is_long = is_table and len(points) > FEW_POINTS
        told = name if is_long else words.say("was", name=name, before=before)
        by_reason.setdefault(why, []).append(told)
    for why, names in by_reason.items():
        text = f"corrected{'-one' if len(names) == 1 else ''}{'-for' if why else ''}"
        yield words.say(text, names=begun(words.listed(names)), why=why)


def limits_of(step: dict[str, Any], point: str) -> list[dict[str, Any]]:
    """The limits that a curve of a point is held against, each once; of no point: every one."""
    found: list[dict[str, Any]] = []
    for reading in step["readings"]:
        if reading.get("limit") and point in ("", reading["point"]):
            limit = {"quantity": reading["quantity"], **reading["limit"]}
            if limit not in found:
                found.append(limit)
    return found


def _spread(reading: dict[str, Any], words: PaperWords) -> str:
    if not reading["uncertainty"] or not reading["value"] or reading["bound"] != "exact":
        return ""
    if reading["uncertainty"] > abs(reading["value"]):  # of next to nothing a share says nothing
        dimension = next((d for d in DIMENSIONS.values() if d.unit == reading["unit"]), NUMBER)
        return words.figure(display(reading["uncertainty"], dimension, 2))
    percent = 100 * reading["uncertainty"] / abs(reading["value"])
    return words.figure(f"{float(f'{percent:.2g}'):g} %")  # two digits, never with an exponent
