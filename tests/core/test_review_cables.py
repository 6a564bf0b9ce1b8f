"""Review of a cable's sequence: every net is followed, and set apart from every other."""

import copy
from collections.abc import Callable
from typing import Any

import pytest

from loricate.core.products.product import Product
from loricate.core.review import Reviewed, ReviewFinding, review
from loricate.core.sequences.preparing import prepare
from tests.conftest import demo_limit_sets, read_demo

Document = dict[str, Any]
Change = Callable[[Document, Document], None]
RULES = ("net_not_followed", "nets_not_parted", "loose_wiring", "loose_watch")
SMALL: Document = {
    "connectors": [
        {"code": "X1", "side": "left", "rows": [["1", "2", "3"]]},
        {"code": "X2", "side": "right", "rows": [["1", "2", "3"]]},
    ],
    "nets": [
        {"name": "A", "contacts": ["X1:1", "X1:2", "X2:1"], "maximum": "1 Ω"},
        {"name": "B", "contacts": ["X1:3", "X2:2"], "maximum": "1 Ω"},
        {"name": "C", "contacts": ["X2:3", "X2:3b"], "maximum": "1 Ω"},
    ],
}
SMALL["connectors"][1]["rows"][0].append("3b")


def found(change: Change) -> dict[str, str]:
    """What the rules on cables say of the lead's final test after a change: reasons by rule."""
    document = copy.deepcopy(read_demo("sequences/lead-final.toml"))
    own = copy.deepcopy(read_demo("products/cl-7.toml"))
    change(document, own)
    sequence = prepare(document, {"CL-7": Product.model_validate(own)}, demo_limit_sets())
    findings: tuple[ReviewFinding, ...] = review(Reviewed(sequence, demo_limit_sets()))
    return {each.rule: each.reason for each in findings if each.rule in RULES}


def keeps(*ids: str) -> Change:
    def change(sequence: Document, product: Document) -> None:
        sequence["steps"] = [step for step in sequence["steps"] if step["id"] in ids]

    return change


def small(*steps: Document) -> Change:
    """Steps for a cable of three nets, one of them with three contacts."""

    def change(sequence: Document, product: Document) -> None:
        product["cable"] = copy.deepcopy(SMALL)
        sequence["steps"] = copy.deepcopy(list(steps))

    return change


def between(number: int, high: list[str], low: list[str], **more: Any) -> Document:
    limits = {"resistance": {"minimum": "100 MΩ", "source": "the engineer"}}
    return {
        "id": f"pair{number}", "kind": "insulation", "settings": {"high": high, "low": low},
        "limits": limits, **more,
    }  # fmt: skip


def paths(*pairs: tuple[str, str]) -> Document:
    return {
        "id": "paths", "kind": "continuity",
        "settings": {"paths": [{"high": high, "low": low} for high, low in pairs]},
        "limits": {"resistance": {"maximum": "1 Ω", "source": "the engineer"}},
    }  # fmt: skip


WIRING = {"id": "wiring", "kind": "wiring"}
LOOK = {"id": "look", "kind": "visual", "on_fail": "carry_on", "settings": {"questions": ["Well?"]}}
SKIPPED = {"when": {"all": [{"step": "look", "outcome": "fail"}]}}
ALL_PATHS = (("X1:1", "X1:2"), ("X1:2", "X2:1"), ("X1:3", "X2:2"), ("X2:3", "X2:3b"))
A, B, C = ["X1:1"], ["X1:3"], ["X2:3"]


def test_the_demo_lead_has_nothing_left_out() -> None:
    assert found(lambda sequence, product: None) == {}


@pytest.mark.parametrize(
    ("change", "named"),
    [
        (keeps("insulation"), "whether +48V, 0V, UP and 14 more goes through"),
        (small(paths(*ALL_PATHS)), ""),
        (small(paths(*ALL_PATHS[1:])), "whether A goes through"),
        (small(paths(*ALL_PATHS[:2])), "whether B, C goes through"),
        (small(paths(*ALL_PATHS[1:], ("X1:1", "X1:3"))), "whether A goes through"),
        (small(WIRING), ""),
        (small(LOOK, {**WIRING, **SKIPPED}), "whether A, B, C goes through"),
    ],
)
def test_a_net_that_no_step_follows_is_named(change: Change, named: str) -> None:
    assert named in found(change).get("net_not_followed", "")
    assert bool(named) == ("net_not_followed" in found(change))


@pytest.mark.parametrize(
    ("change", "named"),
    [
        (keeps("wiring"), "+48V and 0V are never under voltage against each other"),
        (keeps("wiring", "proof_ac"), ""),
        (small(between(1, A, B)), "A and C are"),
        (small(between(1, A, B), between(2, A, C)), "B and C are"),
        (small(between(1, A, B + C), between(2, A + B, C)), ""),
        (small(between(1, A, B), between(2, A, C), between(3, B, C)), ""),
        (small(LOOK, between(1, A, B + C), between(2, A + B, C, **SKIPPED)), "B and C are"),
    ],
)
def test_two_nets_that_no_step_sets_apart_are_named(change: Change, named: str) -> None:
    assert named in found(change).get("nets_not_parted", "")
    assert bool(named) == ("nets_not_parted" in found(change))


def test_one_position_parts_the_nets_of_another_unless_it_ties_them() -> None:
    def tied(sequence: Document, product: Document) -> None:
        fast = product["cable"]["positions"][1]["nets"][0]
        fast["contacts"] = ["X1:R", "X2:16", "X1:S", "X2:17"]
        slow = product["cable"]["positions"][0]["nets"]
        slow.append({"name": "EXTRA", "contacts": ["X1:S", "X2:17"], "maximum": "1 Ω"})

    def tied_but_all_tested(sequence: Document, product: Document) -> None:
        tied(sequence, product)
        del sequence["steps"][-1]["settings"]["position"]

    assert "in position SLOW" in found(tied)["nets_not_parted"]
    assert "nets_not_parted" not in found(tied_but_all_tested)


@pytest.mark.parametrize(
    ("settings", "limits", "reason"),
    [
        ({"parted_above": "1 kΩ"}, {}, "takes nets with 1.000 kΩ between them for apart"),
        ({"parted_above": "50 kΩ", "joined_below": "1 GΩ"}, {}, ""),  # each net has its own limit
        ({}, {"resistance": {"maximum": "10 Ω", "source": "me"}}, "lets more pass than 77.58 mΩ"),
        ({}, {"isolation": {"minimum": "1 kΩ", "source": "me"}}, "lets more pass than ≥ 1 MΩ"),
        ({}, {"isolation": {"minimum": "2 MΩ", "source": "me"}}, ""),
    ],
)
def test_a_wiring_step_that_lets_much_pass_is_found(
    settings: Document, limits: Document, reason: str
) -> None:
    def change(sequence: Document, product: Document) -> None:
        sequence["steps"][1].update(settings=settings, limits=limits)

    assert reason in found(change).get("loose_wiring", "")
    assert bool(reason) == ("loose_wiring" in found(change))


def test_a_net_without_a_limit_may_not_be_joined_by_anything() -> None:
    def change(sequence: Document, product: Document) -> None:
        small({**WIRING, "settings": {"joined_below": "1 kΩ"}})(sequence, product)
        del product["cable"]["nets"][1]["maximum"]

    assert "B has no limit of its own" in found(change)["loose_wiring"]


@pytest.mark.parametrize(
    ("settings", "limits", "reason"),
    [
        ({}, {}, ""),
        ({"at_least": "500 ms"}, {}, "watches with 500.0 ms"),
        ({"least": "5 ms"}, {}, "breaks under 5.000 ms left out"),
        ({"above": "200 Ω"}, {}, "a rise to 200.0 Ω taken for good"),
        ({}, {"breaks": {"maximum": "3", "source": "me"}}, "breaks that its limit lets pass"),
        ({}, {"breaks": {"maximum": "0", "source": "me"}}, ""),
    ],
)
def test_a_watch_that_a_loose_contact_gets_through_is_found(
    settings: Document, limits: Document, reason: str
) -> None:
    def change(sequence: Document, product: Document) -> None:
        watch = {"id": "bend", "kind": "intermittent", "settings": {"nets": ["UP"], **settings}}
        sequence["steps"].append({**watch, "limits": limits})

    assert reason in found(change).get("loose_watch", "")
    assert bool(reason) == ("loose_watch" in found(change))
