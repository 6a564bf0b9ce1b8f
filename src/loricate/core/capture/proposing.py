"""What units that were captured together say: of cables or of windings."""

from collections.abc import Sequence

from loricate.core.capture.proposal import Proposed
from loricate.core.capture.proposing_cables import propose_cable
from loricate.core.capture.proposing_windings import propose_windings
from loricate.core.capture.seen import SeenCable, SeenUnit, SeenWindings


def propose(units: Sequence[SeenUnit]) -> Proposed:
    """What these units of one family, at least one, say together."""
    cables = [each for each in units if isinstance(each, SeenCable)]
    if cables:
        return propose_cable(cables)
    return propose_windings([each for each in units if isinstance(each, SeenWindings)])
