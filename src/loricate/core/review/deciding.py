"""Rules on limits and settings so loose, or on such a side, that they decide nothing."""

import math
from collections.abc import Iterator

from loricate.core.measuring.actions import Role
from loricate.core.quantities import CURRENT, RATIO, RESISTANCE, TIME, VOLTAGE, display
from loricate.core.review.facts import Reviewed, ReviewFinding, Severity, rule
from loricate.core.sequences.sequences import ReadyStep

LOOSE_TOLERANCE, LOOSEST_TOLERANCE = 0.1, 0.2
LEAST_INSULATION_OHMS = 50e3  # bus-bars by IEC 60204-1: no standard here asks less
LEAST_DWELL_S = 0.1  # IPC/WHMA-A-620 class 2: no standard here takes less
USUAL_CIRCUIT_V, USUAL_TRIP_A = 6.0, 0.1  # where the bench is not known
# The side on which a reading must be limited for its kind to find anything.
SIDES = {
    ("ground_bond", "resistance"): "maximum",
    ("insulation", "resistance"): "minimum",
    ("withstand", "current"): "maximum",
    ("withstand", "resistive_current"): "maximum",
    ("withstand", "resistance"): "minimum",
    ("leakage", "current"): "maximum",
    ("leakage", "peak_current"): "maximum",
}


def _error(step: ReadyStep, reason: str, remedy: str) -> ReviewFinding:
    return ReviewFinding(Severity.ERROR, step.id, reason, remedy)


@rule
def same_terminal(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """What is measured from a terminal to itself measures nothing."""
    for step in reviewed.steps:
        used = [terminal for names in step.terminals_used.values() for terminal in names]
        twice = sorted({each for each in used if used.count(each) > 1})
        if twice and step.kind.name not in ("continuity", "polarity"):
            yield _error(
                step,
                f"it goes from {', '.join(twice)} to itself, so it measures nothing of the unit.",
                "Name two terminals with the unit between them.",
            )


@rule
def wrong_side(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """A limit on the harmless side alone, or one that every value meets, finds no fault."""
    for step in reviewed.steps:
        for name, limit in step.limits.items():
            side = SIDES.get((step.kind.name, name))
            if side is not None and getattr(limit, side) is None:
                yield _error(
                    step,
                    f"its {name.replace('_', ' ')} has no {side}: whatever is wrong passes.",
                    f"Give it a {side}.",
                )
            empty_minimum = limit.minimum is not None and limit.minimum <= 0
            if empty_minimum and limit.maximum is None and step.roles:
                yield _error(
                    step,
                    f"its {name.replace('_', ' ')} {limit.text} is met by every measurement.",
                    "Give a minimum above zero.",
                )


@rule
def loose_tolerance(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """A level that may fall short by much is no level."""
    for step in reviewed.steps:
        tolerance = step.values.get("tolerance") if step.levels else None
        if tolerance is None or tolerance <= LOOSE_TOLERANCE:
            continue
        is_loosest = tolerance > LOOSEST_TOLERANCE
        yield ReviewFinding(
            Severity.ERROR if is_loosest else Severity.WARNING,
            step.id,
            f"it takes a level that departs by {display(tolerance, RATIO, 2)} for reached.",
            f"Set the tolerance to at most {display(LOOSE_TOLERANCE, RATIO, 2)}.",
        )


@rule
def level_of_use(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """A withstand must ask more of the insulation than use does, and long enough to be seen."""
    supply = reviewed.product.supply_voltage
    for step in reviewed.of_kind("withstand"):
        values = step.values
        peak = values["level"] * (math.sqrt(2) if values["voltage"] == "ac" else 1.0)
        if supply is not None and peak < 2 * math.sqrt(2) * supply:
            yield _error(
                step,
                f"its level of {display(values['level'], VOLTAGE)} is less than twice the rated "
                f"{display(supply, VOLTAGE)}: use asks nearly as much of the insulation.",
                "Set the level that the standard asks.",
            )
        if values["dwell"] < LEAST_DWELL_S:
            yield _error(
                step,
                f"its dwell of {display(values['dwell'], TIME)} is shorter than any standard's.",
                f"Set the dwell to at least {display(LEAST_DWELL_S, TIME)}.",
            )


@rule
def limit_out_of_reach(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """A limit that the bench's source or meter can never come to decides nothing."""
    for step in reviewed.steps:
        match step.kind.name:
            case "ground_bond" | "continuity":
                yield from _bond_out_of_reach(reviewed, step)
            case "insulation":
                yield from _insulation_out_of_reach(step)
            case "withstand" | "leakage":
                yield from _current_out_of_reach(reviewed, step)


def _bond_out_of_reach(reviewed: Reviewed, step: ReadyStep) -> Iterator[ReviewFinding]:
    source = reviewed.instrument(Role.BOND)
    volts = source.open_circuit_v if source is not None else None
    least_a = step.values["current"] * (1 - step.values["tolerance"])
    most = (volts or USUAL_CIRCUIT_V) / least_a
    for name, limit in step.limits.items():
        if limit.dimension != RESISTANCE.name or limit.maximum is None or limit.maximum <= most:
            continue
        yield _error(
            step,
            f"its {name} {limit.text} is more than the source can drive "
            f"{display(least_a, CURRENT)} through ({display(most, RESISTANCE)}): "
            "the limit decides nothing.",
            "Set the maximum that the standard or the drawing asks, or less current.",
        )


def _insulation_out_of_reach(step: ReadyStep) -> Iterator[ReviewFinding]:
    limit = step.limits.get("resistance")
    if limit is None or limit.minimum is None or limit.minimum <= 0:
        return
    tripping = step.values["level"] / step.values["trip"]
    if limit.minimum < LEAST_INSULATION_OHMS:
        yield _error(
            step,
            f"its resistance {limit.text} is less than any standard asks "
            f"({display(LEAST_INSULATION_OHMS, RESISTANCE)}): it decides nothing.",
            "Set the minimum that the standard asks.",
        )
    elif limit.minimum < tripping:
        yield ReviewFinding(
            Severity.WARNING,
            step.id,
            f"its trip cuts below {display(tripping, RESISTANCE)}, before its resistance "
            f"{limit.text} is looked at.",
            "Raise the trip, or the minimum.",
        )


def _current_out_of_reach(reviewed: Reviewed, step: ReadyStep) -> Iterator[ReviewFinding]:
    role = Role.WITHSTAND if step.kind.name == "withstand" else Role.LEAKAGE
    meter = reviewed.instrument(role)
    range_a = meter.ceiling.get("current", USUAL_TRIP_A) if meter is not None else USUAL_TRIP_A
    for name, limit in step.limits.items():
        is_current = limit.dimension == CURRENT.name and name != "load_current"
        if not is_current or limit.maximum is None or limit.maximum <= range_a:
            continue
        yield _error(
            step,
            f"its {name.replace('_', ' ')} {limit.text} is beyond the meter's range of "
            f"{display(range_a, CURRENT)}: it decides nothing.",
            "Set the maximum that the standard asks.",
        )


@rule
def plate_is_loose(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """Power limits that leave room for half or twice the plate find no wrong part."""
    rated = reviewed.product.rated_power
    for step in reviewed.of_kind("power"):
        limit = step.limits.get("power")
        if rated is None or limit is None:
            continue
        is_low = limit.minimum is None or limit.minimum < rated / 2
        is_high = limit.maximum is None or limit.maximum > rated * 2
        if is_low or is_high:
            side = "minimum" if is_low else "maximum"
            yield ReviewFinding(
                Severity.WARNING,
                step.id,
                f"its power {limit.text} has no {side} near the plate's rating.",
                f"Set a {side} nearer to it.",
            )
