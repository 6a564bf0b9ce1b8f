"""What daily checks have read of their reference boxes, as trends take it.

The boxes do not change: what drifts is an instrument, a lead or a contact.
"""

import math
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Literal

from loricate.core.measuring.grading import Cause
from loricate.core.measuring.readings import Bound
from loricate.core.trends.observations import Observation

Box = Literal["good", "bad"]
BOXES: tuple[Box, ...] = ("good", "bad")


@dataclass(frozen=True, slots=True)
class BoxMeasurand:
    """A measurand of a step on one reference box, by one instrument."""

    box: Box
    serial: str
    step: str
    quantity: str
    point: str
    instrument: str


@dataclass(frozen=True, slots=True)
class BoxReading:
    """One reading of it in one check, with the step's title and the reading's dimension."""

    of: BoxMeasurand
    title: str
    dimension: str
    observed: Observation


def box_readings(checks: Iterable[Mapping[str, Any]]) -> Iterator[BoxReading]:
    """Every reading of the boxes in the reports of checks, as they come.

    ``checks`` are records: ``id``, ``ended_at``, ``account``, ``fixture``, ``report``. Checks of
    before readings were kept as figures have none.
    """
    for check in checks:
        report = check["report"]
        for box in BOXES:
            serial = report[box]["serial"]
            for step in report[box]["steps"]:
                for reading in step["readings"]:
                    if "quantity" in reading:
                        yield _box_reading(check, box, serial, step, reading)


def _box_reading(
    check: Mapping[str, Any],
    box: Box,
    serial: str,
    step: Mapping[str, Any],
    reading: Mapping[str, Any],
) -> BoxReading:
    value, instrument = reading["value"], reading["instrument"]
    of = BoxMeasurand(box, serial, step["id"], reading["quantity"], reading["point"], instrument)
    groups = (
        ("fixture", check["fixture"]),
        ("nest", f"{check['fixture']}/{check['report']['nest']}"),
        ("instrument", instrument),
        ("operator", check["account"]),
    )
    observed = Observation(
        check["id"],
        check["ended_at"],
        math.nan if value is None else value,
        Bound(reading["bound"]),
        reading["uncertainty"],
        reading["minimum"],
        reading["maximum"],
        step["verdict"],
        # The bad box is made to fail: only what speaks against the instrument counts.
        Cause(step["cause"]),
        serial,
        groups=groups,
    )
    return BoxReading(of, step["title"], reading["dimension"], observed)
