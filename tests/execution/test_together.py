"""Together: all nests on one source at one moment, and one by one where the sum decides nothing."""

from dataclasses import replace

from loricate.core.measuring.grading import Verdict
from loricate.core.measuring.readings import Bound
from loricate.core.planning.scheduling import Across
from loricate.core.sequences.ready import ReadySequence
from tests.execution.test_engine import engine_for, only, run
from tests.rig import Rig


def together(sequence: ReadySequence) -> ReadySequence:
    (step,) = only(sequence, "insulation").steps
    return replace(sequence, steps=(replace(step, across=Across.TOGETHER),))


async def test_good_units_are_measured_in_one_application(
    rig: Rig, sequence: ReadySequence
) -> None:
    engine, notebook = engine_for(rig, together(sequence), "124")
    await run(engine)
    assert notebook.verdict is Verdict.PASS
    for nest, performed in notebook.performed:
        resistance = performed.grade.readings[0].reading
        assert resistance.bound is Bound.ABOVE, nest
        assert "nests 1, 2, 4" in performed.note
    assert len({performed.started_at for _, performed in notebook.performed}) == 1


async def test_a_bad_unit_is_found_by_itself_and_the_others_get_their_own_reading(
    rig: Rig, sequence: ReadySequence
) -> None:
    rig.floor.floor.put_in("FX-A/2", "DC-40", ("wet",), "x")
    engine, notebook = engine_for(rig, together(sequence), "124")
    await run(engine)
    verdicts = {nest: performed.grade.verdict for nest, performed in notebook.performed}
    assert verdicts == {"1": Verdict.PASS, "2": Verdict.FAIL, "4": Verdict.PASS}
    for _, performed in notebook.performed:
        assert performed.grade.readings[0].reading.bound is Bound.EXACT
        assert "decided nothing" in performed.note


async def test_one_unit_alone_is_measured_as_ever(rig: Rig, sequence: ReadySequence) -> None:
    engine, notebook = engine_for(rig, together(sequence), "1")
    await run(engine)
    ((_, performed),) = notebook.performed
    assert performed.grade.readings[0].reading.bound is Bound.EXACT and performed.note == ""
