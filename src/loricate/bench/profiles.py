"""Profiles: the TOML files that say how one make of instrument spells each abstract action."""

import math
import re
import tomllib
from collections.abc import Mapping
from dataclasses import replace
from importlib import resources
from pathlib import Path
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, WithJsonSchema, model_validator

from loricate.core.documents import fault_at, read_document
from loricate.core.errors import DocumentError, Finding
from loricate.core.measuring.actions import Ending
from loricate.core.measuring.instruments import Capability
from loricate.core.measuring.readings import Bound
from loricate.core.measuring.roles import LEAKAGE, ROLES, Role
from loricate.core.measuring.scpi_values import read_value
from loricate.core.measuring.uncertainty import Accuracy
from loricate.core.quantities import DIMENSIONS, Dimension

# What a matrix must spell that goes through a list of paths by itself.
SCAN = (
    "scan_clear",
    "scan_add",
    "scan_count",
    "scan_list",
    "scan_start",
    "scan_stop",
    "scan_taken",
    "scan_missed",
)
_OUTPUT = ("start", "stop", "sample", "summary")
_SAMPLE, _SUMMARY = ("phase", "elapsed_s"), ("ending",)
_COMMAND = re.compile(r"(?P<header>[A-Za-z*:][\w*:]*) \{value\}")
_UNITS = ("_v", "_a", "_s", "_hz")
ROUNDED = 1e-4  # of a setting that may be lost in writing and reading it
# What the profile of a part that is no instrument must spell; a role says so itself.
PARTS: dict[str, tuple[str, ...]] = {
    "matrix": ("close", "open", "point", "open_all", "settled"),
    "guard": ("state", "closed"),
    "inputs": ("presses", "level"),
    "climate": ("temperature", "humidity"),
}


def _check_part(name: str) -> str:
    if name in PARTS or name in ROLES:
        return name
    known = ", ".join((*ROLES, *PARTS))
    raise ValueError(f"there is no role '{name}'; there are {known}.")


Part = Annotated[
    str,
    AfterValidator(_check_part),
    WithJsonSchema({"type": "string", "enum": [*ROLES, *PARTS]}),
]


class Answer(BaseModel):
    """A query and the names of its separated answers; ``x:bound`` is the bound of ``x``.

    An empty name stands for a part that is not used.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    ask: str
    fields: tuple[str, ...]


class HighSide(BaseModel):
    """What a meter on the high side costs: its floors and accuracies, where they are others."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    floor: dict[str, float] = Field(default_factory=dict)
    accuracy: dict[str, Accuracy] = Field(default_factory=dict)


Form = Literal["text", "int16_big", "int16_little", "float32_big", "float32_little"]


class Record(BaseModel):
    """A record of an output: ``about`` asks for its start, step and length, ``ask`` for its values.

    ``axis`` and ``quantity`` name what it is over and of; ``scale`` is the instrument's unit in SI.
    ``form`` is how it is told: numbers in a line, or an IEEE 488.2 block of them.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    about: str
    ask: str
    quantity: str
    dimension: str
    axis: str = "time"
    axis_dimension: str = "time"
    scale: Annotated[float, Field(gt=0)] = 1.0
    form: Form = "text"

    @model_validator(mode="after")
    def _dimensions_are_known(self) -> "Record":
        for place in ("dimension", "axis_dimension"):
            if (name := getattr(self, place)) not in DIMENSIONS:
                raise fault_at(place, f"'{name}' is none", f"there are {', '.join(DIMENSIONS)}.")
        return self


class Profile(BaseModel):
    """How to speak to one make of instrument.

    ``scale`` gives, by name of a setting or quantity, the instrument's unit in SI: 1e-3 where it
    writes and takes mA. ``words`` gives its word for each of ours in a setting. ``joined`` stands
    between the settings of one message; where it is empty each is sent by itself. ``read_back``
    asks for a setting where it is not what SCPI makes of its command, ``not_read_back`` names those
    that the make cannot tell, and ``resolution`` how finely it keeps one (SI). ``lock`` asks
    to have the instrument alone, which ``1`` grants, and ``lock_owner`` who has it. ``dimensions``
    are of what this make samples beside what its role says. ``finish`` has a running output fall
    and end, which ``stop`` cuts; ``adjustable`` are the settings that may change under it.
    ``waveforms`` are the records that can be fetched of the last output. ``high_side`` is of a
    source whose ``return_side`` can be set. ``earthed`` asks for how long (s) a unit has been
    discharged since the output fell; ``off_within_s`` is how long the make may take to be off.
    ``clock`` asks for how long (s) an instrument has been on that must rest between its outputs.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    format: Literal["loricate-profile/1"]
    name: str
    role: Part
    identify: str = "*IDN?"
    lock: str = ""
    lock_owner: str = ""
    error: str = "SYSTem:ERRor?"
    no_error: str = "0,"
    tells_serial: bool = True
    setup: tuple[str, ...] = ()
    after_setup: dict[str, str] = Field(default_factory=dict)
    start: str = ""
    stop: str = ""
    finish: str = ""
    adjustable: tuple[str, ...] = ()
    beat: str = ""
    residual: str = ""
    earthed: str = ""
    clock: str = ""
    off_within_s: Annotated[float, Field(ge=0, le=3600)] = 0.0
    output: str = ""
    output_off: str = "0"
    set: dict[str, str] = Field(default_factory=dict)
    words: dict[str, dict[str, str]] = Field(default_factory=dict)
    read_back: dict[str, str] = Field(default_factory=dict)
    not_read_back: tuple[str, ...] = ()
    told_words: dict[str, dict[str, str]] = Field(default_factory=dict)
    resolution: dict[str, Annotated[float, Field(gt=0)]] = Field(default_factory=dict)
    joined: str = ";:"
    separator: str = ","
    scale: dict[str, Annotated[float, Field(gt=0)]] = Field(default_factory=dict)
    sample: Answer | None = None
    summary: Answer | None = None
    idle: str = "IDLE"
    done: str = "DONE"
    phases: dict[str, str] = Field(
        default_factory=lambda: {"RAMP": "ramp", "DWELL": "dwell", "FALL": "fall"}
    )
    endings: dict[str, str] = Field(
        default_factory=lambda: {
            "FINISHED": "finished",
            "BREAKDOWN": "breakdown",
            "ARC": "arc",
            "OVERCURRENT": "over_current",
            "GUARD": "guard_open",
        }
    )
    bounds: dict[str, Bound] = Field(
        default_factory=lambda: {"NORMAL": Bound.EXACT, "UNDER": Bound.BELOW, "OVER": Bound.ABOVE}
    )
    overflow: tuple[str, ...] = ()
    span: dict[str, tuple[float, float]] = Field(default_factory=dict)
    accuracy: dict[str, Accuracy] = Field(default_factory=dict)
    dimensions: dict[str, str] = Field(default_factory=dict)
    waveforms: dict[str, Record] = Field(default_factory=dict)
    floor: dict[str, float] = Field(default_factory=dict)
    ceiling: dict[str, float] = Field(default_factory=dict)
    high_side: HighSide | None = None
    source_ohms: float = 0.0
    open_circuit_v: float | None = None
    close: str = ""
    open: str = ""
    point: str = ""
    open_all: str = ""
    closed_points: str = ""
    most_closed: str = ""
    scan_clear: str = ""
    scan_add: str = ""
    scan_count: str = ""
    scan_list: str = ""
    scan_start: str = ""
    scan_stop: str = ""
    scan_taken: str = ""
    scan_missed: str = ""
    settled: str = ""
    state: str = ""
    closed: str = ""
    presses: str = ""
    level: str = ""
    temperature: str = ""
    humidity: str = ""

    @model_validator(mode="after")
    def _has_what_its_role_needs(self) -> "Profile":
        facts = ROLES.get(Role(self.role))
        spells = PARTS.get(self.role, _OUTPUT)
        if facts is not None and facts.reads_residual:
            spells = (*spells, "residual")
        if facts is not None and facts.keeps_current:
            spells = (*spells, "output")
        sets, reports = (facts.sets, facts.reports) if facts is not None else ((), ())
        lacking = [name for name in spells if not getattr(self, name)]
        lacking += [f"set.{name}" for name in sets if name not in self.set]
        lacking += [
            f"read_back.{name}"
            for name in self.set
            if not self.asked(name) and name not in self.not_read_back
        ]
        for part, answer, wanted in (
            ("sample", self.sample, _SAMPLE),
            ("summary", self.summary, (*_SUMMARY, *reports)),
        ):
            if answer is not None:
                lacking += [f"{part}.{name}" for name in wanted if name not in answer.fields]
        if self.summary is not None:
            lacking += [f"ceiling.{name}" for name in self.measured if name not in self.ceiling]
        if self.role == "bond" and self.open_circuit_v is None:
            lacking.append("open_circuit_v")
        if lacking:
            mute = any(name.startswith("read_back.") for name in lacking)
            remedy = ", or name in not_read_back what the make cannot tell" if mute else ""
            raise ValueError(
                f"lacks {', '.join(lacking)}, which a {self.role} instrument must have; "
                f"add them{remedy}."
            )
        if strange := sorted({*self.not_read_back, *self.read_back} - set(self.set)):
            place = "read_back" if strange[0] in self.read_back else "not_read_back"
            raise fault_at(place, f"has {', '.join(strange)}, which set has not", "add them.")
        if ("return_side" in self.set) != (self.high_side is not None):
            place = "high_side" if self.high_side is None else "set.return_side"
            raise fault_at(place, "is missing: one says what the other costs", "add it.")
        scan = {name: getattr(self, name) for name in SCAN}
        if any(scan.values()) and not all(scan.values()):
            lacking = [name for name, spelled in scan.items() if not spelled]
            raise fault_at(lacking[0], "is missing", f"a scan needs {', '.join(SCAN)}.")
        if strange := sorted(set(self.adjustable) - set(self.set)):
            raise fault_at(
                "adjustable", f"has {', '.join(strange)}, which set has not", "add them."
            )
        if strange := sorted(set(self.phases.values()) - {"ramp", "dwell", "fall"}):
            raise fault_at("phases", f"names {', '.join(strange)}", "there are ramp, dwell, fall.")
        if strange := sorted(set(self.dimensions.values()) - set(DIMENSIONS)):
            known = ", ".join(DIMENSIONS)
            raise fault_at("dimensions", f"names {', '.join(strange)}", f"there are {known}.")
        unknown = sorted(set(self.endings.values()) - {str(each) for each in Ending})
        if unknown:
            known = ", ".join(Ending)
            raise fault_at("endings", f"names {', '.join(unknown)}", f"there are {known}.")
        return self

    @property
    def scans(self) -> bool:
        """Whether a matrix of this make goes through a list of paths by itself."""
        return bool(self.scan_start)

    def asked(self, name: str) -> str:
        """The query that tells a setting; empty where the make cannot tell it.

        As SCPI-1999 has it: what a command sets, its header with a question mark asks.
        """
        if name in self.not_read_back:
            return ""
        command = _COMMAND.fullmatch(self.set.get(name, ""))
        return self.read_back.get(name, f"{command['header']}?" if command is not None else "")

    def is_set(self, name: str, value: float | str, answer: str) -> bool:
        """Whether an answer says that ``name`` is set to ``value`` (SI)."""
        told = answer.strip().strip("\"'").removeprefix("(@").removesuffix(")")  # a channel list
        if isinstance(value, float | int):
            apart = abs(read_value(told) * self.scale.get(name, 1.0) - value)
            return apart <= max(self.resolution.get(name, 0.0), ROUNDED * abs(value))
        word = self.told_words.get(name, {}).get(value) or self._word(name, value)
        # As SCPI-1999 has it, a word is told in its short form: the capitals of its spelling.
        short = "" if word in (word.lower(), word.upper()) else re.sub("[a-z]", "", word)
        return bool(told) and told.casefold() in (word.casefold(), short.casefold())

    @property
    def sampled(self) -> Mapping[str, Dimension]:
        """The dimensions of what it samples: its role's, and those of its own."""
        facts = ROLES.get(Role(self.role))
        own = {name: DIMENSIONS[each] for name, each in self.dimensions.items()}
        return {**(facts.samples if facts is not None else {}), **own}

    @property
    def usual(self) -> Mapping[str, str]:
        """What an instrument of its role does that cannot be set otherwise."""
        facts = ROLES.get(Role(self.role))
        return facts.usual if facts is not None else {}

    @property
    def keeps_current(self) -> bool:
        """Whether a winding keeps the current of such an instrument when it is taken off."""
        facts = ROLES.get(Role(self.role))
        return facts is not None and facts.keeps_current

    @property
    def unseen(self) -> tuple[str, ...]:
        """What nobody hears back from this make, in words: what was sent is all that is known."""
        settings = tuple(in_words(name) for name in self.set if not self.asked(name))
        serial = () if self.tells_serial or self.role in PARTS else ("serial number",)
        relays = ("closed relays",) if self.role == "matrix" and not self.closed_points else ()
        return settings + serial + relays

    @property
    def measured(self) -> tuple[str, ...]:
        """What its summary measures, by name."""
        fields = self.summary.fields if self.summary is not None else ()
        return tuple(
            name
            for name in fields
            if name and name not in ("ending", "at_level_s") and not name.endswith(":bound")
        )

    def spelled(self, name: str, value: float | str) -> str | None:
        """The line that sets ``name`` to ``value`` (SI); None where the profile cannot set it."""
        line = self.set.get(name)
        if line is None:
            return None
        if isinstance(value, str):
            text = self._word(name, value)
        else:
            text = f"{value / self.scale.get(name, 1.0):.9g}"
        return line.format(value=text)

    def _word(self, name: str, value: str) -> str:
        return self.words.get(name, {}).get(value, value)

    def value(self, name: str, text: str) -> float:
        """A quantity as the instrument wrote it, in SI; NaN or infinity where it is no number."""
        if text in self.overflow:
            return math.inf
        return read_value(text) * self.scale.get(name, 1.0)

    def points_in(self, text: str) -> frozenset[tuple[int, int]] | None:
        """The crosspoints, row and column, that a matrix names; None in an answer of another sort.

        Besides points there are only signs in it: a word or a number answers something else.
        """
        pattern = re.escape(self.point).replace(r"\{row\}", r"(?P<row>\d+)")
        pattern = pattern.replace(r"\{column\}", r"(?P<column>\d+)")
        if re.search(r"\w", re.sub(pattern, "", text)):
            return None
        return frozenset(
            (int(found["row"]), int(found["column"])) for found in re.finditer(pattern, text)
        )

    @property
    def _parts(self) -> dict[str, tuple[float, float]]:
        """How many there are of what a make of its role may lack altogether."""
        sampled = self.sample.fields if self.sample is not None else ()
        parts = {"high_side": (0.0, float(self.high_side is not None))}
        if self.role == LEAKAGE:
            parts["dc"] = (0.0, float("dc_current" in sampled))
            parts["leads"] = (0.0, math.inf if "measured" in self.set else 0.0)
        return parts

    def capability(self, instrument: str) -> Capability:
        """What an instrument of this make can do."""
        usual = Capability(
            instrument,
            {**self._parts, **self.span},
            self.accuracy,
            self.floor,
            self.ceiling,
            self.source_ohms,
            self.open_circuit_v,
        )
        if self.high_side is None:
            return usual
        high = replace(
            usual,
            accuracy={**self.accuracy, **self.high_side.accuracy},
            floor={**self.floor, **self.high_side.floor},
        )
        return replace(usual, high_side=high)


def in_words(name: str) -> str:
    """The name of a setting for people: without its unit."""
    for unit in _UNITS:
        name = name.removesuffix(unit)
    return name.replace("_", " ")


def read_profile(name: str, beside: Path | None = None) -> Profile:
    """Read a profile by name: from ``profiles/`` beside the bench file, else one that ships.

    Raises DocumentError when it does not exist or is wrong.
    """
    places = [beside / "profiles" / f"{name}.toml"] if beside is not None else []
    shipped = resources.files("loricate.bench") / "profiles" / f"{name}.toml"
    for place in [*places, shipped]:
        if place.is_file():
            data = tomllib.loads(place.read_text(encoding="utf-8"))
            return read_document(Profile, data, f"profile '{name}'")
    message = f"there is no profile '{name}'", f"put {name}.toml in a folder 'profiles' here."
    raise DocumentError("bench", (Finding("profile", *message),))
