"""Rules on what a fixture earths of the unit."""

from collections.abc import Iterator

from loricate.core.kinds.advice import Severity
from loricate.core.review.facts import Reviewed, ReviewFinding, rule


@rule
def earthed_case(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """What flows to a case that the fixture earths goes past a meter that takes it for isolated."""
    own = set(reviewed.product.terminals)
    for fixture, terminals in reviewed.earthed.items():
        earthed = [terminal for terminal in terminals if terminal in own]
        for step in reviewed.steps:
            if earthed and step.takes_isolated:
                yield ReviewFinding(
                    Severity.ERROR,
                    step.id,
                    f"fixture {fixture} earths {' and '.join(earthed)}, and the step takes the "
                    "unit for isolated: what flows to earth is not measured.",
                    "Set return to earthed, or use a fixture that leaves the unit isolated.",
                )
