"""Line options: how a sequence, or a load of it, goes on a line, whatever it measures.

A sequence says them in its ``[line]``; whoever makes a load or a series may say otherwise for that.
None of them decides a verdict.
"""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from loricate.core.measuring.grading import Verdict
from loricate.core.quantities import Seconds

Ends = Literal["every", "passes", "fails", "off"]
FAILS_IN_A_SERIES = 3


class LineOptions(BaseModel):
    """What is said of how a load goes; what is not said is None."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    start_delay: Annotated[Seconds, Field(ge=0, le=600)] | None = Field(
        default=None,
        title="Delay after the start",
        description="Between the start and the first step; none by default",
    )
    repeat_every: Annotated[Seconds, Field(ge=0, le=86_400)] | None = Field(
        default=None,
        title="Begin again every",
        description="In a series, from start to start: with the units that were plugged in since, "
        "or the same ones again where all stayed in; 0 s: only with units that were exchanged",
    )
    stop_after_fails: Annotated[int, Field(ge=0, le=1000)] | None = Field(
        default=None,
        title="Stop after fails",
        description="In a series so many in a row, then an engineer is asked for (3 by default); "
        "in a load so many units, then no step is begun any more (never by default); 0: never",
    )
    sounds: Ends | None = Field(
        default=None, title="Sound at an end", description="Of every load by default"
    )
    verdict_stays: Annotated[Seconds, Field(ge=0, le=3600)] | None = Field(
        default=None,
        title="Verdict stays",
        description="Then the console makes room for the next load; one that is no pass stays "
        "until somebody acts. 0 s: until somebody acts, which is the default",
    )
    send: Literal["every", "passes", "off"] | None = Field(
        default=None,
        title="Documents sent",
        description="Which go to the site's folder of exports: every unit's by default",
    )
    print: Literal["every", "passes", "off"] | None = Field(
        default=None,
        title="Documents printed",
        description="Which are printed on the site's printer: none by default",
    )

    def over(self, others: "LineOptions") -> "LineOptions":
        """These where they are said, the others where they are not."""
        return others.model_copy(update=self.model_dump(exclude_none=True))

    @property
    def delay_s(self) -> float:
        """How long after its start a run begins its first step, in s."""
        return self.start_delay or 0.0

    @property
    def again_s(self) -> float:
        """From start to start in a series, in s; 0 where units must be exchanged first."""
        return self.repeat_every or 0.0

    @property
    def fails_in_a_series(self) -> int:
        """After so many fails in a row a series is held; 0: never."""
        return FAILS_IN_A_SERIES if self.stop_after_fails is None else self.stop_after_fails

    @property
    def fails_in_a_load(self) -> int:
        """After so many failed units a load does nothing more; 0: never."""
        return self.stop_after_fails or 0

    def sends(self, verdict: str) -> bool:
        """Whether the document of a unit that came out so goes out by itself."""
        return _is_one(self.send or "every", verdict)

    def prints(self, verdict: str) -> bool:
        """Whether the document of a unit that came out so is printed by itself."""
        return _is_one(self.print or "off", verdict)


def _is_one(of: str, verdict: str) -> bool:
    return of == "every" or (of == "passes" and verdict == Verdict.PASS)


NOTHING_SAID = LineOptions()
