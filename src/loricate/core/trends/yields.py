"""Yields, with the interval that the number of units leaves open."""

import math

Z_95 = 1.96


def wilson(passed: int, tested: int) -> tuple[float, float] | None:
    """The 95 % interval of a share (Wilson 1927); None of none."""
    if tested == 0:
        return None
    share, square = passed / tested, Z_95**2
    middle = (share + square / (2 * tested)) / (1 + square / tested)
    reach = (
        Z_95
        / (1 + square / tested)
        * math.sqrt(share * (1 - share) / tested + square / (4 * tested**2))
    )
    # Of all or of none the end is the share itself, to the last digit.
    return min(share, max(0.0, middle - reach)), max(share, min(1.0, middle + reach))
