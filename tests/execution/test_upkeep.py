"""Upkeep on stand-ins: leads zeroed, relays and wires checked, boxes told apart."""

import math
from collections.abc import Awaitable, Callable
from typing import Any

import pytest

from loricate.core.fixtures.zeroing import ZeroMeasured
from loricate.core.limits.limit_sets import LimitSet
from loricate.core.measuring.actions import Answer
from loricate.core.measuring.grading import Verdict
from loricate.core.measuring.impedance import ImpedancePath
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence
from loricate.execution.load import NestZeroes
from loricate.execution.upkeep import CheckReport, DailyCheck, Upkeep, Zeroing
from tests.conftest import read_demo
from tests.rig import Rig

Doing = Callable[[str], None]


@pytest.fixture
def boxes(limit_sets: dict[str, tuple[LimitSet, int]]) -> ReadySequence:
    """The sequence of the reference boxes."""
    product = Product.model_validate(read_demo("products/ref-box.toml"))
    return prepare(read_demo("sequences/ref-box.toml"), {product.code: product}, limit_sets)


def hands(rig: Rig, **swapped: str) -> Doing:
    """Do by hand what each moment asks for; ``swapped`` does something else at a moment."""
    floor = rig.floor.floor

    def do(moment: str) -> None:
        wanted = swapped.get(moment, moment)
        for nest in "1234":
            floor.take_out(f"FX-A/{nest}")
            if wanted == "short":
                floor.put_in(f"FX-A/{nest}", "SHORT", (), "plug")
        if wanted in ("good_box", "bad_box"):
            floor.put_in("FX-A/1", "REF-BOX", ("bad",) if wanted == "bad_box" else (), "box")
        if wanted == "left_in":
            floor.put_in("FX-A/2", "DC-40", (), "forgotten")

    return do


async def perform(act: Upkeep, do: Doing, choice: str = "done") -> None:
    act.start()
    async for event in act.log.follow():
        if event.name == "question":
            do(event.data["moment"])
            act.questions.answer(event.data["number"], Answer(choice))
    await act.wait()


def check_act(rig: Rig, boxes: ReadySequence, kept: list[CheckReport]) -> DailyCheck:
    async def keep(report: CheckReport) -> None:
        kept.append(report)

    fixture = rig.bench.plan.fixtures[0]
    return DailyCheck(
        "d", fixture, rig.bench, "mara", "1", boxes, ("GOOD", "BAD"), NestZeroes(), keep
    )


def keeper(
    kept: dict[str, ZeroMeasured],
) -> Callable[[dict[str, ZeroMeasured]], Awaitable[None]]:
    async def keep(measured: dict[str, ZeroMeasured]) -> None:
        assert not kept, "one record for all nests"
        kept.update(measured)

    return keep


async def test_leads_are_zeroed_as_they_are(rig: Rig) -> None:
    kept: dict[str, ZeroMeasured] = {}
    fixture = rig.bench.plan.fixtures[0]
    act = Zeroing("z", fixture, rig.bench, "mara", ("1", "3"), keeper(kept))
    await perform(act, hands(rig))
    assert (act.state, act.findings) == ("passed", ())
    for nest in ("1", "3"):
        true = rig.floor.floor.nests[f"FX-A/{nest}"].lead_ohms
        for ohms, _ in kept[nest].leads.values():
            assert ohms == pytest.approx(true, abs=3e-4)
    assert not rig.floor.floor.closed


async def test_impedance_paths_are_zeroed_shorted_and_open(rig: Rig) -> None:
    paths: dict[str, tuple[complex, complex]] = {}

    async def keep_path(nest: str, path: ImpedancePath, opened: complex, short: complex) -> None:
        paths[nest] = (opened, short)

    fixture = rig.bench.plan.fixtures[0]
    wanted = (ImpedancePath("L", "CHASSIS", 1000.0), ImpedancePath("X", "Y", 1000.0))
    act = Zeroing("z", fixture, rig.bench, "mara", ("1", "3"), keeper({}), wanted, keep_path)
    await perform(act, hands(rig))
    assert (act.state, act.findings, list(paths)) == ("passed", (), ["1", "3"])
    for opened, short in paths.values():
        # 40 pF between the leads, and two leads with two relays.
        assert abs(opened) == pytest.approx(1 / (2 * math.pi * 1000 * 40e-12), rel=0.01)
        assert 0.04 < short.real < 0.08
    act = Zeroing("z", fixture, rig.bench, "mara", ("1",), keeper({}), wanted, keep_path)
    await perform(act, hands(rig, open="short"))
    assert act.state == "failed" and "take everything out for the second" in act.findings[0]


async def test_a_nest_that_is_not_shorted_keeps_its_last_zero(rig: Rig) -> None:
    kept: dict[str, ZeroMeasured] = {}
    fixture = rig.bench.plan.fixtures[0]
    act = Zeroing("z", fixture, rig.bench, "mara", ("1",), keeper(kept))
    await perform(act, hands(rig, short="empty"))
    assert act.state == "failed" and kept == {}
    assert "Nest 1: The path from L to N" in act.findings[0]


async def test_a_sound_bench_passes_its_daily_check(rig: Rig, boxes: ReadySequence) -> None:
    kept: list[CheckReport] = []
    act = check_act(rig, boxes, kept)
    await perform(act, hands(rig))
    assert (act.state, act.findings) == ("passed", ())
    (report,) = kept
    assert {step.grade.verdict for step in report.good} == {Verdict.PASS}
    assert {step.grade.verdict for step in report.bad} == {Verdict.FAIL}
    assert [step.title for step in report.good if step.step_id == "withstand"] == [
        "Withstand, 1.0 mA at 1 kV, HV1", "Withstand, 1.0 mA at 1 kV, HV2",
    ], "each source that a run may take is tried"  # fmt: skip
    used = {each.reading.instrument for step in report.bad for each in step.grade.readings}
    assert used == {"HV1", "HV2", "GB1", "LK1"}


@pytest.mark.parametrize(
    ("fault", "told"),
    [
        ("stuck", "row 5 (GB1 low) to column 12 (nest 3 CHASSIS) is stuck closed"),
        ("leak", "row 8 (LK1 neutral) to column 1 (nest 1 L) leaks"),
        ("wet", "between column 2 (nest 1 N) and column 6 (nest 2 N)"),
        ("left_in", "between column 7 (nest 2 PE) and column 8 (nest 2 CHASSIS)"),
    ],
)
async def test_a_bad_path_is_found_and_named(
    rig: Rig, boxes: ReadySequence, fault: str, told: str
) -> None:
    floor = rig.floor.floor
    kept: list[CheckReport] = []
    if fault == "stuck":
        floor.stuck.add((5, 12))
    elif fault == "leak":
        floor.leaks[8, 1] = 4e6
    elif fault == "wet":
        floor.wet[2, 6] = 2e6
    swapped = {"empty": "left_in"} if fault == "left_in" else {}
    act = check_act(rig, boxes, kept)
    await perform(act, hands(rig, **swapped))
    assert act.state == "failed" and any(told in each for each in act.findings), act.findings
    assert kept[0].good == (), "the boxes are not measured through a bad scanner"


async def test_a_good_box_taken_for_the_bad_one_fails_the_check(
    rig: Rig, boxes: ReadySequence
) -> None:
    kept: list[CheckReport] = []
    act = check_act(rig, boxes, kept)
    await perform(act, hands(rig, bad_box="good_box"))
    assert act.state == "failed" and len(act.findings) == len(boxes.steps) + 2
    assert all("known-bad box must fail" in each for each in act.findings)


@pytest.mark.parametrize("how", ["stop", "guard", "abort", "gone"])
async def test_a_check_that_is_broken_off_keeps_nothing(
    rig: Rig, boxes: ReadySequence, how: str
) -> None:
    kept: list[CheckReport] = []
    act = check_act(rig, boxes, kept)
    told: dict[str, Any] = {
        "stop": "Stopped by the operator.", "guard": "guard is open", "abort": "Enough.",
        "gone": "HV1",
    }  # fmt: skip
    if how == "guard":
        rig.floor.floor.set_guard(False)
    elif how == "gone":
        await rig.floor.instruments["HV1"].power(False, "x")
    act.start()
    async for event in act.log.follow():
        if event.name == "question":
            act.questions.answer(event.data["number"], Answer("stop" if how == "stop" else "done"))
        elif event.name == "progress" and how == "abort":
            act.abort("Enough.")
    await act.wait()
    assert act.state == "aborted" and told[how] in act.findings[0] and kept == []
    assert not rig.floor.floor.outputs_on
