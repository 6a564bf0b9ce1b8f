"""Rules on what a unit's capacitance does to a test."""

import math
from collections.abc import Iterator

from loricate.core.measuring.actions import Role
from loricate.core.planning.scheduling import Across
from loricate.core.quantities import CAPACITANCE, CURRENT, TIME, display
from loricate.core.review.facts import Reviewed, ReviewFinding, Severity, rule
from loricate.core.sequences.sequences import ReadyStep

SETTLED = 0.01  # how near to its end a charge must have come
ROOM = 0.8  # of a limit that a good unit may use up


def _farads(reviewed: Reviewed, step: ReadyStep) -> float:
    """What the source has to charge: the unit's capacitance, of all nests where they are ganged."""
    own = reviewed.product.filter_capacitance or 0.0
    return own * (reviewed.nests if step.across is Across.TOGETHER else 1)


def _is_dc(step: ReadyStep) -> bool:
    return step.kind.name == "insulation" or step.values.get("voltage", "") == "dc"


@rule
def charging_current(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """The current that charges the unit during the ramp, C·V/t, must stay under the trip."""
    for step in reviewed.of_kind("insulation", "withstand"):
        farads = _farads(reviewed, step)
        if not farads or not _is_dc(step):
            continue
        level_v, ramp_s = step.values["level"], step.values["ramp"]
        trip_a = next(each.value for each in step.demands if each.capability == "trip_a")
        current = farads * level_v / ramp_s
        if current < trip_a * ROOM:
            continue
        shortest = farads * level_v / (trip_a * ROOM)
        yield ReviewFinding(
            Severity.ERROR if current >= trip_a else Severity.WARNING,
            step.id,
            f"charging {display(farads, CAPACITANCE)} draws {display(current, CURRENT)} during the "
            f"ramp, and the trip is at {display(trip_a, CURRENT)}: a good unit trips.",
            f"Ramp for at least {display(shortest, TIME)}, or raise the trip.",
        )


@rule
def settling(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """The settling delay must let the charge come within 1 %: Rs·C·ln(R/(1 %·Rs))."""
    source = reviewed.instrument(Role.WITHSTAND)
    for step in reviewed.of_kind("insulation"):
        minimum = step.limits["resistance"].minimum if "resistance" in step.limits else None
        farads = _farads(reviewed, step)
        if source is None or not source.source_ohms or not farads or not minimum:
            continue
        ratio = minimum / (SETTLED * source.source_ohms)
        needed = source.source_ohms * farads * math.log(ratio) if ratio > 1 else 0.0
        settle_s: float = step.values["settle"]
        if settle_s < needed:
            yield ReviewFinding(
                Severity.WARNING,
                step.id,
                f"{display(farads, CAPACITANCE)} through {source.source_ohms / 1e3:g} kΩ has "
                f"settled after {display(needed, TIME)}, and the delay is "
                f"{display(settle_s, TIME)}: charge is read as leakage.",
                f"Settle for at least {display(needed, TIME)}.",
            )


@rule
def standing_current(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """The AC current of the unit's own capacitance, V·2πf·C, must fit between the limits."""
    for step in reviewed.of_kind("withstand"):
        farads = _farads(reviewed, step)
        if not farads or _is_dc(step):
            continue
        settings = step.values
        current = settings["level"] * 2 * math.pi * settings["frequency"] * farads
        limit = step.limits["current"]
        told = (
            f"{display(farads, CAPACITANCE)} draws {display(current, CURRENT)} at this level, and "
        )
        if limit.maximum is not None and current > limit.maximum * ROOM:
            yield ReviewFinding(
                Severity.ERROR if current >= limit.maximum else Severity.WARNING,
                step.id,
                f"{told}the maximum is {display(limit.maximum, CURRENT)}: a good unit fails.",
                "Limit the resistive current, test with DC, or raise the maximum if the standard "
                "allows it.",
            )
        if limit.minimum is not None and current < limit.minimum:
            yield ReviewFinding(
                Severity.ERROR,
                step.id,
                f"{told}the minimum is {display(limit.minimum, CURRENT)}: a good unit fails.",
                f"Set the minimum well under {display(current, CURRENT)}.",
            )
