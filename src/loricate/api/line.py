"""Line options as they hold for a run or a series."""

from typing import Literal, Self

from pydantic import BaseModel, Field

from loricate.core.planning.line import Ends, LineOptions


class LineOut(BaseModel):
    """Line options with what is not said filled in; times in s."""

    start_delay_s: float
    repeat_every_s: float = Field(description="In a series; 0: only with units exchanged")
    stop_after_fails: int = Field(description="0: never")
    sounds: Ends
    verdict_stays_s: float = Field(description="Of one that is a pass; 0: until somebody acts")
    send: Literal["every", "passes", "off"]
    print: Literal["every", "passes", "off"]

    @classmethod
    def of(cls, line: LineOptions, in_series: bool = False) -> Self:
        """Those of a run, or of a series."""
        return cls(
            start_delay_s=line.delay_s,
            repeat_every_s=line.again_s,
            stop_after_fails=line.fails_in_a_series if in_series else line.fails_in_a_load,
            sounds=line.sounds or "every",
            verdict_stays_s=line.verdict_stays or 0.0,
            send=line.send or "every",
            print=line.print or "off",
        )
