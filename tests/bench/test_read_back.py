"""What an instrument is set to, who it is and what it answers to is asked, never assumed."""

import re

import pytest

from loricate.bench.bench import Bench
from loricate.bench.errors import GuardOpen, Implausible, InstrumentFault
from loricate.bench.instrument import Who
from loricate.bench.plan import BenchPlan
from loricate.bench.profiles import read_profile
from loricate.core.measuring.actions import Join
from loricate.core.measuring.roles import (
    BOND,
    DC_SOURCE,
    GAUGE,
    IMPEDANCE,
    LEAKAGE,
    LOW_RESISTANCE,
    PULSE,
    RATIO_METER,
    ROLES,
    STIMULUS,
    SURGE,
    THERMOMETER,
    TURNED_SOURCE,
    WIRING,
    WITHSTAND,
    Role,
)
from loricate.simulator import scpi
from tests.rig import Rig, on_the_way, said

NAMES = {
    WITHSTAND: "HV1", BOND: "GB1", LEAKAGE: "LK1", IMPEDANCE: "IM1", WIRING: "WM1",
    THERMOMETER: "TM1", LOW_RESISTANCE: "LR1", DC_SOURCE: "DS1", TURNED_SOURCE: "TS1",
    SURGE: "SG1", RATIO_METER: "RM1", PULSE: "PS1", GAUGE: "PG1", STIMULUS: "ST1",
}  # fmt: skip
# None of it is what the stand-ins are set to when they are switched on.
WANTED: dict[Role, dict[str, float | str]] = {
    WITHSTAND: {
        "function": "DC", "level_v": 250.0, "frequency_hz": 60.0, "ramp_s": 0.2, "dwell_s": 0.4,
        "fall_s": 0.1, "trip_a": 2e-3,
    },
    BOND: {"level_a": 12.0, "dwell_s": 0.4},
    LEAKAGE: {
        "path": "touch", "network": "iec60601", "method": "differential", "neutral": "open",
        "polarity": "reversed", "level_v": 110.0, "frequency_hz": 60.0, "dwell_s": 0.4,
    },
    IMPEDANCE: {"level_v": 0.5, "frequency_hz": 120.0, "dwell_s": 0.4},
    WIRING: {"function": "DIODE", "points": 3.0, "dwell_s": 0.4},
    THERMOMETER: {"dwell_s": 4.0},
    LOW_RESISTANCE: {"level_a": 0.5, "ramp_s": 4.0, "dwell_s": 2.0},
    DC_SOURCE: {
        "level_v": 800.0, "ramp_s": 2.0, "dwell_s": 4.0, "fall_s": 1.0, "trip_a": 1e-4,
        "ranging_s": 3.0,
    },
    SURGE: {"level_v": 800.0, "dwell_s": 0.4},
    RATIO_METER: {"level_v": 8.0, "frequency_hz": 120.0, "dwell_s": 0.4},
    PULSE: {"level_v": 4000.0, "ramp_s": 8.0, "dwell_s": 0.5},
    GAUGE: {"dwell_s": 4.0},
    STIMULUS: {"dwell_s": 4.0, "temperature_c": 34.0, "pressure_pa": 8000.0},
    TURNED_SOURCE: {"level_v": 800.0, "dwell_s": 4.0, "trip_a": 1e-4, "ranging_s": 3.0},
}  # fmt: skip
OTHER = {
    "function": "AC", "path": "earth", "network": "iec60990", "method": "direct",
    "neutral": "closed", "polarity": "normal",
}  # fmt: skip
EVERY = [(role, name) for role in ROLES for name in WANTED[role]]


def header(role: str, name: str) -> str:
    return read_profile(f"stand-in-{role}").set[name].removesuffix(" {value}")


@pytest.mark.parametrize("how", ["lost", "altered"])
@pytest.mark.parametrize(("role", "name"), EVERY)
async def test_no_setting_is_lost_or_altered_on_the_way(
    rig: Rig, role: str, name: str, how: str
) -> None:
    """Whatever it is: before anything is energised it is known, by its question and answer."""
    kind = Role(role)
    value = WANTED[kind][name]
    told = header(role, name)
    words = {**OTHER, "function": "CAP"} if kind == WIRING else OTHER
    other = words[name] if isinstance(value, str) else f"{value * 0.8:g}"

    def spoil(line: str) -> str:
        found = rf"{re.escape(told)} [^;\s]+"
        return re.sub(found, "*WAI" if how == "lost" else f"{told} {other}", line)

    on_the_way(rig, NAMES[kind], spoil)
    with pytest.raises(Implausible, match=rf"answers {re.escape(told)}\? with .* set to {value}"):
        await rig.bench.instruments[NAMES[kind]].program(WANTED[kind])
    assert rig.bench.instruments[NAMES[kind]].programmed == {}, "nothing can be energised with it"


@pytest.mark.parametrize("role", ROLES)
async def test_what_is_set_as_it_was_sent_is_taken(rig: Rig, role: str) -> None:
    kind = Role(role)
    await rig.bench.instruments[NAMES[kind]].program(WANTED[kind])
    assert rig.bench.instruments[NAMES[kind]].programmed == WANTED[kind]


async def test_a_setting_that_somebody_turns_meanwhile_is_seen_after_the_output(rig: Rig) -> None:
    """A knob is turned while the output is on: no error, no reading that looks odd."""
    terminals = {"high": ("PE",), "low": ("CHASSIS",)}
    await rig.bench.connect_unit("GB1", terminals, [{"PE": 3, "CHASSIS": 4}])
    source = rig.floor.instruments["GB1"]

    def turn(line: str) -> str:
        if "SUMM" in line:
            source.level_a = 9.0  # type: ignore[attr-defined]
        return line

    on_the_way(rig, "GB1", turn)
    with pytest.raises(Implausible, match=r"CURRent\? with '9' after its output, set to 12"):
        await rig.bench.outputs.energise("GB1", WANTED[BOND], [], lambda sample: None)


async def test_answers_that_are_one_behind_are_no_settings(rig: Rig) -> None:
    """The error queue's answer, told twice, answers the question for the settings."""
    said(rig, "LK1", lambda line, told: f"{told}\n{told}" if "ERR" in line else told)
    with pytest.raises(Implausible, match="before its start"):
        await rig.bench.outputs.energise("LK1", WANTED[LEAKAGE], [], lambda sample: None)
    assert not rig.bench.instruments["LK1"].link.is_open, "what comes next answers no more"


async def test_an_output_needs_its_own_programme(rig: Rig) -> None:
    """A link that was opened anew knows nothing of what was set before."""
    source = rig.bench.instruments["GB1"]
    await source.program(WANTED[BOND])
    source.link.close()
    await rig.bench.connect()
    with pytest.raises(InstrumentFault, match="was not programmed"):
        await source.start()


async def test_a_level_that_nobody_heard_back_is_taken_for_dangerous(rig: Rig) -> None:
    """Twenty volts are harmless if that is what the source gives."""
    source = rig.bench.instruments["LK1"]
    program = {**WANTED[LEAKAGE], "level_v": 20.0}
    rig.floor.floor.set_guard(False)
    with pytest.raises(InstrumentFault, match="did not start"):  # only the stand-in minds
        await rig.bench.outputs.energise("LK1", program, [], lambda sample: None)
    source.profile = source.profile.model_copy(update={"not_read_back": ("level_v",)})
    with pytest.raises(GuardOpen):
        await rig.bench.outputs.energise("LK1", program, [], lambda sample: None)


async def test_an_error_that_is_another_answer_ends_the_link(rig: Rig) -> None:
    """The matrix's 1, told twice, reads as an error for ever, unless its link is opened anew."""
    told = iter(["1\n1"])
    said(rig, "MX1", lambda line, answer: next(told, answer) if "OPC" in line else answer)
    with pytest.raises(Implausible, match="MX1 answered as"):
        await rig.bench.join(Join(((1, 1),)))
    await rig.bench.join(Join(((1, 1),)))


async def test_every_connection_begins_as_at_power_on(rig: Rig) -> None:
    """What nobody programs must not be left from whoever had the instrument before."""
    source = rig.floor.instruments["HV1"]
    await source.perform("SENSe:ARC:COUNt 0")
    rig.bench.instruments["HV1"].link.close()
    assert await rig.bench.connect() == {}
    assert await source.perform("SENSe:ARC:COUNt?") == "4"


async def test_a_dead_man_that_was_not_set_is_found_when_it_is_connected(rig: Rig) -> None:
    on_the_way(rig, "HV1", lambda line: line.replace("TIMeout 0.4", "TIMeout 4"))
    rig.bench.instruments["HV1"].link.close()
    problems = await rig.bench.connect()
    assert "DEADman:TIMeout? with '4' after its set-up, not '0.4'" in problems["HV1"]
    with pytest.raises(InstrumentFault, match="after its set-up"):
        await rig.bench.connect_unit("HV1", {}, [])


async def test_an_instrument_with_another_serial_number_is_not_used(rig: Rig) -> None:
    """The certificate names a serial number and its calibration: that one must have measured."""
    source = rig.floor.instruments["GB1"]
    for other in ("BS-100770", "BS-10078", "0", ""):
        source.serial = other
        problems = await rig.bench.look()
        assert "is not serial BS-10077 of the bench file" in problems["GB1"]
    source.serial = "BS-10077"
    assert await rig.bench.look() == {}


@pytest.mark.parametrize(
    ("serial", "identity", "is_it"),
    [
        ("1", "MAKER,MODEL,20418,1", False),  # the firmware's number is not the serial
        ("20418", "MAKER,MODEL, 20418 ,1", True),
        ("20418", "BOND SOURCE S/N 20418", True),
        ("20418", "BOND SOURCE S/N 120418", False),
        ("20418", "BOND SOURCE", False),
    ],
)
async def test_a_serial_number_is_read_where_it_stands(
    rig: Rig, serial: str, identity: str, is_it: bool
) -> None:
    source = rig.bench.instruments["GB1"]
    source.who = Who(serial=serial)
    said(rig, "GB1", lambda line, told: identity if "IDN" in line else told)
    assert (await rig.bench.look() == {}) is is_it


async def test_the_guards_answer_is_never_the_one_before(rig: Rig) -> None:
    """Closed, told twice, must not stand for the guard that somebody opens after it."""
    said(
        rig,
        "GD1",
        lambda line, told: f"{told}\n{told}" if "STATe" in line and told == "1" else told,
    )
    with pytest.raises(Implausible, match="answered as '1' after INPut:GUARd:STATe"):
        await rig.bench.guard_is_closed()
    rig.floor.floor.set_guard(False)
    assert not await rig.bench.guard_is_closed()


async def test_the_inputs_answer_is_never_the_one_before(rig: Rig) -> None:
    assert await rig.bench.foot_presses() == 0
    said(rig, "IN1", lambda line, told: f"{told}\n{told}" if "COUN" in line else told)
    with pytest.raises(Implausible, match="answered as '0'"):
        await rig.bench.foot_presses()
    with pytest.raises(Implausible, match="answered as '0'"):
        await rig.bench.foot_presses()


async def test_presses_that_are_no_number_are_no_presses(rig: Rig) -> None:
    said(rig, "IN1", lambda line, told: "many" if "COUN" in line else told)
    with pytest.raises(InstrumentFault, match="with 'many'"):
        await rig.bench.foot_presses()


async def test_relays_that_did_not_open_are_seen_when_nothing_is_to_be_closed(rig: Rig) -> None:
    await rig.bench.join(Join(((1, 1),)))
    on_the_way(rig, "MX1", lambda line: "*WAI" if "ROUTe:OPEN" in line else line)
    with pytest.raises(InstrumentFault, match="says that 1!1 is closed, asked for nothing"):
        await rig.bench.join(Join(()))


def test_what_a_make_cannot_tell_is_said(rig: Rig) -> None:
    profile = read_profile("stand-in-leakage").model_copy(
        update={"not_read_back": ("network", "dwell_s"), "tells_serial": False}
    )
    assert profile.unseen == ("network", "dwell", "serial number")
    assert profile.asked("network") == "" and profile.asked("method") == "SENSe:LEAKage:METHod?"
    assert [state.unseen for state in rig.bench.states()] == [()] * len(rig.bench.everything)
    mute = read_profile("stand-in-matrix").model_copy(update={"closed_points": ""})
    assert mute.unseen == ("closed relays",)


async def test_where_nothing_is_read_back_nothing_is_asked(rig: Rig) -> None:
    plan: BenchPlan = rig.bench.plan
    rig.bench.hang_up()  # one bench at a time
    bench = Bench(plan)
    source = bench.instruments["GB1"]
    source.profile = source.profile.model_copy(update={"not_read_back": ("level_a", "dwell_s")})
    await bench.connect()
    lines: list[str] = []
    on_the_way(rig, "GB1", lambda line: lines.append(line) or line)  # type: ignore[func-returns-value]
    output = await bench.outputs.energise("GB1", WANTED[BOND], [], lambda sample: None)
    assert output.summary
    assert not [line for line in lines if "CURRent?" in line]
    await bench.close()


def test_words_and_numbers_are_recognised_as_a_make_tells_them() -> None:
    profile = read_profile("stand-in-leakage").model_copy(
        update={
            "words": {"method": {"differential": "DIFFerential"}, "path": {"touch": "ENCL"}},
            "told_words": {"neutral": {"open": "1", "closed": "0"}},
            "scale": {"dwell_s": 1e-3},
            "resolution": {"level_v": 1.0},
        }
    )
    for told in ("DIFF", "differential", '"DIFF"', "DIFFERENTIAL "):
        assert profile.is_set("method", "differential", told)
    for told in ("DIFFER", "D", "", '""', "DIRECT", "9.91E37"):
        assert not profile.is_set("method", "differential", told)
    assert profile.is_set("path", "touch", "encl") and not profile.is_set("path", "touch", "TOUCH")
    assert profile.is_set("neutral", "open", "1") and not profile.is_set("neutral", "open", "0")
    assert profile.is_set("dwell_s", 0.4, "400") and not profile.is_set("dwell_s", 0.4, "0.4")
    assert profile.is_set("level_v", 229.5, "230") and not profile.is_set("level_v", 228.0, "230")
    assert profile.is_set("frequency_hz", 60.0, "6.00005E+01")
    for told in ("60.1", "", "nan", "9.91E37", "9.9E37", "sixty", "-60"):
        assert not profile.is_set("frequency_hz", 60.0, told)


def test_the_stand_ins_tell_each_setting_in_one_message(rig: Rig) -> None:
    """The questions are joined as the settings are, and stay whole for SCPI's branches."""
    profile = read_profile("stand-in-withstand")
    joined = profile.joined.join(profile.asked(name) for name in ROLES[WITHSTAND].sets)
    assert len(list(scpi.messages(joined))) == len(ROLES[WITHSTAND].sets)
