"""What of a trend somebody should look into: each flag becomes an item."""

from dataclasses import dataclass

from loricate.core.quantities import Dimension, display
from loricate.core.trends.terms import RULE_WORDS, Rule
from loricate.core.trends.trend import Trend


@dataclass(frozen=True, slots=True)
class Flag:
    """Something that is seen in a trend: of one sort (``what``), since a moment.

    One that ``lasts`` is there until something is done; another is a thing that happened.
    """

    what: str
    text: str
    begins_at: str
    lasts: bool


def flags_of(trend: Trend, dimension: Dimension, by: str = "") -> list[Flag]:
    """The newest signal of each rule, a limit that is drifted to, groups that stand out.

    ``by`` is what the trend's groups are.
    """
    own = [trend.observed[place] for place in trend.used]
    found, newest = list[Flag](), dict[Rule, tuple[int, int]]()
    for each in trend.chart.signals if trend.chart else ():
        newest[each.rule] = max(newest.get(each.rule, (-1, -1)), (each.last, each.first))
    for rule, (last, first) in newest.items():
        serial = f", {own[last].serial}" if own[last].serial else ""
        text = f"{RULE_WORDS[rule].capitalize()}, {own[last].at[:10]}{serial}."
        found.append(Flag(rule, text, own[first].at, lasts=False))
    told = trend.forecast
    limit = {"minimum": trend.minimum, "maximum": trend.maximum}.get(told.limit)
    if told.meets is not None and limit is not None:
        to = display(limit, dimension)
        text = f"It drifts to its {told.limit} of {to}."
        found.append(Flag("drift", text, own[-1].at, lasts=True))
    for group in trend.groups:
        if group.stands_out:
            name = f"{by} {group.name or 'none'}"
            text = f"{name[:1].upper()}{name[1:]} is {group.stands_out} beside all others."
            found.append(Flag(name, text, own[-1].at, lasts=True))
    return found
