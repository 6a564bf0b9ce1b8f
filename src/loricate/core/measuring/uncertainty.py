"""From an instrument's accuracy figures to an expanded uncertainty."""

import math
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

COVERAGE_FACTOR = 2.0


class Accuracy(BaseModel):
    """An accuracy statement: a fraction of the reading, a fraction of range, or an absolute part.

    ``of_reading`` and ``of_range`` are fractions (0.01 is 1 %); ``range`` and ``absolute`` are in
    the SI unit of what is measured. ``distribution`` is rectangular unless the instrument's
    calibration certificate says otherwise (GUM 4.3.7).
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    of_reading: Annotated[float, Field(ge=0, lt=1)] = 0.0
    of_range: Annotated[float, Field(ge=0, lt=1)] = 0.0
    range: Annotated[float, Field(ge=0)] = 0.0
    absolute: Annotated[float, Field(ge=0)] = 0.0
    distribution: Annotated[str, Field(pattern="^(rectangular|normal)$")] = "rectangular"

    def expanded(self, value: float, on_range: float | None = None) -> float:
        """Give U (k = 2) at a reading of ``value``, in the same unit.

        ``on_range`` is the range that it was read on, where the instrument tells it.

        A rectangular half-width a has the standard uncertainty a/√3 (GUM 4.3.7); a ``normal``
        statement is taken as given at k = 2.
        """
        full_scale = self.range if on_range is None else on_range
        half_width = abs(value) * self.of_reading + full_scale * self.of_range + self.absolute
        if self.distribution == "normal":
            return half_width
        return COVERAGE_FACTOR * half_width / math.sqrt(3)


EXACTLY = Accuracy()
