"""What a bench can do, and what a sequence asks of it that the bench cannot do."""

from collections.abc import Mapping

from loricate.core.errors import Finding
from loricate.core.measuring.actions import Role
from loricate.core.measuring.instruments import Capability
from loricate.core.quantities import display
from loricate.core.sequences.sequences import ReadySequence


def shortfalls(sequence: ReadySequence, bench: Mapping[Role, Capability]) -> tuple[Finding, ...]:
    """Say each thing that ``sequence`` demands and ``bench`` cannot give."""
    found = []
    for index, step in enumerate(sequence.steps):
        for demand in step.demands:
            path = f"steps[{index}].settings.{demand.field}"
            capability = bench.get(demand.role)
            if capability is None:
                found.append(
                    Finding(
                        path,
                        f"step '{step.id}' needs a {demand.role} instrument and the bench has "
                        "none; add one to the bench file.",
                    )
                )
                continue
            span = capability.spans.get(demand.capability)
            if span is None or span[0] <= demand.value <= span[1]:
                continue
            low, high = (display(edge, demand.dimension) for edge in span)
            wanted = display(demand.value, demand.dimension)
            side = "above" if demand.value > span[1] else "below"
            edge = f"{high}, the most" if side == "above" else f"{low}, the least"
            found.append(
                Finding(
                    path,
                    f"step '{step.id}' asks for {wanted}, which is {side} {edge} that instrument "
                    f"'{capability.instrument}' can do; change the {demand.field}.",
                )
            )
    return tuple(found)
