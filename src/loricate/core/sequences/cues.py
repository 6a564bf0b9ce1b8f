"""Cues: instructions shown to the operator at a moment of a step, in passing or to be answered."""

from enum import StrEnum
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field


class Moment(StrEnum):
    """When a cue is shown."""

    BEFORE = "before"
    DURING = "during"
    AFTER = "after"
    AFTER_PASS = "after_pass"
    AFTER_FAIL = "after_fail"  # after anything that is not a pass


Choice = Annotated[str, Field(min_length=1, max_length=40)]


class Cue(BaseModel):
    """A text, with a picture if need be. With ``choices`` it waits for one of them."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    at: Moment = Moment.BEFORE
    text: str = Field(min_length=1, max_length=300)
    choices: tuple[Choice, ...] = Field(
        default=(), max_length=6, description="The answers to choose from; none: shown in passing"
    )
    picture: str = Field(
        default="",
        max_length=200,
        description="SHA-256 of a picture that the service keeps; in a file also the path of one "
        "beside it, which `loricate sequence add` sends",
    )

    hands_in: bool = Field(
        default=False,
        title="Hands in",
        description="Somebody reaches into the fixture for it: no hazardous output is on from when "
        "it is put until the hands are out, the guard is closed and that was said",
    )

    @property
    def demands_answer(self) -> bool:
        """Whether its nest waits until somebody has answered."""
        return bool(self.choices)


def cues_at(cues: tuple[Cue, ...], *moments: Moment) -> tuple[Cue, ...]:
    """The cues of these moments, in the order written."""
    return tuple(cue for cue in cues if cue.at in moments)


def cues_after(cues: tuple[Cue, ...], passed: bool) -> tuple[Cue, ...]:
    """The cues to show once a step has ended."""
    return cues_at(cues, Moment.AFTER, Moment.AFTER_PASS if passed else Moment.AFTER_FAIL)
