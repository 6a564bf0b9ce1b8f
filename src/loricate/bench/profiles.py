"""Profiles: the TOML files that say how one make of instrument spells each abstract action."""

import tomllib
from importlib import resources
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from loricate.core.capability import Capability
from loricate.core.errors import DocumentError, Finding
from loricate.core.readings import Bound
from loricate.core.sequences import read_document
from loricate.core.uncertainty import Accuracy


class Answer(BaseModel):
    """A query and the names of its comma-separated answers; ``x:bound`` is the bound of ``x``."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    ask: str
    fields: tuple[str, ...]


class Profile(BaseModel):
    """How to speak to one make of instrument."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    format: Literal["loricate-profile/1"]
    name: str
    role: Literal["withstand", "bond", "leakage", "impedance", "matrix", "guard", "inputs"]
    identify: str = "*IDN?"
    error: str = "SYSTem:ERRor?"
    no_error: str = "0,"
    setup: tuple[str, ...] = ()
    start: str = ""
    stop: str = ""
    beat: str = ""
    residual: str = ""
    set: dict[str, str] = Field(default_factory=dict)
    sample: Answer | None = None
    summary: Answer | None = None
    done: str = "DONE"
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
    span: dict[str, tuple[float, float]] = Field(default_factory=dict)
    accuracy: dict[str, Accuracy] = Field(default_factory=dict)
    floor: dict[str, float] = Field(default_factory=dict)
    ceiling: dict[str, float] = Field(default_factory=dict)
    source_ohms: float = 0.0
    close: str = ""
    open: str = ""
    point: str = ""
    open_all: str = ""
    settled: str = ""
    state: str = ""
    closed: str = ""
    presses: str = ""
    level: str = ""

    def capability(self, instrument: str) -> Capability:
        """What an instrument of this make can do."""
        return Capability(
            instrument, self.span, self.accuracy, self.floor, self.ceiling, self.source_ohms
        )


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
    message = f"there is no profile '{name}'; put {name}.toml in a folder 'profiles' here."
    raise DocumentError("bench", (Finding("profile", message),))
