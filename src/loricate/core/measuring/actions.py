"""What a procedure may ask of the bench or the operator, and what comes back.

A procedure is a generator that asks by ``yield from do(action)`` and is given that action's outcome
with its type; it never sees an instrument, a clock or a socket:

    def procedure(self, points, limits):
        yield from do(Connect(BOND, {"high": (self.high,), "low": (self.low,)}))
        output = yield from do(Energise(BOND, {"level_a": 10.0, "dwell_s": 1.0}))
        return Measured((output.reading("voltage", VOLTAGE),))

Values are in SI units; the keys of a programme carry theirs (``level_v``, ``dwell_s``), as profiles
do. Whoever performs procedures does so with a ``core.measuring.driving.Driver``.
"""

import math
from collections.abc import Generator, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from types import NoneType
from typing import Any, ClassVar, Generic, TypeVar, cast

from loricate.core.errors import ProcedureError
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.grading import Measured
from loricate.core.measuring.impedance import ImpedancePath, ImpedanceZero
from loricate.core.measuring.readings import Bound, Doubt, Measurand, Reading
from loricate.core.measuring.roles import Role
from loricate.core.measuring.uncertainty import EXACTLY, Accuracy
from loricate.core.quantities import TIME, Dimension

OutcomeT = TypeVar("OutcomeT")
Programme = Mapping[str, float | str]  # what an output is set to, by name


class Action(Generic[OutcomeT]):
    """Something that a procedure asks for, and the type of what it is given for it.

    ``gives`` says the same at run time: a procedure that is given something else ends at once, for
    what it measured would mean nothing.
    """

    __slots__ = ()
    gives: ClassVar[tuple[type, ...]] = (NoneType,)


class Photo(StrEnum):
    """What a photo is to a figure that the operator types."""

    NONE = "none"
    BESIDE = "beside"  # one must come with the figure
    INSTEAD = "instead"  # one may stand for it


@dataclass(frozen=True, slots=True)
class Answer:
    """What the operator chose or typed, the account that answered, and the digest of a picture."""

    choice: str
    note: str = ""
    account: str = ""
    picture: str = ""


@dataclass(frozen=True, slots=True)
class Ask(Action[Answer]):
    """Put a question to the operator.

    Whatever is connected is let go for it, so that other nests may go on: connect again after it.
    ``passing`` is what an operator answers who sees nothing wrong, by default the first choice.
    With ``hands_in`` somebody must reach into the fixture to answer.
    """

    question: str
    choices: tuple[str, ...]
    passing: str = ""
    hands_in: bool = False
    gives: ClassVar[tuple[type, ...]] = (Answer,)


@dataclass(frozen=True, slots=True)
class Enter(Action[Answer]):
    """Ask the operator for a figure with its unit; the answer parses.

    Where a photo may stand for it, the answer may have no figure but a picture.
    """

    question: str
    dimension: Dimension
    target: str = ""
    photo: Photo = Photo.NONE
    gives: ClassVar[tuple[type, ...]] = (Answer,)


@dataclass(frozen=True, slots=True)
class Wait(Action[None]):
    """Let time pass with nothing energised."""

    seconds: float


@dataclass(frozen=True, slots=True)
class At(Action[None]):
    """Say that the procedure has come to a point, the ``number``-th of so many.

    What is sampled from here on is of that point.
    """

    point: str
    number: int
    of: int


@dataclass(frozen=True, slots=True)
class Recall(Action[Reading | None]):
    """Ask what the latest attempt at an earlier step read of this unit; None where it did not."""

    step: str
    measurand: Measurand
    gives: ClassVar[tuple[type, ...]] = (Reading, NoneType)


@dataclass(frozen=True, slots=True)
class FixtureZero(Action[ImpedanceZero | None]):
    """Ask what the fixture shows open and shorted on a path; None without a young enough zero."""

    path: ImpedancePath
    gives: ClassVar[tuple[type, ...]] = (ImpedanceZero, NoneType)


@dataclass(frozen=True, slots=True)
class Connect(Action[None]):
    """Connect an instrument's terminals to terminals of the unit in this nest.

    What was connected for its role before is let go, but for what stays the same.
    """

    role: Role
    points: Mapping[str, tuple[str, ...]]


@dataclass(frozen=True, slots=True)
class Join(Action[None]):
    """Close crosspoints of the matrix by row and column, for the scanner's own check."""

    points: tuple[tuple[int, int], ...]


class Ending(StrEnum):
    """How an output came to its end, as the instrument tells it."""

    FINISHED = "finished"
    BREAKDOWN = "breakdown"
    ARC = "arc"
    OVER_CURRENT = "over_current"
    GUARD_OPEN = "guard_open"


@dataclass(frozen=True, slots=True)
class Output:
    """What an energised output did: how it ended, the instrument's summary, and the samples.

    ``ended_s`` is how long it was on and ``at_level_s`` how long at its level, both by the
    instrument's own clock; ``doubts`` say why it is not to be believed (``plausibility``).
    ``dimensions`` are those of its samples.
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
    dimensions: Mapping[str, Dimension] = field(default_factory=dict)

    def reading(self, quantity: str, dimension: Dimension, taken_from: str = "") -> Reading:
        """Give the summary's value as a reading with the instrument's uncertainty.

        ``taken_from`` names the summary's quantity where it differs from the reading's. Raises
        KeyError when the instrument did not report it.
        """
        key = taken_from or quantity
        value = self.summary[key]
        spread = self.accuracy.get(key, EXACTLY).expanded(value)
        return Reading(
            quantity,
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


@dataclass(frozen=True, slots=True)
class Energise(Action[Output]):
    """Program an output, start it and follow it to its end.

    Whether it is hazardous, and that the unit is discharged after it, is the bench's affair.
    """

    role: Role
    programme: Programme
    gives: ClassVar[tuple[type, ...]] = (Output,)


AnyAction = (
    Ask | Enter | Wait | At | Recall | FixtureZero | Connect | Join | Energise
)  # a driver's match must name each of them
R = TypeVar("R")
Asking = Generator[AnyAction, Any, R]
Procedure = Asking[Measured]


def do(action: Action[OutcomeT]) -> Generator[AnyAction, Any, OutcomeT]:
    """Ask for an action: ``output = yield from do(Energise(...))``; raises ProcedureError."""
    outcome: OutcomeT = yield cast("AnyAction", action)
    if not isinstance(outcome, action.gives):
        raise ProcedureError(f"A procedure that asked {action!r} was given {outcome!r}.")
    return outcome
