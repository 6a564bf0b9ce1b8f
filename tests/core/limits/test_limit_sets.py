"""Limit sets: formulae, which item holds for a product and a step, and figures that loosen one."""

import json
from dataclasses import replace
from decimal import Decimal
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from loricate.core.documents import read_document
from loricate.core.errors import DocumentError
from loricate.core.kinds import KINDS
from loricate.core.limits.fitting import fit
from loricate.core.limits.formulas import Formula
from loricate.core.limits.limit import LimitEntry
from loricate.core.limits.limit_sets import LimitSet, LimitSetItem
from loricate.core.limits.resolving import Asked, resolve
from loricate.core.measuring.readings import Measurand
from loricate.core.products.offer import offered_limits
from loricate.core.products.product import Product
from loricate.core.quantities import CURRENT, RESISTANCE, VOLTAGE, exact_text, parse
from loricate.core.review import Reviewed, Severity, review
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence
from tests.conftest import read_demo

LimitSets = dict[str, tuple[LimitSet, int]]
BOND = Asked("ground_bond", "resistance", RESISTANCE, {"current": "25 A"})


def product(**own: Any) -> Product:
    return Product.model_validate(
        {
            "format": "loricate-product/2", "code": "P-1", "title": "A product",
            "family": "appliance", "protection_class": "I", "supply_voltage": "230 V",
            "cord": "fixed", "terminals": ["L", "N", "PE", "CHASSIS"], **own,
        }
    )  # fmt: skip


@pytest.mark.parametrize(
    ("cord", "ohms"),
    [
        ("1 m", 0.3), ("5 m", 0.3), ("5.1 m", 0.4), ("12.5 m", 0.4), ("12.6 m", 0.5),
        ("20 m", 0.5), ("57.5 m", 1.0), ("200 m", 1.0),
    ],
)  # fmt: skip
def test_a_protective_conductor_by_the_length_of_its_cord(
    limit_sets: LimitSets, cord: str, ohms: float
) -> None:
    found = resolve(
        LimitEntry(source="EN-50699"), BOND, limit_sets, product(cord_length=cord).facts
    )
    assert found.maximum == pytest.approx(ohms)
    assert found.source.limit_set == "EN-50699"


@pytest.mark.parametrize(
    ("power", "milliamperes"), [("2 kW", 3.5), ("3.5 kW", 3.5), ("6 kW", 6.0), ("18 kW", 10.0)]
)
def test_a_heaters_current_by_its_power(
    limit_sets: LimitSets, power: str, milliamperes: float
) -> None:
    asked = Asked("leakage", "current", CURRENT, {"path": "earth", "network": "iec60990"})
    heater = product(traits=["heating"], rated_power=power)
    found = resolve(LimitEntry(source="EN-50699"), asked, limit_sets, heater.facts)
    assert found.maximum == pytest.approx(milliamperes / 1e3)


@given(
    length=st.floats(0.01, 500), base=st.integers(0, 5), add=st.integers(0, 5),
    most=st.integers(6, 50), begun=st.booleans(),
)  # fmt: skip
def test_a_formula_grows_with_its_property_and_stays_under_its_most(
    length: float, base: int, add: int, most: int, begun: bool
) -> None:
    formula = Formula(
        base=f"{base} Ω", add=f"{add} Ω", per="7.5 m", of="cord_length", beyond="5 m",
        begun=begun, at_most=f"{most} Ω",
    )  # fmt: skip
    short, long = (
        product(cord_length=f"{length:.6f} m"),
        product(cord_length=f"{length + 7.5:.6f} m"),
    )
    low, high = formula.value(short.facts, RESISTANCE), formula.value(long.facts, RESISTANCE)
    assert low is not None and high is not None
    assert base <= low <= high <= most
    assert high - low <= add + most * 1e-5, "each is rounded to six digits"
    assert formula.value(product().facts, RESISTANCE) is None


@given(hundredths=st.integers(100, 999), volts=st.integers(1, 999))
def test_a_level_reckoned_from_a_rating_is_the_decimal_figure_that_people_reckon(
    hundredths: int, volts: int
) -> None:
    """1.1 times 230 V is 253 V; by binary fractions a step of 253 V would not be enough."""
    factor = Decimal(hundredths) / 100
    formula = Formula(base="0 V", add=f"{factor} V", per="1 V", of="supply_voltage")
    figure = formula.value(product(supply_voltage=f"{volts} V").facts, VOLTAGE)
    assert figure == float(factor * volts)
    assert parse(exact_text(figure, VOLTAGE), VOLTAGE) == figure
    assert len(exact_text(figure, VOLTAGE)) <= len("1.23456 kV")


FORMULA = {"base": "0 Ω", "add": "1 Ω", "per": "1 m", "of": "cord_length"}


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"of": "title"}, "'title' is no figure of a product"),
        ({"per": "0 m"}, "0 m is no step; give one above 0"),
        ({"per": "-1 m"}, "-1 m is no step"),
        ({"per": "1 V"}, "is a voltage, not a length"),
        ({"base": "much"}, "not a number"),
        ({"add": "1 V"}, "is a voltage, not a resistance"),
        ({"at_most": "1"}, "no unit"),
    ],
)
def test_a_formula_that_cannot_be_reckoned_is_refused_as_it_comes_and_told_where_it_is_stored(
    change: dict[str, str], says: str
) -> None:
    """What was stored before it was looked at stays readable: only who cites it is told."""
    item = {
        "id": "a", "clause": "1", "kind": "ground_bond", "reading": "resistance",
        "dimension": "resistance", "maximum_by": {**FORMULA, **change},
    }  # fmt: skip
    document = {
        "format": "loricate-limit-set/1", "code": "OLD", "title": "t", "standard": "S",
        "edition": "1", "items": [item],
    }  # fmt: skip
    with pytest.raises(DocumentError, match=says) as refused:
        read_document(LimitSet, document, "limit set")
    assert refused.value.findings[0].path.startswith("items[0].maximum_by")
    stored = {"OLD": (LimitSet.model_validate_json(json.dumps(document)), 1)}
    facts = product(cord_length="3 m").facts
    with pytest.raises(ValueError, match=says):
        resolve(LimitEntry(source="OLD/a"), BOND, stored, facts)
    (offered,) = offered_limits(product(cord_length="3 m"), stored)
    assert not offered.holds and any(says in reason for reason in offered.reasons)


@pytest.mark.parametrize(
    ("own", "values", "source", "maximum"),
    [
        ({}, {}, "IEC-60335-1-A", 0.2),
        ({"cord": "detachable"}, {}, "IEC-60335-1-A", 0.1),
        ({"family": "medical"}, {}, "IEC-60601-1-8.6", 0.2),
        ({"family": "medical", "cord": "none"}, {}, "IEC-60601-1-8.6", 0.1),
        ({"traits": ["luminaire"]}, {}, "IEC-60598-1-Q", 0.5),
        ({"mobility": "fixed", "family": "medical"}, {}, "IEC-62353/earth-fixed", 0.3),
    ],
)
def test_the_product_decides_which_item_holds(
    limit_sets: LimitSets, own: dict[str, Any], values: dict[str, Any], source: str, maximum: float
) -> None:
    asked = Asked("ground_bond", "resistance", RESISTANCE, values)
    assert (
        resolve(LimitEntry(source=source), asked, limit_sets, product(**own).facts).maximum
        == maximum
    )


@pytest.mark.parametrize(("impedance", "most"), [("4 %", 0.004), ("6 %", 0.005)])
def test_a_transformers_ratio_is_held_by_the_lesser_of_two(
    limit_sets: LimitSets, impedance: str, most: float
) -> None:
    (item,) = limit_sets["IEC-60076-1"][0].items
    held = item.figures(
        product(family="winding", winding={"short_circuit_impedance": impedance}).facts
    )
    assert held == pytest.approx((-most, most))
    with pytest.raises(ValueError, match="depends on short_circuit_impedance, which product"):
        item.figures(product(family="winding").facts)


def test_the_step_decides_too(limit_sets: LimitSets) -> None:
    medical = product(family="medical")

    def most(**values: str) -> float | None:
        asked = Asked("leakage", "current", CURRENT, {"network": "iec60601", **values})
        return resolve(
            LimitEntry(source="IEC-60601-1-8.7"), asked, limit_sets, medical.facts
        ).maximum

    assert most(path="earth", condition="normal") == 5e-3
    assert most(path="earth", condition="open_neutral") == 10e-3
    assert most(path="touch", condition="normal") == 100e-6
    assert most(path="touch", condition="open_earth") == 500e-6
    with pytest.raises(ValueError, match="for network iec60601"):
        most(path="earth", condition="normal", network="iec60990")
    with pytest.raises(ValueError, match=r"no item of 'IEC-60601-1-8\.7' holds .*applied part not"):
        most(path="patient", condition="normal")


@pytest.mark.parametrize(
    ("source", "asked", "own", "says"),
    [
        ("IEC-60335-1-A", BOND, {"protection_class": "II"}, "protection class II, not I"),
        ("IEC-60335-1-A/none", BOND, {}, "has no item 'none'; it has earth-continuity"),
        ("IEC-60335-1-13", BOND, {}, "limits no resistance of a ground_bond step"),
        ("EN-50699", BOND, {}, "depends on cord_length, which product 'P-1' lacks"),
        ("NOWHERE", BOND, {}, "there is no limit set 'NOWHERE'"),
        ("IEC-60601-1-8.8/1-mopp", Asked("withstand", "voltage", VOLTAGE, {}), {}, "says how to"),
    ],
)
def test_what_does_not_hold_says_why(
    limit_sets: LimitSets, source: str, asked: Asked, own: dict[str, Any], says: str
) -> None:
    with pytest.raises(ValueError, match=says):
        resolve(LimitEntry(source=source), asked, limit_sets, product(**own).facts)


def test_a_looser_figure_than_the_cited_says_so_and_a_tighter_one_does_not(
    limit_sets: LimitSets,
) -> None:
    def source(**figures: str) -> str:
        entry = LimitEntry(source="IEC-60335-1-A", **figures)
        return resolve(entry, BOND, limit_sets, product().facts).source.text

    assert source() == source(maximum="0.15 Ω") == source(maximum="0.2 Ω")
    assert source(maximum="0.25 Ω") == "IEC 60335-1:2010 Annex A; looser than its ≤ 200 mΩ"
    assert "looser" in source(minimum="0.01 Ω"), "the maximum is gone"


def test_every_item_names_a_kind_and_a_reading_that_exist(limit_sets: LimitSets) -> None:
    seen = 0
    for limit_set, _ in limit_sets.values():
        assert (limit_set.status, limit_set.checked) == ("draft", "")
        for item in limit_set.items:
            if not item.kind:
                continue
            kind = KINDS[item.kind]
            fields = kind.model_fields
            assert not item.reading or str(kind.slots[item.reading].dimension) == item.dimension
            assert {*item.least, *item.least_by, *item.most, *item.variant} <= set(fields), item.id
            seen += 1
    assert seen > 50


def test_why_an_item_holds_is_told(limit_sets: LimitSets) -> None:
    item = limit_sets["IEC-60335-1-A"][0].find("withstand-basic")
    assert item is not None
    assert fit(item, product().facts).reasons == (
        "family appliance", "protection class I", "not high leakage",
        "supply voltage above 150 V",
    )  # fmt: skip
    other = fit(item, product(supply_voltage="110 V", traits=["high_leakage"]).facts)
    assert not other.holds
    assert other.reasons[2:] == ("is high leakage", "supply voltage 110.0 V, not above 150 V")


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"maximum": None}, "neither a minimum"),
        ({"fits": {"colour": ["red"]}}, "fits.colour: is no property"),
        ({"maximum": "5 mA"}, "a current, not a resistance"),
        ({"least": {"current": "ten"}}, "not a number"),
        ({"dimension": "beauty"}, "is no dimension"),
        ({"spans": {"rated_power": {"above": "1 kV"}}}, "is a voltage, not a power"),
        ({"spans": {"rated_power": {"above": "1000"}}}, "no unit"),
        ({"spans": {"title": {"above": "1 V"}}}, "spans.title: is no rating"),
    ],
)
def test_a_faulty_item_is_refused(change: dict[str, Any], says: str) -> None:
    good = {"id": "a", "clause": "1", "dimension": "resistance", "maximum": "1 Ω"}
    with pytest.raises(ValidationError, match=says):
        LimitSetItem.model_validate({**good, **change})


WINDING = {
    "family": "winding", "protection_class": None, "terminals": ["U", "V", "CASE"],
    "traits": ["motor"],
}  # fmt: skip


@pytest.mark.parametrize(
    ("own", "item", "level_v"),
    [
        ({"supply_voltage": "400 V", "rated_power": "1.5 kW"}, "withstand", 1800.0),
        ({"supply_voltage": "230 V", "rated_power": "500 W"}, "withstand-low-power", 1500.0),
        ({"supply_voltage": "48 V", "rated_power": "200 W"}, "withstand-small", 596.0),
        (
            {"supply_voltage": "48 V", "rated_power": "200 W"},
            "withstand-quantity-production-small", 715.2,
        ),
        ({"supply_voltage": "10 kV", "rated_power": "2 MW"}, "withstand-high-voltage", 21e3),
        ({"supply_voltage": "400 V", "rated_power": "1.5 kW"}, "withstand-repeated", 1440.0),
        ({"supply_voltage": "230 V", "rated_power": "2 kW"}, "withstand-repeated", 1200.0),
        ({"supply_voltage": "48 V", "rated_power": "200 W"}, "withstand-repeated-small", 476.8),
    ],
)  # fmt: skip
def test_an_item_without_a_figure_is_cited_for_what_is_measured(
    limit_sets: LimitSets, own: dict[str, str], item: str, level_v: float
) -> None:
    motor = product(**{**WINDING, **own})
    found = limit_sets["IEC-60034-1"][0].find(item)
    assert found is not None and fit(found, motor.facts).holds
    asked = Asked("withstand", "voltage", VOLTAGE, {"voltage": "ac"}, "level")
    limit = resolve(LimitEntry(source=f"IEC-60034-1/{item}"), asked, limit_sets, motor.facts)
    assert limit.minimum == pytest.approx(level_v) and limit.maximum is None
    assert "clause not stated" in limit.source.text


def test_dc_in_place_of_ac_is_more_by_the_standards_own_factor(limit_sets: LimitSets) -> None:
    motor = product(**{**WINDING, "supply_voltage": "10 kV", "rated_power": "2 MW"})
    asked = Asked("withstand", "voltage", VOLTAGE, {"voltage": "dc"}, "level")
    entry = LimitEntry(source="IEC-60034-1/withstand-high-voltage")
    limit = resolve(entry, asked, limit_sets, motor.facts)
    assert limit.minimum == pytest.approx(35.7e3)
    assert limit.source.text.endswith("(clause not stated), DC at 1.7 times its AC")
    of_ac = replace(asked, values={"voltage": "ac"})
    assert "DC" not in resolve(entry, of_ac, limit_sets, motor.facts).source.text


def test_the_certificate_of_a_dc_withstand_says_the_factor_of_its_volts_and_of_nothing_else(
    limit_sets: LimitSets,
) -> None:
    document = read_demo("sequences/wm3-final.toml")
    withstand = next(step for step in document["steps"] if step["id"] == "withstand")
    withstand["settings"] |= {"voltage": "dc", "level": "36 kV"}
    withstand["limits"]["current"] = {"maximum": "1 mA", "source": "drawing"}
    withstand["limits"]["voltage"] = {"source": "IEC-60034-1/withstand-high-voltage"}
    document["steps"] = [withstand]
    rated = {"supply_voltage": "10 kV", "rated_power": "2 MW"}
    motor = Product.model_validate({**read_demo("products/wm-3.toml"), **rated})
    limits = prepare(document, {"WM-3": motor}, limit_sets).steps[0].limits
    said = {name: limit.source.text for name, limit in limits.items()}
    assert "DC at 1.7 times its AC" in said[Measurand("voltage")]
    assert "DC" not in said[Measurand("time_at_level")] + said[Measurand("current")]


def test_what_is_demanded_is_held_against_what_was_measured(
    limit_sets: LimitSets, sequence: ReadySequence
) -> None:
    """A step that cites a standard is judged by its level and time as measured, too."""
    withstand = sequence.step("withstand").limits
    assert withstand[Measurand("voltage")].minimum == 1000.0
    assert withstand[Measurand("time_at_level")].minimum == 1.0
    assert "Annex A" in withstand[Measurand("voltage")].source.text
    assert sequence.step("earth").limits[Measurand("current")].minimum == 10.0
    assert Measurand("voltage") not in sequence.step("insulation").limits, (
        "its figure is the engineer's"
    )


@pytest.mark.parametrize(
    ("family", "own", "level", "dwell"),
    [
        ("medical", {"supply_voltage": "230 V"}, "1 kV", "1 s"),
        (
            "winding",
            {"supply_voltage": "400 V", "rated_power": "1.5 kW", "traits": ["motor"]},
            "500 V",
            "60 s",
        ),
        (
            "winding",
            {"supply_voltage": "400 V", "rated_power": "1.5 kW", "traits": ["motor"]},
            "1.8 kV",
            "1 s",
        ),
    ],
)
def test_a_level_short_of_every_standard_that_fits_is_found(
    limit_sets: LimitSets, family: str, own: dict[str, str], level: str, dwell: str
) -> None:
    unit = product(family=family, terminals=["L", "CASE"], **own)
    step = {
        "id": "hv", "kind": "withstand",
        "settings": {"high": ["L"], "low": ["CASE"], "level": level, "dwell": dwell},
        "limits": {"current": {"minimum": "1 µA", "maximum": "5 mA", "source": "drawing"}},
    }  # fmt: skip
    document = {
        "format": "loricate-sequence/2", "code": "X", "title": "x", "product": unit.code,
        "steps": [step],
    }  # fmt: skip
    ready = prepare(document, {unit.code: unit}, limit_sets)
    found = [each for each in review(Reviewed(ready, limit_sets)) if each.rule == "level_not_cited"]
    assert [each.severity for each in found] == [Severity.ERROR], found
    assert "is short of the" in found[0].reason
