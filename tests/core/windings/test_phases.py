"""Three phases solved from lead to lead, against networks reckoned forward, and their unbalance."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.windings.phases import (
    Connection,
    LeadToLead,
    NoSuchPhases,
    PerPhase,
    Unbalance,
    per_phase,
    unbalance,
)

MEASURED = LeadToLead(0.4821, 0.4876, 0.4790)
ohms = st.floats(1e-3, 1e3)


def between_leads(phases: PerPhase, connection: Connection) -> LeadToLead:
    """What three windings show between their leads, reckoned forward."""
    if connection is Connection.STAR:
        return LeadToLead(phases.a + phases.b, phases.b + phases.c, phases.c + phases.a)
    total = sum(phases)
    return LeadToLead(*(each * (total - each) / total for each in phases))


def test_the_star_of_the_worked_example() -> None:
    found = per_phase(MEASURED, Connection.STAR)
    assert [f"{each:.5f}" for each in found] == ["0.23675", "0.24535", "0.24225"]


@given(st.tuples(ohms, ohms, ohms), st.sampled_from(Connection))
def test_what_is_solved_shows_what_was_measured(
    phases: tuple[float, float, float], connection: Connection
) -> None:
    made = PerPhase(*phases)
    if max(made) > 1e3 * min(made):
        return  # the difference of nearly equal figures
    found = per_phase(between_leads(made, connection), connection)
    assert found == pytest.approx(made, rel=1e-6)


@pytest.mark.parametrize("off_ohms", [0.0, 1e-5, -1e-5])
def test_an_open_branch_of_a_delta_is_no_large_resistance(off_ohms: float) -> None:
    """What two branches in a row show is their sum, within what was measured of it."""
    with pytest.raises(NoSuchPhases, match="a branch is open"):
        per_phase(LeadToLead(0.5, 1.0 + off_ohms, 0.5), Connection.DELTA, uncertainty_ohms=1e-4)


def test_a_loose_lead_is_no_star() -> None:
    with pytest.raises(NoSuchPhases, match="A lead is loose"):
        per_phase(LeadToLead(0.5, 5.5, 0.5), Connection.STAR)


@pytest.mark.parametrize("definition", Unbalance)
def test_three_equal_readings_are_balanced(definition: Unbalance) -> None:
    assert unbalance(LeadToLead(0.1, 0.1, 0.1), definition) == 0.0


def test_the_definitions_differ() -> None:
    percent = {each: round(100 * unbalance(MEASURED, each), 3) for each in Unbalance}
    assert list(percent.values()) == [0.973, 1.781, 1.795]


def test_phases_are_about_twice_as_far_apart_as_leads() -> None:
    star = per_phase(MEASURED, Connection.STAR)
    definition = Unbalance.DEVIATION_OVER_MEAN
    assert 1.8 < unbalance(star, definition) / unbalance(MEASURED, definition) < 2.2


@pytest.mark.parametrize("wrong", [0.0, -0.1])
def test_nothing_is_no_phase(wrong: float) -> None:
    with pytest.raises(ValueError, match="above zero"):
        unbalance(LeadToLead(0.5, 0.5, wrong), Unbalance.DEVIATION_OVER_MEAN)
