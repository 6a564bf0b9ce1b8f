"""How much a report of a unit tells."""

from enum import StrEnum


class Depth(StrEnum):
    """Each tells all that those before it tell."""

    SUMMARY = "summary"  # the verdict of each step, and whatever did not pass
    READINGS = "readings"  # every reading
    LIMITS = "limits"  # its limit, the clause it is from, curves, instruments, grounds
    PROCEDURE = "procedure"  # what was told and asked at each step, and the answers
    PHOTOS = "photos"  # pictures of cues, answers and remarks

    def has(self, other: "Depth") -> bool:
        """Whether it tells what another depth tells."""
        order = list(Depth)
        return order.index(self) >= order.index(other)
