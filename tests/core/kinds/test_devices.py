"""Steps on whole devices: what they find, and what no gauge, stimulus or source lies past."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import cache
from typing import Any

import pytest

from loricate.bench.profiles import read_profile
from loricate.challenge.bench import OfflineBench, _OfflineDriver
from loricate.core.errors import DocumentError
from loricate.core.kinds.leakage import LIVE
from loricate.core.limits.limit_sets import LimitSets
from loricate.core.measuring.actions import (
    Acquire,
    Answer,
    Ask,
    Beside,
    Connect,
    Ending,
    Energise,
    Entry,
    Held,
    Hold,
    Off,
    Output,
    Rest,
    Source,
    Tell,
    Waveform,
)
from loricate.core.measuring.curves import Block, Column
from loricate.core.measuring.driving import at_once
from loricate.core.measuring.grading import Cause, DecisionRule, StepGrade, Verdict
from loricate.core.measuring.holding import For, Holding
from loricate.core.measuring.readings import Measurand
from loricate.core.measuring.roles import GAUGE, PULSE
from loricate.core.products.product import Product
from loricate.core.review import Reviewed, review
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadyStep
from loricate.simulator.units import UnitModel, read_unit_model
from tests.conftest import read_demo
from tests.rig import DEMO

LOSS = {"loss": {"maximum": "0.5 kPa/min", "source": "the drawing of this test"}}
DIFFERENCE = {
    "difference": {"minimum": "-600 Pa", "maximum": "600 Pa", "source": "the drawing of this test"}
}
PEAK = {"peak": {"minimum": "25 kPa", "maximum": "40 kPa", "source": "the drawing of this test"}}
REDUCTION = {"energy_reduction": {"source": "IEC-60601-1-8.5.5/energy-reduction"}}


@cache
def warmer() -> UnitModel:
    return read_unit_model(DEMO / "stand-ins" / "fluid-warmer.toml")


class Person(_OfflineDriver):
    """Works the device as it is asked to, and answers as a test has it."""

    def __init__(self, bench: OfflineBench, step: ReadyStep) -> None:
        super().__init__(bench, step)
        self.done: list[object] = []
        self.said: Callable[[Sequence[Entry]], Answer] | None = None
        self.late_s = 300.0  # how long after a question the form is handed in
        self.again = 0  # how often another try is asked for
        self.is_there = True

    async def perform(self, action: Any) -> object:
        self.done.append(action)
        return await super().perform(action)

    async def ask(self, action: Ask) -> Answer:
        if "another try" in action.choices and self.again:
            self.again -= 1
            return Answer("another try", "the hose was loose")
        return await super().ask(action)

    async def hold(self, action: Hold, holding: Holding) -> Held:
        question = holding.question
        if question is None or not question.entries or self.said is None:
            return await super().hold(action, holding)
        if not self.is_there:
            return replace(self.bench.hold(action.role, holding), met=None)
        held = self.bench.hold(action.role, Holding((For(self.late_s),)))
        return replace(held, met=question, answer=self.said(question.entries))


def step(
    limit_sets: LimitSets, kind: str, limits: dict[str, Any] | None = None, **settings: Any
) -> ReadyStep:
    """A step of the fluid warmer; raises DocumentError."""
    document = {
        "format": "loricate-sequence/2", "code": "S", "title": "t", "product": "FW-2",
        "steps": [{"id": "s", "kind": kind, "settings": settings, "limits": limits or {}}],
    }  # fmt: skip
    product = Product.model_validate(read_demo("products/fw-2.toml"))
    return prepare(document, {"FW-2": product}, limit_sets).steps[0]


def person(ready: ReadyStep, *faults: str) -> Person:
    bench = OfflineBench(warmer())
    bench.put_in(faults, "one")
    return Person(bench, ready)


def grade(who: Person) -> StepGrade:
    assert who.step is not None
    return who.step.graded(at_once(who.measure(who.step.procedure())), DecisionRule())


def texts(found: StepGrade) -> str:
    return " ".join(each.text for each in found.doubts)


# Gauge.


def gauge(limit_sets: LimitSets, read: str = "loss", **settings: Any) -> ReadyStep:
    limits = {"loss": LOSS, "value": DIFFERENCE, "peak": PEAK}[read]
    return step(limit_sets, "gauge", limits, read=read, pressure="30 kPa", **settings)


def shows(who: Person, value: Callable[[float], float]) -> None:
    """Have the gauge show something else than what is there, in Pa."""
    wired = who.bench._wired["gauge"]  # type: ignore[index]
    true = type(wired.instrument).step

    def step(phase: str, into_s: float, length_s: float) -> None:
        true(wired.instrument, phase, into_s, length_s)
        wired.instrument.shown_pa = value(wired.instrument.shown_pa)  # type: ignore[attr-defined]

    wired.instrument.step = step  # type: ignore[method-assign]


@pytest.mark.parametrize("over", ["30 s", "60 s", "90 s"])
def test_a_loss_is_what_the_cuff_loses_whatever_the_window(
    limit_sets: LimitSets, over: str
) -> None:
    ready = gauge(limit_sets, over=over)
    tight, leaking = grade(person(ready)), grade(person(ready, "leaking_cuff"))
    assert tight.verdict is Verdict.PASS
    assert (leaking.verdict, leaking.cause) == (Verdict.FAIL, Cause.OVER_LIMIT)
    loss = leaking.readings[0].reading
    assert loss.value * 60 == pytest.approx(33_000 / 9, rel=0.15), "33 kPa, 9 min to 1/e"


@pytest.mark.parametrize("read", ["loss", "value", "peak"])
@pytest.mark.parametrize(
    ("lie", "is_stuck"),
    [
        (lambda there: 33_000.0, True),
        (lambda there: 0.0, False),
        (lambda there: there / 2, False),
    ],
)
def test_a_gauge_that_does_not_follow_passes_nothing(
    limit_sets: LimitSets, read: str, lie: Callable[[float], float], is_stuck: bool
) -> None:
    """One that has stuck or hangs on nothing loses nothing: it must be seen to rise and to fall."""
    who = person(gauge(limit_sets, read, tries=1))
    shows(who, lie)
    found = grade(who)
    assert found.verdict in (Verdict.INCONCLUSIVE, Verdict.FAIL)
    if is_stuck:
        assert not [each for each in found.readings if each.grade is not None]


@pytest.mark.parametrize("read", ["loss", "value"])
def test_a_gauge_that_sticks_once_it_has_risen_passes_nothing(
    limit_sets: LimitSets, read: str
) -> None:
    who = person(gauge(limit_sets, read, tries=1))
    most = [0.0]

    def highest(there: float) -> float:
        most[0] = max(most[0], there)
        return most[0] if most[0] > 25_000 else there

    shows(who, highest)
    found = grade(who)
    assert (found.verdict, found.cause) == (Verdict.INCONCLUSIVE, Cause.IMPLAUSIBLE)
    assert "did not fall when the cuff was vented" in texts(found)


def test_nobody_at_the_pump_is_no_tight_cuff(limit_sets: LimitSets) -> None:
    who = person(gauge(limit_sets, tries=1))
    who.bench.pump = lambda pascals: None  # type: ignore[method-assign]
    found = grade(who)
    assert (found.verdict, found.cause) == (Verdict.FAIL, Cause.LEVEL_NOT_REACHED)


def test_a_value_is_captured_beside_what_the_device_shows(limit_sets: LimitSets) -> None:
    good = grade(person(gauge(limit_sets, "value", step="0.1 kPa")))
    off = grade(person(gauge(limit_sets, "value", step="0.1 kPa"), "pressure_off"))
    assert good.verdict is Verdict.PASS
    assert (off.verdict, off.cause) == (Verdict.FAIL, Cause.OVER_LIMIT)
    by_name = {each.reading.quantity: each.reading for each in off.readings}
    assert by_name["difference"].value == pytest.approx(1500, abs=120)
    assert by_name["difference"].uncertainty > by_name["pressure"].uncertainty


def test_what_a_device_shows_is_never_offered(limit_sets: LimitSets) -> None:
    """Whoever only confirms would copy the gauge."""
    who = person(gauge(limit_sets, "value"))
    grade(who)
    asked = [each for each in who.done if isinstance(each, Hold)]
    (form,) = [q for each in asked for q in [Holding(each.until).question] if q and q.entries]
    assert [each.target for each in form.entries] == [""]


def test_another_try_keeps_both_and_the_last_one_counts(limit_sets: LimitSets) -> None:
    who = person(gauge(limit_sets), "leaking_cuff")
    who.again = 1
    mended = [False]
    true = who.bench.pump

    def mend(pascals: float) -> None:
        device = who.bench.floor.device_in("1")
        assert device is not None
        if mended[0] and pascals:
            device.model = device.model.model_copy(update={"keeps": "300 min"})
        mended[0] = mended[0] or (pascals == 0.0 and who.again == 0)
        true(pascals)

    who.bench.pump = mend  # type: ignore[method-assign]
    found = grade(who)
    points = {each.reading.point: each for each in found.readings}
    assert points.keys() == {"", "try 1"}
    assert points["try 1"].grade is None and points["try 1"].reading.value * 60 > 500
    assert found.verdict is Verdict.PASS and points[""].reading.value * 60 < 500


# Earth while the cord is flexed.


def flexing(limit_sets: LimitSets) -> ReadyStep:
    settings = {"earth": "PE", "part": "CASE", "current": "26 A", "dwell": "5 s", "flexed": "10 s"}
    limits = {"resistance": {"source": "IEC-60601-1-8.6"}}
    return step(limit_sets, "ground_bond", limits, **settings)


def test_an_earth_that_breaks_off_while_its_cord_is_flexed_is_found(
    limit_sets: LimitSets,
) -> None:
    good = grade(person(flexing(limit_sets)))
    assert good.verdict is Verdict.PASS
    bad = grade(person(flexing(limit_sets), "loose_cord_earth"))
    assert (bad.verdict, bad.cause) == (Verdict.FAIL, Cause.OPEN)
    still = person(flexing(limit_sets), "loose_cord_earth")
    still.bench.bend = lambda: None  # type: ignore[method-assign]
    assert grade(still).verdict is Verdict.PASS, "what is loose shows only while it is moved"


def test_of_a_flexed_cord_the_greatest_resistance_counts(limit_sets: LimitSets) -> None:
    who = person(flexing(limit_sets))
    wired = who.bench._wired["bond"]  # type: ignore[index]
    true = type(wired.instrument).step
    seen = [0]

    def step(phase: str, into_s: float, length_s: float) -> None:
        true(wired.instrument, phase, into_s, length_s)
        seen[0] += 1
        if seen[0] == 20:  # for one look
            wired.instrument.volts *= 5  # type: ignore[attr-defined]

    wired.instrument.step = step  # type: ignore[method-assign]
    found = grade(who)
    assert (found.verdict, found.cause) == (Verdict.FAIL, Cause.OVER_LIMIT)
    usual = grade(person(flexing(limit_sets))).readings[0].reading.value
    assert found.readings[0].reading.value == pytest.approx(5 * usual, rel=0.05)


@pytest.mark.parametrize("every", [11, 1000])
def test_a_cord_that_was_looked_at_too_seldom_decides_nothing(
    limit_sets: LimitSets, every: int
) -> None:
    who = person(flexing(limit_sets))
    true = who.bench.off

    def thinned(role: Any) -> Output:
        output = true(role)
        return replace(output, samples=output.samples[:1] + output.samples[every::every])

    who.bench.off = thinned  # type: ignore[method-assign]
    found = grade(who)
    assert found.verdict is Verdict.INCONCLUSIVE
    assert "too seldom" in texts(found)


def test_a_cord_that_nobody_says_was_flexed_decides_nothing(limit_sets: LimitSets) -> None:
    who = person(flexing(limit_sets))
    true = who.bench.hold
    who.bench.hold = lambda role, holding: replace(  # type: ignore[method-assign]
        true(role, holding), met=None
    )
    found = grade(who)
    assert found.verdict is Verdict.INCONCLUSIVE and not found.readings


def test_whoever_stands_there_is_warned_before_mains_is_on_with_the_earth_open(
    limit_sets: LimitSets,
) -> None:
    settings = {
        "path": ["touch", "patient"], "condition": ["normal", "open_earth"], "switch": "on",
        "network": "iec60601", "supply": "262 V", "load_current": "1.2 A",
    }  # fmt: skip
    source = {"source": "IEC-60601-1-8.7"}
    ready = step(limit_sets, "leakage", {"current": source, "dc_current": source}, **settings)
    who = person(ready)
    assert grade(who).verdict is Verdict.PASS
    warned, is_earthed, seen = False, True, set()
    for action in who.done:
        if isinstance(action, Tell):
            warned = action.text == LIVE
        elif isinstance(action, Connect):
            is_earthed = "earth" in action.points
        elif isinstance(action, Source):
            seen.add(is_earthed)
            assert warned or is_earthed
        elif isinstance(action, Off):
            warned = False
    assert seen == {True, False}


# Response.


def response(limit_sets: LimitSets, **settings: Any) -> ReadyStep:
    return step(limit_sets, "response", None, **settings)


def as_shown(entries: Sequence[Entry]) -> Answer:
    return Answer("", values={each.name: each.target for each in entries})


@pytest.mark.parametrize(
    ("fault", "cause", "where"),
    [
        ("sensor_off", Cause.OVER_LIMIT, "temperature"),
        ("pressure_off", Cause.OVER_LIMIT, "pressure"),
        ("silent_alarm", Cause.ANSWERED_FAIL, "Over-temperature alarm"),
    ],
)
def test_each_functional_fault_is_found_where_it_is(
    limit_sets: LimitSets, fault: str, cause: Cause, where: str
) -> None:
    ready = response(limit_sets)
    assert grade(person(ready)).verdict is Verdict.PASS
    found = grade(person(ready, fault))
    assert (found.verdict, found.cause) == (Verdict.FAIL, cause)
    failed = {
        each.reading.quantity
        for each in found.readings
        if each.grade is not None and each.grade.verdict is Verdict.FAIL
    }
    told = failed | {each.point for each in found.faults}
    assert all(where in each for each in told), told


@pytest.mark.parametrize("lacking", ["pressure", "temperature"])
def test_a_figure_that_nobody_read_passes_nothing(limit_sets: LimitSets, lacking: str) -> None:
    def without(entries: Sequence[Entry]) -> Answer:
        values = {each.name: each.target for each in entries if each.name != lacking}
        return Answer("", values=values)

    who = person(response(limit_sets))
    who.said = without
    assert grade(who).verdict is Verdict.INCONCLUSIVE


def test_nobody_there_passes_nothing(limit_sets: LimitSets) -> None:
    who = person(response(limit_sets))
    who.said, who.is_there = as_shown, False
    found = grade(who)
    assert found.verdict is Verdict.INCONCLUSIVE and not found.readings


@pytest.mark.parametrize("presets", [["normal"], ["high", "normal"]])
@pytest.mark.parametrize("parameters", [["over_temperature"], ["temperature"], []])
def test_whatever_is_asked_nobody_there_passes_nothing(
    limit_sets: LimitSets, presets: list[str], parameters: list[str]
) -> None:
    """An alarm has no figure whose limit would be missed."""
    who = person(response(limit_sets, presets=presets, parameters=parameters))
    who.said, who.is_there = as_shown, False
    assert grade(who).verdict is Verdict.INCONCLUSIVE
    who = person(response(limit_sets, presets=presets, parameters=parameters))
    who.said = as_shown
    assert grade(who).verdict is Verdict.PASS


def test_a_stimulus_that_ends_by_itself_passes_nothing(limit_sets: LimitSets) -> None:
    who = person(response(limit_sets, parameters=["over_temperature"]))
    who.said = as_shown
    true = who.bench.source
    calls = [0]

    def once(action: Any) -> Any:
        calls[0] += 1
        level = true(action)
        return level if calls[0] == 1 else replace(level, look=None)

    who.bench.source = once  # type: ignore[method-assign]
    assert grade(who).verdict is Verdict.INCONCLUSIVE


def test_where_the_engineer_wrote_a_limit_no_target_is_changed(limit_sets: LimitSets) -> None:
    closer = {"temperature": {"minimum": "30 °C", "maximum": "50 °C", "source": "the drawing"}}
    for limits, may in ((None, True), (closer, False)):
        ready = step(limit_sets, "response", limits, presets=["normal"])
        who = person(ready)
        asked: list[Entry] = []

        def kept(entries: Sequence[Entry], asked: list[Entry] = asked) -> Answer:
            asked += entries
            return as_shown(entries)

        who.said = kept
        grade(who)
        offered = {each.name: each.may_retarget for each in asked}
        assert offered == {"pressure": True, "temperature": may, "over_temperature": False}


def test_what_is_read_too_early_is_read_again(limit_sets: LimitSets) -> None:
    """The quick figure counts; the slow one is asked for again, once it can have settled."""
    asked: list[tuple[str, ...]] = []

    def at_once_shown(entries: Sequence[Entry]) -> Answer:
        asked.append(tuple(each.name for each in entries))
        return as_shown(entries)

    who = person(response(limit_sets, presets=["normal"]))
    who.said, who.late_s = at_once_shown, 3.0
    found = grade(who)
    assert asked == [
        ("pressure", "temperature", "over_temperature"),
        ("temperature", "over_temperature"),
    ]
    assert found.verdict is Verdict.PASS
    waits = [
        each.until[0].seconds
        for each in who.done
        if isinstance(each, Hold) and isinstance(each.until[0], For)
    ]
    assert waits and waits[0] == pytest.approx(9, abs=1), "12 s less what had passed"


def test_a_stimulus_that_gives_something_else_decides_nothing(limit_sets: LimitSets) -> None:
    who = person(response(limit_sets, presets=["normal"]))
    who.said = as_shown
    stimulus = who.bench._wired["stimulus"].instrument  # type: ignore[index]
    stimulus.offset_c = 1.5  # type: ignore[attr-defined]
    found = grade(who)
    assert (found.verdict, found.cause) == (Verdict.INCONCLUSIVE, Cause.IMPLAUSIBLE)
    assert "gave 38.5" in texts(found) and "where it was set to 37.00 °C" in texts(found)


def test_a_target_changed_for_one_device_moves_its_limit_and_is_said(
    limit_sets: LimitSets,
) -> None:
    def changed(entries: Sequence[Entry]) -> Answer:
        values = {each.name: each.target for each in entries}
        values["temperature"] = "36.2 °C"
        beside = {"temperature": Beside(target="36.4 °C", reason="probe in its holder")}
        return Answer("", "", "mara", values=values, beside=beside)

    ready = response(limit_sets, presets=["normal"])
    who = person(ready)
    who.said = changed
    measured = at_once(who.measure(ready.procedure()))
    found = ready.graded(measured, DecisionRule())
    assert found.verdict is Verdict.PASS
    own = next(each for each in found.readings if each.reading.quantity == "temperature")
    assert own.limit is not None and own.limit.minimum == pytest.approx(35.9)
    for said in (own.limit.source.text, measured.note):
        assert "36.4 °C" in said and "37 °C" in said and "probe in its holder" in said
        assert "mara" in said
    # Its step's own limit is as it was, for every other device.
    assert ready.limits[own.reading.measurand].minimum == pytest.approx(36.5)
    assert list(measured.retargeted) == [Measurand("temperature", "normal, Temperature")]


def test_a_target_is_moved_for_no_other_figure(limit_sets: LimitSets) -> None:
    def wrong(entries: Sequence[Entry]) -> Answer:
        values = {each.name: each.target for each in entries}
        values["pressure"] = "25 kPa"
        beside = {"temperature": Beside(target="36.9 °C", reason="why not")}
        return Answer("", values=values, beside=beside)

    who = person(response(limit_sets, presets=["normal"]))
    who.said = wrong
    assert grade(who).verdict is Verdict.FAIL


@pytest.mark.parametrize(
    ("settings", "path"),
    [
        ({"presets": ["hot"]}, "presets"),
        ({"parameters": ["flow"]}, "parameters"),
        ({"presets": ["low"], "parameters": ["over_temperature"]}, "settings"),
    ],
)
def test_what_the_product_has_not_is_named(
    limit_sets: LimitSets, settings: dict[str, Any], path: str
) -> None:
    with pytest.raises(DocumentError) as refused:
        response(limit_sets, **settings)
    assert path in [each.path.rpartition(".")[2] for each in refused.value.findings]


# Defibrillation.


def reduction(limit_sets: LimitSets, **settings: Any) -> ReadyStep:
    return step(limit_sets, "defibrillation", REDUCTION, **settings)


def test_what_absorbs_a_pulse_is_found_and_a_good_part_takes_next_to_nothing(
    limit_sets: LimitSets,
) -> None:
    good = grade(person(reduction(limit_sets)))
    assert good.verdict is Verdict.PASS
    taken = {each.reading.measurand: each.reading for each in good.readings}
    share = taken[Measurand("energy_reduction", "CATHETER C1")]
    assert abs(share.value) < 0.01 and 0.005 < share.uncertainty < 0.03
    assert taken[Measurand("energy", "reference")].value == pytest.approx(362, rel=0.03)
    assert taken[Measurand("peak_current", "reference")].value == pytest.approx(39.5, rel=0.02)
    bad = grade(person(reduction(limit_sets), "absorbing_catheter"))
    assert (bad.verdict, bad.cause) == (Verdict.FAIL, Cause.OVER_LIMIT)


def test_every_pulse_is_rested_before_and_its_record_kept(limit_sets: LimitSets) -> None:
    who = person(reduction(limit_sets, reference="each"))
    measured = at_once(who.measure(who.step.procedure()))  # type: ignore[union-attr]
    acts = [each for each in who.done if isinstance(each, Rest | Energise)]
    assert acts[0::2] == [Rest(PULSE)] * (len(acts) // 2) and len(acts) >= 4
    assert all(isinstance(each, Energise) for each in acts[1::2])
    names = [(each.name, each.point) for each in measured.curves]
    pulses = ["reference, CATHETER C1", "CATHETER C1"]
    assert names == [(name, each) for name in ("waveform", "energy") for each in pulses]


def test_each_connection_in_turn_with_all_others_earthed(limit_sets: LimitSets) -> None:
    document = read_demo("products/fw-2.toml")
    document["medical"]["applied_parts"][0]["defibrillation_proof"] = True
    product = Product.model_validate(document)
    ready = reduction(limit_sets)
    points = ready.settings.points(product)
    assert [each.values["high"] for each in points] == [
        ("P1",), ("P2",), ("P3",), ("P4",), ("C1",)
    ]  # fmt: skip
    everything = {"P1", "P2", "P3", "P4", "C1", "CUFF", "PE", "CASE", "POLE"}
    for point in points:
        assert set(point.values["earthed"]) == everything - set(point.values["high"])


def spoil(who: Person, change: Callable[[str, Waveform], Waveform]) -> None:
    """Have the digitiser's record be another one."""
    true = who.bench.acquire

    def acquire(action: Acquire) -> Waveform:
        return change(who.point, true(action))

    who.bench.acquire = acquire  # type: ignore[method-assign]


def with_values(record: Waveform, values: Sequence[float]) -> Waveform:
    curve = record.curve
    x = replace(curve.x, values=Block(list(curve.x.values)[: len(values)]))
    column = Column("voltage", curve.columns[0].dimension, Block(values))
    return replace(record, curve=replace(curve, x=x, columns=(column,)))


def volts(record: Waveform) -> list[float]:
    return [value or 0.0 for value in record.curve.columns[0].values]


def cut_short(point: str, record: Waveform) -> Waveform:
    return with_values(record, volts(record)[:1500])


def few(point: str, record: Waveform) -> Waveform:
    return with_values(record, volts(record)[:50])


def late(point: str, record: Waveform) -> Waveform:
    return with_values(record, [*[0.0] * 800, *volts(record)[:-800]])


def swinging(point: str, record: Waveform) -> Waveform:
    return with_values(record, [value - 400 for value in volts(record)])


def weak_reference(point: str, record: Waveform) -> Waveform:
    factor = 0.9 if point == "reference" else 1.0
    return with_values(record, [value * factor for value in volts(record)])


def nothing(point: str, record: Waveform) -> Waveform:
    return with_values(record, [0.0] * 10_000)


@pytest.mark.parametrize("fault", ["", "absorbing_catheter"])
@pytest.mark.parametrize("lie", [cut_short, few, late, swinging, weak_reference, nothing])
def test_a_source_that_did_not_deliver_is_no_failure_of_the_device_and_no_pass(
    limit_sets: LimitSets, lie: Callable[[str, Waveform], Waveform], fault: str
) -> None:
    who = person(reduction(limit_sets), *filter(None, [fault]))
    spoil(who, lie)
    found = grade(who)
    assert (found.verdict, found.cause) == (Verdict.INCONCLUSIVE, Cause.IMPLAUSIBLE)


def test_the_record_of_an_earlier_pulse_is_no_measurement(limit_sets: LimitSets) -> None:
    """The reference's, given again with the part connected, would say that it takes nothing."""
    who = person(reduction(limit_sets), "absorbing_catheter")
    kept: list[Waveform] = []

    def again(point: str, record: Waveform) -> Waveform:
        kept.append(record)
        return kept[0]

    spoil(who, again)
    found = grade(who)
    assert found.verdict is Verdict.INCONCLUSIVE
    assert "gave the record of another pulse" in texts(found)


@pytest.mark.parametrize("only", ["", "CATHETER C1"])
def test_a_source_that_charges_to_less_is_said_and_decides_nothing(
    limit_sets: LimitSets, only: str
) -> None:
    who = person(reduction(limit_sets))
    true = who.bench.energise

    def weaker(action: Energise) -> Output:
        output = true(action)
        told = output.summary["voltage"] * (0.93 if only in ("", who.point) else 1.0)
        return replace(output, summary={**output.summary, "voltage": told})

    who.bench.energise = weaker  # type: ignore[method-assign]
    found = grade(who)
    assert (found.verdict, found.cause) == (Verdict.INCONCLUSIVE, Cause.IMPLAUSIBLE)
    assert "charged to" in texts(found)


def test_a_pulse_that_was_broken_off_decides_nothing(limit_sets: LimitSets) -> None:
    who = person(reduction(limit_sets))
    true = who.bench.energise
    who.bench.energise = lambda action: replace(  # type: ignore[method-assign]
        true(action), ending=Ending.BREAKDOWN
    )
    assert grade(who).verdict is Verdict.INCONCLUSIVE


def test_by_hand_each_connection_is_asked_for_with_hands_in(limit_sets: LimitSets) -> None:
    who = person(reduction(limit_sets, connecting="hand"))
    grade(who)
    asked = [each for each in who.done if isinstance(each, Ask)]
    assert len(asked) == 2 and all(each.hands_in for each in asked)
    assert "into the load alone" in asked[0].question
    assert "to C1, and earth P1, P2" in asked[1].question


# Review.


def found(
    limit_sets: LimitSets, step_id: str, change: Callable[[dict[str, Any]], None]
) -> set[str]:
    """The rules that find something in a step of the whole device, after a change to it."""
    document = read_demo("sequences/fw2-whole.toml")
    one = next(each for each in document["steps"] if each["id"] == step_id)
    one.setdefault("settings", {})
    one.setdefault("limits", {})
    change(one)
    product = Product.model_validate(read_demo("products/fw-2.toml"))
    ready = prepare(document, {"FW-2": product}, limit_sets)
    bench = {GAUGE: (read_profile("stand-in-gauge").capability("PG1"),)}
    seen = review(Reviewed(ready, limit_sets, bench))
    return {each.rule for each in seen if each.step == step_id} & {
        "loose_loss", "still_gauge", "same_at_every_preset",
    }  # fmt: skip


def limited(quantity: str, **limit: str) -> Callable[[dict[str, Any]], None]:
    return lambda one: one["limits"].update({quantity: {"source": "the drawing", **limit}})


def at_one_preset(one: dict[str, Any]) -> None:
    one["settings"]["presets"] = ["high"]


@pytest.mark.parametrize(
    ("step_id", "change", "rules"),
    [
        ("cuff-loss", limited("loss", maximum="17 kPa/min"), {"loose_loss"}),
        ("cuff-loss", limited("loss", maximum="100 Pa/min"), {"still_gauge"}),
        ("cuff-loss", limited("loss", maximum="0.5 kPa/min"), set()),
        ("display", limited("temperature", minimum="30 °C", maximum="45 °C"),
         {"same_at_every_preset"}),
        ("display", at_one_preset, {"same_at_every_preset"}),
        ("display", lambda one: None, set()),
    ],
)  # fmt: skip
def test_the_review_finds_limits_that_let_what_is_bad_pass(
    limit_sets: LimitSets,
    step_id: str,
    change: Callable[[dict[str, Any]], None],
    rules: set[str],
) -> None:
    assert found(limit_sets, step_id, change) == rules
