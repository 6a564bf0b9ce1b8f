"""Windings captured with nothing to go by: what is there is found, and nothing is made up."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from loricate.challenge.bench import OfflineBench
from loricate.core.capture.cables import NotCaptured
from loricate.core.capture.drafting import ACCEPTED, OPEN, REFUSED, Decision, draft, standing
from loricate.core.capture.proposing import propose
from loricate.core.capture.seen import Ohms, SeenWindings, read_seen
from loricate.core.capture.windings import capture_windings, in_a_row
from loricate.core.documents import read_document
from loricate.core.errors import DocumentError
from loricate.core.fixtures.mapping import Mapped, NotMapped
from loricate.core.fixtures.mapping_windings import map_by_windings, skipped
from loricate.core.measuring.actions import Energise, Output, Scan
from loricate.core.measuring.readings import Bound
from loricate.core.products.families.winding import NamedWinding
from loricate.core.products.product import Product
from loricate.simulator.units import UnitModel, read_unit_model
from tests.conftest import read_demo
from tests.rig import DEMO

PINS = tuple(map(str, range(1, 15)))
SLOW = settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.too_slow])
DRIVEN_H = 0.5


@cache
def transformer() -> UnitModel:
    return read_unit_model(DEMO / "stand-ins" / "control-transformer.toml")


@dataclass(frozen=True)
class Coil:
    """What is put into a transformer: turns against the greatest's, and whether it is turned."""

    start: str
    end: str
    turns: float
    ohms: float


def wound(coils: Sequence[Coil], pins: Sequence[str] = PINS) -> UnitModel:
    """A transformer of coils on one core."""
    elements = {
        f"w{number}": {
            "type": "coil",
            "between": [coil.start, coil.end],
            "value": f"{DRIVEN_H * coil.turns**2:.9f} H",
            "ohms": f"{coil.ohms:.6f} Ω",
            "core": "core",
            "coupling": "99.9 %",
        }
        for number, coil in enumerate(coils)
    }
    return UnitModel.model_validate(
        {
            "format": "loricate-stand-in-unit/1",
            "code": "T-1",
            "terminals": list(pins),
            "element": elements,
        }
    )


@st.composite
def transformers(draw: st.DrawFn) -> tuple[Coil, ...]:
    """Two to five windings of own pins, one of them tapped, ends in any order."""
    pins = draw(st.permutations(PINS))
    count = draw(st.integers(2, 5))
    turns = [1.0, *draw(st.lists(st.floats(0.05, 0.9), min_size=count - 1, max_size=count - 1))]
    ohms = draw(st.lists(st.floats(0.2, 40), min_size=count + 1, max_size=count + 1))
    coils = [
        Coil(pins[2 * place], pins[2 * place + 1], share, ohms[place])
        for place, share in enumerate(turns)
    ]
    if draw(st.booleans()):
        last = coils[-1]
        coils.append(Coil(last.end, pins[2 * count], draw(st.floats(0.05, 0.9)), ohms[count]))
    return tuple(coils)


def captured(
    model: UnitModel, serial: str = "U-1", faults: tuple[str, ...] = (), at_c: float | None = 23.0
) -> SeenWindings:
    """A stand-in captured on a bench without a clock; one column beside its pins leads nowhere."""
    bench = OfflineBench(model)
    bench.put_in(faults, serial)
    pins = tuple(model.terminals)
    found = bench.perform(capture_windings(pins, ()))
    columns = {pin: place for place, pin in enumerate(pins, start=133)}
    return SeenWindings(serial, pins, columns, (132,), found.windings, at_c, found.remarks, "M")


@SLOW
@given(coils=transformers())
def test_every_winding_is_found_with_its_ends_its_ohms_and_its_ratio(
    coils: tuple[Coil, ...],
) -> None:
    seen = captured(wound(coils))
    assert {each.pins for each in seen.windings} == {
        frozenset((coil.start, coil.end)) for coil in coils
    }
    driven = seen.windings[0]
    first = next(each for each in coils if {each.start, each.end} == driven.pins)
    assert first.turns == max(each.turns for each in coils), "no other has more volts than it"
    is_turned = driven.start != first.start
    for coil in coils:
        own = next(each for each in seen.windings if each.pins == {coil.start, coil.end})
        assert own.ohms.value == pytest.approx(coil.ohms, rel=0.03, abs=0.001)
        assert own.ratio == pytest.approx(first.turns / coil.turns, rel=0.01)
        assert (own.start != coil.start) == is_turned, "all their starts are in phase"
    assert seen.remarks == ()
    assert read_seen(seen.as_json()) == seen


def test_a_capture_of_a_good_unit_becomes_a_product_that_its_sequence_accepts() -> None:
    proposed = propose([captured(transformer())])
    names = [(each.name, *each.contacts) for each in proposed.items]
    assert names == [
        ("W1", "1", "2"), ("W2", "3", "4"), ("W3", "6", "7"), ("W4", "8", "9"),
        ("W5", "9", "10"), ("W6", "12", "13"),
        ("pin 5", "5"), ("pin 11", "11"), ("pin 14", "14"),
    ]  # fmt: skip
    assert proposed.columns["1"] == 133 and proposed.skipped == (132,)
    decisions = {
        each.key: Decision(REFUSED if each.name == "pin 14" else ACCEPTED, {}, 1)
        for each in proposed.items
    }
    with pytest.raises(DocumentError, match="W3 not decided yet"):
        some = {key: each for key, each in decisions.items() if key != "winding 6 7"}
        draft(proposed, some, "CT-9", "Captured")
    document = draft(proposed, decisions, "CT-9", "Captured")
    product = read_document(Product, document, "product")
    assert product.terminals == PINS[:13], "a pin that was refused is none"
    section = product.winding
    assert section is not None and section.windings[0].name == "W1"
    assert section.windings[0].resistance == pytest.approx(18.1 * 254.5 / 257.5, rel=0.01)


@pytest.mark.parametrize(
    ("fault", "told"),
    [
        ("reversed_winding", "W6 (12 – 13) starts at 12 in A and at 13 in B"),
        ("wrong_turns", "W3 (6 – 7) has 4.797:1 in A and 4.980:1 in B: not the same turns."),
        ("open_winding", "W5 (9 – 10) is in A, and not in B."),
    ],
)
def test_what_a_second_unit_has_otherwise_is_open_until_somebody_decides_it(
    fault: str, told: str
) -> None:
    proposed = propose([captured(transformer(), "A"), captured(transformer(), "B", (fault,))])
    assert any(each.startswith(told) for each in proposed.differences), proposed.differences
    item = next(each for each in proposed.items if each.differs)
    before = Decision(ACCEPTED, {}, 1)  # of the first unit, when the second was not there
    assert standing(item, before) == OPEN
    assert standing(item, replace(before, units=2)) == ACCEPTED


def test_damp_insulation_an_empty_nest_and_one_shorted_all_over_are_not_captured() -> None:
    with pytest.raises(NotCaptured, match="conduct to the others"):
        captured(transformer(), faults=("wet",))
    bench = OfflineBench(transformer())
    with pytest.raises(NotCaptured, match="Nothing seems to be plugged in"):
        bench.perform(capture_windings(PINS, ()))


def test_coils_of_two_cores_have_no_ratio_and_that_is_said() -> None:
    model = wound([Coil("1", "2", 1.0, 5.0), Coil("3", "4", 0.5, 2.0)])
    apart = model.model_copy(
        update={
            "element": {
                name: each.model_copy(update={"core": name}) for name, each in model.element.items()
            }
        }
    )
    seen = captured(apart)
    assert [each.ratio for each in seen.windings] == [1.0, None]
    assert "3 – 4 has no volts from 1 – 2" in seen.remarks[0]


def test_pins_whose_resistances_do_not_add_up_are_no_tapped_winding() -> None:
    def ohms(ab: float, bc: float, ca: float) -> dict[frozenset[str], Ohms]:
        named = {("a", "b"): ab, ("b", "c"): bc, ("a", "c"): ca}
        return {frozenset(ends): Ohms(value) for ends, value in named.items()}

    assert in_a_row(("a", "b", "c"), ohms(1.0, 2.0, 3.0)) == ("a", "b", "c")
    assert in_a_row(("a", "b", "c"), ohms(3.0, 2.0, 1.0)) == ("a", "c", "b")
    assert in_a_row(("a", "b", "c"), ohms(2.0, 2.0, 2.0)) is None, "a star, or a delta"


class _Taken(OfflineBench):
    """The unit is taken out of the nest before one of the actions."""

    def __init__(self, model: UnitModel, at: int) -> None:
        super().__init__(model)
        self.at, self.done = at, 0

    def _count(self) -> None:
        self.done += 1
        if self.done == self.at:
            self.take_out()

    def scan(self, action: Scan) -> Any:
        self._count()
        return super().scan(action)

    def energise(self, action: Energise) -> Output:
        self._count()
        return super().energise(action)


def test_a_unit_that_is_taken_out_at_any_moment_leaves_nothing() -> None:
    whole = _Taken(transformer(), at=0)
    whole.put_in((), "U-1")
    whole.perform(capture_windings(PINS, ()))
    assert whole.done > 20
    for at in range(1, whole.done + 1):
        bench = _Taken(transformer(), at)
        bench.put_in((), "U-1")
        with pytest.raises(NotCaptured):
            bench.perform(capture_windings(PINS, ()))


class _Lying(OfflineBench):
    """What one instrument reports is no number, or a bound."""

    def __init__(self, quantity: str, value: float, bound: Bound) -> None:
        super().__init__(transformer())
        self.quantity, self.value, self.bound = quantity, value, bound

    def _changed(self, output: Output) -> Output:
        if self.quantity not in output.summary:
            return output
        return replace(
            output,
            summary={**output.summary, self.quantity: self.value},
            bounds={**output.bounds, self.quantity: self.bound},
        )

    def energise(self, action: Energise) -> Output:
        return self._changed(super().energise(action))

    def off(self, role: Any) -> Output:
        return self._changed(super().off(role))


@pytest.mark.parametrize("quantity", ["voltage", "current", "in_phase", "reactance", "secondary"])
def test_what_is_no_number_is_never_taken_for_a_winding(quantity: str) -> None:
    bench = _Lying(quantity, math.nan, Bound.EXACT)
    bench.put_in((), "U-1")
    with pytest.raises(NotCaptured):
        bench.perform(capture_windings(PINS, ()))


@pytest.mark.parametrize("quantity", ["voltage", "current"])
def test_a_bound_is_no_resistance(quantity: str) -> None:
    bench = _Lying(quantity, 1e-6, Bound.BELOW)
    bench.put_in((), "U-1")
    with pytest.raises(NotCaptured):
        bench.perform(capture_windings(PINS, ()))


def windings() -> tuple[NamedWinding, ...]:
    section = Product.model_validate(read_demo("products/ct-14.toml")).winding
    assert section is not None
    return section.windings


def mapped(truth: Sequence[int], file: Sequence[int]) -> Mapped:
    """The demo's transformer, its pins at these columns, where the file says others."""
    bench = OfflineBench(transformer())
    wires = dict(zip(PINS, truth, strict=True))
    beside = [each for each in range(1, 17) if each not in file]
    bench.put_in((), "U-1")
    own = bench._columns
    bench._columns = {
        f"column {column}": own.get(
            next((pin for pin, at in wires.items() if at == column), ""), 100 + column
        )
        for column in range(1, 17)
    }
    known = dict(zip(PINS, file, strict=True))
    return bench.perform(map_by_windings(known, beside, windings()))


FILE = list(range(2, 16))  # the first channel is skipped


def test_a_nest_that_is_wired_as_the_file_says_is_found_so() -> None:
    found = mapped(FILE, FILE)
    assert found.differences == () and found.columns == dict(zip(PINS, FILE, strict=True))
    assert skipped(found, range(1, 17)) == (1, 16)


def test_a_file_that_overlooks_a_skipped_channel_is_put_right() -> None:
    found = mapped(FILE, [each - 1 for each in FILE])
    led = [pin for pin in PINS if pin not in ("5", "11", "14")]
    assert {pin: found.columns[pin] for pin in led} == {pin: FILE[PINS.index(pin)] for pin in led}
    assert found.differences[0] == ("1 is at column 2, where the file has 2; the file says 1.")


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(truth=st.permutations(FILE))
def test_wires_that_are_exchanged_are_never_called_as_the_file_says(truth: list[int]) -> None:
    """Unless what is exchanged is what no winding tells apart: ends, or windings that are alike."""
    found = mapped(truth, FILE)
    if found.differences:
        return
    at = dict(zip(truth, PINS, strict=True))
    for each in windings():
        ends = {at[FILE[PINS.index(each.start)]], at[FILE[PINS.index(each.end)]]}
        own = next(one for one in windings() if {one.start, one.end} == ends)
        assert own.resistance == each.resistance


def test_two_windings_exchanged_as_a_whole_are_told_by_their_ohms() -> None:
    truth = list(FILE)
    for one, other in (("6", "12"), ("7", "13")):
        a, b = PINS.index(one), PINS.index(other)
        truth[a], truth[b] = truth[b], truth[a]
    found = mapped(truth, FILE)
    assert len(found.differences) == 2
    assert "S1 (6 – 7) has 1.200 Ω: windings are exchanged" in found.differences[0]


def test_nothing_is_mapped_by_an_empty_nest() -> None:
    bench = OfflineBench(transformer())
    bench._columns = {f"column {each}": each for each in range(1, 17)}
    with pytest.raises(NotMapped, match="Nothing seems to be plugged in"):
        bench.perform(map_by_windings(dict(zip(PINS, FILE, strict=True)), [1, 16], windings()))
