"""What a sequence asks and the bench cannot do is said with the field and the remedy."""

from loricate.core.measuring.actions import Role
from loricate.core.measuring.instruments import Capability
from loricate.core.sequences.capability import shortfalls
from loricate.core.sequences.sequences import ReadySequence

BENCH: dict[Role, Capability] = {
    Role.WITHSTAND: Capability("HV1", {"ac_level_v": (50, 5000), "dwell_s": (0.1, 60)}),
    Role.BOND: Capability("GB1", {"level_a": (1, 30)}),
    Role.LEAKAGE: Capability("LK1", {"level_v": (10, 280)}),
}


def test_a_bench_that_reaches_far_enough_has_no_shortfall(sequence: ReadySequence) -> None:
    assert shortfalls(sequence, BENCH) == ()


def test_a_level_beyond_the_source_is_named(sequence: ReadySequence) -> None:
    weak = {**BENCH, Role.WITHSTAND: Capability("HV1", {"ac_level_v": (50, 800)})}
    (found,) = shortfalls(sequence, weak)
    assert found.field == "steps[3].settings.level"
    assert "1.030 kV" in found.message and "800.0 V" in found.message and "HV1" in found.message


def test_a_current_under_the_source_is_named(sequence: ReadySequence) -> None:
    coarse = {**BENCH, Role.BOND: Capability("GB1", {"level_a": (26, 60)})}
    (found,) = shortfalls(sequence, coarse)
    assert "below" in found.message and "the least" in found.message


def test_a_missing_instrument_is_named_for_each_of_its_demands(sequence: ReadySequence) -> None:
    without = dict(BENCH)
    del without[Role.LEAKAGE]
    found = shortfalls(sequence, without)
    assert found and all("leakage instrument" in each.message for each in found)
