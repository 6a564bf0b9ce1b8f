"""Rules on the standards that a sequence cites."""

import math
from collections.abc import Iterator, Mapping
from functools import partial

from loricate.core.limits.facts import Facts
from loricate.core.limits.fitting import fit, variant_text
from loricate.core.limits.grouping import grouped
from loricate.core.limits.limit import Limit
from loricate.core.limits.limit_sets import LimitSetItem
from loricate.core.limits.resolving import demanding_items, least_for
from loricate.core.measuring.readings import Measurand
from loricate.core.quantities import DIMENSIONS, RATIO, Dimension, display, parse_any
from loricate.core.review.facts import FittingItem, Reviewed, ReviewFinding, Severity, rule
from loricate.core.sequences.ready import ReadyStep


@rule
def short_of_standard(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """Test current, level and dwell must be what the cited item asks at least, and at most.

    A level counts with the shortfall that the step still accepts.
    """
    for step in reviewed.steps:
        values = step.values
        sources = [limit.source for limit in step.limits.values()]
        items = demanding_items(
            step.kind.name, step.written, sources, reviewed.limit_sets, reviewed.product.facts
        )
        asked: dict[tuple[str, float, Dimension], list[str]] = {}
        for source, (_, _, item) in items.items():
            least = least_for(item, reviewed.product.facts, values)
            for name, (edge, dimension) in least.items():
                asked.setdefault((name, edge, dimension), []).append(source)
        for (name, edge, dimension), sources_of in asked.items():
            first, *more = sources_of
            told = f"{first} and {len(more)} more items ask" if more else f"{first} asks"
            yield from _short(step, told, {name: (edge, dimension)}, Severity.ERROR)
        for source, (_, _, item) in items.items():
            for name, text in item.most.items():
                most, dimension = parse_any(text)
                own = values.get(name)
                if own is not None and own > most:
                    yield ReviewFinding(
                        Severity.WARNING,
                        step.id,
                        f"its {name} of {display(own, dimension)} is beyond the "
                        f"{display(most, dimension)} that {source} asks at most.",
                        f"Set the {name} to at most {display(most, dimension)}.",
                    )


def _short(
    step: ReadyStep, asks: str, least: Mapping[str, tuple[float, Dimension]], severity: Severity
) -> Iterator[ReviewFinding]:
    """Settings that are, less their tolerance, short of what somebody ``asks`` at least."""
    for name, (edge, dimension) in least.items():
        own = step.values.get(name)
        if own is None:
            continue
        has_tolerance = name in step.levels
        accepted = own * (1 - step.values["tolerance"]) if has_tolerance else own
        if accepted < edge and not math.isclose(accepted, edge, rel_tol=1e-9):
            less = f" less {display(step.values['tolerance'], RATIO)}" if has_tolerance else ""
            yield ReviewFinding(
                severity,
                step.id,
                f"its {name} of {display(own, dimension)}{less} is short of the "
                f"{display(edge, dimension)} that {asks}.",
                f"Set the {name} higher, or its tolerance closer: at least "
                f"{display(edge, dimension)} must be measured.",
            )


@rule
def level_not_cited(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """Where standards that fit the product say how to test, a step must cite what it follows."""
    for step in reviewed.steps:
        if not step.levels:
            continue
        cited = {limit.source.limit_set for limit in step.limits.values()}
        fitting = {
            each.source: each.item
            for each in reviewed.fitting.get(step.kind.name, ())
            if not each.item.is_limit and reviewed.is_variant(each.item, step)
        }
        if not fitting or cited & {source.partition("/")[0] for source in fitting}:
            continue
        short = {
            source: found
            for source, item in fitting.items()
            if (
                found := list(
                    _short(step, f"{source} asks", _least(item, reviewed, step), Severity.ERROR)
                )
            )
        }
        names = ", ".join(fitting)
        if len(short) == len(fitting):
            yield next(iter(short.values()))[0]
        else:
            yield ReviewFinding(
                Severity.WARNING,
                step.id,
                f"it cites none of {names}, which say how such a product is tested.",
                "Cite the one that is meant, for the voltage that is measured.",
            )


def _least(
    item: LimitSetItem, reviewed: Reviewed, step: ReadyStep
) -> Mapping[str, tuple[float, Dimension]]:
    return least_for(item, reviewed.product.facts, step.values)


@rule
def looser_than_cited(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """A limit that lets more pass than the set that it cites is marked on the certificate."""
    for step in reviewed.steps:
        for name, _, limit in grouped(step.limits):
            if limit.source.looser_than:
                yield ReviewFinding(
                    Severity.ERROR,
                    step.id,
                    f"its {name} {limit.text} is looser than the cited {limit.source.looser_than}.",
                    "Take the set's figure, or cite your own ground for another.",
                )


@rule
def cited_for_another(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """An item that is cited by its name must be for such a product, point and step."""
    for step in reviewed.steps:
        told: set[tuple[str, str]] = set()  # an item limits several quantities of a point
        for name, item in reviewed.cited_items(step).items():
            reasons = fit(item, reviewed.facts_at(step, name.point)).contradictions
            if not reviewed.is_variant(item, step, name.point):
                reasons = (*reasons, f"the step is none with {variant_text(item)}")
            if reasons and (item.id, name.point) not in told:
                told.add((item.id, name.point))
                yield ReviewFinding(
                    Severity.ERROR,
                    step.id,
                    f"its {name} cites {item.id}, which is not for it: {'; '.join(reasons)}.",
                    "Cite the item that fits, or the set alone, which takes that one.",
                )


@rule
def no_source(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """Every limit must say where it comes from."""
    for step in reviewed.steps:
        for name, _, limit in grouped(step.limits):
            if not limit.source.standard and not limit.source.engineer:
                yield ReviewFinding(
                    Severity.WARNING,
                    step.id,
                    f"its {name} {limit.text} has no source.",
                    "Cite a limit set, or write down on what ground it was set.",
                )


@rule
def not_compared(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """The cited sets should have been compared with a bought copy and released."""
    cited = {
        limit.source.limit_set for step in reviewed.steps for limit in step.limits.values()
    } - {""}
    for code in sorted(cited):
        known = reviewed.limit_sets.get(code)
        if known is not None and known[0].status != "released":
            yield ReviewFinding(
                Severity.NOTE,
                "",
                f"limit set {code} revision {known[1]} is a draft: nobody has compared it with a "
                "bought copy of the standard.",
                "Compare and release it.",
            )


@rule
def short_of_fitting_limit(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """An engineer's own limit should not be looser than those that fit the product and the point.

    Looser than all of them needs a ground; of those that are only some, a released set is named.
    """
    for step in reviewed.steps:
        for told, name, limit in grouped(step.limits, partial(_facts_text, reviewed, step)):
            if limit.source.limit_set:
                continue
            facts = reviewed.facts_at(step, name.point)
            looser: list[tuple[FittingItem, str]] = []
            held: list[FittingItem] = []
            for each in reviewed.fitting.get(step.kind.name, ()):
                item = each.item
                if item.reading != name.quantity or item.by_name or not item.is_limit:
                    continue
                if not reviewed.is_variant(item, step, name.point) or not fit(item, facts).holds:
                    continue
                edge = _looser_than(limit, item, facts)
                if edge:
                    looser.append((each, edge))
                elif edge is not None:
                    held.append(each)
            released = [found for found in looser if found[0].limit_set.status == "released"]
            severity = Severity.NOTE if held else Severity.WARNING
            for each, edge in released if held or released else looser[:1]:
                yield ReviewFinding(
                    severity,
                    step.id,
                    f"its {told} {limit.text} is looser than the {edge} of {each.source}, "
                    "which fits the product.",
                    f"Cite {each.limit_set.code}, if that standard is meant.",
                )
            for each in held:
                if each.limit_set.status == "released":
                    least = least_for(each.item, reviewed.product.facts, step.values)
                    yield from _short(step, f"{each.source} asks", least, Severity.NOTE)


def _facts_text(reviewed: Reviewed, step: ReadyStep, measurand: Measurand) -> str:
    """What limit sets may ask of the product and the step at a point, to tell points apart."""
    words = sorted(reviewed.facts_at(step, measurand.point).words.items())
    return repr((words, sorted(step.written_at(measurand.point).items(), key=str)))


def _looser_than(limit: Limit, item: LimitSetItem, facts: Facts) -> str | None:
    """The edge of an item that a limit lets pass, in words; empty where there is none.

    None where the item's figure depends on what is not known of the product.
    """
    try:
        low, high = item.figures(facts)
    except ValueError:
        return None
    dimension = DIMENSIONS[item.dimension]
    if low is not None and (limit.minimum is None or limit.minimum < low):
        return f"minimum {display(low, dimension)}"
    if high is not None and (limit.maximum is None or limit.maximum > high):
        return f"maximum {display(high, dimension)}"
    return ""
