"""Trends in the console: readings, yields, reference boxes, and items to their end."""

import re
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from loricate.client import Client
from tests.conftest import run_load
from tests.console.pages import check_accessible, sign_in

pytestmark = pytest.mark.console
LOT = "L-PAGE"


@pytest.fixture(scope="module")
def tested(site: dict[str, Any]) -> str:
    """A load of two, the one in nest 3 with a bad winding, in a lot of its own."""
    with Client(site["url"]) as client:
        client.sign_in(site["name"], site["password"])
        client.open_lot(LOT, "DC-40", "PAGE-1, PAGE-3")
        return run_load(client, {"1": "PAGE-1", "3": "PAGE-3"}, lot=LOT)


def test_readings_are_charted_compared_and_lead_to_their_units(
    page: Page, site: dict[str, Any], tested: str
) -> None:
    sign_in(page, site, f"/trends?lot={LOT}&step=withstand&quantity=current")
    readings = page.get_by_role("table", name="Readings")
    expect(readings.get_by_role("link")).to_have_text(["PAGE-3", "PAGE-1"])
    drawn = page.get_by_role("img", name="current of Withstand, mains to case; in numbers below")
    expect(drawn).to_be_visible()
    expect(page.get_by_text("No forecast: fewer than 8 readings are numbers.")).to_be_visible()
    check_accessible(page)
    page.get_by_label("Compare by").select_option("nest")
    page.get_by_role("button", name="By group").click()
    groups = page.get_by_role("table", name="Compared by nest")
    expect(groups.get_by_role("cell", name="FX-A/3")).to_be_visible()
    assert "by=nest" in page.url and "chart=groups" in page.url
    for chart in ("Control chart", "Histogram"):
        page.get_by_role("button", name=chart).click()
        expect(page.get_by_role("button", name=chart)).to_have_attribute("aria-pressed", "true")
        expect(drawn).to_be_visible()
    for form, kind in (("SVG", "image/svg+xml"), ("PNG", "image/png"), ("CSV", "text/csv")):
        href = page.get_by_role("link", name=form, exact=True).get_attribute("href")
        answer = page.request.get(f"{site['url']}{href}")
        assert answer.ok and answer.headers["content-type"].startswith(kind)
    page.get_by_label("Reading", exact=True).select_option(label="Earth from plug to case: voltage")
    expect(page.get_by_role("img", name=re.compile("voltage of Earth"))).to_be_visible()
    readings.get_by_role("link", name="PAGE-1").click()
    expect(page.get_by_role("heading", name="PAGE-1")).to_be_visible()


def test_yields_and_boxes_are_a_press_away(page: Page, site: dict[str, Any], tested: str) -> None:
    sign_in(page, site, f"/trends?lot={LOT}")
    page.get_by_role("button", name="Yields").click()
    page.get_by_label("Yields by", exact=True).select_option("lot")
    table = page.get_by_role("table", name="Yields by lot")
    expect(table.get_by_role("row", name=LOT)).to_contain_text("50.0 %")
    failed = page.get_by_role("table", name="What units failed of")
    expect(failed.get_by_role("row").nth(1)).to_contain_text("Withstand, mains to case")
    check_accessible(page)
    page.get_by_role("button", name="Reference boxes").click()
    expect(page.get_by_role("table", name="Readings").get_by_role("row")).not_to_have_count(0)
    expect(page.get_by_label("Reading of a box")).to_contain_text("by HV1")
    check_accessible(page)


def test_a_trend_is_watched_and_an_item_is_ended(
    page: Page, site: dict[str, Any], client: Client, tested: str
) -> None:
    sign_in(page, site, f"/trends?lot={LOT}&step=withstand&quantity=current")
    page.get_by_role("button", name="Watch this").click()
    page.get_by_label("Watch this as").fill("Page's withstand")
    page.keyboard.press("Enter")
    expect(page.get_by_text("Watched as “Page's withstand”.")).to_be_visible()
    client.raise_item("FX-A nest 3", "A worn contact", f"/trends?lot={LOT}")
    page.get_by_role("button", name="Items", exact=True).click()
    watched = page.get_by_role("region", name="Watched trends")
    expect(watched.get_by_role("link", name="Page's withstand")).to_be_visible()
    check_accessible(page)
    page.get_by_role("button", name="End FX-A nest 3: A worn contact").click()
    page.get_by_label("What was done").fill("Contact renewed")
    page.get_by_role("button", name="End it").click()
    table = page.get_by_role("table", name="Items")
    expect(page.get_by_role("button", name="End FX-A nest 3: A worn contact")).to_have_count(0)
    page.get_by_label("Items", exact=True).select_option("ended")
    expect(table.get_by_role("row", name="A worn contact")).to_contain_text("Contact renewed")
    watched.get_by_role("button", name="Watch Page's withstand no longer").click()
    expect(watched).to_have_count(0)
    page.goto(f"{site['url']}/trends?since=soon")
    expect(page.get_by_role("alert")).to_contain_text("since: is no time; write a day")


def test_quality_begins_with_what_is_to_be_seen_to(
    page: Page, site: dict[str, Any], client: Client, tested: str
) -> None:
    item = client.raise_item("FX-A nest 1", "Its clip is loose", owner="ines")
    sign_in(page, {**site, "name": "ines"}, "/")
    expect(page.get_by_role("heading", name="Today")).to_be_visible()
    items = page.get_by_role("region", name="Open items")
    expect(items).to_contain_text("FX-A nest 1 Its clip is loose")
    failed = page.get_by_role("region", name="Last failures")
    expect(failed.get_by_role("link", name="PAGE-3")).to_be_visible()
    for name in ("First-pass yield by week", "Instruments and checks due", "Stuck on its way"):
        expect(page.get_by_role("region", name=name).get_by_role("link").first).to_be_visible()
    check_accessible(page)
    page.get_by_role("link", name="All: Last failures").click()
    expect(page.get_by_role("table", name="Units found")).to_be_visible()
    client.end_item(item.id, "accepted", "Seen")
