"""A table whose output runs out by itself: what is left is measured with mains put on anew."""

from collections.abc import Callable
from dataclasses import replace

import pytest

from loricate.core.kinds.leakage import Leakage
from loricate.core.measuring.actions import (
    AnyAction,
    Ending,
    Held,
    Hold,
    Level,
    Look,
    Off,
    Output,
    Source,
)
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.grading import Cause, Fault, Measured
from tests.core.leakage.test_table import fluid_warmer

TABLE = Leakage.model_validate({"path": "patient", "connections": "each", "supply": "262 V"})
NAMES = [point.name for point in TABLE.points(fluid_warmer())]
SEEN = {"voltage": 262.0, "current": 5e-6, "load_current": 1.4}
LOOK = Look(Sample(1.0, 9.0, "dwell", SEEN), "LK1")
RAN_OUT = Output(Ending.FINISHED, SEEN, instrument="LK1", ended_s=66.0, at_level_s=66.0)


def driven(
    runs_out: Callable[[int], bool], off: Output = RAN_OUT
) -> tuple[Measured, list[AnyAction]]:
    """Drive the table; the holds, counted from 0, of which that is true end by themselves."""
    procedure = TABLE.procedure(TABLE.points(fluid_warmer()), {})
    asked: list[AnyAction] = []
    holds = 0
    outcome: object = None
    try:
        while True:
            action = procedure.send(outcome) if asked else next(procedure)
            asked.append(action)
            outcome = None
            match action:
                case Source():
                    outcome = Level(LOOK)
                case Hold():
                    met = None if runs_out(holds) else action.until[0]
                    outcome = Held(met, 1.0, LOOK, highest={"voltage": 262.0})
                    holds += 1
                case Off():
                    outcome = off
    except StopIteration as done:
        return done.value, asked


@pytest.mark.parametrize("every", [2, 3, 5])
def test_it_is_put_on_again_for_what_is_left(every: int) -> None:
    measured, asked = driven(lambda hold: hold % every == every - 1)
    points = [each.point for each in measured.readings if each.quantity == "current"]
    assert points == NAMES and measured.faults == ()
    offs = sum(isinstance(action, Off) for action in asked)
    lasting = [float(each.programme["dwell_s"]) for each in asked if isinstance(each, Source)]
    assert offs > 1 and min(lasting) < max(lasting), "for what is left, and no longer"


def test_what_runs_out_twice_at_one_place_is_a_fault_there_and_the_rest_is_measured() -> None:
    measured, _ = driven(lambda hold: hold in (2, 3))
    assert measured.faults == (Fault(Cause.LEVEL_NOT_REACHED, NAMES[2]),)
    points = [each.point for each in measured.readings if each.quantity == "current"]
    assert points == [each for each in NAMES if each != NAMES[2]]


def test_a_trip_after_the_last_reading_is_no_pass() -> None:
    """Between the last look and the output's end; every reading had been within its limit."""
    measured, _ = driven(lambda hold: False, replace(RAN_OUT, ending=Ending.OVER_CURRENT))
    assert measured.faults == (Fault(Cause.OVER_LIMIT, NAMES[-1]),)
