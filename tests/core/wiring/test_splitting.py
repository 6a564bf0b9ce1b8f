"""Splits: every two things are apart in one of the fewest."""

from itertools import combinations

from hypothesis import given
from hypothesis import strategies as st

from loricate.core.wiring.description import splits_needed
from loricate.core.wiring.joining import Joined
from loricate.core.wiring.splitting import splits


@given(st.integers(0, 200))
def test_every_two_are_apart_in_some_split(count: int) -> None:
    made = splits(range(count))
    assert len(made) == splits_needed(count)
    assert 2 ** len(made) >= count, "no fewer could do"
    apart = {frozenset((a, b)) for high, low in made for a in high for b in low}
    assert apart == {frozenset(pair) for pair in combinations(range(count), 2)}
    assert all(sorted([*high, *low]) == list(range(count)) for high, low in made)


@given(st.integers(2, 200))
def test_neighbours_are_apart_in_one_alone(count: int) -> None:
    made = splits(range(count))
    for place in range(count - 1):
        assert sum((place in high) != (place + 1 in high) for high, _ in made) == 1


@given(st.lists(st.tuples(st.integers(0, 20), st.integers(0, 20)), max_size=30))
def test_joined_things_are_in_one_set(joints: list[tuple[int, int]]) -> None:
    joined = Joined(map(str, range(21)))
    for a, b in joints:
        joined.join(str(a), str(b))
    place = {each: index for index, one in enumerate(joined.sets) for each in one}
    assert len(place) == 21
    assert all(place[str(a)] == place[str(b)] for a, b in joints)
    # No more than the joints can explain: each of them takes away at most one set.
    assert len(joined.sets) >= 21 - len({frozenset(each) for each in joints if each[0] != each[1]})
