"""Challenge: running a sequence against stand-in units with seeded faults, faster than real time.

Imports the core, the bench's profiles and the simulator. The service runs it in a process of its
own (``python -m loricate.challenge``), so that it holds up no heartbeat and knows no stand-in.
"""

from loricate.challenge.challenge import Challenge, FaultRow, StepVerdict, challenge
from loricate.challenge.families import NoStandIn, stand_in_for
from loricate.challenge.request import ChallengeRequest

__all__ = [
    "Challenge",
    "ChallengeRequest",
    "FaultRow",
    "NoStandIn",
    "StepVerdict",
    "challenge",
    "stand_in_for",
]
