"""What a procedure may ask of the bench or the operator, and what comes back.

A procedure is a generator that asks by ``yield from do(action)`` and is given what comes of
it, with its type; it never sees an instrument, a clock or a socket:

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
from typing import Any, ClassVar, Generic, NamedTuple, TypeVar, cast

from loricate.core.errors import ProcedureError
from loricate.core.measuring.curves import Curve, Sample
from loricate.core.measuring.grading import Measured
from loricate.core.measuring.holding import Entry as Entry
from loricate.core.measuring.holding import Photo as Photo
from loricate.core.measuring.holding import Until
from loricate.core.measuring.impedance import ImpedancePath, ImpedanceZero
from loricate.core.measuring.readings import Bound, Doubt, Measurand, Reading
from loricate.core.measuring.roles import Role
from loricate.core.measuring.uncertainty import EXACTLY, Accuracy
from loricate.core.quantities import TIME, Dimension
from loricate.core.wiring.description import Wiring

GivenT = TypeVar("GivenT")
Programme = Mapping[str, float | str]  # what an output is set to, by name


class Action(Generic[GivenT]):
    """Something that a procedure asks for, and the type of what it is given for it.

    ``gives`` says the same at run time: a procedure that is given something else ends at once, for
    what it measured would mean nothing.
    """

    __slots__ = ()
    gives: ClassVar[tuple[type, ...]] = (NoneType,)


@dataclass(frozen=True, slots=True)
class Beside:
    """What came with one entry of a form: a note, the digest of a picture of it.

    ``target`` is one that somebody changed for this device, as written, and ``reason`` why.
    """

    note: str = ""
    picture: str = ""
    target: str = ""
    reason: str = ""


BARE = Beside()


@dataclass(frozen=True, slots=True)
class Answer:
    """What the operator chose or typed, the account that answered, and the digest of a picture.

    ``values`` are the entries of a form by name, ``beside`` what came with them.
    """

    choice: str
    note: str = ""
    account: str = ""
    picture: str = ""
    values: Mapping[str, str] = field(default_factory=dict)
    beside: Mapping[str, Beside] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Ask(Action[Answer]):
    """Put a question to the operator.

    Whatever is connected is let go for it, so that other nests may go on: connect again after it.
    ``passing`` is what an operator answers who sees nothing wrong, by default the first choice.
    With ``hands_in`` somebody must reach into the fixture to answer; ``position`` is where the
    unit's switch is to be put for it, ``touch`` the contact that the probe is to be held to, and
    ``clip`` the contact whose clip is put somewhere, with the terminal that it is put on.
    ``then`` is what is to be done after it, one by one, hands staying in between.
    """

    question: str
    choices: tuple[str, ...]
    passing: str = ""
    hands_in: bool = False
    position: str = ""
    touch: str = ""
    then: tuple[str, ...] = ()
    clip: tuple[str, str] | None = None
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
class Tell(Action[None]):
    """Say something to whoever stands at the bench; with ``is_refusal`` that it was wrong."""

    text: str
    is_refusal: bool = False
    contacts: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class HandsIn(Action[None]):
    """Let somebody touch the unit from here to the procedure's end, whatever low voltage is on.

    No hazardous output starts anywhere before all hands are out again; of its own it may have none.
    """


@dataclass(frozen=True, slots=True)
class Recall(Action[Reading | None]):
    """Ask what the latest attempt at an earlier step read of this unit; None where it did not."""

    step: str
    measurand: Measurand
    gives: ClassVar[tuple[type, ...]] = (Reading, NoneType)


@dataclass(frozen=True, slots=True)
class UnitTemperature(Action[Reading | None]):
    """Ask for the unit's temperature (°C), as an earlier step has it; None where none has."""

    gives: ClassVar[tuple[type, ...]] = (Reading, NoneType)


@dataclass(frozen=True, slots=True)
class Keep(Action[None]):
    """Keep readings now, while a long step goes on: they are there whatever comes of it.

    ``at_s`` is when they were read, in s since the step's level stood.
    """

    readings: tuple[Reading, ...]
    at_s: float


@dataclass(frozen=True, slots=True)
class OtherCables(Action[tuple[tuple[str, Wiring], ...]]):
    """Ask which other cables are known, each position of a switch by itself: code and wiring."""

    gives: ClassVar[tuple[type, ...]] = (tuple,)


@dataclass(frozen=True, slots=True)
class FixtureZero(Action[ImpedanceZero | None]):
    """Ask what the fixture shows open and shorted on a path; None without a young enough zero."""

    path: ImpedancePath
    gives: ClassVar[tuple[type, ...]] = (ImpedanceZero, NoneType)


class LeadOhms(NamedTuple):
    """What the leads to some contacts have together, in Ω, and its expanded uncertainty."""

    ohms: float
    uncertainty: float


def without_leads(reading: Reading, leads: LeadOhms) -> Reading:
    """A resistance less that of the leads in it; both values are kept, uncertainties add."""
    spread = math.hypot(reading.uncertainty, leads.uncertainty)
    return reading.corrected("zero", reading.value - leads.ohms, spread)


@dataclass(frozen=True, slots=True)
class LeadZero(Action[LeadOhms | None]):
    """Ask what the fixture's leads to contacts have; None without a young enough zero of each.

    For a kind that reckons with what it measured, and so takes its leads off by itself.
    ``within_s`` is how old one may be, where that is less than the fixture allows.
    """

    contacts: tuple[str, ...]
    within_s: float | None = None
    gives: ClassVar[tuple[type, ...]] = (LeadOhms, NoneType)


@dataclass(frozen=True, slots=True)
class KeepZero(Action[None]):
    """Keep the zero of a path that was taken within a step, for those that come after it.

    It is kept once the step has passed with it. ``account`` is who said that the lead is where it
    is zeroed.
    """

    path: str
    reading: Reading
    account: str


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
        on_range = self.summary.get(f"{key}_range")
        spread = self.accuracy.get(key, EXACTLY).expanded(value, on_range)
        return Reading(
            quantity,
            value,
            dimension,
            bound=self.bounds.get(key, Bound.EXACT),
            uncertainty=spread if math.isfinite(spread) else 0.0,
            instrument=self.instrument,
        )

    def accuracy_of(self, quantity: str, value: float) -> float:
        """The expanded uncertainty of what the instrument says of a quantity; 0 if not known."""
        spread = self.accuracy.get(quantity, EXACTLY).expanded(value)
        return spread if math.isfinite(spread) else 0.0

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


@dataclass(frozen=True, slots=True)
class Look:
    """One look at a running output: its sample, bounded where its meter ends, and whose it is."""

    sample: Sample
    instrument: str = ""
    accuracy: Mapping[str, Accuracy] = field(default_factory=dict)
    doubts: tuple[Doubt, ...] = ()

    def reading(self, quantity: str, dimension: Dimension, taken_from: str = "") -> Reading:
        """What it shows of a quantity, with the instrument's uncertainty; NaN where it does not."""
        key = taken_from or quantity
        value = self.sample.values.get(key, math.nan)
        on_range = self.sample.values.get(f"{key}_range")
        accuracy = self.accuracy.get(key, EXACTLY)
        spread = accuracy.expanded(value, on_range) if math.isfinite(value) else 0.0
        return Reading(
            quantity,
            value,
            dimension,
            bound=self.sample.bounds.get(key, Bound.EXACT),
            uncertainty=spread if math.isfinite(spread) else 0.0,
            instrument=self.instrument,
        )


@dataclass(frozen=True, slots=True)
class Level:
    """What came of a source: a look at its level; None where the output ended before."""

    look: Look | None


@dataclass(frozen=True, slots=True)
class Source(Action[Level]):
    """Put an output on and bring it to its level, where it stays until ``Off``.

    ``programme`` is as of ``Energise``; its ``dwell_s`` is how long it stays on at most: then the
    instrument takes it off by itself. While it is on, another ``Source`` of the role brings it to
    another level: only what its make can change then may differ. ``lasts_s`` is how long it is
    meant to stand there, for whoever watches; 0 where that is not known.
    """

    role: Role
    programme: Programme
    lasts_s: float = 0.0
    gives: ClassVar[tuple[type, ...]] = (Level,)


@dataclass(frozen=True, slots=True)
class Held:
    """What came of a hold: what ended it, None where an output ended by itself.

    ``last`` and ``at`` are looks at the role that was held, ``answer`` what the operator said,
    ``runner_up`` the next highest of its samples.
    """

    met: Until | None
    held_s: float
    last: Look
    at: Mapping[float, Look] = field(default_factory=dict)
    lowest: Mapping[str, float] = field(default_factory=dict)
    highest: Mapping[str, float] = field(default_factory=dict)
    answer: Answer | None = None
    runner_up: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Hold(Action[Held]):
    """Sample a role that is on until the first that ends the hold; others that are on stay so.

    ``brings`` is what whoever works the device brings the gauge to meanwhile (SI).
    """

    role: Role
    until: tuple[Until, ...]
    brings: float = math.nan
    gives: ClassVar[tuple[type, ...]] = (Held,)


@dataclass(frozen=True, slots=True)
class Off(Action[Output]):
    """Take a role's output off, and have the unit discharged where it was hazardous."""

    role: Role
    gives: ClassVar[tuple[type, ...]] = (Output,)


@dataclass(frozen=True, slots=True)
class Watched:
    """What a watch saw, and what the output did on the whole."""

    held: Held | None
    output: Output


@dataclass(frozen=True, slots=True)
class Watch(Action[Watched]):
    """Source, hold and off in one: an output that is on to be looked at, while something is done.

    It held nothing where the output ended before its level.
    """

    role: Role
    programme: Programme
    until: tuple[Until, ...]
    gives: ClassVar[tuple[type, ...]] = (Watched,)


@dataclass(frozen=True, slots=True)
class Waveform:
    """What an instrument recorded of its last output, evenly over an x axis (SI)."""

    curve: Curve
    instrument: str


@dataclass(frozen=True, slots=True)
class Rest(Action[None]):
    """Wait until an instrument of a role may put an output on again, where it must rest between."""

    role: Role


@dataclass(frozen=True, slots=True)
class Acquire(Action[Waveform]):
    """Fetch a record of an instrument's last output, by the name that its profile gives it."""

    role: Role
    name: str
    gives: ClassVar[tuple[type, ...]] = (Waveform,)


@dataclass(frozen=True, slots=True)
class Scanned:
    """What came of a list of paths: of each quantity that was asked for a reading a path."""

    output: Output
    readings: Mapping[str, tuple[Reading, ...]]


@dataclass(frozen=True, slots=True)
class Scan(Action[Scanned]):
    """Connect one path after another and measure each for ``slot_s`` (s), settling included.

    Where instrument and matrix can, they go through the list by themselves. ``programme`` is what
    is set beside the number of points and the time; ``reads`` are the records that are wanted, by
    the quantities that the instrument's profile calls them by.
    """

    role: Role
    programme: Programme
    paths: tuple[Mapping[str, tuple[str, ...]], ...]
    slot_s: float
    reads: tuple[str, ...]
    gives: ClassVar[tuple[type, ...]] = (Scanned,)


@dataclass(frozen=True, slots=True)
class Switch(Action[None]):
    """Change what an instrument is connected to by what differs: the rest stays closed."""

    role: Role
    add: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    remove: Mapping[str, tuple[str, ...]] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Form(Action[Answer]):
    """Ask for several entries at once; the answer's ``values`` has each by its name, and parses."""

    question: str
    entries: tuple[Entry, ...]
    gives: ClassVar[tuple[type, ...]] = (Answer,)


AnyAction = (
    Ask
    | Enter
    | Form
    | Wait
    | At
    | Tell
    | HandsIn
    | Recall
    | UnitTemperature
    | Keep
    | OtherCables
    | FixtureZero
    | LeadZero
    | KeepZero
    | Connect
    | Switch
    | Join
    | Energise
    | Source
    | Hold
    | Off
    | Watch
    | Rest
    | Acquire
    | Scan
)  # a driver's match must name each of them
R = TypeVar("R")
Asking = Generator[AnyAction, Any, R]
Procedure = Asking[Measured]


def do(action: Action[GivenT]) -> Generator[AnyAction, Any, GivenT]:
    """Ask for an action: ``output = yield from do(Energise(...))``; raises ProcedureError."""
    given: GivenT = yield cast("AnyAction", action)
    if not isinstance(given, action.gives):
        raise ProcedureError(f"A procedure that asked {action!r} was given {given!r}.")
    return given
