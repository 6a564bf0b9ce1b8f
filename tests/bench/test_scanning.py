"""A list of paths: what was not measured in its turn, through its own relays, does not count."""

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import pytest

from loricate.bench.bench import Bench
from loricate.bench.errors import BenchError, Implausible, InstrumentFault
from loricate.core.measuring.actions import Scan, Scanned
from loricate.core.measuring.readings import Bound
from loricate.core.measuring.roles import WIRING
from loricate.simulator.instruments.matrix import RelayMatrix
from loricate.simulator.standins import StandIns
from tests.rig import DEMO, PATIENCE_S, Rig, on_the_way, said, until

Path = Mapping[str, tuple[str, ...]]
PATHS: list[Path] = [
    {"high": ("X1:A",), "low": ("X2:1",)},
    {"high": ("X1:B",), "low": ("X2:2",)},
    {"high": ("X1:A", "X1:B"), "low": ("X1:C", "X1:D")},
    {"high": ("X1:P",), "low": ("X1:N",)},
]


def nest(bench: Bench, name: str = "1") -> Mapping[str, int]:
    fixture = bench.plan.find_fixture("FX-C")
    assert fixture is not None
    return fixture.nests[name]


async def scan(rig: Rig, paths: list[Path] | None = None) -> Scanned:
    action = Scan(WIRING, {"function": "RESISTANCE"}, tuple(paths or PATHS), 0.02, ("resistance",))
    return await rig.bench.scanning.scan("WM1", action, nest(rig.bench), lambda sample: None)


def check(made: Scanned) -> None:
    """What the paths of the demo's lead read."""
    first, second, apart, part = made.readings["resistance"]
    assert 0.05 < first.value < 0.25 and 0.05 < second.value < 0.25
    assert apart.bound is Bound.ABOVE and apart.value == 100e6
    assert part.value == pytest.approx(560, rel=0.01)
    assert not made.output.doubts


async def test_each_path_is_measured_in_its_turn(rig: Rig) -> None:
    check(await scan(rig))
    matrix = rig.floor.instruments["MX1"]
    assert isinstance(matrix, RelayMatrix)
    assert matrix.step_at == len(PATHS) - 1
    columns = nest(rig.bench)
    assert {column for _, column in rig.floor.floor.closed} == {columns["X1:P"], columns["X1:N"]}
    await rig.bench.disconnect(["WM1"])
    await until(lambda: not rig.floor.floor.closed)


async def test_a_matrix_that_takes_no_list_is_switched_path_by_path(rig: Rig) -> None:
    matrix = rig.bench.matrix
    matrix.profile = matrix.profile.model_copy(update={"scan_start": ""})
    check(await scan(rig))


@pytest.mark.parametrize("at", range(len(PATHS)))
async def test_a_relay_that_sticks_in_mid_scan_makes_it_none(rig: Rig, at: int) -> None:
    """Whatever step it sticks in: nothing of the list is read."""
    matrix, floor = rig.floor.instruments["MX1"], rig.floor.floor
    assert isinstance(matrix, RelayMatrix)
    step = matrix._next
    taken = 0

    def stick() -> None:
        nonlocal taken
        if taken == at:
            floor.stuck.add((15, nest(rig.bench)["X1:E"]))
        taken += 1
        step()

    matrix._next = stick  # type: ignore[method-assign]
    floor.on_trigger[:] = [stick]
    with pytest.raises(InstrumentFault, match=f"not as asked in step {at + 1} of 4"):
        await scan(rig)


Change = Callable[[str, str], str]
WRONG: list[tuple[str, str, Change]] = [
    ("MX1", "too few steps", lambda line, told: "3" if "TAK" in line else told),
    ("MX1", "another list", lambda line, told: "5" if "COUN" in line else told),
    ("MX1", "another path listed",
     lambda line, told: ";".join(told.split(";")[::-1]) if "LIST" in line else told),
    ("MX1", "a path too many listed",
     lambda line, told: f"{told};(@15!49)" if "LIST" in line else told),
    ("MX1", "another path closed",
     lambda line, told: "(@15!49,16!49)" if "CLOS" in line and "STAT" in line else told),
    ("WM1", "too few values",
     lambda line, told: told.rpartition(",")[0] if "DATA" in line else told),
    ("WM1", "no number", lambda line, told: told.replace("1", "x") if "DATA" in line else told),
    ("WM1", "another length", lambda line, told: "0.02,0.02,3" if "ABO" in line else told),
    ("WM1", "another summary",
     lambda line, told: told.replace(",4,", ",3,") if "SUMM" in line else told),
    ("WM1", "another slot", lambda line, told: "0.01,0.01,4" if "ABO" in line else told),
    ("WM1", "another function",
     lambda line, told: told.replace("RESISTANCE", "DIODE") if "SENS" in line else told),
]  # fmt: skip


@pytest.mark.parametrize(("name", "what", "change"), WRONG, ids=[each[1] for each in WRONG])
async def test_what_does_not_fit_is_no_reading(
    rig: Rig, name: str, what: str, change: Change
) -> None:
    """It is refused, or doubted; nobody may take it for a measurement."""
    said(rig, name, change)
    try:
        made = await scan(rig)
    except BenchError:
        return
    assert made.output.doubts, what


async def test_a_record_that_comes_in_two_ways_is_none(rig: Rig) -> None:
    """A digit changed on its way would be believed: it is a number, and the scan's length fits."""
    times = 0

    def change(line: str, told: str) -> str:
        nonlocal times
        times += "DATA" in line
        return told.replace("1", "2") if "DATA" in line and times == 1 else told

    said(rig, "WM1", change)
    with pytest.raises(Implausible, match="gave its record of resistance in two ways"):
        await scan(rig)


@pytest.mark.parametrize("lost", ["SCAN:ADD", "SCAN:STAR", "SCAN:POIN", "SENS:FUNC"])
async def test_a_command_that_never_came_is_seen(rig: Rig, lost: str) -> None:
    """One line of several that the instruments did not get: the scan is none."""
    short = lost.split(":")
    gone: list[str] = []

    def lose(line: str) -> str:
        parts = line.upper()
        if not gone and all(part in parts for part in short) and "?" not in line:
            gone.append(line)
            return "*WAI\n"
        return line

    on_the_way(rig, "MX1" if lost.startswith("SCAN:A") or "STAR" in lost else "WM1", lose)
    with pytest.raises(BenchError):
        made = await scan(rig)
        assert not made.output.doubts
    assert gone


async def test_a_scan_that_is_given_up_leaves_nothing_stepping(rig: Rig) -> None:
    """Whoever stops in the middle of a list: the matrix takes no further step."""
    import asyncio

    paths = PATHS * 100
    running = asyncio.ensure_future(scan(rig, paths))
    matrix = rig.floor.instruments["MX1"]
    assert isinstance(matrix, RelayMatrix)
    async with asyncio.timeout(PATIENCE_S):
        while matrix.step_at < 3:  # noqa: ASYNC110 - nothing tells of it
            await asyncio.sleep(0.005)
    rig.bench.stop_now()
    running.cancel()
    with pytest.raises(asyncio.CancelledError):
        await running
    assert await rig.bench.make_safe() == ()
    assert not rig.floor.floor.closed and not matrix.is_scanning
    stood = matrix.step_at
    await asyncio.sleep(0.1)
    assert matrix.step_at == stood < len(paths) - 1
    check(await scan(rig))


async def test_nothing_is_scanned_into_what_another_has_under_its_output(rig: Rig) -> None:
    columns = nest(rig.bench)
    await rig.bench.switching.close("HV1", {(1, columns["X1:A"])})
    rig.bench.outputs.suspect("HV1")
    with pytest.raises(BenchError, match="HV1"):
        await scan(rig)


def test_the_stand_in_lead_is_that_of_its_product(tmp_path: Any) -> None:
    """The unit file that ships is what the command makes of the product."""
    import tomllib

    from loricate.challenge.families import stand_in_for
    from loricate.core.products.product import Product
    from loricate.simulator.units import read_unit_model

    for product, unit in (("cl-7", "control-lead"), ("ref-cable", "reference-cable")):
        text = (DEMO / "products" / f"{product}.toml").read_text(encoding="utf-8")
        made = stand_in_for(Product.model_validate(tomllib.loads(text)))
        shipped = read_unit_model(DEMO / "stand-ins" / f"{unit}.toml")
        assert shipped.element == made.element and shipped.positions == made.positions
        assert {n: f for n, f in made.fault.items() if f.change} == shipped.fault
        assert all(shipped.find_fault(name) for name in made.fault), "exchanges go by rule"


def test_a_floor_knows_its_columns() -> None:
    floor = StandIns(DEMO / "stand-ins" / "stand-ins.toml").floor
    assert floor.place_of[49] == ("FX-C/1", "X1:A") and 68 not in floor.place_of
    with pytest.raises(KeyError):
        floor.turn("FX-C/1", "MIDDLE")
    with pytest.raises(KeyError):
        floor.put_in("FX-C/1", "CL-7", ("swapped X1:A X1:Z",), "s")
    assert replace(floor.nests["FX-C/1"]).model == "CL-7"


async def test_the_matrix_tells_which_relay_was_closed_most(rig: Rig) -> None:
    await scan(rig, PATHS[:1] * 3)
    wear = await rig.bench.switching.most_closed()
    assert wear is not None and wear.count >= 1
    assert wear.column in nest(rig.bench).values()
    rig.bench.matrix.profile = rig.bench.matrix.profile.model_copy(update={"most_closed": ""})
    assert await rig.bench.switching.most_closed() is None


@pytest.mark.parametrize("told", ["21,213,-5", "21,213", "many", "21,213,NAN", "1,2,0.5"])
async def test_a_count_that_is_none_is_refused(rig: Rig, told: str) -> None:
    said(rig, "MX1", lambda line, answer: told if "MOST" in line else answer)
    with pytest.raises(BenchError):
        await rig.bench.switching.most_closed()
