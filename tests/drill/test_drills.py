"""The drills, short: what `make drill` does by hand for longer."""

from typing import Any

import pytest
from drill.attack import attack_run
from drill.charge import ENDINGS, OUTPUTS, end_once
from drill.gate import tricky_sequences, try_once
from drill.line import work_shift
from drill.lying import late_matrix, lie_to_loads
from drill.wires import LIES

from loricate.client import Client
from loricate.simulator.hands_link import Hands


@pytest.mark.parametrize("output", OUTPUTS)
@pytest.mark.parametrize("name", ENDINGS)
async def test_no_relay_opens_over_a_charged_unit(name: str, output: str) -> None:
    """However an output ends, what is left is measured first, or nothing moves."""
    ended = await end_once(name, output)
    assert ended.unit_v >= 400.0 and ended.faults == [], ended


@pytest.mark.parametrize("entry", tricky_sequences(), ids=lambda entry: str(entry["name"]))
def test_no_unfit_sequence_certifies_without_a_word(entry: dict[str, object]) -> None:
    assert try_once(entry).held_by


async def test_no_faulty_unit_passes_through_a_wire_that_lies() -> None:
    """Each way of lying, to a cabinet or a lead; nothing hangs, every output falls."""
    lines: list[str] = []
    loads = await lie_to_loads(len(LIES), 20261126, lines.append)
    assert [load.faults for load in loads if load.faults] == [], lines
    assert sum(load.told for load in loads) > len(LIES) / 2, "the wires did lie"


async def test_a_matrix_that_answers_late_passes_no_faulty_transformer() -> None:
    """Pins are measured where their relays were said to be, or not at all."""
    loads = await late_matrix(1, 20261130)
    assert [load.faults for load in loads if load.faults] == []
    assert all(load.told > 4 for load in loads), "the matrix was late"


def test_a_series_holds_whatever_somebody_does_at_the_line(
    site: dict[str, Any], client: Client, hands: Hands
) -> None:
    """Cables pulled, exchanged, faulty; the guard opened, the series stopped, nobody signed in."""
    worked = work_shift(client, site["password"], hands, 12, 20261127, lambda line: None)
    assert worked.faults == [] and worked.verdicts["pass"] > 2, worked
    assert len(worked.acts) >= 4, worked.acts


def test_a_run_passes_while_everybody_attacks() -> None:
    """A few seconds of what `make drill` does for a minute: nothing breaks, nobody gets in."""
    found = attack_run(3.0)
    assert found.faults == []
    assert found.verdicts == ["pass", "pass"]
    for name in ("16 MB to sign-in", "pieces to sign-in"):
        assert set(found.told[name]) <= {0, 413, 429}, found.told
    assert set(found.told["guesses"]) <= {401, 429}, found.told
    assert set(found.told["review of 3000"]) <= {422, 429, 503}, found.told
