"""Columns measured: what the bench file says of a fixture is held against its wires."""

from collections.abc import Sequence
from typing import Any

import pytest

from loricate.bench.plan import FixturePlan
from loricate.core.fixtures.mapping import LEAVE_OUT, STOP, Mapped, compare
from loricate.core.measuring.actions import Answer
from loricate.core.products.product import Product
from loricate.core.wiring.description import Wiring
from loricate.execution.mapping import Mapping
from tests.conftest import read_demo
from tests.rig import Rig

FIXTURE = "FX-C"


def fixture_of(rig: Rig, *exchanged: str) -> FixturePlan:
    """FX-C as its file says, or with two contacts of nest 1 exchanged in it."""
    found = rig.bench.plan.find_fixture(FIXTURE)
    assert found is not None
    if not exchanged:
        return found
    own = dict(found.nests["1"])
    a, b = exchanged
    own[a], own[b] = own[b], own[a]
    return found.model_copy(update={"nests": {**found.nests, "1": own}})


def reference() -> Wiring:
    return Product.model_validate(read_demo("products/ref-cable.toml")).wirings[0]


async def mapped(
    rig: Rig,
    fixture: FixturePlan,
    touches: Sequence[str] = (),
    part: str = "",
    put: str = "",
) -> tuple[Mapping, list[Mapped], list[str]]:
    """Map nest 1; touches are held to in turn as the probe is waited for, ``""`` leaves one out."""
    floor = rig.floor.floor
    floor.take_out(f"{FIXTURE}/1")
    kept: list[Mapped] = []
    refused: list[str] = []
    left = list(touches)

    async def keep(found: Mapped) -> None:
        kept.append(found)

    wiring = reference() if part else None
    act = Mapping("m", fixture, rig.bench, "mara", "1", part, wiring, keep)
    act.start()
    async for event in act.log.follow():
        data: dict[str, Any] = dict(event.data)
        if event.name == "touched":
            floor.touched = None
            refused += [data["text"]] if data["is_refusal"] else []
        elif event.name == "question" and data["moment"] != "touch":
            if put:
                floor.put_in(f"{FIXTURE}/1", put, (), "part")
            act.questions.answer(data["number"], Answer("done"))
        elif event.name == "question":
            touch = left.pop(0) if left else None
            if touch:
                floor.touch(f"{FIXTURE}/1", touch)
            else:
                choice = STOP if touch is None else LEAVE_OUT
                act.questions.answer(data["number"], Answer(choice))
    await act.wait()
    return act, kept, refused


async def test_touched_contacts_are_where_the_file_says(rig: Rig) -> None:
    act, (found,), refused = await mapped(rig, fixture_of(rig), ["X1:A", "X1:B", "", "X1:D"])
    assert (act.state, act.findings, refused) == ("passed", (), [])
    own = fixture_of(rig).nests["1"]
    assert found.columns == {name: own[name] for name in ("X1:A", "X1:B", "X1:D")}


async def test_contacts_that_the_file_has_exchanged_are_named(rig: Rig) -> None:
    exchanged = fixture_of(rig, "X1:A", "X1:C")
    act, (found,), _ = await mapped(rig, exchanged, ["X1:A", "X1:B", "X1:C"])
    own, file = fixture_of(rig).nests["1"], exchanged.nests["1"]
    assert act.state == "failed" and len(act.findings) == 2
    assert found.columns["X1:A"] == own["X1:A"], "what was measured is kept, not the file"
    assert act.findings[0] == (
        f"X1:A is at column {own['X1:A']}, where the file has X1:C; the file says {file['X1:A']}."
    )


async def test_a_contact_that_is_touched_again_is_refused(rig: Rig) -> None:
    _, (found,), refused = await mapped(rig, fixture_of(rig), ["X1:A", "X1:A", "X1:B"])
    assert len(refused) == 1 and "which was X1:A. Touch X1:B." in refused[0]
    assert set(found.columns) == {"X1:A", "X1:B"}


async def test_where_nothing_was_touched_nothing_is_kept(rig: Rig) -> None:
    act, kept, _ = await mapped(rig, fixture_of(rig))
    assert kept == [] and act.state == "failed"
    assert "No contact was touched" in act.findings[0]
    assert rig.bench.reach.inside == ()


async def test_a_part_shows_columns_exchanged_between_its_nets(rig: Rig) -> None:
    act, (found,), _ = await mapped(rig, fixture_of(rig), part="REF-CABLE", put="REF-CABLE")
    assert (act.state, found.differences) == ("passed", ())
    assert len(found.columns) == sum(len(net.contacts) for net in reference().nets)
    first, second = (net.contacts[0] for net in reference().nets[:2])
    exchanged = fixture_of(rig, first, second)
    act, (found,), _ = await mapped(rig, exchanged, part="REF-CABLE", put="REF-CABLE")
    assert act.state == "failed" and first in act.findings[0] and second in act.findings[0]
    assert first not in found.columns, "of what differs nobody knows where it is"


async def test_without_the_part_nothing_is_kept(rig: Rig) -> None:
    act, kept, _ = await mapped(rig, fixture_of(rig), part="REF-CABLE")
    assert kept == [] and act.findings[0].startswith("Nothing seems to be plugged in")


@pytest.mark.parametrize(
    ("measured", "told"),
    [
        ({"A": 1, "B": 2}, []),
        ({"A": 2, "B": 1}, ["A is at column 2, where the file has B", "B is at column 1"]),
        ({"A": 9}, ["A is at column 9, which the file has for no contact; the file says 1."]),
    ],
)
def test_every_difference_is_told(measured: dict[str, int], told: list[str]) -> None:
    found = compare({"A": 1, "B": 2}, measured)
    assert len(found) == len(told)
    assert all(words in sentence for words, sentence in zip(told, found, strict=True))
