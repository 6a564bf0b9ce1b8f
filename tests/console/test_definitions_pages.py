"""Products and limits in the console: described, kept as a draft, stored, revised, released."""

from typing import Any

import pytest
from playwright.sync_api import Page, expect

from loricate.client import Client
from tests.console.pages import check_accessible, sign_in

pytestmark = pytest.mark.console


def test_a_product_is_copied_changed_and_stored(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    sign_in(page, site, "/products")
    page.get_by_role("link", name="DC-40", exact=True).click()
    limits = page.get_by_role("table", name="Limits for DC-40")
    expect(limits).to_contain_text("IEC 60335-1:2010 Annex A")
    expect(limits).to_contain_text("supply voltage above 150 V")
    check_accessible(page)
    page.get_by_role("button", name="Copy").click()
    expect(page.get_by_role("heading", name="DC-40-COPY")).to_be_visible()
    page.get_by_label("Cord length").fill("fourteen")
    page.get_by_role("button", name="Store as revision 1").click()
    expect(page.get_by_role("alert").first).to_contain_text("cord_length")
    page.get_by_label("Cord length").fill("14 m")
    page.get_by_text("heating", exact=True).click()
    page.reload()  # a closed tab loses nothing
    expect(page.get_by_label("Cord length")).to_have_value("14 m")
    page.get_by_role("button", name="Store as revision 1").click()
    copied = page.get_by_role("table", name="Limits for DC-40-COPY")
    expect(copied).to_contain_text("≤ 500 mΩ")
    stored = client.product("DC-40-COPY")
    assert (stored["cord_length"], stored["revision"]) == ("14 m", 1)
    assert "traits" not in stored and stored["terminals"] == ["L", "N", "PE", "CHASSIS"]


def test_two_who_change_one_product_are_told(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    client.add_product({**without_revision(client.product("DC-40")), "code": "DC-TWO"})
    sign_in(page, site, "/products/DC-TWO")
    page.get_by_label("Rated power").fill("2 kW")
    hers = {**without_revision(client.product("DC-TWO")), "title": "Hers"}
    client.add_product(hers, based_on=1)
    page.get_by_role("button", name="Store as revision 2").click()
    expect(page.get_by_role("alert")).to_contain_text("DC-TWO is at revision 2 now")
    expect(page.get_by_label("Rated power")).to_have_value("2 kW")
    assert client.product("DC-TWO")["title"] == "Hers"


def without_revision(document: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in document.items() if name != "revision"}


def test_a_limit_set_is_released_revised_and_compared(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    sign_in(page, site, "/limits")
    expect(page.get_by_role("table", name="Limit sets")).to_contain_text("nobody yet")
    check_accessible(page)
    page.goto(site["url"] + "/limits/IEC-60204-1-18")
    page.get_by_label("Who compared its figures").fill("M. Rowe, 2026-11-20, copy 4411")
    page.get_by_role("button", name="Release").click()
    expect(page.get_by_text("revision 2, released; M. Rowe")).to_be_visible()
    page.get_by_role("button", name="Revise insulation", exact=True).click()
    page.get_by_label("Minimum").fill("2 kW")
    page.get_by_role("button", name="Store as a draft").click()
    expect(page.get_by_role("alert").first).to_contain_text("is a power, not a resistance")
    page.get_by_label("Minimum").fill("2 MΩ")
    page.get_by_role("button", name="Store as a draft").click()
    expect(page.get_by_text("revision 3, draft; nobody")).to_be_visible()
    page.get_by_role("button", name="with the newest").last.click()
    differences = page.get_by_role("table", name="Differences from 1 to 3")
    expect(differences).to_contain_text("items[insulation].minimum")
    expect(differences).to_contain_text("2 MΩ")
    check_accessible(page)
    assert client.limit_set("IEC-60204-1-18", 2)["items"][0]["minimum"] == "1 MΩ"


def test_every_family_of_products_and_every_kind_of_step_opens(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    """A page that fails in the browser fails the test."""
    sign_in(page, site, "/products")
    families = {str(each["family"]): str(each["code"]) for each in client.products()}
    for code in families.values():
        page.goto(f"{site['url']}/products/{code}")
        expect(page.get_by_role("heading", name=code, exact=True)).to_be_visible()
    seen: set[str] = set()
    for sequence in client.sequences():
        steps = client.sequence(sequence.code).document["steps"]
        new = [place for place, step in enumerate(steps) if step["kind"] not in seen]
        if not new:
            continue
        seen |= {step["kind"] for step in steps}
        page.goto(f"{site['url']}/sequences/{sequence.code}")
        options = page.get_by_role("listbox", name="Steps").get_by_role("option")
        expect(options).to_have_count(len(steps))
        for place in new:
            options.nth(place).click()
    assert len(seen) > 10


def test_a_number_that_is_chosen_from_a_list_stays_a_number(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    sign_in(page, site, "/products/CT-14")
    page.get_by_label("Thermal class").select_option("155")
    page.get_by_label("Thermal class").select_option("180")
    page.get_by_role("button", name="Store").first.click()
    expect(page.get_by_text("revision 2", exact=True)).to_be_visible()
    assert client.product("CT-14")["winding"]["thermal_class"] == 180
