"""Asking every place where records stand, and putting together what each answers.

Units of different benches stay different units, whatever their serials; what is called alike at two
benches and is not the same thing, such as a nest, is told with its bench.
"""

import datetime as dt
from collections import Counter, defaultdict
from collections.abc import Iterable
from dataclasses import replace
from functools import partial

from loricate.core.measuring.grading import Verdict
from loricate.core.planning.lots import Tally
from loricate.core.searching import Span, UnitSearch
from loricate.core.trends.observations import Observation
from loricate.core.trends.terms import MOST_READINGS
from loricate.records import searching, trends, yields
from loricate.records.searching import Row
from loricate.records.trends import Found, MeasurandFound, Wanted, Which
from loricate.records.yields import (
    MOST_CAUSES,
    MOST_GROUPS,
    TIMES,
    By,
    CauseCount,
    Yields,
)
from loricate.service.places import Place, Places

OF_A_BENCH = ("fixture", "nest", "instrument", "operator")


def named(name: str, place: Place) -> str:
    """The name of something that a bench has for itself; with that bench where it is another."""
    return f"{name} ({place.bench})" if place.bench and name else name


async def find_units(
    places: Places, search: UnitSearch, span: Span, count: int, before: str = ""
) -> list[Row]:
    """The units in runs that a search finds anywhere, the newest first; those after a cursor."""
    found = await places.each(lambda conn: searching.find_units(conn, search, span, count, before))
    rows = [{**row, "from_bench": place.bench} for place, own in found for row in own]
    rows.sort(key=lambda row: (row["begun_at"], row["id"]), reverse=True)
    return rows[:count]


async def count_units(places: Places, search: UnitSearch, span: Span) -> dict[Verdict, int]:
    """How many units in runs a search finds, by verdict."""
    counted: Counter[Verdict] = Counter()
    for _, own in await places.each(lambda conn: searching.count_units(conn, search, span)):
        counted.update(own)
    return {verdict: counted[verdict] for verdict in Verdict}


async def known_names(places: Places) -> dict[str, list[str]]:
    """What there is to pick from in a search."""
    names: dict[str, list[str]] = {}
    for _, own in await places.each(searching.known_names):
        for sort, found in own.items():
            names[sort] = list(dict.fromkeys([*names.get(sort, ()), *found]))
    return names


async def find_readings(
    places: Places,
    search: UnitSearch,
    span: Span,
    wanted: Wanted,
    which: Which = Which.LAST,
    count: int = MOST_READINGS,
) -> Found:
    """The newest ``count`` readings of a measurand, of the units in runs that a search finds."""
    found = await places.each(
        lambda conn: trends.find_readings(conn, search, span, wanted, which, count)
    )
    found = [(place, own) for place, own in found if own.observed]
    if len(found) < 2 and not (found and found[0][0].bench):
        return found[0][1] if found else Found("", "", (), {}, is_cut=False)
    newest = max((own for _, own in found), key=lambda own: own.observed[-1].at)
    observed = [
        _told(each, place)
        for place, own in found
        if own.dimension == newest.dimension
        for each in own.observed
    ]
    observed.sort(key=lambda each: each.at)
    others = sum(len(own.observed) for _, own in found) - len(observed)
    return Found(
        newest.dimension,
        newest.title,
        tuple(observed[-count:]),
        {name: run for _, own in found for name, run in own.runs.items()},
        len(observed) > count or any(own.is_cut for _, own in found),
        others + sum(own.others for _, own in found),
    )


def _told(observed: Observation, place: Place) -> Observation:
    if not place.bench:
        return observed
    groups = tuple(
        (sort, named(name, place) if sort in OF_A_BENCH else name) for sort, name in observed.groups
    )
    return replace(observed, groups=groups)


async def list_measurands(places: Places, search: UnitSearch, span: Span) -> list[MeasurandFound]:
    """What the newest units in runs that a search finds have readings of."""
    merged: dict[tuple[str, str, str, str], MeasurandFound] = {}
    for _, own in await places.each(lambda conn: trends.list_measurands(conn, search, span)):
        for each in own:
            key = each.step, each.quantity, each.point, each.dimension
            known = merged.get(key)
            merged[key] = each if known is None else _both(known, each)
    return list(merged.values())


def _both(one: MeasurandFound, other: MeasurandFound) -> MeasurandFound:
    margins = [each for each in (one.least_margin, other.least_margin) if each is not None]
    return replace(
        one, units=one.units + other.units, least_margin=min(margins) if margins else None
    )


async def count_yields(
    places: Places, search: UnitSearch, span: Span, by: By, zone: dt.tzinfo
) -> Yields:
    """The yields of what a search finds; days, weeks and months are those of a zone."""
    found = await places.each(
        partial(yields.count_yields, search=search, span=span, by=by, zone=zone)
    )
    if len(found) == 1:
        return found[0][1]
    groups: dict[str, Tally] = {}
    causes: defaultdict[tuple[str, str], list[CauseCount]] = defaultdict(list)
    for place, own in found:
        for name, tally in own.groups.items():
            key = named(name, place) if by.value in OF_A_BENCH else name
            groups[key] = _sum((groups.get(key, NONE), tally))
        for each in own.causes:
            causes[each.step, each.cause].append(each)
    if by in TIMES:
        names = sorted(groups)[-MOST_GROUPS:]
    else:
        names = sorted(groups, key=lambda name: (-groups[name].tested, name))[:MOST_GROUPS]
    ranked = [replace(same[0], units=sum(each.units for each in same)) for same in causes.values()]
    ranked.sort(key=lambda each: (-each.units, each.step, each.cause))
    return Yields(
        _sum(own.total for _, own in found),
        {name: groups[name] for name in names},
        len(groups) > MOST_GROUPS or any(own.is_cut for _, own in found),
        tuple(ranked[:MOST_CAUSES]),
    )


NONE = Tally(0, 0, 0, 0)


def _sum(tallies: Iterable[Tally]) -> Tally:
    several = list(tallies)
    return Tally(
        sum(each.tested for each in several),
        sum(each.passed_first for each in several),
        sum(each.passed for each in several),
        sum(each.failed for each in several),
    )
