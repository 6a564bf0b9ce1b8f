"""Steps in any order: which are one group, what cannot be, and the orders a review looks at."""

from itertools import pairwise, permutations
from typing import Any

import pytest

from loricate.core.errors import DocumentError
from loricate.core.limits.limit_sets import LimitSets
from loricate.core.products.product import Product
from loricate.core.review import ANOTHER_ORDER, RULES, WHATEVER_THE_ORDER, Reviewed, review
from loricate.core.sequences.ordering import MOST_IN_A_GROUP, groups, telling_orders
from loricate.core.sequences.preparing import prepare
from tests.conftest import five_steps

VISUAL, EARTH, INSULATION, WITHSTAND, LEAKAGE = range(5)


@pytest.mark.parametrize(
    ("orders", "expected"),
    [
        ("---", ()),
        ("a--", ()),
        ("-aa-aaa", ((1, 2), (4, 5, 6))),
        ("aa", ((0, 1),)),
        ("a-a", ()),
    ],
)
def test_neighbours_are_a_group_and_one_alone_is_none(
    orders: str, expected: tuple[tuple[int, ...], ...]
) -> None:
    assert groups(["any" if each == "a" else "as_written" for each in orders]) == expected


@pytest.mark.parametrize("count", range(2, MOST_IN_A_GROUP + 1))
def test_in_some_order_each_comes_before_next_to_first_and_last(count: int) -> None:
    orders = list(telling_orders(count))
    assert orders[0] == tuple(range(count))
    assert all(sorted(order) == list(range(count)) for order in orders)
    pairs = set(permutations(range(count), 2))
    assert {pair for order in orders for pair in pairwise(order)} == pairs
    assert {order[0] for order in orders} == {order[-1] for order in orders} == set(range(count))


def in_any_order(*steps: int) -> dict[str, Any]:
    document = five_steps()
    for index in steps:
        document["steps"][index]["order"] = "any"
    return document


def test_a_review_looks_at_every_order_that_may_be_chosen(
    product: Product, limit_sets: LimitSets
) -> None:
    def found(*steps: int) -> dict[tuple[str, str], str]:
        ready = prepare(in_any_order(*steps), {product.code: product}, limit_sets)
        return {(each.rule, each.step): each.reason for each in review(Reviewed(ready, limit_sets))}

    as_written = found()
    assert ("earth_first", "earth") not in as_written
    told = found(EARTH, INSULATION, WITHSTAND)[("earth_first", "earth")]
    assert told.startswith(ANOTHER_ORDER) and "has put voltage on the unit" in told
    # Three neighbours, and the one that must not come first is neither first nor last as written.
    assert ("insulation_before_mains", "leakage") in found(INSULATION, WITHSTAND, LEAKAGE)
    assert found(VISUAL, EARTH) == as_written, "an order that spoils nothing is not pointed at"


@pytest.mark.parametrize("rule", sorted(WHATEVER_THE_ORDER))
def test_what_is_not_looked_at_in_other_orders_is_the_same_in_each(
    rule: str, product: Product, limit_sets: LimitSets
) -> None:
    document = five_steps()
    document["steps"][LEAKAGE]["limits"]["current"] = {"maximum": "9 mA", "source": "mine"}
    found = set()
    for order in permutations(range(5)):
        shuffled = {**document, "steps": [document["steps"][place] for place in order]}
        ready = prepare(shuffled, {product.code: product}, limit_sets)
        found.add(frozenset(RULES[rule](Reviewed(ready, limit_sets))))
    assert len(found) == 1


@pytest.mark.parametrize(
    ("steps", "spoil", "field", "reason"),
    [
        ((EARTH, INSULATION), {"across": "together"}, "steps[2].order", "together or once"),
        (
            (EARTH, INSULATION),
            {"when": {"all": [{"step": "earth", "outcome": "pass"}]}},
            "steps[2].when",
            "does not come before it",
        ),
    ],
)
def test_what_depends_on_the_order_cannot_be_left_open(
    steps: tuple[int, ...],
    spoil: dict[str, Any],
    field: str,
    reason: str,
    product: Product,
    limit_sets: LimitSets,
) -> None:
    document = in_any_order(*steps)
    document["steps"][INSULATION] |= spoil
    with pytest.raises(DocumentError) as refused:
        prepare(document, {product.code: product}, limit_sets)
    told = {each.path: str(each) for each in refused.value.findings}
    assert reason in told[field], told


def test_a_step_may_wait_for_one_before_its_group(product: Product, limit_sets: LimitSets) -> None:
    document = in_any_order(INSULATION, WITHSTAND)
    document["steps"][WITHSTAND]["when"] = {"all": [{"step": "earth", "outcome": "pass"}]}
    assert prepare(document, {product.code: product}, limit_sets).groups == ((2, 3),)


def test_no_more_are_offered_than_can_be_chosen_from(
    product: Product, limit_sets: LimitSets
) -> None:
    document = five_steps()
    look = document["steps"][VISUAL]
    many = [{**look, "id": f"look-{n}", "order": "any"} for n in range(MOST_IN_A_GROUP + 1)]
    document["steps"] = [*many, *document["steps"]]
    with pytest.raises(DocumentError, match=r"steps\[9\]\.order: is any of 10 neighbours"):
        prepare(document, {product.code: product}, limit_sets)
