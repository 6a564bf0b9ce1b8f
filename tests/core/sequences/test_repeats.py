"""Repeats: which steps are done again, and when that is refused."""

import pytest

from loricate.core.measuring.grading import Verdict
from loricate.core.sequences.ready import ReadySequence
from loricate.core.sequences.repeats import steps_to_repeat

P, F, N = Verdict.PASS, Verdict.FAIL, Verdict.NOT_RUN
IDS = ("look", "earth", "insulation", "withstand", "leakage")


def ask(
    sequence: ReadySequence, verdicts: tuple[Verdict | None, ...], step: str = "", tries: int = 1
) -> tuple[tuple[str, ...], str]:
    steps, findings = steps_to_repeat(
        sequence, dict(zip(IDS, verdicts, strict=True)), dict.fromkeys(IDS, tries), step
    )
    return steps, " ".join(f"{each.path}: {each.message}" for each in findings)


def test_a_failed_step_is_repeated_with_what_the_halt_skipped(sequence: ReadySequence) -> None:
    assert ask(sequence, (P, P, P, F, N), "withstand") == (("withstand", "leakage"), "")
    assert ask(sequence, (P, F, P, P, P), "earth") == (("earth",), "")
    assert ask(sequence, (P, F, None, None, None), "earth") == (IDS[1:], "")


def test_a_unit_is_repeated_from_the_first_step(sequence: ReadySequence) -> None:
    assert ask(sequence, (P, P, P, F, N)) == (IDS, "")


@pytest.mark.parametrize(
    ("verdicts", "step", "tries", "told"),
    [
        ((P, P, P, P, P), "", 1, "nest: the unit passed"),
        ((P, P, P, F, N), "nonsense", 1, "step: there is no step 'nonsense'"),
        ((P, P, P, F, N), "earth", 1, "step: step 'earth' passed"),
        ((P, P, P, F, N), "withstand", 3, "all attempts of withstand (3)"),
    ],
)
def test_what_may_not_be_repeated_is_told(
    sequence: ReadySequence, verdicts: tuple[Verdict, ...], step: str, tries: int, told: str
) -> None:
    steps, finding = ask(sequence, verdicts, step, tries)
    assert steps == () and told in finding
