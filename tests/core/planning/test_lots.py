"""Lots: ranges of serials, and a progress in which a retested unit counts once."""

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.measuring.grading import Verdict
from loricate.core.planning.lots import Appearance, LotFacts, check_lot, progress, read_serials

PASS, FAIL, UNSURE = Verdict.PASS, Verdict.FAIL, Verdict.INCONCLUSIVE


def test_a_range_holds_both_ends_and_keeps_its_zeros() -> None:
    assert read_serials("DC40-26-0009..DC40-26-0011").names == (
        "DC40-26-0009", "DC40-26-0010", "DC40-26-0011",
    )  # fmt: skip
    assert read_serials("7..7").names == ("7",)


def test_ranges_and_single_serials_make_one_list() -> None:
    found = read_serials("A-1..A-3, A-7,B-09", 5)
    assert found.names == ("A-1", "A-2", "A-3", "A-7", "B-09") and found.count == 5
    assert found.holds("A-7") and not found.holds("A-4")


def test_a_pattern_holds_whatever_fits_it() -> None:
    found = read_serials("DC40-26-0###", 40)
    assert (found.count, found.names) == (40, ())
    assert found.holds("DC40-26-0815")
    for other in ("DC40-26-1815", "DC40-26-081", "DC40-26-08150", "DC40-26-08a5"):
        assert not found.holds(other)


@pytest.mark.parametrize(
    ("text", "quantity", "says"),
    [
        ("A-", None, "FIRST..LAST"),
        ("A-1..B-2", None, "FIRST..LAST"),
        ("A-5..A-1", None, "holds -3"),
        ("A-1..A-10", None, "1 and 2 digits"),
        ("A-00001..A-99999", None, "1 to 10000"),
        ("A-0001..A-9000, B-0001..B-9000", None, "holds 18000 serials"),
        ("A-1..A-3,A-2", None, "holds A-2 twice"),
        ("A-1..A-3", 4, "the quantity is 4"),
        ("A-##", None, "give the quantity"),
        ("A-##", 101, "1 to 100 serials, not 101"),
        ("A-#?", 3, "is no pattern"),
    ],
)
def test_what_are_no_serials_is_told(text: str, quantity: int | None, says: str) -> None:
    with pytest.raises(ValueError, match=re.escape(says)):
        read_serials(text, quantity)


FOUR = read_serials("A-1..A-4")
OPEN = LotFacts("DC-40", "open", FOUR)
FULL = LotFacts("DC-40", "open", read_serials("A-##", 2), frozenset({"A-01", "A-02"}))


@pytest.mark.parametrize(
    ("lot", "serial", "before", "field", "says"),
    [
        (None, "A-1", {}, "lot", "no lot 'L'"),
        (LotFacts("DC-40", "closed", FOUR), "A-1", {}, "lot", "is closed"),
        (LotFacts("LP-2", "open", FOUR), "A-1", {}, "lot", "open one for DC-40"),
        (OPEN, "A-5", {}, "load[0].serial", "not among A-1..A-4"),
        (OPEN, "A-1", {"A-1": "fail"}, "load[0].serial", "tested already (fail)"),
        (FULL, "A-03", {}, "lot", "holds 2 units, and 2 were loaded already"),
    ],
)
def test_what_does_not_belong_to_a_lot_is_named(
    lot: LotFacts | None, serial: str, before: dict[str, str], field: str, says: str
) -> None:
    (found,) = check_lot("L", lot, "DC-40", [("1", serial)], before)
    assert found.path == field and says in found.message


def test_what_belongs_to_a_lot_has_no_finding() -> None:
    assert check_lot("L", OPEN, "DC-40", [("1", "A-1"), ("2", "A-4")], {}) == ()
    assert check_lot("L", FULL, "DC-40", [("1", "A-02")], {}) == (), "a retest takes no place"


def test_a_retested_unit_counts_once() -> None:
    found = progress(
        read_serials("A1..A3"),
        [Appearance("A1", FAIL), Appearance("A2", PASS), Appearance("A1", PASS)],
    )
    assert (found.tested, found.passed_first, found.passed, found.failed) == (2, 1, 2, 0)
    assert (found.first_pass_yield, found.final_yield) == (0.5, 1.0)
    assert (found.waiting, found.waiting_count) == (("A3",), 1)


def test_an_aborted_test_is_no_verdict() -> None:
    found = progress(read_serials("A1"), [Appearance("A1", UNSURE)])
    assert (found.tested, found.waiting, found.final_yield) == (0, ("A1",), None)


def test_a_lot_known_by_a_pattern_counts_what_waits() -> None:
    found = progress(read_serials("A-##", 12), [Appearance("A-05", PASS)])
    assert (found.expected, found.tested, found.waiting, found.waiting_count) == (12, 1, (), 11)


FIVE = read_serials("A1..A5")


@given(
    st.lists(
        st.builds(Appearance, st.sampled_from(FIVE.names), st.sampled_from(Verdict)), max_size=30
    )
)
def test_the_parts_add_up(appearances: list[Appearance]) -> None:
    found = progress(FIVE, appearances)
    assert found.passed + found.failed == found.tested
    assert found.tested + len(found.waiting) == found.expected == found.tested + found.waiting_count
    assert found.passed_first <= found.tested
