"""What trends are told in, for whoever asks for one without reckoning it."""

from enum import StrEnum

MOST_READINGS = 10_000  # of a trend: the newest
LEAST_CHARTED = 8  # exact readings, before which limits would be drawn from chance


class Rule(StrEnum):
    """What speaks against chance alone."""

    BEYOND = "beyond"  # one reading beyond 3 σ
    RANGE = "range"  # a change from one reading to the next beyond its limit
    SIDE = "side"  # nine in a row on one side of the centre
    STEADY = "steady"  # six in a row that rise, or that fall
    OUTER = "outer"  # two of three beyond 2 σ on one side
    OFF = "off"  # four of five beyond 1 σ on one side


RULE_WORDS = {
    Rule.BEYOND: "beyond 3 σ",
    Rule.RANGE: "a jump beyond the limit of ranges",
    Rule.SIDE: "nine in a row on one side of the centre",
    Rule.STEADY: "six in a row that rise or fall",
    Rule.OUTER: "two of three beyond 2 σ on one side",
    Rule.OFF: "four of five beyond 1 σ on one side",
}


class Scale(StrEnum):
    """In what readings are reckoned with: themselves, or their logarithms to the base of ten."""

    STRAIGHT = "straight"
    DECADES = "decades"
