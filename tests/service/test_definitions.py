"""Products and limit sets over HTTP: what is on offer and why, revisions, nobody overwritten."""

from typing import Any

import pytest

from loricate.client import Client, NotFoundError, RefusedError
from tests.conftest import five_steps, read_demo


def lamp(**own: Any) -> dict[str, Any]:
    return {
        "format": "loricate-product/2", "code": "LP-T", "title": "A lamp pole",
        "family": "appliance", "protection_class": "II", "supply_voltage": "230 V",
        "cord": "fixed", "cord_length": "3 m", "terminals": ["L", "N", "CASE"], **own,
    }  # fmt: skip


def test_a_product_decides_what_is_on_offer(client: Client) -> None:
    client.add_product(lamp())
    offer = client.offer("LP-T")
    absent = {kind.name: kind.why_not for kind in offer.kinds if kind.why_not}
    assert absent["ground_bond"] == "class II has no protective earth"
    assert "insulation" not in absent and "polarity" in absent
    holding = {each.source: each for each in offer.limits if each.holds}
    double = holding["IEC-60335-1-A/withstand-double"]
    assert (double.figure, double.demands) == (
        "≤ 5 mA", "dwell at least 1 s, level at least 2.5 kV, or DC 3.75 kV (1.5 times)",
    )  # fmt: skip
    assert "protection class II" in double.reasons
    refused = next(each for each in offer.limits if each.source == "IEC-60335-1-A/withstand-basic")
    assert not refused.holds and "protection class II, not I" in refused.reasons
    assert offer.limits.index(double) < offer.limits.index(refused), "those that hold come first"


def test_a_revision_is_not_stored_over_somebody_elses(client: Client) -> None:
    first = client.add_product(lamp(code="LP-U"))
    read = client.product("LP-U")
    assert read["revision"] == first.revision == 1
    client.add_product(lamp(code="LP-U", title="Hers"), based_on=1)
    with pytest.raises(RefusedError, match="LP-U is at revision 2 now") as refused:
        client.add_product(lamp(code="LP-U", title="His"), based_on=1)
    assert refused.value.problem.status == 412
    found = client.differences("products", "LP-U", 1, 2)
    assert [(each.path, each.old, each.new) for each in found] == [("title", "A lamp pole", "Hers")]
    assert [each.revision for each in client.revisions("products", "LP-U")] == [2, 1]
    assert client.product("LP-U", 1)["title"] == "A lamp pole"


def test_a_limit_set_is_released_by_name_and_stays_so(client: Client) -> None:
    document = {
        **read_demo("limit-sets/iec-60076-1.toml"), "code": "TRANSFORMERS-T",
    }  # fmt: skip
    client.add_limit_set(document)
    stored = client.release_limit_set("TRANSFORMERS-T", "M. Rowe, 2026-11-20, copy 4411")
    found = client.limit_set("TRANSFORMERS-T")
    assert (found["revision"], found["status"]) == (stored.revision, "released") == (2, "released")
    assert found["checked"] == "M. Rowe, 2026-11-20, copy 4411"
    with pytest.raises(RefusedError, match="released already"):
        client.release_limit_set("TRANSFORMERS-T", "once more")
    assert client.add_limit_set(document).revision == 2, "the file as shipped changes nothing"
    document["items"][0]["maximum"] = "0.4 %"
    assert client.add_limit_set(document).revision == 3
    assert client.limit_set("TRANSFORMERS-T")["status"] == "draft", "new figures are not checked"
    statuses = [each.status for each in client.revisions("limit-sets", "TRANSFORMERS-T")]
    assert statuses == ["draft", "released", "draft"]
    changed = client.differences("limit-sets", "TRANSFORMERS-T", 2, 3)
    assert "items[ratio-principal-tap].maximum" in [each.path for each in changed]


def test_a_product_in_its_former_form_is_kept_in_todays(client: Client) -> None:
    former = lamp(code="TR-1", family="winding", format="loricate-product/1",
                  short_circuit_impedance="4 %")  # fmt: skip
    assert client.add_product(former).revision == 1
    kept = client.product("TR-1")
    assert kept["winding"] == {"short_circuit_impedance": "4 %"}
    assert kept["format"] == "loricate-product/2" and "short_circuit_impedance" not in kept
    del kept["revision"]
    assert client.add_product(kept).revision == 1, "it says the same"
    assert client.add_product(former).revision == 1


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"terminals": ["L", "L"]}, "a name twice"),
        (
            {"medical": {"applied_parts": [{"id": "ecg", "type": "CF", "terminals": ["X"]}]}},
            "names terminal X, which the product does not have",
        ),
        ({"cord_length": "3"}, "cord_length.*no unit"),
        ({"traits": ["shiny"]}, "traits"),
        ({"family": "boat"}, "family"),
    ],
)
def test_a_faulty_product_is_refused(client: Client, change: dict[str, Any], says: str) -> None:
    with pytest.raises(RefusedError, match=says):
        client.add_product(lamp(code="LP-V", **change))
    with pytest.raises(NotFoundError):
        client.product("LP-V")


def test_what_is_not_there_is_said_so(client: Client) -> None:
    for ask in (
        lambda: client.product("NONE"),
        lambda: client.limit_set("NONE"),
        lambda: client.offer("NONE"),
        lambda: client.revisions("limit-sets", "NONE"),
        lambda: client.differences("products", "DC-40", 1, 99),
    ):
        with pytest.raises(NotFoundError):
            ask()


def test_a_looser_figure_is_marked_where_the_limit_is_shown(client: Client) -> None:
    document = five_steps()
    document["code"] = "DC40-LOOSE"
    document["steps"][1]["limits"]["resistance"]["maximum"] = "0.3 Ω"
    client.add_sequence(document)
    stored = client.sequence("DC40-LOOSE")
    earth = next(step for step in stored.steps if step.id == "earth")
    resistance = next(each for each in earth.limits if each.quantity == "resistance")
    assert resistance.text == "≤ 300 mΩ"
    assert resistance.source == "IEC 60335-1:2010 Annex A; looser than its ≤ 200 mΩ"


def test_a_stored_sequence_is_reviewed_on_the_services_bench(client: Client) -> None:
    found = client.review("DC40-FINAL", nests=8)
    assert found.nests == 8 and found.load_s > 20
    assert {each.rule for each in found.findings} <= {"not_compared"}
    document = five_steps()
    document["steps"][3]["settings"]["level"] = "6 kV"
    document["steps"][3]["limits"]["current"].pop("minimum")
    found = client.review_document(document)
    assert [(each.severity, each.step, each.rule) for each in found.findings][:3] == [
        ("error", "withstand", "standing_current"), ("error", "withstand", "beyond_bench"),
        ("warning", "withstand", "empty_nest"),
    ]  # fmt: skip


def test_a_sequence_is_challenged_with_the_unit_file_of_its_product(client: Client) -> None:
    found = client.challenge("DC40-FINAL", repetitions=10)
    assert found.missed == 0 and found.caught == len(found.rows) == 11
    assert ["wet"] in [row.faults for row in found.rows], "from the file beside the bench file"
    assert found.titles["earth"] == "Earth from plug to case"
    document = five_steps()
    document["steps"] = document["steps"][:2]
    weak = client.challenge_document(document, repetitions=0, nests=2)
    missed = {row.faults[0]: row.verdicts["earth"].verdict for row in weak.rows if not row.caught}
    assert missed["cracked_insulator"] == "pass" and "loose_earth" not in missed
    assert weak.nests == 2


def test_a_challenge_that_cannot_be_made_says_why(client: Client) -> None:
    client.add_product({**lamp(code="LEAD-T"), "family": "cable"})
    document = {
        "format": "loricate-sequence/2", "code": "LEAD-T", "title": "Lead", "product": "LEAD-T",
        "steps": [{
            "id": "wires", "kind": "continuity",
            "settings": {"paths": [{"high": "L", "low": "N", "maximum": "1 Ω"}]},
        }],
    }  # fmt: skip
    with pytest.raises(RefusedError, match="No stand-in can be made for product 'LEAD-T'"):
        client.challenge_document(document, repetitions=0)
