"""What a step does not measure of a product, and why."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class LeftOut:
    """One thing of a standard's table that does not apply to a product."""

    what: str
    reason: str
