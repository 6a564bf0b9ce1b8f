"""Rules on the standards that a sequence cites."""

from collections.abc import Iterator

from loricate.core.limit_sets import LimitSetItem, fit, is_variant
from loricate.core.quantities import DIMENSIONS, display, parse_any
from loricate.core.review.facts import Reviewed, ReviewFinding, Severity, rule
from loricate.core.sequences import ReadyStep


def _demanding(reviewed: Reviewed, step: ReadyStep) -> list[tuple[str, LimitSetItem]]:
    """The items whose demands on the test a step is under: those it cites, and their sets' own."""
    found = {
        f"{step.limits[name].source.limit_set}/{item.id}": item
        for name, item in reviewed.cited_items(step).items()
    }
    values = step.written
    for code in {limit.source.limit_set for limit in step.limits.values()} - {""}:
        known = reviewed.limit_sets.get(code)
        for item in known[0].items if known else ():
            is_test = not item.is_limit and not item.by_name and item.kind == step.kind.name
            if is_test and is_variant(item, values) and fit(item, reviewed.product).holds:
                found[f"{code}/{item.id}"] = item
    return list(found.items())


@rule
def short_of_standard(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """Test current, level and dwell must be what the cited item asks at least, and at most."""
    for step in reviewed.steps:
        values = step.values
        for source, item in _demanding(reviewed, step):
            for name, (least, dimension) in item.least_of(reviewed.product).items():
                if name == "level" and item.dc_factor and values.get("voltage") == "dc":
                    least *= item.dc_factor
                own = values.get(name)
                if own is not None and own < least:
                    yield ReviewFinding(
                        Severity.ERROR,
                        step.id,
                        f"its {name} of {display(own, dimension)} is short of the "
                        f"{display(least, dimension)} that {source} asks.",
                        f"Set the {name} to at least {display(least, dimension)}.",
                    )
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


@rule
def looser_than_cited(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """A limit that lets more pass than the set that it cites is marked on the certificate."""
    for step in reviewed.steps:
        for name, limit in step.limits.items():
            if limit.source.looser_than:
                yield ReviewFinding(
                    Severity.ERROR,
                    step.id,
                    f"its {name} {limit.text} is looser than the cited {limit.source.looser_than}.",
                    "Take the set's figure, or cite your own ground for another.",
                )


@rule
def no_source(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """Every limit must say where it comes from."""
    for step in reviewed.steps:
        for name, limit in step.limits.items():
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
    """An engineer's own limit must not be looser than a released set's that fits the product."""
    for step in reviewed.steps:
        values = step.written
        for name, limit in step.limits.items():
            if limit.source.limit_set:
                continue
            for code, (limit_set, _) in sorted(reviewed.limit_sets.items()):
                for item in limit_set.items:
                    same = (item.kind, item.reading) == (step.kind.name, name)
                    if not same or item.by_name or limit_set.status != "released":
                        continue
                    if not is_variant(item, values) or not fit(item, reviewed.product).holds:
                        continue
                    low, high = item.figures(reviewed.product)
                    dimension = DIMENSIONS[item.dimension]
                    if low is not None and (limit.minimum is None or limit.minimum < low):
                        edge = f"minimum {display(low, dimension)}"
                    elif high is not None and (limit.maximum is None or limit.maximum > high):
                        edge = f"maximum {display(high, dimension)}"
                    else:
                        continue
                    yield ReviewFinding(
                        Severity.NOTE,
                        step.id,
                        f"its {name} {limit.text} is looser than the {edge} of {code}/{item.id}, "
                        "which fits the product.",
                        f"Cite {code}, if that standard is meant.",
                    )
