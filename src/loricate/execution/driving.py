"""Driving a procedure: its actions go to the bench, its questions to the operator."""

import asyncio
from collections.abc import Awaitable, Callable, Mapping, Sequence
from dataclasses import dataclass, replace

from loricate.bench.bench import Bench
from loricate.bench.care import USUAL_CARE, Care
from loricate.bench.switching import Nest
from loricate.core.measuring.actions import (
    Answer,
    Ask,
    Connect,
    Enter,
    FixtureZero,
    Output,
    Procedure,
    Sample,
    Wait,
)
from loricate.core.measuring.curves import Trace, make_trace
from loricate.core.measuring.grading import Measured
from loricate.core.measuring.impedance import ImpedancePath, ImpedanceZero
from loricate.core.measuring.readings import Doubt

Asking = Callable[[Ask | Enter], Awaitable[Answer]]
PathZeroes = Mapping[ImpedancePath, ImpedanceZero]


@dataclass(frozen=True, slots=True)
class Driven:
    """What a procedure measured, with every doubt about its outputs, and their curves."""

    measured: Measured
    trace: Trace


async def drive(
    procedure: Procedure,
    bench: Bench,
    nests: Sequence[Nest],
    ask: Asking,
    on_sample: Callable[[Sample], None],
    zeroes: PathZeroes,
    settle_s: float = 0.0,
    care: Care = USUAL_CARE,
) -> Driven:
    """Perform a procedure on the unit in a nest, or on those of several nests in parallel.

    ``zeroes`` are those of the nest that are young enough; ``settle_s`` is waited once when the
    unit is connected. Raises BenchError as ``Bench.perform`` does.
    """
    samples: list[Sample] = []
    doubts: list[Doubt] = []
    left_to_settle_s = settle_s
    try:
        action = next(procedure)
        while True:
            if isinstance(action, Ask | Enter):
                action = procedure.send(await ask(action))
                left_to_settle_s = settle_s  # what was connected has been let go
                continue
            if isinstance(action, Wait):
                await asyncio.sleep(action.seconds)
                action = procedure.send(None)
                continue
            if isinstance(action, FixtureZero):
                action = procedure.send(zeroes.get(action.path))
                continue
            outcome = await bench.perform(action, nests, on_sample, care)
            if isinstance(action, Connect) and left_to_settle_s:
                await asyncio.sleep(left_to_settle_s)
                left_to_settle_s = 0.0
            if isinstance(outcome, Output):
                samples.extend(outcome.samples)
                doubts.extend(outcome.doubts)
            action = procedure.send(outcome)
    except StopIteration as done:
        measured = replace(done.value, doubts=(*done.value.doubts, *doubts))
        return Driven(measured, make_trace(samples))
