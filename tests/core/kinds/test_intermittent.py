"""Watching for loose contacts: every break is found, and a meter that cannot see passes nothing."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import pytest

from loricate.challenge import challenge, stand_in_for
from loricate.challenge.bench import OfflineBench
from loricate.core.errors import DocumentError
from loricate.core.measuring.actions import Acquire, Output, Waveform
from loricate.core.measuring.grading import Cause, DecisionRule, StepGrade, Verdict
from loricate.core.measuring.roles import WIRING, Role
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence
from loricate.simulator.instruments.wiring_meter import WiringMeter
from tests.conftest import read_demo

NETS = ["UP", "DOWN", "STOP_1", "STOP_2", "BUS_H", "BUS_L", "HORN", "SCREEN"]


def product() -> Product:
    return Product.model_validate(read_demo("products/cl-7.toml"))


def sequence(**settings: Any) -> ReadySequence:
    """One step that watches, for the control lead."""
    document = {
        "format": "loricate-sequence/2", "code": "S", "title": "t", "product": "CL-7",
        "steps": [{"id": "bend", "kind": "intermittent", "settings": {"nets": NETS, **settings}}],
    }  # fmt: skip
    return prepare(document, {"CL-7": product()}, {})


def bench(*faults: str) -> OfflineBench:
    found = OfflineBench(stand_in_for(product()))
    found.put_in(faults, "U-1")
    return found


def graded(on: OfflineBench, **settings: Any) -> StepGrade:
    return on.grade(sequence(**settings).steps[0], DecisionRule())


def test_every_loose_wire_that_is_watched_is_found_and_no_good_lead_fails() -> None:
    found = challenge(sequence(), stand_in_for(product()), repetitions=5)
    assert found.false_alarms == {"bend": 0}
    rows = {row.faults: row.verdicts["bend"] for row in found.rows}
    for net in NETS:
        assert rows[f"loose {net}",].cause is Cause.INTERMITTENT, net
        assert rows[f"open {net}",].cause is Cause.OPEN, net
    assert rows["loose TEMP",].verdict is Verdict.PASS, "it is not watched"
    assert rows["empty_nest",].verdict is Verdict.FAIL


def test_count_longest_and_when_are_told_with_the_trace() -> None:
    grade = graded(bench("loose HORN"))
    (fault,) = grade.faults
    assert (fault.cause, fault.contacts) == (Cause.INTERMITTENT, ("X1:L", "X2:11"))
    assert "HORN breaks off" in fault.text and "3 times, for 200.0 µs at the longest" in fault.text
    values = {
        (each.reading.quantity, each.reading.point): each.reading.value for each in grade.readings
    }
    assert values["breaks", "HORN"] == 3 and values["breaks", "UP"] == 0
    assert values["longest_break", "HORN"] == pytest.approx(200e-6)
    assert 0.3 < values["resistance", "HORN"] < 1.0, "what it has outside its breaks"
    assert values["time_watched", ""] >= 4.95


@pytest.mark.parametrize(("least", "fails"), [("10 µs", True), ("150 µs", True), ("1 ms", False)])
def test_only_breaks_of_the_length_that_is_asked_count(least: str, fails: bool) -> None:
    grade = graded(bench("loose HORN"), least=least)
    assert (grade.verdict is Verdict.FAIL) is fails
    if least == "150 µs":
        (breaks,) = [
            each.reading.value
            for each in grade.readings
            if each.reading.measurand.quantity == "breaks" and each.reading.point == "HORN"
        ]
        assert breaks == 1, "two of the three are shorter"


def test_a_net_that_is_described_in_one_position_alone_or_not_at_all_is_refused() -> None:
    with pytest.raises(DocumentError, match="SPEED_1' is not there in every position"):
        sequence(nets=["SPEED_1"])
    with pytest.raises(DocumentError, match=r"nets\[1\].*has no net 'WHISTLE'"):
        sequence(nets=["HORN", "WHISTLE"])
    with pytest.raises(DocumentError, match="one point twice"):
        sequence(nets=["HORN", "HORN"])
    with pytest.raises(DocumentError, match="at_most: is less than it is watched at least"):
        sequence(at_least="10 s", at_most="5 s")


def without(name: str) -> Callable[[Output], Output]:
    return lambda output: replace(
        output, summary={key: value for key, value in output.summary.items() if key != name}
    )


def saying(**values: float) -> Callable[[Output], Output]:
    return lambda output: replace(output, summary={**output.summary, **values})


@pytest.mark.parametrize(
    ("change", "told"),
    [
        (saying(breaks_found=0.0), "was shown 8 open inputs and saw 0"),
        (without("breaks_found"), "saw nan"),
        (without("samples_taken"), "took nan samples"),
        (saying(samples_taken=5000.0), "took 5000 samples"),
        (saying(breaks_found=float("nan")), "saw nan"),
    ],
)
def test_a_meter_that_did_not_see_decides_nothing(
    change: Callable[[Output], Output], told: str
) -> None:
    """Whatever it leaves out or makes up: a loose lead does not pass, and the meter is doubted."""
    for faults in ((), ("loose HORN",)):
        on = bench(*faults)
        summed_up = on._summed_up

        def lying(role: Role, samples: Any = (), summed_up: Any = summed_up) -> Output:
            output: Output = summed_up(role, samples)
            return change(output) if role is WIRING else output

        on._summed_up = lying  # type: ignore[method-assign]
        grade = graded(on)
        assert grade.verdict is not Verdict.PASS
        assert any(told in doubt.text for doubt in grade.doubts), grade.doubts


def cut_short(waveform: Waveform) -> Waveform:
    """The first third of a record."""
    curve = waveform.curve
    count = max(1, len(curve) // 3)
    return replace(
        waveform,
        curve=replace(
            curve,
            x=replace(curve.x, values=curve.x.values[:count]),
            columns=tuple(replace(each, values=each.values[:count]) for each in curve.columns),
        ),
    )


def frozen(waveform: Waveform) -> Waveform:
    """The same figure all over."""
    curve = waveform.curve
    same = tuple(replace(each, values=(0.4,) * len(curve)) for each in curve.columns)
    return replace(waveform, curve=replace(curve, columns=same))


@pytest.mark.parametrize(
    ("spoil", "told"), [(cut_short, "kept a trace of"), (frozen, "to the last digit")]
)
def test_a_trace_that_is_cut_short_or_stands_still_decides_nothing(
    spoil: Callable[[Waveform], Waveform], told: str
) -> None:
    on = bench()
    acquire = on.acquire

    def lying(action: Acquire) -> Waveform:
        return spoil(acquire(action)) if action.name == "watch_3" else acquire(action)

    on.acquire = lying  # type: ignore[method-assign]
    grade = graded(on)
    assert grade.verdict is Verdict.INCONCLUSIVE and grade.cause is Cause.IMPLAUSIBLE
    assert any(told in doubt.text for doubt in grade.doubts), grade.doubts


def test_a_meter_whose_inputs_are_shorted_sees_no_break_and_passes_nothing() -> None:
    """The one thing that only showing it a break finds: everything else looks like a good lead."""
    on = bench("loose HORN")
    meter = on._wired[WIRING].instrument
    assert isinstance(meter, WiringMeter)
    meter._at_inputs = lambda broken: [0.4] * int(meter.inputs)  # type: ignore[method-assign]
    grade = graded(on)
    assert grade.verdict is Verdict.INCONCLUSIVE
    assert any("was shown 8 open inputs and saw 0" in doubt.text for doubt in grade.doubts)


def test_breaks_that_were_counted_and_not_kept_pass_no_limit() -> None:
    """A meter keeps so many; with a limit that lets some pass, those that it lost still count."""
    on = bench("loose HORN")
    acquire = on.acquire

    def forgetful(action: Acquire) -> Waveform:
        waveform = acquire(action)
        return cut_short(waveform) if action.name.startswith("break_") else waveform

    on.acquire = forgetful  # type: ignore[method-assign]
    lenient = {"breaks": {"maximum": "2", "source": "the engineer"}}
    document = {
        "format": "loricate-sequence/2", "code": "S", "title": "t", "product": "CL-7",
        "steps": [
            {"id": "bend", "kind": "intermittent", "settings": {"nets": NETS}, "limits": lenient}
        ],
    }  # fmt: skip
    step = prepare(document, {"CL-7": product()}, {}).steps[0]
    grade = on.grade(step, DecisionRule())
    assert grade.verdict is not Verdict.PASS, "one of three was kept, and two are allowed"
