"""SCPI program messages: spellings, compound commands, parameters."""

from collections.abc import Callable

import pytest

from loricate.simulator.scpi import (
    ScpiError,
    boolean,
    choice,
    crosspoints,
    header_pattern,
    messages,
    number,
    split_outside,
    unquoted,
)  # fmt: skip


@pytest.mark.parametrize(
    ("spelling", "header", "matches"),
    [
        ("SOURce:VOLTage[:LEVel]", "SOUR:VOLT", True),
        ("SOURce:VOLTage[:LEVel]", "source:voltage:level", True),
        ("SOURce:VOLTage[:LEVel]", "SOURC:VOLT", False),
        ("SOURce:VOLTage[:LEVel]", "SOUR:VOLT?", False),
        ("SYSTem:ERRor[:NEXT]?", "SYST:ERR?", True),
        ("SYSTem:ERRor[:NEXT]?", "SYST:ERR:NEXT?", True),
        ("*IDN?", "*idn?", True),
        ("*IDN?", "*IDN", False),
    ],
)
def test_long_and_short_forms(spelling: str, header: str, matches: bool) -> None:
    assert (header_pattern(spelling).match(header) is not None) == matches


def test_a_spelling_that_is_none_is_refused() -> None:
    with pytest.raises(ValueError, match="not an SCPI spelling"):
        header_pattern("source:voltage")


def test_compound_commands_continue_on_their_branch() -> None:
    found = [header for header, _ in messages("SOUR:VOLT 5;FREQ 50;*CLS;DWEL 1;:INIT\n")]
    assert found == ["SOUR:VOLT", "SOUR:FREQ", "*CLS", "SOUR:DWEL", "INIT"]


def test_separators_inside_quotes_and_lists_do_not_separate() -> None:
    assert split_outside('"a;b",(@1!1,2!2);c', ";") == ['"a;b",(@1!1,2!2)', "c"]
    assert list(messages('HAND "x,y",2')) == [("HAND", ['"x,y"', "2"])]


def test_parameters() -> None:
    assert number("1.5e3", 0, 2000) == 1500.0
    assert choice("norm", "NORMal", "REVersed") == "NORMAL"
    assert boolean("on") and not boolean("0")
    assert unquoted("'x'") == "x"
    assert crosspoints("(@1!3, 2!4)") == [(1, 3), (2, 4)]


@pytest.mark.parametrize(
    ("read", "code"),
    [
        (lambda: number("abc", 0, 1), -120),
        (lambda: number("5", 0, 1), -222),
        (lambda: number("nan", 0, 1), -222),
        (lambda: choice("x", "AC", "DC"), -224),
        (lambda: boolean("2"), -224),
        (lambda: crosspoints("(@1)"), -224),
    ],
)
def test_wrong_parameters_have_their_error_numbers(read: Callable[[], object], code: int) -> None:
    with pytest.raises(ScpiError) as refused:
        read()
    assert refused.value.number == code
