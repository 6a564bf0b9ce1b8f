"""The challenge itself: every fault against every step, and good units many times over."""

import itertools
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from loricate.challenge.bench import MODELS, OfflineBench
from loricate.challenge.families import NoStandIn
from loricate.core.measuring.grading import Cause, Verdict
from loricate.core.review import Reviewed
from loricate.core.review.times import load_s
from loricate.core.sequences.capability import Instruments
from loricate.core.sequences.ready import ReadySequence
from loricate.simulator.units import UnitModel

EMPTY = "empty_nest"
REPETITIONS = 200


@dataclass(frozen=True, slots=True)
class StepVerdict:
    """What a step made of a unit."""

    verdict: Verdict
    cause: Cause


@dataclass(frozen=True, slots=True)
class FaultRow:
    """A fault, or a pair of them, and what every step made of it, whatever came before."""

    faults: tuple[str, ...]
    title: str
    verdicts: Mapping[str, StepVerdict]

    @property
    def caught_by(self) -> tuple[str, ...]:
        """The steps that did not pass the unit."""
        return tuple(
            step for step, found in self.verdicts.items() if found.verdict is not Verdict.PASS
        )

    @property
    def is_caught(self) -> bool:
        """Whether the unit gets no certificate."""
        return bool(self.caught_by)


@dataclass(frozen=True, slots=True)
class Challenge:
    """What came of a challenge. ``false_alarms`` counts good units that a step did not pass."""

    code: str
    steps: tuple[str, ...]
    rows: tuple[FaultRow, ...]
    repetitions: int
    false_alarms: Mapping[str, int]
    load_s: float
    nests: int

    @property
    def missed(self) -> tuple[FaultRow, ...]:
        """The faults that every step passed."""
        return tuple(row for row in self.rows if not row.is_caught)


def challenge(
    sequence: ReadySequence,
    model: UnitModel,
    *,
    bench: Instruments | None = None,
    pairs: bool = False,
    repetitions: int = REPETITIONS,
    nests: int = 4,
    should_stop: Callable[[], bool] = lambda: False,
) -> Challenge:
    """Run a sequence against each fault of a stand-in unit, an empty nest, and good units.

    Raises NoStandIn where a step needs an instrument that has none.

    ``bench`` gives the instruments' accuracy where it is known, the first of each role; what a
    person sees is not tried: every question is answered as if nothing were wrong. What is loose is
    tried where a step has the unit bent: nothing else can find it. With ``pairs`` each two faults
    together as well. ``repetitions`` good units differ by the scatter of their parts and the
    meters' noise.
    """
    for role in sorted({role for step in sequence.steps for role in step.roles} - MODELS.keys()):
        raise NoStandIn(sequence.product.code, f"there is no stand-in for a {role}")
    offline = OfflineBench(model, bench)
    is_bent = any(step.bends for step in sequence.steps)
    tried = [name for name in model.fault if is_bent or not model.fault[name].is_loose]
    faults: list[tuple[str, ...]] = [(name,) for name in tried]
    if pairs:
        faults += list(itertools.combinations(tried, 2))
    rows = [_row(offline, sequence, (EMPTY,), "Nothing in the nest")]
    for chosen in faults:
        if should_stop():
            break
        if not _fit_together(model, chosen):
            continue
        offline.put_in(chosen, "faulty")
        title = " and ".join(model.fault[name].title for name in chosen)
        rows.append(_row(offline, sequence, chosen, title))
    alarms = dict.fromkeys((step.id for step in sequence.steps), 0)
    done = 0
    for number in range(repetitions):
        if should_stop():
            break
        offline.put_in((), f"good {number}")
        for step in sequence.steps:
            grade = offline.grade(step, sequence.decision)
            alarms[step.id] += grade.verdict is not Verdict.PASS
        done += 1
    return Challenge(
        sequence.code,
        tuple(step.id for step in sequence.steps),
        tuple(rows),
        done,
        alarms,
        load_s(Reviewed(sequence, nests=nests)),
        nests,
    )


def _row(
    offline: OfflineBench, sequence: ReadySequence, faults: tuple[str, ...], title: str
) -> FaultRow:
    verdicts = {}
    for step in sequence.steps:
        grade = offline.grade(step, sequence.decision)
        verdicts[step.id] = StepVerdict(grade.verdict, grade.cause)
    return FaultRow(faults, title, verdicts)


def _fit_together(model: UnitModel, faults: tuple[str, ...]) -> bool:
    """Whether no fault changes a part that another one changes or takes away."""
    touched = [change.element for name in faults for change in model.fault[name].change]
    return len(set(touched)) == len(touched)
