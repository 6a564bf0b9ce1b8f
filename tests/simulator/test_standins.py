"""The stand-in instruments: status, outputs, and faults that show wherever they would."""

import asyncio
import json
import math
import time
from collections.abc import AsyncIterator

import pytest

from loricate.simulator import clock as clocks
from loricate.simulator.clock import PacedClock
from loricate.simulator.instruments.withstand_source import WithstandSource
from loricate.simulator.server import Instrument
from loricate.simulator.standins import StandIns
from tests.rig import DEMO

NEST = "FX-A/1"
L, N, PE, CHASSIS = 1, 2, 3, 4


@pytest.fixture
async def bench() -> AsyncIterator[StandIns]:
    """Stand-ins at pace 50."""
    bench = StandIns(DEMO / "stand-ins" / "stand-ins.toml", pace=50.0)
    yield bench
    await bench.close()


async def say(instrument: Instrument, *lines: str) -> str:
    """Send lines; gives the last answer. Fails when the instrument put an error in its queue."""
    answer = ""
    for line in lines:
        answer = await instrument.perform(line) or ""
    assert not instrument.errors, instrument.errors
    return answer


async def withstand(bench: StandIns, volts: float, function: str = "AC") -> list[str]:
    """Run a withstand of L+N against PE of nest 1; gives the summary's words."""
    await say(bench.instruments["MX1"], f"ROUT:OPEN:ALL;:ROUT:CLOS (@1!{L},1!{N},2!{PE});*OPC?")
    source = bench.instruments["HV1"]
    await say(
        source, f"SOUR:FUNC {function};VOLT {volts};DWEL 1;RAMP:UP 0.5;:SOUR:CURR:PROT 5e-3;:INIT"
    )
    await source.wait_idle()
    return (await say(source, "FETC:SUMM?")).split(",")


async def test_identity_status_and_error_queue(bench: StandIns) -> None:
    source = bench.instruments["HV1"]
    assert (await say(source, "*IDN?")).split(",")[2] == "WS-20418"
    assert await say(source, "*ESR?") == "128", "power on"
    await source.perform("SOUR:VOLT 99999")
    await source.perform("NONSENSE")
    assert await source.perform("*STB?") == "4"
    assert await source.perform("*ESR?") == str(16 + 32)
    assert await source.perform("SYST:ERR?") == '-222,"Data out of range"'
    assert await source.perform("SYST:ERR?") == '-113,"Undefined header"'
    assert await source.perform("SYST:ERR?") == '0,"No error"'


async def test_a_full_error_queue_says_so(bench: StandIns) -> None:
    source = bench.instruments["HV1"]
    for _ in range(25):
        await source.perform("NONSENSE")
    assert len(source.errors) == 20 and source.errors[-1][0] == -350


@pytest.mark.parametrize("line", ["SOUR:VOLT", "SOUR:VOLT 500,600", "*RST 1"])
async def test_parameter_counts_are_checked(bench: StandIns, line: str) -> None:
    source = bench.instruments["HV1"]
    await source.perform(line)
    assert source.errors[0][0] in (-108, -109)


async def test_a_good_unit_withstands_and_draws_its_filters_current(bench: StandIns) -> None:
    ending, volts, current, bound, *_ = await withstand(bench, 1000)
    assert (ending, bound) == ("FINISHED", "NORMAL")
    assert float(volts) == pytest.approx(1000, rel=0.01)
    assert float(current) == pytest.approx(1000 * 314.16 * 4.4e-9, rel=0.12)


async def test_an_empty_nest_reads_below_the_floor(bench: StandIns) -> None:
    bench.floor.take_out(NEST)
    _, _, current, bound, *_ = await withstand(bench, 1000)
    stray = 2 * 1000 * 314.16 * 40e-12  # from L and from N to the rest
    assert float(current) == pytest.approx(stray, rel=0.01) and bound == "NORMAL"
    bench.floor.nests[NEST].stray_farads = 0.0
    _, _, current, bound, *_ = await withstand(bench, 1000)
    assert (float(current), bound) == (50e-9, "UNDER")


async def test_a_cracked_insulator_breaks_down_and_cuts_at_once(bench: StandIns) -> None:
    bench.floor.put_in(NEST, "DC-40", ("cracked_insulator",), "x")
    ending, volts, *_ = await withstand(bench, 1000)
    assert ending == "BREAKDOWN"
    assert 700 < float(volts) < 900, "the voltage that it held, not the level asked for"


async def test_a_loose_strand_arcs(bench: StandIns) -> None:
    bench.floor.put_in(NEST, "DC-40", ("loose_strand",), "x")
    assert (await withstand(bench, 1000))[0] == "ARC"


async def test_insulation_charges_and_then_discharges(bench: StandIns) -> None:
    ending, volts, current, *_ = await withstand(bench, 500, "DC")
    assert ending == "FINISHED"
    assert float(volts) != 500.0, "the level is measured, not copied"
    assert 300e6 < float(volts) / float(current) < 1.2e9
    source = bench.instruments["HV1"]
    residual = float(await say(source, "MEAS:VOLT:RES?"))
    for _ in range(100):
        if residual < 60:
            break
        await asyncio.sleep(0.01)
        residual = float(await say(source, "MEAS:VOLT:RES?"))
    assert residual < 60


async def test_a_fault_shows_in_every_reading_it_would(bench: StandIns) -> None:
    """A swapped line and earth opens the bond and shorts the insulation, from one change."""
    bench.floor.put_in(NEST, "DC-40", ("swapped_line_earth",), "x")
    assert (await withstand(bench, 500, "DC"))[0] in ("OVERCURRENT", "BREAKDOWN")
    bond = bench.instruments["GB1"]
    await say(
        bench.instruments["MX1"],
        f"ROUT:OPEN:ALL;:ROUT:CLOS (@3!{PE},4!{PE},5!{CHASSIS},6!{CHASSIS});*OPC?",
    )
    await say(bond, "SOUR:CURR 25;DWEL 1;:INIT")
    await bond.wait_idle()
    assert (await say(bond, "FETC:SUMM?")).split(",")[3] == "UNDER"


@pytest.mark.parametrize(
    ("faults", "least", "most"),
    [((), 0.08, 0.12), (("loose_earth",), 0.44, 0.67)],
)
async def test_bond_is_four_wire(
    bench: StandIns, faults: tuple[str, ...], least: float, most: float
) -> None:
    """Its own leads and the relays add 0.1 Ω to the loop, and nothing to the reading.

    The fixture's leads, 14 mΩ here, are in it: they are what a zero takes off.
    """
    bench.floor.put_in(NEST, "DC-40", faults, "x")
    points = f"3!{PE},4!{PE},5!{CHASSIS},6!{CHASSIS}"
    await say(bench.instruments["MX1"], f"ROUT:OPEN:ALL;:ROUT:CLOS (@{points});*OPC?")
    bond = bench.instruments["GB1"]
    await say(bond, "SOUR:CURR 25;DWEL 1;:INIT")
    await bond.wait_idle()
    _, volts, amperes, *_ = (await say(bond, "FETC:SUMM?")).split(",")
    assert least < float(volts) / float(amperes) < most


@pytest.mark.parametrize("network", ["IEC60601", "IEC60990"])
async def test_earth_leakage_is_what_the_filter_lets_through(bench: StandIns, network: str) -> None:
    await say(bench.instruments["MX1"], f"ROUT:OPEN:ALL;:ROUT:CLOS (@7!{L},8!{N},9!{PE});*OPC?")
    meter = bench.instruments["LK1"]
    await say(meter, f"SENS:LEAK:PATH EART;NETW {network};:SOUR:VOLT 230;DWEL 1;:INIT")
    await meter.wait_idle()
    _, _, current, _, load, *_ = (await say(meter, "FETC:SUMM?")).split(",")
    assert float(current) == pytest.approx(230 * 314.16 * 2.2e-9, rel=0.15)
    assert float(load) == pytest.approx(8.2, rel=0.05)


async def test_touching_a_live_case_trips(bench: StandIns) -> None:
    bench.floor.put_in(NEST, "DC-40", ("swapped_line_earth",), "x")
    points = f"7!{PE},8!{N},10!{CHASSIS}"
    await say(bench.instruments["MX1"], f"ROUT:OPEN:ALL;:ROUT:CLOS (@{points});*OPC?")
    meter = bench.instruments["LK1"]
    await say(meter, "SENS:LEAK:PATH TOUC;NETW IEC60601;:SOUR:VOLT 230;DWEL 1;:INIT")
    await meter.wait_idle()
    ending, _, current, *_ = (await say(meter, "FETC:SUMM?")).split(",")
    assert float(current) < 50e-3 or ending == "OVERCURRENT"


async def test_an_open_guard_keeps_high_voltage_off_and_cuts_it(bench: StandIns) -> None:
    source = bench.instruments["HV1"]
    bench.floor.set_guard(False)
    await source.perform("INIT")
    assert source.errors[0][0] == -221
    source.errors.clear()
    bench.floor.set_guard(True)
    await say(source, "SOUR:DWEL 100;:INIT")
    assert source.output_on
    bench.floor.set_guard(False)
    assert not source.output_on
    assert (await say(source, "FETC:SUMM?")).startswith("GUARD")


async def test_the_matrix_moves_no_relay_that_an_output_reaches(bench: StandIns) -> None:
    matrix = bench.instruments["MX1"]
    await say(matrix, f"ROUT:CLOS (@1!{L},2!{PE});*OPC?")
    await say(bench.instruments["HV1"], "SOUR:DWEL 100;:INIT")
    for wrong in (
        "ROUT:OPEN:ALL",
        f"ROUT:OPEN (@1!{L})",
        "ROUT:CLOS (@1!5)",
        f"ROUT:CLOS (@3!{L})",
    ):
        await matrix.perform(wrong)
        assert matrix.errors.popleft()[0] == -221, wrong
    await say(matrix, "ROUT:CLOS (@3!7,5!8);:ROUT:OPEN (@3!7)")  # another nest, another instrument
    await say(bench.instruments["HV1"], "ABOR")
    await say(matrix, "ROUT:OPEN:ALL")


async def test_settings_do_not_change_under_voltage(bench: StandIns) -> None:
    source = bench.instruments["HV1"]
    await say(source, "SOUR:DWEL 100;:INIT")
    await source.perform("SOUR:VOLT 4000")
    assert source.errors[0][0] == -221
    source.drop("ABORTED")


async def test_the_deadman_cuts_an_output_that_nobody_beats_for(bench: StandIns) -> None:
    source = bench.instruments["HV1"]
    await say(source, "SYST:DEAD:TIM 0.1;:SOUR:DWEL 1000;:INIT")
    await asyncio.wait_for(source.wait_idle(), 60)
    assert (await say(source, "FETC:SUMM?")).startswith("DEADMAN")


class HeldUp(PacedClock):
    """A clock on which a while passes in which this process did nothing."""

    passed_s = 0.0

    def now(self) -> float:
        return super().now() + self.passed_s


@pytest.mark.parametrize("asked_meanwhile", [True, False])
async def test_however_long_its_process_is_held_up_an_output_tells_of_now(
    bench: StandIns, asked_meanwhile: bool
) -> None:
    source = bench.instruments["HV1"]
    assert isinstance(source, WithstandSource)
    source.clock = clock = HeldUp(1.0)
    await say(source, "SOUR:FUNC DC;VOLT 500;DWEL 60;RAMP:UP 0.5;DOWN 0.2;:INIT")
    clock.passed_s = 5.0
    if asked_meanwhile:
        phase, elapsed, *_ = (await say(source, "FETC?")).split(",")
        assert phase == "DWELL" and float(elapsed) >= 5.0
    await say(source, "SOUR:DWEL:END")
    clock.passed_s = 10.0
    phase, elapsed, *_ = (await say(source, "FETC?")).split(",")
    assert phase == "FALL" and 5.2 <= float(elapsed) < 6.0, "it has fallen, and fell for 0.2 s"


async def test_a_lost_link_cuts_the_output_that_it_started(bench: StandIns) -> None:
    ports = await bench.serve()
    reader, writer = await asyncio.open_connection("127.0.0.1", ports["HV1"])
    writer.write(b"SOUR:DWEL 1000;:INIT;:OUTP?\n")
    assert await reader.readline() == b"1\n"
    writer.close()
    source = bench.instruments["HV1"]
    assert isinstance(source, WithstandSource)
    await asyncio.wait_for(source.wait_idle(), 60)
    assert source.ending == "LINK"


async def test_the_hands_put_units_in_and_switch_instruments(bench: StandIns) -> None:
    ports = await bench.serve()
    reader, writer = await asyncio.open_connection("127.0.0.1", ports["HANDS"])
    writer.write(
        b'HAND:NEST:EMPT "FX-A/2";:HAND:NEST:LOAD "FX-A/1","DC-40","loose_earth","s";*OPC?\n'
    )
    assert await reader.readline() == b"1\n"
    assert bench.floor.nests["FX-A/2"].unit is None
    writer.write(b'HAND:POW "GB1",0;*OPC?\n')
    await reader.readline()
    with pytest.raises(OSError):
        await asyncio.open_connection("127.0.0.1", ports["GB1"])
    writer.write(b'HAND:POW "GB1",1;:HAND:NEST:LOAD "FX-A/1","DC-41","","s";*OPC?\n')
    writer.write(b"SYST:ERR?\n")
    assert json.loads((await reader.readline()).split(b",")[0]) == -224
    _, again = await asyncio.open_connection("127.0.0.1", ports["GB1"])
    again.close()
    writer.close()


async def test_settings_take_suffixes_and_edges(bench: StandIns) -> None:
    source = bench.instruments["HV1"]
    await source.perform("SOUR:VOLT 1.5 KV;FREQ 0.05KHZ;:SOUR:CURR:PROT 5MA;:SOUR:DWEL\t2 s")
    assert await say(source, "SOUR:VOLT?;FREQ?;:SOUR:CURR:PROT?;:SOUR:DWEL?") == "1500;50;0.005;2"
    await source.perform("SOUR:VOLT MAX")
    assert await say(source, "SOUR:VOLT?;:SOUR:VOLT? MIN") == "6000;50"
    await source.perform("SOUR:VOLT 5 A")
    assert await say(source, "SYST:ERR:COUN?;:SYST:ERR?") == '1;-131,"Invalid suffix"'


@pytest.mark.parametrize(
    ("name", "line"),
    [("HV1", "SOUR:VOLT 600"), ("HV1", "SOUR:FUNC DC"), ("GB1", "SOUR:CURR 5"),
     ("LK1", "SOUR:VOLT 110"), ("LK1", "SENS:LEAK:PATH TOUC"), ("IM1", "SOUR:FREQ 50")],
)  # fmt: skip
async def test_an_output_that_is_on_takes_no_settings(
    bench: StandIns, name: str, line: str
) -> None:
    source = bench.instruments[name]
    await source.perform("SOUR:DWEL 60;:INIT")
    await source.perform(line)
    assert source.errors[0] == (-221, "Settings conflict")
    await source.perform("ABOR")


async def test_reset_is_power_on(bench: StandIns) -> None:
    source = bench.instruments["HV1"]
    before = await say(source, "SOUR:VOLT?;FUNC?;DWEL?;:FETC?")
    await source.perform("SOUR:VOLT 700;FUNC DC;DWEL 5;:SYST:DEAD:TIM 1;:INIT")
    await source.perform("*RST")
    assert await say(source, "SOUR:VOLT?;FUNC?;DWEL?;:FETC?") == before
    assert await say(source, "OUTP?;:SYST:DEAD:TIM?") == "0;0"


async def test_operation_complete_is_noted_and_holds_nothing_up(bench: StandIns) -> None:
    """*OPC overlaps: what follows is done at once, and the bit comes when the output is over."""
    bond = bench.instruments["GB1"]
    await bond.perform("*CLS;:SOUR:CURR 10;DWEL 20;:INIT;*OPC")
    assert await say(bond, "*ESR?") == "0", "the output is still on"
    assert (await say(bond, "*OPC?;*ESR?")) == "1;1"


async def test_a_unit_keeps_its_charge_after_mains_and_between_outputs(bench: StandIns) -> None:
    """Mains may be cut off at its peak; absorbed charge comes back after it was safe."""
    meter = bench.instruments["LK1"]
    columns = bench.floor.nests[NEST].columns
    points = f"7!{columns['L']},8!{columns['N']},9!{columns['PE']}"
    await say(bench.instruments["MX1"], f"ROUT:OPEN:ALL;:ROUT:CLOS (@{points});*OPC?")
    await say(meter, "SOUR:VOLT 230;DWEL 1;:INIT;*OPC?")
    assert bench.floor.volts_in(NEST) > 0.0 or max(bench.floor.charges.values(), default=0) > 0
    ending, *_ = await withstand(bench, 500, "DC")
    assert ending == "FINISHED"
    source = bench.instruments["HV1"]
    while float(await say(source, "MEAS:VOLT:RES?")) > 10:  # noqa: ASYNC110 - polled as a service would
        await asyncio.sleep(0.001)
    await say(bench.instruments["MX1"], "ROUT:OPEN:ALL;*OPC?")
    await bench.clock.sleep(1.0)
    assert bench.floor.volts_in(NEST) > 15, "absorbed charge comes back"


async def test_the_matrix_counts_how_often_each_relay_closes(bench: StandIns) -> None:
    """A relay that stays closed is not closed again: paths are switched by what differs."""
    matrix = bench.instruments["MX1"]
    assert await say(matrix, "ROUT:CLOS:COUN:MOST?") == "0,0,0"
    for _ in range(3):
        await say(matrix, f"ROUT:CLOS (@1!{L});:ROUT:OPEN (@1!{L});*OPC?")
    await say(matrix, f"ROUT:CLOS (@1!{L},2!{PE});:ROUT:CLOS (@1!{L});*OPC?")
    assert await say(matrix, f"ROUT:CLOS:COUN? (@1!{L},2!{PE},1!{N})") == "4,1,0"
    assert await say(matrix, "ROUT:CLOS:COUN:MOST?") == f"1,{L},4"
    await matrix.perform("ROUT:CLOS (@1!513)")
    assert matrix.errors.popleft()[0] == -222, "it has 512 columns"


def test_the_clock_does_not_jump_when_its_pace_changes() -> None:
    clock = PacedClock(50.0)
    time.sleep(0.02)
    before = clock.now()
    for pace in (1.0, 200.0, 0.1):
        clock.pace = pace
    after = clock.now()
    assert 1.0 <= before <= after < before + 1.0
    time.sleep(0.02)
    assert clock.now() - after < 0.1, "it goes on at the last pace"


@pytest.mark.parametrize(("pace", "most_s"), [(20.0, 20.0 * clocks.STALL_S), (1.0, math.inf)])
async def test_a_clock_faster_than_real_time_stands_still_while_its_process_does(
    pace: float, most_s: float
) -> None:
    clock = PacedClock(pace)
    ticking = asyncio.create_task(clock.tick())
    await clock.sleep(0.1 * pace)
    before = clock.now()
    assert before >= 0.1 * pace, "what nobody looks at passes as well"
    time.sleep(0.5)  # noqa: ASYNC251 - held up
    passed_s = clock.now() - before
    assert passed_s <= most_s and (pace > 1 or passed_s >= 0.5)
    ticking.cancel()
