"""Scheduling: nothing is in two places, order is kept, nothing is forgotten, time is not wasted."""

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.planning.scheduling import (
    Across,
    Alternative,
    Need,
    PlannedStep,
    Slot,
    Task,
    choose,
    forecast,
    lower_bound_s,
    makespan_s,
    needs_alone,
    one_after_another_s,
    resources_of,
    tails_s,
    waiting_tasks,
)


def step(duration_s: float, *resources: str, across: Across = Across.EACH) -> PlannedStep:
    return PlannedStep(needs_alone(*resources), duration_s, across)


CABINET = [step(2.0, "bond"), step(1.7, "hv"), step(1.6, "hv"), step(1.0, "leakage")]


def as_needs(pools: list[list[str]]) -> tuple[Need, ...]:
    """Pools of equals; a letter is an instrument, with a row of its own."""
    return tuple(
        tuple(Alternative(name, frozenset({f"row {name}"})) for name in pool) for pool in pools
    )


steps_of_a_load = st.lists(
    st.builds(
        PlannedStep,
        needs=st.tuples(
            st.lists(st.sampled_from("abc"), max_size=3, unique=True),
            st.lists(st.sampled_from("de"), max_size=2, unique=True),
        ).map(lambda pools: as_needs([pool for pool in pools if pool])),
        duration_s=st.floats(0.1, 10.0),
        across=st.sampled_from(Across),
    ),
    min_size=1,
    max_size=6,
)
nests_of_a_load = st.integers(1, 8).map(lambda count: [str(nest) for nest in range(count)])


def overlap(one: Slot, other: Slot) -> bool:
    return one.begin_s < other.end_s - 1e-9 and other.begin_s < one.end_s - 1e-9


@given(steps=steps_of_a_load, nests=nests_of_a_load)
def test_no_resource_and_no_nest_is_ever_in_two_places(
    steps: list[PlannedStep], nests: list[str]
) -> None:
    """An instrument or row held twice would let a high-voltage path meet another nest's."""
    for one, other in itertools.combinations(forecast(steps, nests), 2):
        if overlap(one, other):
            assert not resources_of(one.taken) & resources_of(other.taken)
            assert not set(one.task.nests) & set(other.task.nests)


@given(steps=steps_of_a_load, nests=nests_of_a_load)
def test_every_step_of_every_nest_is_done_once_and_in_order(
    steps: list[PlannedStep], nests: list[str]
) -> None:
    slots = forecast(steps, nests)
    for nest in nests:
        own = sorted((s for s in slots if nest in s.task.nests), key=lambda slot: slot.begin_s)
        assert [slot.task.step for slot in own] == list(range(len(steps)))
        for before, after in itertools.pairwise(own):
            assert before.end_s <= after.begin_s + 1e-9


@given(steps=steps_of_a_load, nests=nests_of_a_load)
def test_a_schedule_lies_between_the_bound_and_one_after_another(
    steps: list[PlannedStep], nests: list[str]
) -> None:
    took = makespan_s(forecast(steps, nests))
    assert lower_bound_s(steps, len(nests)) <= took + 1e-6
    assert took <= one_after_another_s(steps, len(nests)) + 1e-6


@given(steps=steps_of_a_load, nests=nests_of_a_load)
def test_what_is_done_once_is_done_once_for_all(steps: list[PlannedStep], nests: list[str]) -> None:
    for index, planned in enumerate(steps):
        if planned.across is not Across.EACH:
            (slot,) = [slot for slot in forecast(steps, nests) if slot.task.step == index]
            assert set(slot.task.nests) == set(nests)


def test_a_nest_in_withstand_does_not_hold_another_in_ground_bond() -> None:
    waiting = waiting_tasks(CABINET, {"1": 2, "2": 0}, [])
    chosen = choose(CABINET, waiting, [], tails_s(CABINET))
    assert {task for task, _ in chosen} == {Task(("1",), 2), Task(("2",), 0)}


def test_a_held_instrument_is_waited_for() -> None:
    assert choose(CABINET, [Task(("2",), 1)], ["hv"], tails_s(CABINET)) == []


def test_a_busy_or_finished_nest_has_nothing_waiting() -> None:
    assert waiting_tasks(CABINET, {"1": 0, "2": 4}, ["1"]) == []


def test_the_nest_with_the_most_work_left_goes_first() -> None:
    waiting = waiting_tasks(CABINET, {"1": 2, "2": 1}, [])
    chosen = choose(CABINET, waiting, [], tails_s(CABINET))
    assert [task for task, _ in chosen] == [Task(("2",), 1)]


@pytest.mark.parametrize(("nests", "most"), [(1, 1.0), (4, 1.25), (8, 1.12), (32, 1.03)])
def test_cabinets_come_near_the_bound(nests: int, most: float) -> None:
    """The rest is the first cabinet's earth and the last one's leakage, which nothing overlaps."""
    names = [str(nest) for nest in range(nests)]
    assert makespan_s(forecast(CABINET, names)) / lower_bound_s(CABINET, nests) <= most


def test_an_empty_load_takes_no_time() -> None:
    assert forecast(CABINET, []) == [] and makespan_s([]) == 0.0


@given(nests=nests_of_a_load)
def test_a_second_source_takes_every_other_nest(nests: list[str]) -> None:
    pool = as_needs([["a", "b"]])
    slots = forecast([PlannedStep(pool, 3.0)], nests)
    assert makespan_s(slots) == pytest.approx(3.0 * -(-len(nests) // 2))
    assert {slot.taken[0].instrument for slot in slots} <= {"a", "b"}


def test_the_bound_counts_the_way_to_a_pool_and_after_it() -> None:
    """Earth 2 s, then 3.3 s on the withstand source, then 2.1 s: eight nests take 30.5 s."""
    load = [step(2.0, "bond"), step(3.3, "hv"), step(2.1, "leakage")]
    assert lower_bound_s(load, 8) == pytest.approx(2 + 26.4 + 2.1)
    shared = [step(2.0, "bond"), PlannedStep(as_needs([["a", "b"]]), 3.3), step(2.1, "leakage")]
    assert lower_bound_s(shared, 8) == pytest.approx(2.0 + 3.3 + 8 * 2.1)
