"""Orders at the Run page, and what is stuck on its way to another system on the People page."""

from collections.abc import Iterator
from typing import Any

import httpx
import pytest
from playwright.sync_api import Page, expect

from loricate.api.records import RunOut
from loricate.client import Client
from loricate.commands.demo_site import demo_sequence
from loricate.commands.run import perform
from loricate.simulator.hands_link import Hands
from tests.conftest import release
from tests.console.pages import check_accessible, sign_in
from tests.rig import PATIENCE_S

pytestmark = pytest.mark.console
ORDER, SERIAL = "WO-PAGE-1", "FW2-26-7701"


@pytest.fixture
def works(site: dict[str, Any]) -> Iterator[str]:
    """The address of the manufacturing system; it is well again afterwards."""
    url = f"http://127.0.0.1:{site['ports']['WORKS']}"
    yield url
    httpx.put(f"{url}/troubles", json={"troubles": []}, timeout=PATIENCE_S).raise_for_status()


def earth_tested(client: Client, hands: Hands) -> RunOut:
    """A run of one step on the occasion of the order."""
    document = demo_sequence("FW2-FINAL")
    steps = [each for each in document["steps"] if each["kind"] == "ground_bond"][:1]
    steps[0]["on_fail"] = "halt_unit"
    release(client, {**document, "code": "FW2-EARTH", "steps": steps})
    hands.put("FX-W/1", "FW-2", "open_earth", SERIAL)  # a pass would want a whole test
    return perform(client, client.create_run("FW2-EARTH", "FX-W", {"1": SERIAL}), pass_visual=False)


def test_an_order_is_loaded_tested_and_done_and_what_is_stuck_is_left_out(
    page: Page, site: dict[str, Any], client: Client, hands: Hands, works: str
) -> None:
    client.put_order("WO-PAGE-0", "after_repair", asset="RB-1041", due="2020-02-29")
    client.put_order(ORDER, "production", product="FW-2", serial=SERIAL, said="with the new lid")
    sign_in(page, site, "/run?fixture=FX-W")
    orders = page.get_by_role("region", name="Orders")
    page.get_by_text("Ordered by other systems").click()
    row = orders.get_by_role("row").filter(has_text=ORDER)
    expect(row).to_contain_text("production, FW2-FINAL")
    expect(row).to_contain_text("with the new lid")
    expect(orders.get_by_role("row").filter(has_text="WO-PAGE-0")).to_contain_text("overdue")
    check_accessible(page)
    row.get_by_role("button", name=f"Load {ORDER}").click()
    expect(page.get_by_label("Nest 1", exact=True)).to_have_value(SERIAL)
    expect(page.get_by_label("Sequence", exact=True)).to_have_value("FW2-FINAL")
    nest = page.get_by_label("Nest 1", exact=True)
    nest.fill("WO-PAGE-0")
    nest.press("Enter")
    expect(nest).to_have_value("RB-1041")
    expect(page.get_by_label("Occasion", exact=True)).to_have_value("after_repair")
    nest.fill(ORDER)
    nest.press("Enter")
    expect(nest).to_have_value(SERIAL)
    httpx.put(
        f"{works}/troubles", json={"troubles": ["REFUSES"]}, timeout=PATIENCE_S
    ).raise_for_status()
    page.get_by_role("button", name="Check this load").click()
    page.wait_for_url("**/run/*-*")
    made = client.run(page.url.rsplit("/", 1)[1])
    assert (made.sequence_code, made.occasion) == ("FW2-FINAL", "production")
    run = earth_tested(client, hands)
    page.goto(f"{site['url']}/run?fixture=FX-W")
    page.get_by_text("Ordered by other systems").click()
    orders.get_by_label("Show", exact=True).select_option("")
    expect(row.get_by_role("link")).to_have_attribute("href", f"/run/{run.id}")
    withdraw = orders.get_by_role("row").filter(has_text="WO-PAGE-0")
    withdraw.get_by_role("button", name="Withdraw WO-PAGE-0").click()
    page.get_by_label("Why does nobody want WO-PAGE-0 any more?").fill("it was scrapped")
    page.get_by_role("button", name="Withdraw it").click()
    expect(withdraw).to_contain_text("withdrawn by mara: it was scrapped")

    page.goto(f"{site['url']}/people")
    number = client.run(run.id).units[0].certificate
    stuck = page.get_by_role("button", name=f"Leave out {number} to works")
    expect(stuck).to_be_visible()
    expect(page.get_by_role("table", name="What waits to be sent")).to_contain_text(
        "does not take it: 422 (This unit is not known here.)"
    )
    check_accessible(page)
    stuck.click()
    page.get_by_label("Why will works never take").fill("the works have no such unit")
    page.get_by_role("button", name="Leave it out").click()
    httpx.put(f"{works}/troubles", json={"troubles": []}, timeout=PATIENCE_S).raise_for_status()
    expect(stuck).to_have_count(0)
    left = [each for each in client.outbox() if each.left_out]
    assert [each.left_out for each in left] == ["mara: the works have no such unit"]
    told = httpx.get(f"{works}/messages", timeout=PATIENCE_S).json()
    assert number not in [each["document"]["number"] for each in told if each["kind"] == "document"]
