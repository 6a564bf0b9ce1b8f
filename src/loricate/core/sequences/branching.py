"""When a step is done: outcomes of named earlier steps, as plain data.

A step whose `when` is not met is skipped: it is `not_run` with the cause `skipped`, and the unit
can still pass. A step that is required all the same leaves the unit without a pass.
"""

from collections.abc import Iterable, Mapping, Sequence
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from loricate.core.errors import Finding
from loricate.core.limits.limit import Code
from loricate.core.measuring.grading import Verdict


class Outcome(BaseModel):
    """An outcome of an earlier step."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    step: Code = Field(title="Step")
    outcome: Literal["pass", "fail", "inconclusive", "not_run"] = Field(title="Outcome")

    def __str__(self) -> str:
        return f"{self.step} {self.outcome.replace('_', ' ')}"


class When(BaseModel):
    """The outcomes under which a step is done: all of some, any of others."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    all: tuple[Outcome, ...] = Field(default=(), title="All of")
    any: tuple[Outcome, ...] = Field(default=(), title="Any of")

    @model_validator(mode="after")
    def _says_something(self) -> "When":
        if not self.all and not self.any:
            raise ValueError("names no outcome; give all or any of some, or leave it out.")
        return self

    @property
    def text(self) -> str:
        """The outcomes in words."""
        parts = [" and ".join(map(str, self.all)), " or ".join(map(str, self.any))]
        return "; and ".join(part for part in parts if part)

    @property
    def outcomes(self) -> tuple[Outcome, ...]:
        """Every outcome that it names."""
        return (*self.all, *self.any)


def is_wanted(when: When | None, outcomes: Mapping[str, Verdict]) -> bool:
    """Whether a step is to be done; ``outcomes`` are the latest verdicts of the steps so far."""
    if when is None:
        return True
    came = {name: str(verdict) for name, verdict in outcomes.items()}
    every = all(came.get(each.step) == each.outcome for each in when.all)
    some = not when.any or any(came.get(each.step) == each.outcome for each in when.any)
    return every and some


def when_findings(path: str, when: When | None, earlier: Sequence[str]) -> Iterable[Finding]:
    """Outcomes of steps that do not come before; a step can wait for nothing else."""
    for each in when.outcomes if when is not None else ():
        if each.step not in earlier:
            known = ", ".join(earlier) or "none"
            yield Finding(
                f"{path}.when",
                f"names step '{each.step}', which does not come before it",
                f"before it come {known}.",
            )
