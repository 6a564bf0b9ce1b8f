"""Lots: ranges of serials, and a progress in which a retested unit counts once."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.grading import Verdict
from loricate.core.lots import Appearance, check_lot, expand_serials, progress

PASS, FAIL, UNSURE = Verdict.PASS, Verdict.FAIL, Verdict.INCONCLUSIVE


def test_a_range_holds_both_ends_and_keeps_its_zeros() -> None:
    assert expand_serials("DC40-26-0009..DC40-26-0011") == (
        "DC40-26-0009", "DC40-26-0010", "DC40-26-0011",
    )  # fmt: skip
    assert expand_serials("7..7") == ("7",)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("A-1", "FIRST..LAST"),
        ("A-1..B-2", "FIRST..LAST"),
        ("A-5..A-1", "holds -3"),
        ("A-1..A-10", "1 and 2 digits"),
        ("A-00001..A-99999", "1 to 10000"),
    ],
)
def test_what_is_no_range_is_told(text: str, says: str) -> None:
    with pytest.raises(ValueError, match=says):
        expand_serials(text)


OPEN = ("DC-40", "open", "A-1..A-4")


@pytest.mark.parametrize(
    ("lot", "serial", "before", "field", "says"),
    [
        (None, "A-1", {}, "lot", "no lot 'L'"),
        (("DC-40", "closed", "A-1..A-4"), "A-1", {}, "lot", "is closed"),
        (("LP-2", "open", "A-1..A-4"), "A-1", {}, "lot", "open one for DC-40"),
        (OPEN, "A-5", {}, "load[0].serial", "not among A-1..A-4"),
        (OPEN, "A-1", {"A-1": "fail"}, "load[0].serial", "tested already (fail)"),
    ],
)
def test_what_does_not_belong_to_a_lot_is_named(
    lot: tuple[str, str, str] | None, serial: str, before: dict[str, str], field: str, says: str
) -> None:
    (found,) = check_lot("L", lot, "DC-40", [("1", serial)], before)
    assert found.field == field and says in found.message


def test_what_belongs_to_a_lot_has_no_finding() -> None:
    assert check_lot("L", OPEN, "DC-40", [("1", "A-1"), ("2", "A-4")], {}) == ()


def test_a_retested_unit_counts_once() -> None:
    found = progress(
        ["A", "B", "C"],
        [Appearance("A", FAIL), Appearance("B", PASS), Appearance("A", PASS)],
    )
    assert (found.tested, found.passed_first, found.passed, found.failed) == (2, 1, 2, 0)
    assert (found.first_pass_yield, found.final_yield) == (0.5, 1.0)
    assert found.waiting == ("C",)


def test_an_aborted_test_is_no_verdict() -> None:
    found = progress(["A"], [Appearance("A", UNSURE)])
    assert (found.tested, found.waiting, found.final_yield) == (0, ("A",), None)


@given(
    st.lists(st.builds(Appearance, st.sampled_from("ABCDE"), st.sampled_from(Verdict)), max_size=30)
)
def test_the_parts_add_up(appearances: list[Appearance]) -> None:
    found = progress("ABCDE", appearances)
    assert found.passed + found.failed == found.tested
    assert found.tested + len(found.waiting) == found.expected
    assert found.passed_first <= found.tested
