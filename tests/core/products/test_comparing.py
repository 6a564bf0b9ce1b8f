"""What two standards ask of a product: nothing of either is lost, like stands beside like."""

import pytest

from loricate.core.limits.limit_sets import LimitSets
from loricate.core.products.comparing import NoSuchStandard, compared, standards_of
from loricate.core.products.offer import offered_limits
from loricate.core.products.product import Product
from tests.conftest import read_demo

TYPE_TEST, RECURRENT = "IEC 60601-1", "IEC 62353"


@pytest.fixture
def warmer() -> Product:
    return Product.model_validate(read_demo("products/fw-2.toml"))


def test_limits_of_the_same_thing_stand_side_by_side(
    warmer: Product, limit_sets: LimitSets
) -> None:
    rows = {
        (each.kind, each.reading, each.what): each
        for each in compared(warmer, limit_sets, TYPE_TEST, RECURRENT)
    }
    earth = rows["leakage", "current", "earth"]
    assert earth.one == ("≤ 5 mA, supply at least 253 V (8.7.3)",)
    assert earth.other == ("≤ 500 µA, direct or differential", "≤ 1 mA, alternative")
    alone = rows["leakage", "current", "patient, type CF, single fault"]
    assert (alone.one, alone.other) == (("≤ 50 µA, supply at least 253 V (8.7.3)",), ())
    bond = rows["ground_bond", "resistance", ""]
    assert "≤ 100 mΩ" in bond.one[0] and "≤ 200 mΩ" in bond.other[0] and bond.differs
    assert rows["insulation", "resistance", ""].one == ()
    assert not [what for _, _, what in rows if "type B," in what or what.endswith("type B")]


@pytest.mark.parametrize("code", ["fw-2", "dc-40"])
def test_nothing_that_holds_is_lost_whichever_comes_first(code: str, limit_sets: LimitSets) -> None:
    product = Product.model_validate(read_demo(f"products/{code}.toml"))
    names = standards_of(limit_sets)
    assert len(names) > 5
    for one in names:
        for other in names:
            rows = compared(product, limit_sets, one, other)
            turned = compared(product, limit_sets, other, one)
            assert {(each.what, each.one, each.other) for each in rows} == {
                (each.what, each.other, each.one) for each in turned
            }
            figures = [text for each in rows for text in each.one]
            for held in offered_limits(product, limit_sets):
                if held.limit_set.standard == one and held.holds and held.item.kind:
                    assert any(held.figure in text for text in figures), held.item.id


def test_what_is_asked_alike_does_not_differ(warmer: Product, limit_sets: LimitSets) -> None:
    assert not any(each.differs for each in compared(warmer, limit_sets, RECURRENT, RECURRENT))


def test_a_standard_that_there_is_none_of_is_named(warmer: Product, limit_sets: LimitSets) -> None:
    with pytest.raises(
        NoSuchStandard, match="no limit set of 'IEC 1'; there are EN 50678, EN 50699"
    ):
        compared(warmer, limit_sets, TYPE_TEST, "IEC 1")
