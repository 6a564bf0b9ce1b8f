"""What a procedure may ask of the bench or the operator, and what comes back.

A procedure is a generator: it yields an action and is sent that action's outcome. It never sees an
instrument, a clock or a socket. Values are in SI units; the keys of ``Program.settings`` carry
theirs (``level_v``, ``dwell_s``), as profiles do.
"""

import math
from collections.abc import Generator, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from loricate.core.errors import ProcedureError
from loricate.core.measuring.grading import Measured
from loricate.core.measuring.impedance import ImpedancePath, ImpedanceZero
from loricate.core.measuring.readings import Bound, Doubt, Reading
from loricate.core.measuring.uncertainty import EXACTLY, Accuracy
from loricate.core.quantities import TIME, Dimension


class Role(StrEnum):
    """What an instrument does on the bench; a step asks for a role, never for a make."""

    WITHSTAND = "withstand"
    BOND = "bond"
    LEAKAGE = "leakage"
    IMPEDANCE = "impedance"


@dataclass(frozen=True, slots=True)
class Ask:
    """Put a question to the operator; the outcome is an ``Answer``.

    Whatever is connected is let go for it, so that other nests may go on: connect again after it.
    ``passing`` is what an operator answers who sees nothing wrong, by default the first choice.
    With ``hands_in`` somebody must reach into the fixture to answer.
    """

    question: str
    choices: tuple[str, ...]
    passing: str = ""
    hands_in: bool = False


class Photo(StrEnum):
    """What a photo is to a figure that the operator types."""

    NONE = "none"
    BESIDE = "beside"  # one must come with the figure
    INSTEAD = "instead"  # one may stand for it


@dataclass(frozen=True, slots=True)
class Enter:
    """Ask the operator for a figure with its unit; the outcome is an ``Answer`` that parses.

    Where a photo may stand for it, the answer may have no figure but a picture.
    """

    question: str
    dimension: Dimension
    target: str = ""
    photo: Photo = Photo.NONE


@dataclass(frozen=True, slots=True)
class Wait:
    """Let time pass with nothing energised; outcome None."""

    seconds: float


@dataclass(frozen=True, slots=True)
class Answer:
    """What the operator chose or typed, the account that answered, and the digest of a picture."""

    choice: str
    note: str = ""
    account: str = ""
    picture: str = ""


@dataclass(frozen=True, slots=True)
class Connect:
    """Connect an instrument's terminals to terminals of the unit in this nest; outcome None."""

    role: Role
    points: Mapping[str, tuple[str, ...]]


@dataclass(frozen=True, slots=True)
class Program:
    """Set an instrument up without energising anything; outcome None."""

    role: Role
    settings: Mapping[str, float | str]


@dataclass(frozen=True, slots=True)
class Energise:
    """Start the programmed output and follow it to its end; the outcome is an ``Output``.

    Whether it is hazardous, and that the unit is discharged after it, is the bench's affair.
    """

    role: Role


@dataclass(frozen=True, slots=True)
class Join:
    """Close crosspoints of the matrix by row and column, for the scanner's own check; None."""

    points: tuple[tuple[int, int], ...]


@dataclass(frozen=True, slots=True)
class FixtureZero:
    """Ask what the fixture shows open and shorted on a path; ``ImpedanceZero``, or None if old."""

    path: ImpedancePath


Action = Ask | Enter | Wait | FixtureZero | Join | Connect | Program | Energise


class Ending(StrEnum):
    """How an output came to its end, as the instrument tells it."""

    FINISHED = "finished"
    BREAKDOWN = "breakdown"
    ARC = "arc"
    OVER_CURRENT = "over_current"
    GUARD_OPEN = "guard_open"


@dataclass(frozen=True, slots=True)
class Sample:
    """One look at a running output. Times are the instrument's own, in seconds."""

    elapsed_s: float
    remaining_s: float
    phase: str
    values: Mapping[str, float]
    bounds: Mapping[str, Bound] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Output:
    """What an energised output did: how it ended, the instrument's summary, and the samples.

    ``ended_s`` is how long it was on and ``at_level_s`` how long at its level, both by the
    instrument's own clock; ``doubts`` say why it is not to be believed (``core.plausibility``).
    """

    ending: Ending
    summary: Mapping[str, float]
    bounds: Mapping[str, Bound] = field(default_factory=dict)
    samples: tuple[Sample, ...] = ()
    instrument: str = ""
    accuracy: Mapping[str, Accuracy] = field(default_factory=dict)
    ended_s: float = math.nan
    at_level_s: float = math.nan
    doubts: tuple[Doubt, ...] = ()

    def reading(self, name: str, dimension: Dimension, taken_from: str = "") -> Reading:
        """Give the summary's value as a reading with the instrument's uncertainty.

        ``taken_from`` names the summary's quantity where it differs from the reading's name.
        Raises KeyError when the instrument did not report it.
        """
        key = taken_from or name
        value = self.summary[key]
        spread = self.accuracy.get(key, EXACTLY).expanded(value)
        return Reading(
            name,
            value,
            dimension,
            bound=self.bounds.get(key, Bound.EXACT),
            uncertainty=spread if math.isfinite(spread) else 0.0,
            instrument=self.instrument,
        )

    @property
    def time_at_level(self) -> Reading:
        """How long the level stood, in s, by the instrument's own clock."""
        return Reading("time_at_level", self.at_level_s, TIME, instrument=self.instrument)


Outcome = Answer | Output | ImpedanceZero | None
Procedure = Generator[Action, Outcome, Measured]


def put_on(role: Role, settings: Mapping[str, float | str]) -> Generator[Action, Outcome, Output]:
    """Program an output and follow it to its end: ``output = yield from put_on(...)``."""
    yield Program(role, settings)
    output = yield Energise(role)
    if not isinstance(output, Output):
        raise ProcedureError(f"A step on the {role} instrument was sent no output.")
    return output
