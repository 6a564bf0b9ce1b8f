"""High voltage net by net: groups prove no more than is true, and name what is not."""

import math
from itertools import combinations

from hypothesis import given
from hypothesis import strategies as st

from loricate.core.kinds.netwise import Applied, Netwise, net_points, summed
from loricate.core.measuring.actions import Asking
from loricate.core.measuring.grading import Cause, Fault
from loricate.core.measuring.readings import Bound, Measurand, Reading
from loricate.core.quantities import CURRENT, RESISTANCE, VOLTAGE
from loricate.core.wiring.description import splits_needed
from tests.core.wiring.made import cable

VOLTS, LEAST_OHMS, STRIKES_S = 500.0, 100e6, 1e-3
Leaks = dict[frozenset[str], float]  # S, between two nets


class Source:
    """A source of volts on a cable whose nets leak to each other; it breaks down above a leak."""

    def __init__(self, nets: int, leaks: Leaks) -> None:
        self.product, self.leaks, self.applied = cable(nets), leaks, 0
        self.points = net_points(self.product)
        self.net = {each: net.name for net in self.product.wirings[0].nets for each in net.contacts}

    def siemens(self, high: set[str], low: set[str]) -> float:
        return sum(
            leak for pair, leak in self.leaks.items() if len(pair & high) == 1 == len(pair & low)
        )

    def apply(self, high: tuple[str, ...], low: tuple[str, ...]) -> Asking[Applied]:
        """One application: what flows between the two sides, others standing open."""
        self.applied += 1
        sides = {self.net[each] for each in high}, {self.net[each] for each in low}
        flows = self.siemens(*sides) * VOLTS
        if any(
            leak >= STRIKES_S and len(pair & sides[0]) == 1 == len(pair & sides[1])
            for pair, leak in self.leaks.items()
        ):
            return Applied((), (Fault(Cause.BREAKDOWN),))
        return Applied(
            (
                Reading("voltage", VOLTS, VOLTAGE, instrument="S"),
                Reading("current", flows + 1e-9, CURRENT, instrument="S"),
            )
        )
        yield

    def go(self, how: str) -> Applied:
        """All of it, driven without asking anything."""
        netwise = Netwise(self.apply, self.is_enough, self.proven)
        procedure = netwise.go(self.points, how)  # type: ignore[arg-type]
        try:
            while True:
                next(procedure)
        except StopIteration as done:
            made: Applied = done.value
            return made

    @staticmethod
    def is_enough(made: object) -> bool:
        return VOLTS / summed(made).value >= LEAST_OHMS  # type: ignore[arg-type]

    @staticmethod
    def proven(made: object) -> tuple[Reading, ...]:
        ohms = VOLTS / summed(made).value  # type: ignore[arg-type]
        return (Reading("resistance", ohms, RESISTANCE, bound=Bound.ABOVE, instrument="S"),)

    def truth(self, net: str) -> float:
        """What a net really has to all others, in Ω."""
        leak = sum(each for pair, each in self.leaks.items() if net in pair)
        return math.inf if leak == 0 else 1 / leak


@st.composite
def sources(draw: st.DrawFn) -> Source:
    nets = draw(st.integers(2, 20))
    names = [f"W{number}" for number in range(1, nets + 1)]
    pairs = [frozenset(each) for each in combinations(names, 2)]
    leaks = draw(
        st.dictionaries(
            st.sampled_from(pairs),
            st.sampled_from([1e-11, 1e-10, 1e-9, 3e-9, 9e-9, 2e-8, 1e-6, 1e-2]),
            max_size=8,
        )
    )
    return Source(nets, leaks)


@given(sources())
def test_groups_pass_no_net_that_leaks_more_than_it_may(source: Source) -> None:
    """What is stated of a net by groups is true of it, and nothing of a bad one is left out."""
    made = source.go("groups")
    read = {each.point: each for each in made.readings if each.quantity == "resistance"}
    for point in source.points:
        truth = source.truth(point.name)
        if point.name in read:
            assert read[point.name].bound is Bound.ABOVE
            assert read[point.name].value <= truth * (1 + 1e-9)
            assert read[point.name].value >= LEAST_OHMS
        else:
            own = [each for each in made.readings if each.point == point.name]
            named = {contact for fault in made.faults for contact in fault.contacts}
            assert own or named & set(point.values["terminals"]), "it was measured, or is named"
    for net in {each.name for each in source.points}:
        if source.truth(net) < LEAST_OHMS / 1.02:
            assert net not in read, "nobody may say that it holds"


@given(nets=st.integers(2, 64), leak=st.sampled_from([0.0, 1e-13]))
def test_a_good_cable_takes_the_bits_of_its_number(nets: int, leak: float) -> None:
    source = Source(nets, {frozenset(("W1", "W2")): leak} if leak else {})
    made = source.go("groups")
    assert not made.faults and source.applied == splits_needed(nets)
    assert {each.point for each in made.readings} == {each.name for each in source.points}


@given(
    nets=st.integers(3, 32),
    pair=st.tuples(st.integers(0, 31), st.integers(1, 31)),
    leak=st.sampled_from([1e-7, 1e-2]),
)
def test_the_one_bad_pair_is_named(nets: int, pair: tuple[int, int], leak: float) -> None:
    first = pair[0] % nets
    second = (first + 1 + pair[1] % (nets - 1)) % nets
    bad = {f"W{first + 1}", f"W{second + 1}"}
    source = Source(nets, {frozenset(bad): leak})
    made = source.go("groups")
    (fault,) = made.faults
    assert bad <= set(fault.sentence.split())
    assert (fault.cause is Cause.BREAKDOWN) == (leak > 1e-3)
    good = {each.point for each in made.readings if each.quantity == "resistance"}
    assert good == {each.name for each in source.points} - bad, "all others are proven"


def test_each_net_goes_on_after_one_that_fails_unless_it_is_told_not_to() -> None:
    source = Source(6, {frozenset(("W2", "W3")): 1e-2})
    made = source.go("each_net")
    assert source.applied == 6
    assert [fault.point for fault in made.faults] == ["W2", "W3"]
    assert {Measurand("current", f"W{n}") for n in (1, 4, 5, 6)} <= {
        each.measurand for each in made.readings
    }
    source.applied = 0
    stops = Netwise(source.apply, source.is_enough, source.proven, stop_at_first=True)
    procedure = stops.go(source.points, "each_net")
    try:
        while True:
            next(procedure)
    except StopIteration as done:
        assert len(done.value.faults) == 1 and source.applied == 2
