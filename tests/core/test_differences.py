"""Differences between two revisions of a document."""

import copy
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.differences import Difference, differences

OLD = {
    "title": "Old",
    "steps": [
        {"id": "look", "kind": "visual"},
        {"id": "earth", "kind": "ground_bond", "settings": {"current": "10 A", "part": "CASE"}},
        {"id": "leak", "kind": "leakage"},
    ],
}


def changed(**own: Any) -> dict[str, Any]:
    return {**copy.deepcopy(OLD), **own}


STEPS: list[Any] = OLD["steps"]  # type: ignore[assignment]


@pytest.mark.parametrize(
    ("new", "found"),
    [
        (OLD, ()),
        (changed(title="New"), (Difference("title", "Old", "New"),)),
        (
            changed(steps=[STEPS[0], {**STEPS[1], "settings": {"current": "25 A", "part": "CASE"}},
                           STEPS[2]]),
            (Difference("steps[earth].settings.current", "10 A", "25 A"),),
        ),
        (changed(steps=STEPS[1:]), (Difference("steps[look]", STEPS[0], None),)),
        (
            changed(steps=[STEPS[0], {"id": "new", "kind": "wait"}, *STEPS[1:]]),
            (Difference("steps[new]", None, {"id": "new", "kind": "wait"}),),
        ),
        (
            changed(steps=[STEPS[1], STEPS[0], STEPS[2]]),
            (Difference("steps order", ["look", "earth", "leak"], ["earth", "look", "leak"]),),
        ),
        (
            changed(steps=[{**STEPS[0], "title": "Look"}, *STEPS[1:]]),
            (Difference("steps[look].title", None, "Look"),),
        ),
    ],
)  # fmt: skip
def test_what_differs_is_named(new: dict[str, Any], found: tuple[Difference, ...]) -> None:
    assert differences(OLD, new) == found


DOCUMENTS = st.recursive(
    st.one_of(st.integers(), st.text(max_size=3)),
    lambda inner: st.one_of(
        st.lists(inner, max_size=3), st.dictionaries(st.text(max_size=2), inner, max_size=3)
    ),
    max_leaves=8,
)


@given(
    old=st.dictionaries(st.text(max_size=2), DOCUMENTS),
    new=st.dictionaries(st.text(max_size=2), DOCUMENTS),
)
def test_there_are_none_just_between_equals(old: dict[str, Any], new: dict[str, Any]) -> None:
    assert (differences(old, new) == ()) == (old == new)
    assert len(differences(old, new)) == len(differences(new, old))
