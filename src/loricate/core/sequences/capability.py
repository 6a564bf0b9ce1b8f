"""What a bench can do, and what a sequence asks of it that the bench cannot do."""

from collections.abc import Mapping, Sequence

from loricate.core.errors import Finding
from loricate.core.kinds.kind import Demand
from loricate.core.kinds.outputs import HIGH_SIDE
from loricate.core.measuring.instruments import Capability
from loricate.core.measuring.roles import Role
from loricate.core.quantities import display
from loricate.core.sequences.ready import ReadySequence

# What an instrument has so many of, or none.
COUNTED = {"leads": "patient leads", "dc": "readings of DC", "probes": "probes"}
Instruments = Mapping[Role, Sequence[Capability]]  # of a bench, by role


def reaches(capability: Capability, demand: Demand) -> bool:
    """Whether an instrument can do what is demanded; what its profile does not say, it can."""
    span = capability.spans.get(demand.capability)
    return span is None or span[0] <= demand.value <= span[1]


def can_do(capability: Capability, role: Role, demands: Sequence[Demand]) -> bool:
    """Whether one instrument can do all that is demanded of its role."""
    return all(reaches(capability, demand) for demand in demands if demand.role == role)


def shortfalls(sequence: ReadySequence, bench: Instruments) -> tuple[Finding, ...]:
    """Say each thing that ``sequence`` demands and no instrument of ``bench`` can give."""
    found = []
    for index, step in enumerate(sequence.steps):
        for role in sorted(step.roles):
            instruments = bench.get(role, ())
            demands = [demand for demand in step.demands if demand.role == role]
            if not instruments:
                message = (
                    f"step '{step.id}' needs a {role} instrument and the bench has none",
                    "add one to the bench file.",
                )
                path = f"steps[{index}].settings.{demands[0].field}"
                found.append(Finding(path, *message))
            elif not any(can_do(each, role, demands) for each in instruments):
                found += _beyond(f"steps[{index}]", step.id, demands, instruments)
    return tuple(found)


def _beyond(
    path: str, step_id: str, demands: Sequence[Demand], instruments: Sequence[Capability]
) -> list[Finding]:
    """What of a step's demands is too much for each instrument, or at least for the nearest."""
    for_all = [
        demand for demand in demands if not any(reaches(each, demand) for each in instruments)
    ]
    if not for_all:
        names = " and ".join(each.instrument for each in instruments)
        fields = " and ".join(dict.fromkeys(demand.field for demand in demands))
        message = (
            f"step '{step_id}' asks for a {fields} that none of {names} can do together",
            "change one of them.",
        )
        return [Finding(f"{path}.settings.{demands[0].field}", *message)]
    found = []
    for demand in for_all:
        if demand.capability == HIGH_SIDE.capability:
            message = (
                f"step '{step_id}' measures on the high side, for an earthed return, which no "
                f"{demand.role} instrument here can",
                "isolate the unit, or use another source.",
            )
            found.append(Finding(f"{path}.settings.{demand.field}", *message))
            continue
        spans = [(each.spans[demand.capability], each.instrument) for each in instruments]
        is_above = all(demand.value > span[1] for span, _ in spans)
        (low, high), name = (
            max(spans, key=lambda one: one[0][1])
            if is_above
            else min(spans, key=lambda one: one[0][0])
        )
        if words := COUNTED.get(demand.capability):
            has = f"has {high:g}" if high else "has none"
            asked = f"{demand.value:g} {words}" if demand.value > 1 else words
            told = f"step '{step_id}' needs {asked}, and instrument '{name}' {has}"
            found.append(Finding(f"{path}.settings.{demand.field}", told, "use another."))
            continue
        edge = display(high if is_above else low, demand.dimension)
        side = f"above {edge}, the most" if is_above else f"below {edge}, the least"
        message = (
            f"step '{step_id}' asks for {display(demand.value, demand.dimension)}, which is "
            f"{side} that instrument '{name}' can do",
            f"change the {demand.field}.",
        )
        found.append(Finding(f"{path}.settings.{demand.field}", *message))
    return found
