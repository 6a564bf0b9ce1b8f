"""Quantities as people write them: a small strict grammar that refuses what is not certain.

A quantity is a decimal number, an optional space, an optional prefix and a unit: ``1.5 kV``,
``500 MΩ``, ``77 µA``. Inside Loricate a quantity is a ``float`` in the SI unit of its dimension
(of a temperature the degree Celsius); the unit stands in the field's type (``Volts``) or name
(``level_v``). A plain number, such as an index, has no unit and takes none.
"""

import math
import re
import unicodedata
from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction as Exact
from functools import lru_cache
from typing import Annotated, Any

from pydantic import BeforeValidator, PlainSerializer, WithJsonSchema

from loricate.core.errors import QuantityError

FIGURE_DIGITS = 6
LONGEST_FIGURE = 18  # digits, which tell any two floats apart
PREFIX_EXPONENTS = {
    "p": -12,
    "n": -9,
    "µ": -6,
    "m": -3,
    "": 0,
    "k": 3,
    "M": 6,
    "G": 9,
    "T": 12,
}


@dataclass(frozen=True, slots=True)
class Dimension:
    """A physical dimension: its name, the unit that people see, its spellings, and an example.

    ``shown_times`` is how many of that unit are one of the unit inside: a ratio is kept as a
    fraction and shown in percent. One that is read in the units of others too (``read_as``) has no
    spelling of its own; ``decimals`` is how many are shown of a figure, where that is fixed.
    """

    name: str
    unit: str
    spellings: tuple[str, ...]
    prefixes: str
    example: str
    shown_times: int = 1
    read_as: tuple[str, ...] = ()
    decimals: int | None = None

    def __str__(self) -> str:
        return self.name

    @property
    def with_article(self) -> str:
        """Its name in a sentence: a voltage, an area."""
        return f"{'an' if self.name[0] in 'aeiou' else 'a'} {self.name}"

    def written(self, number: str, prefix: str = "") -> str:
        """A number with its unit."""
        if not self.unit:
            return number
        gap = "" if self.unit.startswith(":") else " "
        return f"{number}{gap}{prefix}{self.unit}"


VOLTAGE = Dimension("voltage", "V", ("V",), "nµmkM", "1.5 kV")
CURRENT = Dimension("current", "A", ("A",), "pnµmk", "5 mA")
RESISTANCE = Dimension("resistance", "Ω", ("Ω", "ohm", "Ohm", "ohms"), "nµmkMGT", "100 mΩ")
CAPACITANCE = Dimension("capacitance", "F", ("F",), "pnµm", "4.7 nF")
INDUCTANCE = Dimension("inductance", "H", ("H",), "nµm", "25 mH")
TIME = Dimension("time", "s", ("s",), "nµm", "2 s")
FREQUENCY = Dimension("frequency", "Hz", ("Hz",), "mkM", "50 Hz")
POWER = Dimension("power", "W", ("W",), "µmkM", "1.9 kW")
LENGTH = Dimension("length", "m", ("m",), "m", "3 m")
# Of a conductor: always in mm², so that it takes no prefix.
AREA = Dimension("area", "mm²", ("mm²", "mm2"), "", "0.5 mm²", shown_times=1_000_000)
SLOPE = Dimension("slope", "V/s", ("V/s",), "mk", "500 V/s")
RATIO = Dimension("ratio", "%", ("%",), "", "5 %", shown_times=100)
TEMPERATURE = Dimension("temperature", "°C", ("°C", "degC"), "", "23.5 °C")
ENERGY = Dimension("energy", "J", ("J",), "µmk", "350 mJ")
PRESSURE = Dimension("pressure", "Pa", ("Pa",), "mkM", "35 kPa")
PRESSURE_RATE = Dimension(
    "pressure_rate", "Pa/min", ("Pa/min",), "kM", "0.5 kPa/min", shown_times=60
)
RATE = Dimension("rate", "/min", ("/min",), "", "2.5 /min", shown_times=60)
NUMBER = Dimension("number", "", ("",), "", "3.171")
TURNS_RATIO = Dimension("turns_ratio", ":1", (":1",), "", "10.05:1")
# A power factor is written 0.95; 95 % is read as well.
POWER_FACTOR = Dimension(
    "power_factor", "", (), "", "0.95", read_as=("number", "ratio"), decimals=2
)

# As temperatures are shown where a site wants them so; nothing is kept in it.
FAHRENHEIT = Dimension("temperature", "°F", (), "", "74.3 °F")
SHOWN_TEMPERATURES = {"°C": TEMPERATURE, "°F": FAHRENHEIT}
_temperatures = TEMPERATURE

DIMENSIONS = {
    dimension.name: dimension
    for dimension in (
        VOLTAGE,
        CURRENT,
        RESISTANCE,
        CAPACITANCE,
        INDUCTANCE,
        TIME,
        FREQUENCY,
        POWER,
        LENGTH,
        AREA,
        SLOPE,
        RATIO,
        TEMPERATURE,
        ENERGY,
        PRESSURE,
        PRESSURE_RATE,
        RATE,
        NUMBER,
        TURNS_RATIO,
        POWER_FACTOR,
    )
}


@dataclass(frozen=True, slots=True)
class _Unit:
    """A unit that may be written: so many of the unit inside, after ``offset`` of its own."""

    dimension: Dimension
    times: Exact
    offset: Exact = Exact(0)


# Units that are not a power of ten of the one that is shown.
_ODD_UNITS = {
    "min": _Unit(TIME, Exact(60)),
    "h": _Unit(TIME, Exact(3600)),
    "°F": _Unit(TEMPERATURE, Exact(5, 9), Exact(-32)),
    "degF": _Unit(TEMPERATURE, Exact(5, 9), Exact(-32)),
    "K": _Unit(TEMPERATURE, Exact(1), Exact(-27315, 100)),
    "bar": _Unit(PRESSURE, Exact(100_000)),
    "mbar": _Unit(PRESSURE, Exact(100)),
    "hPa": _Unit(PRESSURE, Exact(100)),
    "psi": _Unit(PRESSURE, Exact(6_894_757_293_168, 10**9)),
    "mmHg": _Unit(PRESSURE, Exact(133_322_387_415, 10**9)),
    "mmHg/min": _Unit(PRESSURE_RATE, Exact(133_322_387_415, 10**9) / 60),
    "/s": _Unit(RATE, Exact(1)),
    "/h": _Unit(RATE, Exact(1, 3600)),
}

_NUMBER = re.compile(
    r"([+-]?(?:[0-9]+(?:\.[0-9]+)?|\.[0-9]+)(?:[eE][+-]?[0-9]{1,3})?)\s?(\S*)", re.ASCII
)
# Signs that stand for a plain one without being another: wide, narrow, unbreakable, and the micro
# sign. What is raised, circled or a fraction is read as what it is by people, and refused here.
_PLAIN_FORMS = ("<wide>", "<narrow>", "<noBreak>", "<compat> 0020", "<compat> 03BC")
LEAST, MOST = 1e-30, 1e30  # in SI units; what is beyond is a slip
ABSOLUTE_ZERO_C = -273.15
# Minus signs and micro signs that keyboards and word processors put in.
RAISED_UNIT, PLAIN_UNIT = "mm²", "mm2"  # the one unit that has a raised sign in it
_LOOKALIKES = str.maketrans({"\u2212": "-", "\u2010": "-", "\u2011": "-", "\u03bc": "µ"})


def _unit_table() -> dict[str, _Unit]:
    table = dict(_ODD_UNITS)
    for dimension in DIMENSIONS.values():
        inside = Exact(1, dimension.shown_times)
        for spelling in dimension.spellings:
            table[spelling] = _Unit(dimension, inside)
            for prefix in dimension.prefixes:
                unit = _Unit(dimension, inside * Exact(10) ** PREFIX_EXPONENTS[prefix])
                table[prefix + spelling] = unit
                if prefix == "µ":
                    table["u" + spelling] = unit
    return table


_UNITS = _unit_table()


@lru_cache(maxsize=8192)  # the points of a step have the same few limits
def parse(text: str, dimension: Dimension) -> float:
    """Give the SI value of ``text``, which must be a quantity of ``dimension``.

    Raises:
        QuantityError: no unit, an unknown unit, a comma, another dimension, or not finite.
    """

    def refuse(reason: str) -> QuantityError:
        return QuantityError(text, reason, dimension.with_article, dimension.example)

    tidy = _tidy(text)
    if tidy is None:
        raise refuse("has signs that are no plain digits or letters")
    if "," in tidy:
        raise refuse("has a comma, which may mean a decimal point or thousands")
    matched = _NUMBER.fullmatch(tidy)
    if matched is None:
        raise refuse("is not a number followed by a unit")
    number, spelling = matched.groups()
    if not spelling and dimension.unit:
        raise refuse("has no unit")
    unit = _UNITS.get(spelling)
    if unit is None:
        raise refuse(f"has the unit '{spelling}', which is not known here")
    if unit.dimension is not dimension and unit.dimension.name not in dimension.read_as:
        raise refuse(f"is {unit.dimension.with_article}, not {dimension.with_article}")
    exact = (Exact(number) + unit.offset) * unit.times
    if abs(exact) > MOST:
        raise refuse("is too large to be real")
    if Exact(number) != 0 and abs(exact) < LEAST and not unit.offset:
        raise refuse("is too small to be real")
    value = float(exact)
    if dimension is TEMPERATURE and value < ABSOLUTE_ZERO_C:
        raise refuse("is colder than anything can be")
    return value


def _tidy(text: str) -> str | None:
    """The text in plain signs; None where one of them means something else to a reader."""
    text = text.replace(RAISED_UNIT, PLAIN_UNIT)
    for sign in text:
        form = unicodedata.decomposition(sign)
        if form.startswith("<") and not form.startswith(_PLAIN_FORMS):
            return None
    return unicodedata.normalize("NFKC", text).translate(_LOOKALIKES).strip()


def parse_any(text: str) -> tuple[float, Dimension]:
    """Give the SI value of ``text`` and the dimension that its unit says; raises QuantityError."""
    spelling = text.strip().lstrip("+-.0123456789eE \u2212").strip()
    unit = _UNITS.get(_tidy(spelling) or "")
    dimension = NUMBER if unit is None else unit.dimension
    return parse(text, dimension), dimension


def _engineering(value: Decimal, dimension: Dimension) -> tuple[Decimal, str]:
    """Scale ``value`` so that its mantissa is 1 to 999 where the dimension has such a prefix."""
    allowed = [("", 0), *((p, PREFIX_EXPONENTS[p]) for p in dimension.prefixes)]
    exponent = 0 if value == 0 else value.adjusted() // 3 * 3
    prefix, power = min(allowed, key=lambda pair: (abs(pair[1] - exponent), pair[1]))
    return value.scaleb(-power), prefix


def exact_text(value: float, dimension: Dimension) -> str:
    """Write ``value`` (SI) so that ``parse`` gives back exactly the same number."""
    number = _shortest(value, dimension.shown_times)
    mantissa, prefix = _engineering(number, dimension)
    return dimension.written(_plain(mantissa), prefix)


def _shortest(value: float, shown_times: int) -> Decimal:
    """The shortest figure that is so many times a value: 500, not what a sixtieth makes of it."""
    whole = Decimal(repr(value)) * shown_times
    for digits in range(FIGURE_DIGITS, LONGEST_FIGURE):
        short = Decimal(f"{whole:.{digits}g}")
        if float(Exact(short) / shown_times) == value:
            return short
    return whole


def exactly(value: float) -> Exact:
    """The decimal figure that a number was written as, without what binary fractions add to it."""
    return Exact(repr(value))


def as_figure(value: Exact) -> float:
    """A figure that was reckoned, as it is graded and as it is shown: the nearest of six digits.

    Half a millionth off at most, which nothing here measures.
    """
    return float(f"{float(value):.{FIGURE_DIGITS}g}")


def _plain(number: Decimal) -> str:
    text = f"{number:f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def show_temperatures_in(unit: str) -> None:
    """Have ``display`` write temperatures in °C or °F in this process, as its site chose.

    Nothing else changes: they are kept, sent and reckoned with in °C.
    """
    global _temperatures
    _temperatures = SHOWN_TEMPERATURES[unit]


def display(
    value: float, dimension: Dimension, digits: int = 4, decimals: int | None = None
) -> str:
    """Write ``value`` (SI) for people: engineering notation, ``digits`` significant digits.

    With ``decimals`` it has so many places and no prefix. Temperatures are written in the unit that
    the site chose.
    """
    if dimension is TEMPERATURE and _temperatures is FAHRENHEIT:
        value, dimension = value * 9 / 5 + 32, FAHRENHEIT
    if not math.isfinite(value):
        return dimension.written("not a number")
    number = Decimal(repr(value)) * dimension.shown_times
    places = dimension.decimals if decimals is None else decimals
    if places is not None:
        return dimension.written(f"{number:.{places}f}")
    if number != 0:
        number = number.quantize(Decimal(1).scaleb(number.adjusted() - digits + 1))
    mantissa, prefix = _engineering(number, dimension)
    if not mantissa:
        return dimension.written("0")
    decimals = max(0, digits - 1 - mantissa.adjusted())
    return dimension.written(f"{mantissa:.{decimals}f}", prefix)


def _validator(dimension: Dimension) -> Callable[[Any], float]:
    def read(value: Any) -> float:
        if isinstance(value, str):
            return parse(value, dimension)
        raise QuantityError(
            str(value), "is not a quantity with its unit", dimension.with_article, dimension.example
        )

    return read


def written_pattern(dimension: Dimension) -> str:
    """How a quantity is written, for editors and generated clients (ECMA-262).

    Whatever fits it is read, unless it is beyond ``LEAST`` and ``MOST``. ``parse`` takes a little
    more: what word processors make of minus signs, spaces and the micro sign.
    """
    units = sorted(name for name, unit in _UNITS.items() if unit.dimension is dimension)
    ending = f" ?({'|'.join(units)})" if dimension.unit else ""
    return rf"^[+-]?([0-9]+(\.[0-9]+)?|\.[0-9]+)([eE][+-]?[0-9]{{1,2}})?{ending}$"


def quantity(dimension: Dimension) -> Any:
    """Make the pydantic field type of a dimension: a float inside, text with a unit outside."""
    return Annotated[
        float,
        BeforeValidator(_validator(dimension)),
        PlainSerializer(
            lambda value: exact_text(value, dimension), return_type=str, when_used="json"
        ),
        WithJsonSchema(
            {
                "type": "string",
                "format": dimension.name,
                "pattern": written_pattern(dimension),
                "examples": [dimension.example],
            }
        ),
    ]


def with_written_defaults(schema: dict[str, Any]) -> dict[str, Any]:
    """A JSON Schema whose quantities have their defaults as they are written: ``100 ms``.

    Beside such a default stands ``x-units``: of each spelling what it is times in SI, and what is
    added before, so that a form can tell 0.1 s from another time without a grammar of its own.
    """

    def tidy(node: Any) -> Any:
        if isinstance(node, list):
            return [tidy(each) for each in node]
        if not isinstance(node, dict):
            return node
        found = {key: tidy(each) for key, each in node.items()}
        kinds = [found, *(each for each in found.get("anyOf", []) if isinstance(each, dict))]
        dimension = next((DIMENSIONS.get(str(each.get("format"))) for each in kinds), None)
        default = found.get("default")
        if dimension is not None and isinstance(default, int | float):
            found["default"] = exact_text(default, dimension)
            found["x-units"] = {
                name: [float(unit.times), float(unit.offset)]
                for name, unit in _UNITS.items()
                if unit.dimension is dimension
            }
        return found

    written: dict[str, Any] = tidy(schema)
    return written


Volts = Annotated[float, *quantity(VOLTAGE).__metadata__]
Amperes = Annotated[float, *quantity(CURRENT).__metadata__]
Ohms = Annotated[float, *quantity(RESISTANCE).__metadata__]
Farads = Annotated[float, *quantity(CAPACITANCE).__metadata__]
Henries = Annotated[float, *quantity(INDUCTANCE).__metadata__]
Seconds = Annotated[float, *quantity(TIME).__metadata__]
Hertz = Annotated[float, *quantity(FREQUENCY).__metadata__]
Metres = Annotated[float, *quantity(LENGTH).__metadata__]
SquareMetres = Annotated[float, *quantity(AREA).__metadata__]
Watts = Annotated[float, *quantity(POWER).__metadata__]
VoltsPerSecond = Annotated[float, *quantity(SLOPE).__metadata__]
Fraction = Annotated[float, *quantity(RATIO).__metadata__]
Celsius = Annotated[float, *quantity(TEMPERATURE).__metadata__]
Joules = Annotated[float, *quantity(ENERGY).__metadata__]
Pascals = Annotated[float, *quantity(PRESSURE).__metadata__]
PascalsPerSecond = Annotated[float, *quantity(PRESSURE_RATE).__metadata__]
PerSecond = Annotated[float, *quantity(RATE).__metadata__]
Number = Annotated[float, *quantity(NUMBER).__metadata__]
TurnsRatio = Annotated[float, *quantity(TURNS_RATIO).__metadata__]
