"""Steps on windings: what they measure of a good one, what they find, and what no liar passes."""

import math
from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import cache
from itertools import pairwise
from typing import Any

import pytest

from loricate.challenge.bench import OfflineBench
from loricate.core.errors import DocumentError
from loricate.core.kinds.kind import Point
from loricate.core.kinds.polarization import MEANINGLESS, Polarization
from loricate.core.limits.limit_sets import LimitSet
from loricate.core.measuring.actions import Held, Hold, LeadOhms, LeadZero, Look, Output
from loricate.core.measuring.grading import Cause, DecisionRule, StepGrade, Verdict
from loricate.core.measuring.holding import Holding
from loricate.core.measuring.readings import Bound, Measurand, Reading
from loricate.core.measuring.roles import DC_SOURCE, LOW_RESISTANCE, SURGE, Role
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadyStep
from loricate.simulator.instruments.dc_source import DcSource
from loricate.simulator.units import UnitModel, read_unit_model
from tests.conftest import read_demo
from tests.rig import DEMO

ACROSS = {"high": ["U", "V", "W"], "low": ["FRAME"]}
LADDER = ["500 V", "1 kV", "1.5 kV", "2 kV"]
GROUND = {"source": "the drawing of this test"}


@cache
def motor() -> UnitModel:
    return read_unit_model(DEMO / "stand-ins" / "winch-motor.toml")


def product(**section: Any) -> Product:
    document = read_demo("products/wm-3.toml")
    document["winding"] |= section
    return Product.model_validate(document)


def step(
    kind: str, limits: dict[str, Any] | None = None, of: Product | None = None, **settings: Any
) -> ReadyStep:
    """A step of the winch motor; raises DocumentError."""
    document = {
        "format": "loricate-sequence/2", "code": "S", "title": "t", "product": "WM-3",
        "steps": [{"id": "s", "kind": kind, "settings": settings, "limits": limits or {}}],
    }  # fmt: skip
    data = read_demo("limit-sets/ieee-43.toml")
    sets = {"IEEE-43": (LimitSet.model_validate(data), 1)}
    return prepare(document, {"WM-3": of or product()}, sets).steps[0]


def resistance(of: Product | None = None, **settings: Any) -> ReadyStep:
    return step("winding_resistance", {"unbalance": {"maximum": "1.5 %", **GROUND}}, of, **settings)


def polarization(
    limits: dict[str, Any] | None = None, of: Product | None = None, **settings: Any
) -> ReadyStep:
    asked = limits or {"corrected_resistance": {"source": "IEEE-43"}}
    return step("polarization", asked, of, **{**ACROSS, **settings})


def ladder(**settings: Any) -> ReadyStep:
    return step("step_voltage", None, None, **{**ACROSS, "levels": LADDER, **settings})


def surge(**settings: Any) -> ReadyStep:
    return step("surge", None, None, **{"level": "1.8 kV", "pulses": 6, **settings})


def bench(*faults: str, celsius: float = 21.5) -> OfflineBench:
    found = OfflineBench(motor())
    found.floor.temperature_c = celsius if math.isfinite(celsius) else 20.0
    found.put_in(faults, "U-1")
    found.floor.temperature_c = celsius  # as it is told
    return found


def graded(ready: ReadyStep, *faults: str, celsius: float = 21.5) -> StepGrade:
    return bench(*faults, celsius=celsius).grade(ready, DecisionRule())


def value(grade: StepGrade, quantity: str, point: str = "") -> Reading:
    return next(
        each.reading for each in grade.readings if each.reading.measurand == (quantity, point)
    )


def has(grade: StepGrade, quantity: str) -> bool:
    return any(each.reading.quantity == quantity for each in grade.readings)


# Resistance.


def test_three_pairs_their_phases_and_their_unbalance_agree() -> None:
    grade = graded(resistance(), celsius=31.7)
    assert grade.verdict is Verdict.PASS
    pairs = [value(grade, "resistance", each).value for each in ("U to V", "V to W", "W to U")]
    cold = [value(grade, "corrected_resistance", f"{a} to {b}") for a, b in ("UV", "VW", "WU")]
    for measured, corrected in zip(pairs, cold, strict=True):
        assert corrected.value == pytest.approx(measured * (235 + 20) / (235 + 31.7))
        assert corrected.corrections[0].before == measured
        assert "k = 235 °C (IEC 60034-1" in corrected.corrections[0].how
    mean = sum(pairs) / 3
    assert value(grade, "unbalance").value == pytest.approx(
        max(abs(each - mean) for each in pairs) / mean
    )
    # A delta's pair is one branch beside the two others in series.
    branches = [value(grade, "phase_resistance", f"{a} to {b}") for a, b in ("UV", "VW", "WU")]
    ohms = [each.value for each in branches]
    for place, corrected in enumerate(cold):
        one, others = ohms[place], sum(ohms) - ohms[place]
        assert corrected.value == pytest.approx(one * others / (one + others))
    assert value(grade, "phase_unbalance").value >= value(grade, "unbalance").value


def test_the_fixtures_leads_are_off_before_anything_is_reckoned_from_a_resistance() -> None:
    """They are a twentieth of a small winding: unbalance and phases would be those of the leads."""
    from loricate.challenge import bench as offline
    from loricate.core.measuring.driving import at_once

    ready = resistance()
    grades = []
    asked: list[tuple[str, ...]] = []
    for ohms in (0.0, 0.1):
        driver = offline._OfflineDriver(bench(celsius=31.7), ready)

        def zero(action: LeadZero, ohms: float = ohms) -> LeadOhms:
            asked.append(action.contacts)
            return LeadOhms(ohms, 0.002)

        driver.lead_zero = zero  # type: ignore[method-assign]
        grades.append(ready.graded(at_once(driver.measure(ready.procedure())), DecisionRule()))
    plain, zeroed = grades
    assert set(asked) == {("U", "V"), ("V", "W"), ("W", "U")}
    assert ready.zeroed_contacts == ("U", "V", "W"), "so that the gate asks for their zero"
    pairs = [value(zeroed, "resistance", each) for each in ("U to V", "V to W", "W to U")]
    for pair in pairs:
        whole = value(plain, "resistance", pair.point)
        assert pair.value == pytest.approx(whole.value - 0.1, rel=2e-3)
        assert pair.corrections[0].what == "zero" and pair.uncertainty > 0.002
        cold = value(zeroed, "corrected_resistance", pair.point)
        assert cold.value == pytest.approx(pair.value * (235 + 20) / (235 + 31.7))
    mean = sum(pair.value for pair in pairs) / 3
    assert value(zeroed, "unbalance").value == pytest.approx(
        max(abs(pair.value - mean) for pair in pairs) / mean
    )


@pytest.mark.parametrize(
    ("fault", "cause"),
    [
        ("loose_lead", Cause.OVER_LIMIT),
        ("unbalanced_phase", Cause.OVER_LIMIT),
        ("open_lead", Cause.OPEN),
        ("open_branch", Cause.LEVEL_NOT_REACHED),
    ],
)
def test_what_is_wrong_with_a_winding_fails(fault: str, cause: Cause) -> None:
    grade = graded(resistance(), fault)
    assert (grade.verdict, grade.cause) == (Verdict.FAIL, cause)


def test_an_open_branch_shows_as_a_phase_that_has_no_end() -> None:
    """At less current all three are reached; two pairs together make the third."""
    grade = graded(resistance(current="0.5 A"), "open_branch")
    assert grade.verdict is Verdict.FAIL
    phases = [value(grade, "phase_resistance", f"{a} to {b}") for a, b in ("UV", "VW")]
    assert phases[0].value > 100 * phases[1].value


def test_a_slow_winding_is_waited_for_and_one_too_slow_has_no_resistance() -> None:
    model = motor()
    slow = {
        name: each.model_copy(update={"value": "9 H"}) if each.type == "coil" else each
        for name, each in model.element.items()
    }
    on = OfflineBench(model.model_copy(update={"element": slow}))
    on.put_in((), "U-1")
    patient = on.grade(resistance(), DecisionRule())
    usual = graded(resistance())
    assert patient.verdict is Verdict.PASS
    for pair in ("U to V", "V to W"):
        theirs = value(usual, "resistance", pair).value
        assert value(patient, "resistance", pair).value == pytest.approx(theirs, rel=2e-3)
    hasty = on.grade(resistance(at_most="0.5 s"), DecisionRule())
    assert hasty.verdict is not Verdict.PASS and not has(hasty, "resistance")


def test_without_a_temperature_nothing_is_corrected_and_its_limit_decides_nothing() -> None:
    limits = {"corrected_resistance": {"minimum": "4 Ω", "maximum": "6 Ω", **GROUND}}
    ready = step("winding_resistance", limits)
    assert graded(ready).verdict is Verdict.PASS
    grade = graded(ready, celsius=math.nan)
    assert grade.verdict is Verdict.INCONCLUSIVE
    assert has(grade, "resistance") and not has(grade, "corrected_resistance")


# Polarization.


@pytest.mark.parametrize("celsius", [9.9, 85.1, math.nan])
def test_outside_of_the_formulas_range_the_measured_value_stays(celsius: float) -> None:
    grade = graded(polarization(lasts="60 s"), celsius=celsius)
    assert grade.verdict is Verdict.INCONCLUSIVE
    assert value(grade, "resistance").value > 1e9 and not has(grade, "corrected_resistance")


def test_an_insulation_of_unknown_sort_is_not_corrected() -> None:
    grade = graded(polarization(lasts="60 s", of=product(insulant=None)))
    assert grade.verdict is Verdict.INCONCLUSIVE and has(grade, "resistance")


def test_ten_minutes_tell_index_ratio_and_wobble() -> None:
    limits = {
        "corrected_resistance": {"source": "IEEE-43"},
        "polarization_index": {"source": "IEEE-43", "caution_below": "5"},
        "wobble": {"maximum": "5 %", **GROUND},
    }
    ready = polarization(limits)
    grade = graded(ready)
    assert grade.verdict is Verdict.PASS
    index = next(each for each in grade.readings if each.reading.quantity == "polarization_index")
    assert index.limit is not None and index.limit.minimum == 2.0
    assert index.grade is not None and index.grade.band == "caution"
    wet = graded(ready, "moisture")
    assert (wet.verdict, wet.cause) == (Verdict.FAIL, Cause.UNDER_LIMIT)
    assert value(wet, "polarization_index").value == pytest.approx(1.03, abs=0.03)
    burnt = graded(ready, "carbonised_end_turns")
    assert burnt.verdict is Verdict.FAIL and value(burnt, "wobble").value > 0.1
    assert graded(ready, "earthed_winding").cause is Cause.SHORT


def test_the_marks_are_those_of_the_table_and_kept_as_they_come() -> None:
    ready = polarization(lasts="180 s")
    on = bench()
    kept: list[float] = []
    from loricate.challenge import bench as offline
    from loricate.core.measuring.driving import at_once

    driver = offline._OfflineDriver(on, ready)

    async def keep(action: Any) -> None:
        kept.append(action.at_s)

    driver.keep = keep  # type: ignore[method-assign]
    measured = at_once(driver.measure(ready.procedure()))
    times = [15.0, 30.0, 45.0, 60.0, 90.0, 120.0, 150.0, 180.0]
    assert kept == times
    table = next(each for each in measured.curves if each.name == "marks")
    assert list(table.x.values) == times and [each.name for each in table.columns] == [
        "current", "resistance",
    ]  # fmt: skip


def test_a_mark_that_is_read_too_late_stands_for_nothing_and_is_told() -> None:
    """A service that was busy for long must not give out a later current as an earlier one."""
    from loricate.challenge import bench as offline
    from loricate.core.measuring.driving import at_once

    ready = polarization(lasts="60 s")
    driver = offline._OfflineDriver(bench(), ready)
    timely = driver.hold

    async def late(action: Hold, holding: Holding) -> Held:
        held = await timely(action, holding)
        sample = held.last.sample
        by = 8.0 if sample.elapsed_s > 60.0 else 0.0
        behind = replace(sample, elapsed_s=sample.elapsed_s + by)
        return replace(held, last=replace(held.last, sample=behind))

    driver.hold = late  # type: ignore[method-assign]
    measured = at_once(driver.measure(ready.procedure()))
    assert "The current at 60.0 s was read at 68.0 s" in measured.note
    assert not {"resistance", "corrected_resistance"} & {
        each.quantity for each in measured.readings
    }
    table = next(each for each in measured.curves if each.name == "marks")
    assert list(table.x.values) == [15.0, 30.0, 45.0]
    assert ready.graded(measured, DecisionRule()).verdict is Verdict.INCONCLUSIVE


def test_a_very_high_resistance_has_an_index_that_is_said_and_not_graded() -> None:
    """Neither does it pass by it: another limit must decide."""
    ready = polarization({"polarization_index": {"minimum": "50", **GROUND}})
    model = motor()
    thin = {name: each for name, each in model.element.items() if "absorption" not in name}
    on = OfflineBench(model.model_copy(update={"element": thin}))
    on.put_in((), "U-1")
    grade = on.grade(ready, DecisionRule())
    found = next(each for each in grade.readings if each.reading.quantity == "polarization_index")
    assert found.grade is None and found.ungraded == MEANINGLESS
    assert grade.verdict is Verdict.INCONCLUSIVE


def looks(change: Callable[[Look, float], Look]) -> Callable[[OfflineBench], None]:
    """Have every look that a hold ends with changed, by when it was taken."""

    def spoil(on: OfflineBench) -> None:
        hold = on.hold

        def lying(role: Role, holding: Any) -> Held:
            held = hold(role, holding)
            return replace(held, last=change(held.last, held.last.sample.elapsed_s))

        on.hold = lying  # type: ignore[method-assign]

    return spoil


def outputs(change: Callable[[Output], Output], of: Role) -> Callable[[OfflineBench], None]:
    """Have what every output of a role is summed up as changed."""

    def spoil(on: OfflineBench) -> None:
        summed_up = on._summed_up

        def lying(role: Role, samples: Any = ()) -> Output:
            output = summed_up(role, samples)
            return change(output) if role == of else output

        on._summed_up = lying  # type: ignore[method-assign]

    return spoil


def with_current(amperes: float, bound: Bound = Bound.EXACT) -> Callable[[Look, float], Look]:
    def change(look: Look, elapsed_s: float) -> Look:
        sample = replace(
            look.sample,
            values={**look.sample.values, "current": amperes},
            bounds={**look.sample.bounds, "current": bound},
        )
        return replace(look, sample=sample)

    return change


def late(look: Look, elapsed_s: float) -> Look:
    return replace(look, sample=replace(look.sample, elapsed_s=elapsed_s * 1.2 + 5))


def ranging(output: Output) -> Output:
    """A meter that changes its range all the time."""
    samples = tuple(
        replace(each, values={**each.values, "current_range": 1e-6 * (1 + number % 2)})
        for number, each in enumerate(output.samples)
    )
    return replace(output, samples=samples)


def never_on(output: Output) -> Output:
    return replace(output, summary={**output.summary, "voltage": 0.0})


SPOILT: dict[str, tuple[Callable[[], ReadyStep], Callable[[OfflineBench], None]]] = {
    "no current is no resistance": (polarization, looks(with_current(math.nan))),
    "a current of nothing": (polarization, looks(with_current(0.0))),
    "a current below nothing": (polarization, looks(with_current(-3e-9))),
    "marks that come late": (polarization, looks(late)),
    "a range that changes": (polarization, outputs(ranging, DC_SOURCE)),
    "volts that never came": (polarization, outputs(never_on, DC_SOURCE)),
    "ladder without current": (ladder, looks(with_current(math.nan))),
    "ladder over the range": (ladder, looks(with_current(1.05e-6, Bound.ABOVE))),
    "ladder whose range changes": (ladder, outputs(ranging, DC_SOURCE)),
    "resistance without volts": (
        resistance,
        outputs(lambda o: replace(o, summary={**o.summary, "voltage": math.nan}), LOW_RESISTANCE),
    ),
    "resistance of nothing": (
        resistance,
        outputs(lambda o: replace(o, summary={**o.summary, "voltage": 0.0}), LOW_RESISTANCE),
    ),
    "resistance at no current": (
        resistance,
        outputs(lambda o: replace(o, summary={**o.summary, "current": 0.0}), LOW_RESISTANCE),
    ),
}


@pytest.mark.parametrize("name", SPOILT)
def test_no_lying_meter_passes_a_winding(name: str) -> None:
    make, spoil = SPOILT[name]
    on = bench()
    spoil(on)
    assert on.grade(make(), DecisionRule()).verdict is not Verdict.PASS


def test_an_empty_nest_passes_no_step_that_says_that_it_fails_there() -> None:
    """Insulation alone is as good where nothing is; a review asks for what proves contact."""
    on = OfflineBench(motor())
    assert on.grade(resistance(), DecisionRule()).cause is Cause.OPEN
    assert resistance().fails_when_empty
    assert not polarization().fails_when_empty and not ladder().fails_when_empty


# The ladder.


def test_a_sound_winding_goes_up_to_the_last_level() -> None:
    grade = graded(ladder(most_departure="40 %"))
    assert grade.verdict is Verdict.PASS
    for point in ("at 500 V", "at 1 kV", "at 1.5 kV", "at 2 kV"):
        assert value(grade, "current", point).value > 0
    assert value(grade, "growth", "at 2 kV").value < 2
    assert abs(value(grade, "departure", "at 2 kV").value) < 0.2


def test_a_current_that_more_than_doubles_stops_it_before_the_next_level() -> None:
    levels = ["500 V", "800 V", "1.1 kV", "1.4 kV", "1.7 kV", "2 kV"]
    grade = graded(ladder(levels=levels), "weak_ground_wall")
    assert (grade.verdict, grade.cause) == (Verdict.FAIL, Cause.OVER_LIMIT)
    (fault,) = grade.faults
    assert fault.point == "at 1.4 kV" and fault.text.endswith("stopped before 1.7 kV.")
    assert not any(each.reading.point == "at 1.7 kV" for each in grade.readings)


def test_it_stops_as_well_where_the_current_leaves_its_line() -> None:
    grade = graded(ladder(most_growth="1000", most_departure="40 %"), "weak_ground_wall")
    assert grade.verdict is Verdict.FAIL and "above the line" in grade.faults[0].text


def test_a_breakdown_ends_it() -> None:
    grade = graded(ladder(), "broken_ground_wall")
    assert (grade.verdict, grade.cause) == (Verdict.FAIL, Cause.BREAKDOWN)


def test_its_volts_never_fall_between_levels_and_rise_no_faster_than_told(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    seen: list[tuple[float, float]] = []
    step_at = DcSource.step

    def noted(self: DcSource, phase: str, into_s: float, length_s: float) -> None:
        step_at(self, phase, into_s, length_s)
        if phase != "FALL":
            seen.append((self.reached - self.started, self.level_now(phase, into_s / length_s)))

    monkeypatch.setattr(DcSource, "step", noted)
    assert graded(ladder(slope="50 V/s", dwell="5 s")).verdict is Verdict.PASS
    rises = [(b - a, (v - u)) for (a, u), (b, v) in pairwise(seen)]
    assert all(volts >= -1e-9 for _, volts in rises)
    assert all(volts <= 50 * passed_s + 1e-6 for passed_s, volts in rises if passed_s > 0)


def test_a_level_ends_as_soon_as_its_current_has_settled() -> None:
    def took_s(**settings: Any) -> float:
        on = bench("moisture")
        assert on.grade(ladder(dwell="60 s", **settings), DecisionRule()).verdict is Verdict.PASS
        return on._wired[DC_SOURCE].instrument.reached

    assert took_s(settles_within="5 %", settles_over="5 s") < 0.5 * took_s()


# Surges.


def test_three_equal_phases_ring_alike() -> None:
    grade = graded(surge())
    assert grade.verdict is Verdict.PASS
    for lead in "UVW":
        assert value(grade, "voltage", lead).value == pytest.approx(1800, rel=0.02)
        assert value(grade, "pulse_ratio", lead).value < 0.02
    for pair in ("U to V", "U to W", "V to W"):
        assert value(grade, "phase_ratio", pair).value < 0.03


def test_shorted_turns_show_between_phases_and_weak_ones_between_pulses() -> None:
    shorted = graded(surge(), "turn_short")
    assert (shorted.verdict, shorted.cause) == (Verdict.FAIL, Cause.OVER_LIMIT)
    assert value(shorted, "phase_ratio", "U to V").value > 0.5
    weak = graded(surge(), "weak_turns")
    assert (weak.verdict, weak.cause) == (Verdict.FAIL, Cause.BREAKDOWN)
    (fault,) = weak.faults
    assert "turns give way" in fault.text
    assert value(weak, "voltage", fault.point).value < 1700, "it stopped at the first that differs"


def test_with_the_rotor_in_phases_are_compared_and_not_graded() -> None:
    grade = graded(surge(rotor_in=True), "turn_short")
    assert grade.verdict is Verdict.PASS
    found = next(each for each in grade.readings if each.reading.point == "U to V")
    assert found.grade is None and "rotor" in found.ungraded


def waves(change: Callable[[Any, int], tuple[float, ...]]) -> Any:
    """Have every record of a pulse changed, by its number."""

    def spoil(on: OfflineBench) -> None:
        acquire, count = on.acquire, iter(range(1000))

        def lying(action: Any) -> Any:
            found = acquire(action)
            column = found.curve.columns[0]
            values = change(column.values, next(count))
            curve = replace(
                found.curve,
                x=replace(found.curve.x, values=found.curve.x.values[: len(values)]),
                columns=(replace(column, values=values),),
            )
            return replace(found, curve=curve)

        on.acquire = lying  # type: ignore[method-assign]

    return spoil


KEPT: list[tuple[float, ...]] = []


def frozen(values: tuple[float, ...], number: int) -> tuple[float, ...]:
    """The first record again and again."""
    if number == 0:
        KEPT[:] = [values]
    return KEPT[0]


@pytest.mark.parametrize(
    "spoil",
    [
        waves(lambda values, number: values[:50]),
        waves(lambda values, number: values if number != 3 else values[:-1]),
        waves(lambda values, number: (0.0,) * len(values)),
        waves(lambda values, number: tuple(each * 1e-3 for each in values)),
        waves(frozen),
        waves(lambda values, number: (math.nan,) * len(values)),
        outputs(lambda o: replace(o, summary={"voltage": 300.0}), SURGE),
        outputs(lambda o: replace(o, summary={"voltage": math.nan}), SURGE),
    ],
    ids=[
        "cut short", "one sample less", "nothing", "another scale", "frozen", "no numbers",
        "a low peak", "no peak",
    ],
)  # fmt: skip
def test_no_lying_digitiser_passes_a_winding(spoil: Any) -> None:
    on = bench("turn_short")
    spoil(on)
    assert on.grade(surge(), DecisionRule()).verdict is not Verdict.PASS
    on = bench()
    spoil(on)
    assert on.grade(surge(), DecisionRule()).verdict is not Verdict.PASS


# What is written wrong.


def _wrong() -> Iterator[tuple[str, dict[str, Any], str]]:
    yield "step_voltage", {**ACROSS, "levels": ["500 V", "1 kV", "2 kV"]}, "equal steps"
    yield "step_voltage", {**ACROSS, "levels": ["1 kV", "500 V", "0.1 kV"]}, "rise"
    yield "step_voltage", {**ACROSS, "levels": ["1 kV", "2 kV"]}, "at least 3"
    yield "step_voltage", {"high": ["U"], "low": ["U"], "levels": LADDER}, "high as well"
    yield "polarization", {**ACROSS, "ramp": "1 s", "slope": "100 V/s"}, "beside"
    yield "polarization", {**ACROSS, "index_from": "600 s"}, "not after"
    yield "polarization", {**ACROSS, "lasts": "5 s"}, "equal to 15"
    yield "polarization", {**ACROSS, "high": ["X"]}, "no terminal 'X'"
    yield "winding_resistance", {"current": "0 A"}, "greater"
    yield "surge", {"level": "500 V", "first": "500 V"}, "not below"
    yield "surge", {"level": "1 kV", "pulses": 2}, "equal to 3"


@pytest.mark.parametrize(("kind", "settings", "told"), list(_wrong()))
def test_what_is_written_wrong_is_refused_by_name(
    kind: str, settings: dict[str, Any], told: str
) -> None:
    limits = {"corrected_resistance": {"minimum": "1 Ω", **GROUND}}
    with pytest.raises(DocumentError, match=told):
        own = kind in ("step_voltage", "surge")
        step(kind, None if own else limits, None, **settings)


def test_an_index_that_never_comes_cannot_be_limited() -> None:
    with pytest.raises(DocumentError, match="grades no 'polarization_index'"):
        polarization({"polarization_index": {"minimum": "2", **GROUND}}, lasts="60 s")


def test_a_motor_without_leads_has_no_winding_resistance() -> None:
    bare = product(leads=[], connection=None)
    with pytest.raises(DocumentError, match="has nothing that a step"):
        resistance(bare)


def test_a_late_current_under_the_floor_is_a_bound_that_meets_a_minimum() -> None:
    settings = Polarization.model_validate({**ACROSS})
    made: list[Any] = []
    from loricate.core.kinds.polarization import _Mark
    from loricate.core.measuring.curves import Sample

    for at_s, amperes, bound in ((60.0, 31e-9, Bound.EXACT), (600.0, 1e-10, Bound.BELOW)):
        sample = Sample(
            at_s, 0.0, "dwell", {"voltage": 500.0, "current": amperes}, {"current": bound}
        )
        made.append(_Mark(at_s, at_s, Look(sample, "DS1")))
    readings, ungraded, _ = settings._readings(Point("", {"insulant": None}), made, None)
    (index,) = [each for each in readings if each.quantity == "polarization_index"]
    assert (index.bound, round(index.value)) == (Bound.ABOVE, 310)
    assert Measurand("polarization_index") not in ungraded
