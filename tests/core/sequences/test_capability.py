"""What a sequence asks and the bench cannot do is said with the field and the remedy."""

from loricate.core.measuring.instruments import Capability
from loricate.core.measuring.roles import BOND, LEAKAGE, WITHSTAND, Role
from loricate.core.sequences.capability import shortfalls
from loricate.core.sequences.ready import ReadySequence

BENCH: dict[Role, tuple[Capability, ...]] = {
    WITHSTAND: (Capability("HV1", {"ac_level_v": (50, 5000), "dwell_s": (0.1, 60)}),),
    BOND: (Capability("GB1", {"level_a": (1, 30)}),),
    LEAKAGE: (Capability("LK1", {"level_v": (10, 280)}),),
}


def test_a_bench_that_reaches_far_enough_has_no_shortfall(sequence: ReadySequence) -> None:
    assert shortfalls(sequence, BENCH) == ()


def test_a_level_beyond_the_source_is_named(sequence: ReadySequence) -> None:
    weak = {**BENCH, WITHSTAND: (Capability("HV1", {"ac_level_v": (50, 800)}),)}
    (found,) = shortfalls(sequence, weak)
    assert found.path == "steps[3].settings.level"
    assert "1.030 kV" in found.message and "800.0 V" in found.message and "HV1" in found.message


def test_a_current_under_the_source_is_named(sequence: ReadySequence) -> None:
    coarse = {**BENCH, BOND: (Capability("GB1", {"level_a": (26, 60)}),)}
    (found,) = shortfalls(sequence, coarse)
    assert "below" in found.message and "the least" in found.message


def test_a_missing_instrument_is_named_for_each_of_its_demands(sequence: ReadySequence) -> None:
    without = dict(BENCH)
    del without[LEAKAGE]
    found = shortfalls(sequence, without)
    assert found and all("leakage instrument" in each.message for each in found)


def test_one_that_can_do_it_is_enough(sequence: ReadySequence) -> None:
    weak = Capability("HV2", {"ac_level_v": (50, 800)})
    assert shortfalls(sequence, {**BENCH, WITHSTAND: (weak, *BENCH[WITHSTAND])}) == ()


def test_what_none_can_do_names_the_nearest(sequence: ReadySequence) -> None:
    weak = (
        Capability("HV2", {"ac_level_v": (50, 500)}),
        Capability("HV3", {"ac_level_v": (50, 800)}),
    )
    (found,) = shortfalls(sequence, {**BENCH, WITHSTAND: weak})
    assert "800.0 V, the most that instrument 'HV3' can do" in found.message


def test_what_no_one_can_do_together_is_said(sequence: ReadySequence) -> None:
    apart = (
        Capability("HV2", {"ac_level_v": (50, 500), "dwell_s": (0.1, 60)}),
        Capability("HV3", {"ac_level_v": (50, 5000), "dwell_s": (5, 60)}),
    )
    found = shortfalls(sequence, {**BENCH, WITHSTAND: apart})
    assert any("none of HV2 and HV3 can do together" in each.message for each in found)
