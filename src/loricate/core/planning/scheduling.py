"""Scheduling a load: which nest may do which step now, so that shared instruments are never idle.

A load is nests times steps. A step of a nest becomes a ``Task`` with what it needs (of each role
one of the instruments that can do it, each with its rows of the matrix) and its programmed time.
``choose`` is the whole policy, a pure function of what waits and what is held; ``forecast`` plays
it forward on paper, and ``lower_bound_s`` is what no schedule can beat.
"""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum


class Across(StrEnum):
    """How a step treats the nests of a load."""

    EACH = "each"  # nest after nest, as the bench allows
    TOGETHER = "together"  # all nests at one moment on one source
    ONCE = "once"  # one time for the whole load; every nest shares the outcome


@dataclass(frozen=True, slots=True)
class Alternative:
    """One instrument that could do a step, and what else is held with it."""

    instrument: str
    besides: frozenset[str] = frozenset()

    @property
    def resources(self) -> frozenset[str]:
        """All that is held."""
        return self.besides | {self.instrument}


Need = tuple[Alternative, ...]  # of which one is taken


def needs_alone(*instruments: str) -> tuple[Need, ...]:
    """The needs of a step for each of whose roles there is one instrument."""
    return tuple((Alternative(name),) for name in instruments)


@dataclass(frozen=True, slots=True)
class PlannedStep:
    """What scheduling needs of a step: its needs, one a role, and its time in seconds."""

    needs: tuple[Need, ...]
    duration_s: float
    across: Across = Across.EACH

    def taking(self, held: Collection[str]) -> tuple[Alternative, ...] | None:
        """One free alternative for each need, or None while there is none for some."""
        taken: list[Alternative] = []
        busy = set(held)
        for need in self.needs:
            free = next((each for each in need if not each.resources & busy), None)
            if free is None:
                return None
            taken.append(free)
            busy |= free.resources
        return tuple(taken)


@dataclass(frozen=True, slots=True)
class Task:
    """A step (by its index) to be done for some nests: one, or all of them where they meet."""

    nests: tuple[str, ...]
    step: int


@dataclass(frozen=True, slots=True)
class Slot:
    """A task's place in a forecast, in seconds from the start."""

    task: Task
    begin_s: float
    end_s: float
    taken: tuple[Alternative, ...] = ()


def waiting_tasks(
    steps: Sequence[PlannedStep], next_step: Mapping[str, int], busy_nests: Iterable[str]
) -> list[Task]:
    """The tasks whose nests are free and have come to them; order within a nest is kept.

    ``next_step`` gives each nest's next step; a nest whose next step is past the last is done. A
    step that is done once or together waits until every nest has come to it.
    """
    busy = set(busy_nests)
    found = []
    for nest, index in next_step.items():
        if nest in busy or index >= len(steps):
            continue
        if steps[index].across is Across.EACH:
            found.append(Task((nest,), index))
    shared = {
        index
        for index in next_step.values()
        if index < len(steps) and steps[index].across is not Across.EACH
    }
    for index in sorted(shared):
        behind = [nest for nest, place in next_step.items() if place < index]
        here = tuple(nest for nest, place in next_step.items() if place == index)
        if not behind and not busy & set(here):
            found.append(Task(here, index))
    return found


def choose(
    steps: Sequence[PlannedStep],
    waiting: Sequence[Task],
    held: Iterable[str],
    tails: Sequence[float],
) -> list[tuple[Task, tuple[Alternative, ...]]]:
    """Choose the tasks to start now, and with what: those with the most work after them first.

    A task needs one free alternative for each of its needs. Work after a task (``tails``, as
    ``tails_s`` gives them) counts the time of the steps that its nests still have before them, so
    that no nest is left to finish alone.
    """
    taken = set(held)
    chosen = []
    for task in sorted(waiting, key=lambda task: -tails[task.step]):
        alternatives = steps[task.step].taking(taken)
        if alternatives is not None:
            taken |= resources_of(alternatives)
            chosen.append((task, alternatives))
    return chosen


def resources_of(alternatives: Iterable[Alternative]) -> frozenset[str]:
    """All that alternatives hold."""
    return frozenset(name for each in alternatives for name in each.resources)


def tails_s(steps: Sequence[PlannedStep]) -> list[float]:
    """The time from the start of each step to the end of the last."""
    tails, total = [], 0.0
    for step in reversed(steps):
        total += step.duration_s
        tails.append(total)
    return tails[::-1]


def forecast(steps: Sequence[PlannedStep], nests: Sequence[str]) -> list[Slot]:
    """Play the policy forward with every step taking its programmed time."""
    next_step = dict.fromkeys(nests, 0)
    running: list[Slot] = []
    done: list[Slot] = []
    tails = tails_s(steps)
    now = 0.0
    while True:
        busy = [nest for slot in running for nest in slot.task.nests]
        held = {name for slot in running for name in resources_of(slot.taken)}
        for task, taken in choose(steps, waiting_tasks(steps, next_step, busy), held, tails):
            running.append(Slot(task, now, now + steps[task.step].duration_s, taken))
        if not running:
            return done
        now = min(slot.end_s for slot in running)
        for slot in [slot for slot in running if slot.end_s <= now]:
            running.remove(slot)
            done.append(slot)
            for nest in slot.task.nests:
                next_step[nest] += 1


def makespan_s(slots: Sequence[Slot]) -> float:
    """When the last task of a forecast ends."""
    return max((slot.end_s for slot in slots), default=0.0)


def one_after_another_s(steps: Sequence[PlannedStep], nest_count: int) -> float:
    """How long the load takes when nothing overlaps."""
    return sum(
        step.duration_s * (nest_count if step.across is Across.EACH else 1) for step in steps
    )


def lower_bound_s(steps: Sequence[PlannedStep], nest_count: int) -> float:
    """What no schedule can beat.

    For each pool of instruments that steps choose from: the shortest way to it, its total shared
    among them, the shortest way after it; or the longest single nest. What somebody else may hold
    meanwhile only makes it longer.
    """
    durations = [step.duration_s for step in steps]
    bounds = [sum(durations)]
    pools = {frozenset(each.instrument for each in need) for step in steps for need in step.needs}
    for pool in pools:
        using = [
            index
            for index, step in enumerate(steps)
            if any({each.instrument for each in need} <= pool for need in step.needs)
        ]
        if not using or not pool:
            continue
        total = sum(
            durations[index] * (nest_count if steps[index].across is Across.EACH else 1)
            for index in using
        )
        before, after = sum(durations[: using[0]]), sum(durations[using[-1] + 1 :])
        bounds.append(before + total / len(pool) + after)
    return max(bounds, default=0.0)
