"""The table of leakage currents: all of it, nothing twice, and with the fewest switchings."""

from itertools import pairwise
from itertools import product as every
from string import ascii_lowercase
from typing import Any, get_args

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.bench.profiles import read_profile
from loricate.core.kinds.leakage import Leakage
from loricate.core.leakage.table import (
    Cell,
    Condition,
    Polarity,
    Supply,
    SwitchedTo,
    Wanted,
    switchings,
    table_of,
)
from loricate.core.leakage.taps import WORDS, Path, Tap, taps_of
from loricate.core.limits.limit_sets import LimitSets
from loricate.core.measuring.roles import LEAKAGE
from loricate.core.products.product import Product
from loricate.core.sequences.capability import shortfalls
from loricate.core.sequences.preparing import prepare
from tests.conftest import read_demo

PATHS: tuple[Path, ...] = get_args(Path)
CONDITIONS: tuple[Condition, ...] = ("normal", "open_neutral", "open_earth")
POLARITIES: tuple[Polarity, ...] = ("normal", "reversed")
LEAD_SETTINGS = ("measured", "returned", "driven")
SWITCHES: tuple[SwitchedTo, ...] = ("on", "off")
WHOLE: dict[str, Any] = {
    "path": list(PATHS),
    "condition": list(CONDITIONS),
    "polarity": list(POLARITIES),
    "switch": list(SWITCHES),
    "connections": ["together", "each"],
}


def medical(parts: list[tuple[str, int]], accessible: list[bool] = [False]) -> Product:  # noqa: B006
    """A device with applied parts of these types and numbers of connections."""
    terminals = ["L", "N", "PE", *(f"T{n}" for n in range(len(accessible)))]
    applied = []
    for number, (kind, count) in enumerate(parts):
        own = [f"A{number}{ascii_lowercase[n]}" for n in range(count)]
        terminals += own
        applied.append({"id": f"A{number}", "type": kind, "terminals": own})
    touched = [{"terminal": f"T{n}", "earthed": each} for n, each in enumerate(accessible)]
    return Product.model_validate(
        {
            "format": "loricate-product/2",
            "code": "M",
            "title": "m",
            "family": "medical",
            "protection_class": "I",
            "supply_voltage": "230 V",
            "terminals": terminals,
            "medical": {"applied_parts": applied, "accessible_parts": touched},
        }
    )


def fluid_warmer() -> Product:
    return Product.model_validate(read_demo("products/fw-2.toml"))


def some(choices: tuple[str, ...]) -> st.SearchStrategy[list[str]]:
    return st.lists(st.sampled_from(choices), min_size=1, unique=True)


PRODUCTS = st.builds(
    medical,
    st.lists(st.tuples(st.sampled_from(["B", "BF", "CF"]), st.integers(1, 4)), max_size=4),
    st.lists(st.booleans(), max_size=2),
)


@given(PRODUCTS, some(PATHS), some(CONDITIONS), some(POLARITIES), some(SWITCHES))
def test_every_combination_is_measured_once_or_left_out_with_its_reason(
    product: Product,
    paths: list[Path],
    conditions: list[Condition],
    polarities: list[Polarity],
    switches: list[SwitchedTo],
) -> None:
    taps, unknown = taps_of(paths, product, ("together", "each"))
    wanted = Wanted(tuple(conditions), tuple(polarities), tuple(switches))
    cells, left = table_of(taps, wanted)
    assert len(set(cells)) == len(cells)
    for tap, condition, polarity, switch in every(taps, conditions, polarities, switches):
        cell = Cell(tap, Supply(condition, polarity, switch))
        told = [each for each in left if each.what.startswith(WORDS[tap.path])]
        assert (cell in cells) or told, cell
    assert all(each.what and each.reason for each in (*unknown, *left))
    for path in paths:
        own, none = taps_of([path], product, ("together",))
        assert own or none, path


@given(PRODUCTS, some(CONDITIONS), some(POLARITIES), some(SWITCHES))
def test_points_have_names_of_their_own(
    product: Product, conditions: list[str], polarities: list[str], switches: list[str]
) -> None:
    settings = Leakage.model_validate(
        {**WHOLE, "condition": conditions, "polarity": polarities, "switch": switches}
    )
    names = [point.name for point in settings.points(product)]
    assert len(set(names)) == len(names) and (len(names) < 2 or all(names))


def least(cells: tuple[Cell, ...]) -> int:
    """A bound from below: a change for each cell but the first, and for relays that must move."""
    conditions = {cell.supply.condition for cell in cells}
    is_skipped = conditions == {"open_neutral", "open_earth"}  # both relays move at once
    # The unit's switch is moved by hand, and so once, whatever the relays could save.
    return len(cells) - 1 + is_skipped * len({cell.supply.switch for cell in cells})


@given(
    st.lists(
        st.tuples(st.sampled_from(["B", "BF", "CF"]), st.integers(2, 4)), min_size=1, max_size=3
    ),
    some(PATHS),
    some(CONDITIONS),
    some(POLARITIES),
    some(SWITCHES),
)
def test_no_order_needs_fewer_switchings(
    parts: list[tuple[str, int]],
    paths: list[Path],
    conditions: list[Condition],
    polarities: list[Polarity],
    switches: list[SwitchedTo],
) -> None:
    """Wherever two neighbouring stages share two places, as every table with patients does."""
    product = medical(parts)
    taps, _ = taps_of(
        ["patient", *(each for each in paths if each != "patient")], product, ("each",)
    )
    cells, _ = table_of(taps, Wanted(tuple(conditions), tuple(polarities), tuple(switches)))
    assert switchings(cells) == least(cells)


def test_the_whole_table_of_the_fluid_warmer() -> None:
    product = fluid_warmer()
    points = Leakage.model_validate({**WHOLE, "path": list(PATHS[:-1])}).points(product)
    cells = tuple(point.values["cell"] for point in points)
    assert (len(cells), switchings(cells)) == (208, 207)
    assert cells[0].supply == Supply("normal", "normal", "on"), "the load shows first that it is on"
    moves = [a.supply.switch != b.supply.switch for a, b in pairwise(cells)]
    assert moves.count(True) == 1, "the operator moves its switch once"


def left_out(product: Product, **changed: Any) -> dict[str, str]:
    settings = Leakage.model_validate({**WHOLE, **changed})
    return {each.what: each.reason for each in settings.left_out(product)}


def test_what_does_not_apply_is_named_with_its_reason() -> None:
    found = left_out(fluid_warmer())
    assert found["earth, earth open"] == "nothing flows in a conductor that is open"
    assert found["total CF"].startswith("CATHETER is the only part of type CF")
    assert "there is no second one" in found["mains on PROBE, neutral open"]
    assert "with the earth open alone" in found["touch CASE, normal condition"]
    assert "total BF" not in found, "probe and cuff together"
    of_b = left_out(
        medical([("B", 1)], [True]), path=["mains_on_part", "auxiliary", "mains_on_case"]
    )
    assert of_b["mains on A0"] == "is of type B: not isolated from earth"
    assert "there is one patient connection" in of_b["auxiliary"]
    assert of_b["mains on the case"] == "no accessible metal is described that is not earthed"


def test_a_unit_without_an_earth_has_none_to_open() -> None:
    product = medical([("BF", 2)])
    settings = {
        "earth": "none",
        "condition": ["normal", "open_neutral"],
        "path": ["earth", "patient"],
    }
    assert left_out(product, **settings) == {"earth": "the unit has no protective conductor"}


def test_the_alternative_method_knows_neither_polarity_nor_switch() -> None:
    one = {"method": "alternative", "condition": "normal", "path": "mains_on_part"}
    found = left_out(fluid_warmer(), **one)
    assert found["mains on PROBE, reversed"] == "both poles are tied, and have no polarity"
    assert "open switch" in found["mains on PROBE, off"]
    points = Leakage.model_validate({**WHOLE, **one}).points(fluid_warmer())
    assert [point.name for point in points] == ["PROBE", "CATHETER", "CUFF"]


@pytest.mark.parametrize("name", ["path", "condition", "polarity", "switch", "connections"])
def test_a_choice_is_named_once(name: str) -> None:
    with pytest.raises(ValueError, match=f"{name}: has one twice"):
        Leakage.model_validate({**WHOLE, name: [WHOLE[name][0], WHOLE[name][0]]})


def test_auxiliary_current_flows_to_every_other_connection() -> None:
    taps, _ = taps_of(["auxiliary"], fluid_warmer(), ("together",))
    assert taps[1] == Tap(
        "auxiliary", "PROBE P2", ("P2",), ("P1", "P3", "P4", "C1", "CUFF"), applied_part="BF"
    )


def test_a_meter_without_the_leads_or_the_dc_of_a_table_is_said_before_a_run(
    limit_sets: LimitSets,
) -> None:
    product = medical([("BF", 11)], [])
    settings = {"path": "patient", "connections": "each", "network": "iec60601", "supply": "262 V"}
    limits = {"current": {"source": "IEC-60601-1-8.7"}, "dc_current": {"source": "IEC-60601-1-8.7"}}
    step = {"id": "s", "kind": "leakage", "settings": settings, "limits": limits}
    document = {"format": "loricate-sequence/2", "code": "S", "title": "s", "product": "M"}
    ready = prepare({**document, "steps": [step]}, {"M": product}, limit_sets)
    profile = read_profile("stand-in-leakage")
    ten = shortfalls(ready, {LEAKAGE: (profile.capability("LK1"),)})
    assert [each.path for each in ten] == ["steps[0].settings.path"]
    assert "needs 11 patient leads, and instrument 'LK1' has 10" in ten[0].message
    plain = {name: each for name, each in profile.set.items() if name not in LEAD_SETTINGS}
    sample = profile.sample
    assert sample is not None
    fields = tuple(each for each in sample.fields if not each.startswith("dc_current"))
    bare = profile.model_copy(
        update={
            "set": plain,
            "span": {},
            "sample": sample.model_copy(update={"fields": fields}),
        }
    )
    found = shortfalls(ready, {LEAKAGE: (bare.capability("LK9"),)})
    assert [each.reason for each in found] == [
        "step 's' needs readings of DC, and instrument 'LK9' has none",
        "step 's' needs 11 patient leads, and instrument 'LK9' has none",
    ]
