"""Resolving: a step's written limit as SI figures with their source, and what a test must be."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from loricate.core.limits.facts import Facts
from loricate.core.limits.fitting import fit, is_variant
from loricate.core.limits.limit import Figures, Limit, LimitEntry, LimitSource, is_looser
from loricate.core.limits.limit_sets import LimitSet, LimitSetItem, LimitSets
from loricate.core.quantities import DIMENSIONS, Dimension, parse


@dataclass(frozen=True, slots=True)
class Asked:
    """For what a limit is wanted: a quantity of a kind of step, with the settings at its point."""

    kind: str
    reading: str
    dimension: Dimension
    values: Mapping[str, Any]
    setting: str = ""  # which the reading tells what came of


def cited_item(
    source: str, asked: Asked, limit_sets: LimitSets, facts: Facts | None
) -> tuple[LimitSet, int, LimitSetItem] | None:
    """The set, revision and item that a source cites; None when it is the engineer's own ground.

    A set's code alone takes the one item for this reading that fits the product and the step.
    Raises ValueError, saying what there is, when there is none such or more than one.
    """
    code, slash, item_id = source.partition("/")
    if code not in limit_sets:
        return None
    limit_set, revision = limit_sets[code]
    if slash:
        item = limit_set.find(item_id)
        if item is None:
            known = ", ".join(each.id for each in limit_set.items)
            raise ValueError(f"limit set '{code}' has no item '{item_id}'; it has {known}.")
        return limit_set, revision, item
    if facts is None:
        raise ValueError(f"which item of '{code}' holds depends on the product; name a known one.")
    mine = [
        item
        for item in limit_set.items
        if item.is_limit and (item.kind, item.reading) == (asked.kind, asked.reading)
    ]
    found = [
        each
        for each in mine
        if not each.by_name and is_variant(each, asked.values) and fit(each, facts).holds
    ]
    if len(found) == 1:
        return limit_set, revision, found[0]
    if found:
        several = ", ".join(each.id for each in found)
        raise ValueError(f"several items of '{code}' hold here: {several}; cite one as {code}/ID.")
    if not mine:
        raise ValueError(
            f"limit set '{code}' limits no {asked.reading} of a {asked.kind} step; cite another."
        )
    why = "; ".join(f"{each.id}: {_why_not(each, asked, facts)}" for each in mine)
    raise ValueError(f"no item of '{code}' holds for product '{facts.of}' here ({why}).")


def _why_not(item: LimitSetItem, asked: Asked, facts: Facts) -> str:
    if item.by_name:
        return "only where cited by name"
    if not is_variant(item, asked.values):
        return "for " + ", ".join(
            f"{name} {' or '.join(wanted)}" for name, wanted in item.variant.items()
        )
    return ", ".join(fit(item, facts).reasons)


def resolve(entry: LimitEntry, asked: Asked, limit_sets: LimitSets, facts: Facts | None) -> Limit:
    """Turn a document's limit into SI figures with their source.

    ``limit_sets`` gives each known set and its revision by code. Figures written in the entry take
    precedence over the set's; where they let more pass than the set does, the source says so.

    Raises:
        QuantityError: a figure has another dimension than the reading.
        ValueError: the set or item does not exist or does not fit, or minimum is above maximum.
    """
    dimension = asked.dimension
    low = None if entry.minimum is None else parse(entry.minimum, dimension)
    high = None if entry.maximum is None else parse(entry.maximum, dimension)
    caution = [
        None if edge is None else parse(edge, dimension)
        for edge in (entry.caution_below, entry.caution_above)
    ]
    cited = cited_item(entry.source, asked, limit_sets, facts)
    source = LimitSource(engineer=entry.source)
    if cited is not None:
        limit_set, revision, item = cited
        if DIMENSIONS[item.dimension] is not dimension:
            raise ValueError(
                f"'{entry.source}' limits a {item.dimension}, not a {dimension.name}; "
                "cite another item."
            )
        own = low is not None or high is not None
        set_low, set_high = _figures_of(item, asked, facts)
        if set_low is None and set_high is None and not own:
            raise ValueError(
                f"'{entry.source}' says how to test and gives no limit; write the figure here, or "
                "cite it for what is measured of the "
                f"{' or '.join(item.test_settings) or 'test'}."
            )
        looser = own and is_looser((low, high), (set_low, set_high))
        source = source_in(limit_set, revision, item, asked.setting, asked.values).model_copy(
            update={
                "engineer": "figure set by the engineer" if own else "",
                "looser_than": _text(set_low, set_high, dimension) if looser else "",
            }
        )
        if not own:
            low, high = set_low, set_high
    elif low is None and high is None:
        code = entry.source.partition("/")[0]
        raise ValueError(f"there is no limit set '{code}'; add it, or write the figure here.")
    if low is not None and high is not None and low > high:
        raise ValueError(
            f"the minimum {entry.minimum} is above the maximum {entry.maximum}; swap them."
        )
    if _is_past(low, caution[0]) or _is_past(caution[1], high):
        raise ValueError("marks as near its limit what is beyond it; set the caution inside.")
    return Limit(
        dimension=dimension.name,
        minimum=low,
        maximum=high,
        caution_below=caution[0],
        caution_above=caution[1],
        source=source,
    )


def _is_past(inner: float | None, outer: float | None) -> bool:
    """Whether a figure that must be the lesser one is not."""
    return inner is not None and outer is not None and inner > outer


def source_in(
    limit_set: LimitSet,
    revision: int,
    item: LimitSetItem,
    setting: str,
    values: Mapping[str, Any],
) -> LimitSource:
    """The item of a limit set as the source that a limit carries, of what came of a setting."""
    return LimitSource(
        standard=limit_set.standard,
        edition=limit_set.edition,
        clause=item.clause,
        limit_set=limit_set.code,
        item=item.id,
        applies=item.applies,
        revision=revision,
        checked=limit_set.checked,
        dc_factor=item.dc_factor if _is_dc_level(setting, values) else None,
    )


def _is_dc_level(setting: str, values: Mapping[str, Any]) -> bool:
    """Whether a clause's AC volts are turned into DC here."""
    return setting == "level" and values.get("voltage") == "dc"


def _figures_of(item: LimitSetItem, asked: Asked, facts: Facts | None) -> Figures:
    """The figures of an item for a reading; of one that only says how to test, what it demands."""
    if item.is_limit:
        return item.figures(facts)
    least = {} if facts is None else least_for(item, facts, asked.values)
    return least.get(asked.setting, (None,))[0], None


def least_for(
    item: LimitSetItem, facts: Facts, values: Mapping[str, Any]
) -> dict[str, tuple[float, Dimension]]:
    """The least that each setting of a step must be, its AC level turned into DC where it is."""
    found = item.least_of(facts)
    if "level" in found and item.dc_factor and _is_dc_level("level", values):
        level, dimension = found["level"]
        found["level"] = (item.dc_level(level), dimension)
    return found


def demanding_items(
    kind: str,
    values: Mapping[str, Any],
    sources: Iterable[LimitSource],
    limit_sets: LimitSets,
    facts: Facts,
) -> dict[str, tuple[LimitSet, int, LimitSetItem]]:
    """The items whose demands a test is under, by source: those cited, and their sets' own.

    Where a set's item that says how to test is cited by name, it takes the place of the others.
    """
    found: dict[str, tuple[LimitSet, int, LimitSetItem]] = {}
    named = set()
    cited = [source for source in sources if source.limit_set in limit_sets]
    for source in cited:
        limit_set, revision = limit_sets[source.limit_set]
        item = limit_set.find(source.item)
        if item is not None:
            found[f"{limit_set.code}/{item.id}"] = (limit_set, revision, item)
            if not item.is_limit:
                named.add(limit_set.code)
    for code in {source.limit_set for source in cited} - named:
        limit_set, revision = limit_sets[code]
        for item in limit_set.items:
            is_test = not item.is_limit and not item.by_name and item.kind == kind
            if is_test and is_variant(item, values) and fit(item, facts).holds:
                found[f"{code}/{item.id}"] = (limit_set, revision, item)
    return found


def _text(low: float | None, high: float | None, dimension: Dimension) -> str:
    return Limit(dimension=dimension.name, minimum=low, maximum=high).text
