"""Series: when units count as exchanged, how serials count up, how a series is summed up."""

from itertools import accumulate, pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.measuring.grading import Verdict
from loricate.core.planning.lots import Appearance
from loricate.core.planning.series import (
    BLIND_AFTER_S,
    LOOKS,
    Exchange,
    Load,
    first_serial,
    next_serial,
    sum_up,
    what_to_do,
)

PASS, FAIL, INCONCLUSIVE = Verdict.PASS, Verdict.FAIL, Verdict.INCONCLUSIVE
looks = st.lists(st.tuples(st.booleans(), st.booleans(), st.sampled_from([0.1, 0.4, 1.5])))


def watched(trace: list[tuple[bool, bool, float]], let_go_s: float = 0.0) -> Exchange:
    """Two nests, looked at in turn, each look so many seconds after the one before."""
    exchange, at_s = Exchange(("1", "2"), let_go_s), 0.0
    for first, second, gap_s in trace:
        at_s += gap_s
        exchange.see({"1": first, "2": second}, at_s, at_s)
    return exchange


def has_streak(felt: list[bool], wanted: bool, count: int) -> int | None:
    """Where the first streak of ``count`` ends, if there is one."""
    for at in range(count, len(felt) + 1):
        if all(each is wanted for each in felt[at - count : at]):
            return at
    return None


def was_unfelt(felt: list[bool], gaps_s: list[float], begin: int) -> bool:
    """Whether a unit that is in, at a look after ``begin``, was not felt for too long before."""
    moments = list(accumulate(gaps_s))
    is_in = [number for number, each in enumerate(felt) if each]
    return any(
        later >= begin and moments[later] - moments[earlier] > BLIND_AFTER_S
        for earlier, later in pairwise(is_in)
    )


@given(looks)
def test_no_unit_is_another_before_its_nest_was_empty(
    trace: list[tuple[bool, bool, float]],
) -> None:
    exchange = watched(trace)
    for nest, felt in (("1", [a for a, _, _ in trace]), ("2", [b for _, b, _ in trace])):
        emptied = has_streak(felt, wanted=False, count=LOOKS)
        assert (nest in exchange.to_take_out) == (emptied is None)
        if exchange.is_done:
            assert emptied is not None and felt[-LOOKS:] == [True] * LOOKS
            assert len(felt) >= emptied + LOOKS, "it came in after that"


@given(looks, looks)
def test_a_unit_is_the_same_only_while_it_was_felt_all_along(
    before: list[tuple[bool, bool, float]], during: list[tuple[bool, bool, float]]
) -> None:
    exchange = watched(before)
    exchange.begin()
    at_s = sum(gap for _, _, gap in before)
    for first, second, gap_s in during:
        at_s += gap_s
        exchange.see({"1": first, "2": second}, at_s, at_s)
    was_out = [
        nest
        for nest, felt in (("1", [a for a, _, _ in during]), ("2", [b for _, b, _ in during]))
        if has_streak(felt, wanted=False, count=LOOKS)
    ]
    gaps = [gap for _, _, gap in (during if before else during[1:])]
    was_blind = any(gap > BLIND_AFTER_S for gap in gaps)
    both = [*before, *during]
    for felt in ([a for a, _, _ in both], [b for _, b, _ in both]):
        was_blind |= was_unfelt(felt, [gap for _, _, gap in both], len(before))
    assert bool(exchange.doubt) == (bool(was_out) or was_blind)
    for nest in was_out:
        assert nest in exchange.doubt


def test_a_contact_that_bounces_is_no_exchange() -> None:
    exchange = watched([(True, True, 0.1), (False, True, 0.1), (True, True, 0.1)])
    assert exchange.to_take_out == ("1", "2") and not exchange.doubt
    out_and_half_in = [(False, False, 0.1)] * 2 + [(True, True, 0.1), (False, True, 0.1)]
    exchange = watched(out_and_half_in)
    assert (exchange.to_take_out, exchange.to_plug_in) == ((), ("1",))


@given(looks, st.sampled_from([0.3, 1.0]))
def test_whoever_plugs_in_has_time_to_let_go(
    trace: list[tuple[bool, bool, float]], let_go_s: float
) -> None:
    """A unit that was felt again and again for that long: one that goes in anew begins anew."""
    exchange = watched(trace, let_go_s)
    assert not exchange.is_done or watched(trace).is_done
    moments = [sum(gap for _, _, gap in trace[: n + 1]) for n in range(len(trace))]
    for felt in ([a for a, _, _ in trace], [b for _, b, _ in trace]):
        if exchange.is_done:
            last_out = max(n for n, is_in in enumerate(felt) if not is_in)
            assert moments[-1] - moments[last_out + 1] >= let_go_s - 1e-9


def test_a_clock_that_goes_back_is_no_look() -> None:
    exchange = watched([(True, True, 0.1)])
    exchange.begin()
    exchange.see({"1": True, "2": True}, -5.0, -5.0)
    assert "nobody can say that the same ones are in" in exchange.doubt


@given(
    st.lists(
        st.tuples(st.sampled_from([0.1, 0.5]), st.floats(0.0, 0.9), st.floats(0.0, 1.0)),
        min_size=2,
        max_size=12,
    ),
    st.data(),
)
def test_nobody_exchanges_a_unit_between_looks_that_take_long(
    looks: list[tuple[float, float, float]], data: st.DataObject
) -> None:
    """Whenever within a look its switch was read: out for so long, and it is in doubt."""
    began, read, ended, at_s = [], [], [], 0.0
    for pause_s, takes_s, share in looks:
        began.append(at_s + pause_s)
        ended.append(began[-1] + takes_s)
        read.append(began[-1] + share * takes_s)
        at_s = ended[-1]
    out_at = data.draw(st.floats(read[0], read[-1]))
    back_at = data.draw(st.floats(out_at, read[-1]))
    exchange = Exchange(("1",))
    exchange.see({"1": True}, began[0] - 0.1, began[0])
    exchange.begin()
    for first, felt_at, last in zip(began, read, ended, strict=True):
        exchange.see({"1": not out_at < felt_at < back_at}, first, last)
    assert exchange.doubt or back_at - out_at <= BLIND_AFTER_S


@pytest.mark.parametrize(
    ("serial", "then"),
    [("CL7-26-0301", "CL7-26-0302"), ("A9", None), ("X099-B", "X100-B"), ("7-1-009", "7-1-010")],
)
def test_a_serial_counts_up_in_its_last_number(serial: str, then: str | None) -> None:
    if then is None:
        with pytest.raises(ValueError, match="last serial with 1 digits"):
            next_serial(serial)
    else:
        assert next_serial(serial) == then


@given(st.integers(0, 9998), st.sampled_from(["CL7-26-{}", "A{}-B", "{}"]))
def test_counting_never_gives_a_serial_twice(number: int, form: str) -> None:
    serial = form.format(f"{number:04}")
    then = next_serial(serial)
    assert then > serial and len(then) == len(serial)


@given(st.lists(st.integers(0, 98), max_size=8))
def test_a_pattern_begins_after_every_known_serial(numbers: list[int]) -> None:
    known = [f"CL7-26-{number:02}" for number in numbers] + ["CL7-27-99", "other"]
    first = first_serial("cl7-26-##", known)
    assert first == f"cl7-26-{max(numbers, default=0) + 1:02}"


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("A-#-#", "is no pattern"),
        ("", "is no serial"),
        ("with blank 1", "is no serial"),
        ("no-number", "has no number to count up from"),
        ("A-9", "is the last serial"),
        ("-##", "is no pattern"),
        ("A-#", "has no serial left after 9"),
    ],
)
def test_what_cannot_be_counted_says_why(text: str, says: str) -> None:
    with pytest.raises(ValueError, match=says):
        first_serial(text, ["A-9"])


def load(began_s: float, *verdicts: Verdict, name: str = "") -> Load:
    """A load that began then, with a unit for each verdict."""
    units = tuple(
        Appearance(f"{name or began_s}-{number}", each) for number, each in enumerate(verdicts)
    )
    return Load(began_s, units)


def test_a_series_is_summed_up_by_unit() -> None:
    """A break counts for nothing in the cadence; a repeated unit counts once."""
    loads = [load(at, PASS, PASS) for at in (0.0, 20.0, 40.0, 60.0, 3000.0, 3020.0)]
    loads.append(Load(3040.0, (Appearance("R", FAIL), Appearance("R", PASS))))
    found = sum_up(loads)
    assert found.cadence_s == 10.0
    assert (found.tally.tested, found.tally.passed, found.tally.failed) == (13, 13, 0)
    assert found.tally.passed_first == 12
    assert sum_up([]).cadence_s is None and sum_up([]).tally.first_pass_yield is None


def test_fails_in_a_row_are_counted_unit_by_unit() -> None:
    loads = [load(0, FAIL, FAIL), load(1, FAIL, PASS), load(2, FAIL), load(3, FAIL)]
    assert [sum_up(loads[:n]).failed_in_a_row for n in range(5)] == [0, 2, 0, 1, 2]
    assert sum_up(loads, counted_from=3).failed_in_a_row == 1, "an engineer had looked"
    undecided = [load(0, FAIL), load(1, INCONCLUSIVE), load(2, FAIL)]
    assert sum_up(undecided).failed_in_a_row == 2, "no verdict is no pass"


def test_one_sentence_says_what_to_do() -> None:
    nests = ("1", "2")
    assert what_to_do(nests, nests, (), []) == "Take the units out of nest 1 and 2."
    came = {"1": "passed", "2": "failed, open"}
    told = what_to_do(nests, nests, (), [], came)
    assert told == "Take the units out of nest 1 (passed) and 2 (failed, open)."
    told = what_to_do(nests, ("2",), ("1",), [], came)
    assert told == "Take the unit out of nest 2: failed, open."
    assert what_to_do(nests, (), nests, ["A-1"]) == "Scan the serial of the unit for nest 2."
    told = what_to_do(nests, (), nests, ["A-1", "A-2", "A-3"])
    assert told == "Plug A-1 into nest 1 and A-2 into nest 2."
    assert what_to_do(nests, (), ("2",), ["A-1", "A-2"]) == "Plug A-2 into nest 2."
    assert what_to_do(nests, (), (), ["A-1", "A-2"]) == "Let go: the test begins."
