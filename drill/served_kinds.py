"""What a drill's service loads: the kinds of the drills' own."""

from drill.ladder import Ladder
from loricate.core.kinds import register

register(Ladder)
