"""Quantities are read strictly and written so that they read back the same."""

import math
import re
import unicodedata

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import BaseModel, ValidationError

from loricate.core.errors import QuantityError
from loricate.core.quantities import (
    CURRENT,
    DIMENSIONS,
    ENERGY,
    FREQUENCY,
    NUMBER,
    PRESSURE,
    RATE,
    RATIO,
    RESISTANCE,
    TEMPERATURE,
    TIME,
    TURNS_RATIO,
    VOLTAGE,
    Amperes,
    Dimension,
    display,
    exact_text,
    parse,
    written_pattern,
)


@pytest.mark.parametrize(
    ("text", "dimension", "value"),
    [
        ("1.5 kV", VOLTAGE, 1500.0),
        ("500 MΩ", RESISTANCE, 500e6),
        ("500 M\u2126", RESISTANCE, 500e6),  # the ohm sign, not the letter
        ("77 µA", CURRENT, 77e-6),
        ("77 \u03bcA", CURRENT, 77e-6),  # Greek mu
        ("77uA", CURRENT, 77e-6),
        ("0.1 ohm", RESISTANCE, 0.1),
        ("\u22125 mA", CURRENT, -5e-3),  # minus sign
        ("1e3 V", VOLTAGE, 1000.0),
        ("2 min", TIME, 120.0),
        ("50 Hz", FREQUENCY, 50.0),
        ("5 %", RATIO, 0.05),
        ("23.5 °C", TEMPERATURE, 23.5),
        ("77 °F", TEMPERATURE, 25.0),
        ("-40 degF", TEMPERATURE, -40.0),
        ("293.15 K", TEMPERATURE, 20.0),
        ("350 mJ", ENERGY, 0.35),
        ("35 kPa", PRESSURE, 35e3),
        ("1.2 bar", PRESSURE, 120e3),
        ("5 psi", PRESSURE, 34473.78646584),
        ("90 /min", RATE, 1.5),
        ("3.171", NUMBER, 3.171),
        ("10.05:1", TURNS_RATIO, 10.05),
    ],
)
def test_reads_what_people_write(text: str, dimension: Dimension, value: float) -> None:
    assert parse(text, dimension) == pytest.approx(value, rel=1e-15)


@pytest.mark.parametrize(
    ("text", "dimension", "says"),
    [
        ("1,5 kV", VOLTAGE, "comma"),
        ("5", VOLTAGE, "no unit"),
        ("500 mΩ", CURRENT, "is a resistance, not a current"),
        ("5 kv", VOLTAGE, "unit 'kv'"),
        ("five volts", VOLTAGE, "not a number"),
        ("1.5  kV", VOLTAGE, "not a number"),
        ("nan V", VOLTAGE, "not a number"),
        ("1e999 V", VOLTAGE, "too large"),
        ("317.1 %", NUMBER, "is a ratio, not a number"),
        ("3.171", RATIO, "no unit"),
        ("-500 °F", TEMPERATURE, "colder than anything"),
        ("5 °C", VOLTAGE, "is a temperature, not a voltage"),
        ("", VOLTAGE, "not a number"),
    ],
)
def test_refuses_what_is_not_certain(text: str, dimension: Dimension, says: str) -> None:
    with pytest.raises(QuantityError, match=says) as refused:
        parse(text, dimension)
    assert dimension.example in str(refused.value), "the remedy shows an example"


@given(
    value=st.floats(1e-12, 1e12, allow_nan=False),
    dimension=st.sampled_from(list(DIMENSIONS.values())),
)
def test_exact_text_reads_back_as_the_same_number(value: float, dimension: Dimension) -> None:
    assert parse(exact_text(value, dimension), dimension) == value


@pytest.mark.parametrize(
    ("value", "dimension", "text"),
    [
        (1e10, RESISTANCE, "10.00 GΩ"),
        (50e-9, CURRENT, "50.00 nA"),
        (0.08175, RESISTANCE, "81.75 mΩ"),
        (999.96, VOLTAGE, "1.000 kV"),
        (0.0, CURRENT, "0 A"),
        (-2.5e-9, CURRENT, "-2.500 nA"),
        (0.059, RATIO, "5.900 %"),
        (3.171, NUMBER, "3.171"),
        (10.05, TURNS_RATIO, "10.05:1"),
        (-12.5, TEMPERATURE, "-12.50 °C"),
        (1.5, RATE, "90.00 /min"),
    ],
)
def test_display_has_four_significant_digits(value: float, dimension: Dimension, text: str) -> None:
    assert display(value, dimension) == text


@given(value=st.floats(1e-9, 1e9))
def test_display_is_within_half_a_unit_of_its_last_digit(value: float) -> None:
    assert parse(display(value, VOLTAGE), VOLTAGE) == pytest.approx(value, rel=5.1e-4)


class Holder(BaseModel):
    """A model with a quantity."""

    current: Amperes


def test_a_field_takes_text_and_gives_it_back() -> None:
    held = Holder.model_validate({"current": "5 mA"})
    assert held.current == 0.005
    assert held.model_dump(mode="json") == {"current": "5 mA"}


@pytest.mark.parametrize("wrong", [5, 0.005, None, True, "5 V"])
def test_a_field_refuses_numbers_without_units(wrong: object) -> None:
    with pytest.raises(ValidationError):
        Holder.model_validate({"current": wrong})


@pytest.mark.parametrize(
    "text", ["10³ V", "5² V", "① V", "½ V", "5 ㎷", "1e-999 V", "1e99 V", "٣ V", "1_000 V", "₅ V"]
)
def test_what_a_reader_reads_otherwise_is_refused(text: str) -> None:
    with pytest.raises(QuantityError):
        parse(text, VOLTAGE)


SIGNS = st.text(
    st.one_of(
        st.sampled_from("0123456789.eE+-−–,_ kMmµμV\u00a0\u2009\u202f"),
        st.characters(categories=["Nd", "No", "Nl", "Sm", "Zs", "Cf"]),
    ),
    max_size=12,
)


@given(SIGNS)
def test_what_is_accepted_is_what_a_person_reads(text: str) -> None:
    """Whatever signs it has: what is accepted reads the same in plain ones."""
    try:
        value = parse(text, VOLTAGE)
    except QuantityError:
        return
    plain = {"−": "-", "μ": "µ", "\u2010": "-", "\u2011": "-"}
    read = ""
    for sign in text.strip():
        digit = unicodedata.digit(sign, None)
        form = unicodedata.decomposition(sign)
        assert not form.startswith(("<super>", "<sub>", "<circle>", "<fraction>")), sign
        if digit is not None and form.startswith("<wide>"):
            read += str(digit)
        elif sign.isspace():
            read += " "
        else:
            read += plain.get(sign, unicodedata.normalize("NFKC", sign))
    number, unit = re.fullmatch(r"([-+0-9.eE]+?)\s?([kMmnµ]?V)", read).groups()  # type: ignore[union-attr]
    scale = {"": 1.0, "k": 1e3, "M": 1e6, "m": 1e-3, "n": 1e-9, "µ": 1e-6}[unit[:-1]]
    assert value == pytest.approx(float(number) * scale, rel=1e-12)


@given(st.sampled_from(list(DIMENSIONS.values())).flatmap(
    lambda each: st.tuples(st.just(each), st.from_regex(written_pattern(each), fullmatch=True))
))  # fmt: skip
def test_whatever_fits_the_published_pattern_is_read(written: tuple[Dimension, str]) -> None:
    dimension, text = written
    try:
        assert math.isfinite(parse(text.rstrip("\n"), dimension))
    except QuantityError as error:
        assert error.reason in (
            "is too large to be real",
            "is too small to be real",
            "is colder than anything can be",
        )


@given(st.floats(1e-11, 1e11), st.sampled_from(list(DIMENSIONS.values())))
def test_what_is_written_fits_the_published_pattern(value: float, dimension: Dimension) -> None:
    assert re.match(written_pattern(dimension), exact_text(value, dimension))
    assert re.match(written_pattern(dimension), dimension.example)
