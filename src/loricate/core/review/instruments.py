"""Rules on what the bench's instruments can do and can decide."""

import math
from collections.abc import Iterator

from loricate.core.limits.limit import Limit
from loricate.core.measuring.instruments import Capability
from loricate.core.measuring.readings import Measurand
from loricate.core.quantities import DIMENSIONS, RESISTANCE, display
from loricate.core.review.facts import Reviewed, ReviewFinding, Severity, rule
from loricate.core.sequences.capability import shortfalls
from loricate.core.sequences.ready import ReadyStep

MUCH = 0.25  # of a limit that a guard band may take before it is pointed out


@rule
def beyond_bench(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """The bench must have the instruments, and they the level, current, dwell and trip."""
    if reviewed.bench is None:
        return
    for finding in shortfalls(reviewed.sequence, reviewed.bench):
        index = int(finding.path.split("[")[1].split("]")[0])
        step_id = reviewed.steps[index].id
        reason = finding.reason.removeprefix(f"step '{step_id}' ")
        yield ReviewFinding(Severity.ERROR, step_id, f"{reason}.", _sentence(finding.remedy))


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:]


def _uncertainty(step: ReadyStep, name: Measurand, edge: float, meter: Capability) -> float | None:
    """Expanded uncertainty of a reading at the limit's edge; None when the meter does not say."""
    accuracy = meter.accuracy
    quantity = name.quantity
    if DIMENSIONS[step.limits[name].dimension] is not RESISTANCE or quantity in accuracy:
        key = step.kind.metered_as.get(quantity, quantity)
        return accuracy[key].expanded(edge) if key in accuracy else None
    if "voltage" not in accuracy or "current" not in accuracy or not edge:
        return None
    volts, amperes = _at(step, edge)
    return edge * math.hypot(
        accuracy["voltage"].expanded(volts) / volts, accuracy["current"].expanded(amperes) / amperes
    )


def _at(step: ReadyStep, ohms: float) -> tuple[float, float]:
    """Volts and amperes of a resistance step when it measures ``ohms``."""
    settings = step.values
    if "level" in settings:
        return settings["level"], settings["level"] / ohms
    return settings["current"] * ohms, settings["current"]


@rule
def guard_band(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """The guard band, r·U at the limit, must leave most of the limit to use."""
    decision = reviewed.sequence.decision
    for step, name, limit, meter in _measured(reviewed):
        for edge in (limit.minimum, limit.maximum):
            spread = _uncertainty(step, name, edge, meter) if edge else None
            if not edge or spread is None:
                continue
            band = decision.guard_band(spread)
            dimension = DIMENSIONS[limit.dimension]
            if band > abs(edge) * MUCH:
                yield ReviewFinding(
                    Severity.ERROR if band >= abs(edge) else Severity.WARNING,
                    step.id,
                    f"the guard band of {display(band, dimension)} takes "
                    f"{band / abs(edge):.0%} of its {name} {limit.text}.",
                    f"Measure with a better instrument than {meter.instrument}, or decide without "
                    "a guard band.",
                )
            elif spread >= abs(edge):
                yield ReviewFinding(
                    Severity.WARNING,
                    step.id,
                    f"the uncertainty of {display(spread, dimension)} is as large as its {name} "
                    f"{limit.text}.",
                    f"Measure with a better instrument than {meter.instrument}.",
                )


@rule
def meter_range(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """A limit under the meter's floor or over its range leaves every reading undecided."""
    for step, name, limit, meter in _measured(reviewed):
        dimension = DIMENSIONS[limit.dimension]
        if (
            dimension is RESISTANCE
            and name.quantity not in meter.floor
            and name.quantity not in meter.ceiling
        ):
            floor = meter.floor.get("current")
            if limit.minimum and floor and "level" in step.values:
                highest = step.values["level"] / floor
                if limit.minimum > highest:
                    yield ReviewFinding(
                        Severity.ERROR,
                        step.id,
                        f"{meter.instrument} shows resistances to {display(highest, RESISTANCE)} "
                        f"at this level, and the limit is {limit.text}: no unit can pass.",
                        "Raise the level, lower the limit, or use a more sensitive meter.",
                    )
            continue
        floor, ceiling = meter.floor.get(name.quantity), meter.ceiling.get(name.quantity)
        if limit.maximum is not None and floor is not None and limit.maximum < floor:
            yield ReviewFinding(
                Severity.ERROR,
                step.id,
                f"its {name} {limit.text} is under the {display(floor, dimension)} that "
                f"{meter.instrument} can show: no unit can pass.",
                "Use a more sensitive meter, or another limit.",
            )
        if limit.minimum is not None and floor is not None and limit.minimum < floor:
            yield ReviewFinding(
                Severity.WARNING,
                step.id,
                f"its minimum {name} {limit.text} is under the {display(floor, dimension)} that "
                f"{meter.instrument} can show: what is missing stays undecided.",
                "Set the minimum above the meter's floor.",
            )
        if limit.maximum is not None and ceiling is not None and limit.maximum > ceiling:
            yield ReviewFinding(
                Severity.WARNING,
                step.id,
                f"its {name} {limit.text} is over the {display(ceiling, dimension)} that "
                f"{meter.instrument} can show: what is over stays undecided.",
                "Use a meter with a wider range, or another limit.",
            )


def _measured(
    reviewed: Reviewed,
) -> Iterator[tuple[ReadyStep, Measurand, Limit, Capability]]:
    for step in reviewed.steps:
        for role in sorted(step.roles):
            for meter in reviewed.candidates(role, step):
                used = meter.high_side or meter if step.measures_high else meter
                for name, limit in step.limits.items():
                    yield step, name, limit, used
