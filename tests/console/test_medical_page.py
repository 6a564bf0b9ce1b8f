"""A medical device in the console: a step filled from a standard, and its table of leakages."""

from typing import Any

import pytest
from playwright.sync_api import Page, expect

from loricate.client import Client
from loricate.commands.demo_site import demo_sequence
from loricate.simulator.hands_link import Hands
from tests.conftest import release
from tests.console.pages import check_accessible, sign_in

pytestmark = pytest.mark.console
SERIAL, TABLE = "FW2-26-0777", "Points of Leakage, IEC 60601-1"


def test_a_step_is_filled_from_a_standard(page: Page, site: dict[str, Any]) -> None:
    sign_in(page, site, "/sequences/FW2-FINAL?step=leakage")
    page.get_by_label("Fill from a standard").select_option("IEC-62353")
    expect(page.get_by_text("8 places and conditions.")).to_be_visible()
    expect(page.get_by_role("textbox", name="Scaled to")).to_have_value("230 V")
    source = page.get_by_role("group", name="Limit of current").get_by_label("Source")
    expect(source).to_have_value("IEC-62353")
    expect(page.get_by_role("checkbox", name="mains on part", exact=True)).to_be_checked()
    page.get_by_label("Fill from a standard").select_option("IEC-60601-1-8.7")
    expect(page.get_by_text("208 places and conditions.")).to_be_visible()
    expect(page.get_by_role("textbox", name="Supply voltage")).to_have_value("261 V")
    page.get_by_text("left out, and why").click()
    expect(page.get_by_text("nothing flows in a conductor that is open")).to_be_visible()
    check_accessible(page)


def test_two_standards_are_compared_for_a_product(page: Page, site: dict[str, Any]) -> None:
    sign_in(page, site, "/products/FW-2")
    page.get_by_label("One standard").select_option("IEC 60601-1")
    page.get_by_label("The other standard").select_option("IEC 62353")
    table = page.get_by_role("table", name="IEC 60601-1 and IEC 62353")
    earth = table.get_by_role("row").filter(has=page.get_by_role("cell", name="earth", exact=True))
    expect(earth).to_contain_text("≤ 5 mA")
    expect(earth).to_contain_text("≤ 1 mA, alternative")
    check_accessible(page)


def test_what_is_nearest_comes_first_and_the_table_is_one_key_away(
    page: Page, site: dict[str, Any], client: Client, hands: Hands
) -> None:
    filled = client.propose_step("FW-2", "leakage", "IEC-60601-1-8.7").step
    filled["settings"] |= {"switch": "on", "polarity": "normal", "dwell": "0.3 s"}
    release(client, {**demo_sequence("FW2-FINAL"), "code": "FW2-SHORT", "steps": [filled]})
    hands.put("FX-W/1", "FW-2", "wet_catheter", SERIAL)
    run = client.create_run("FW2-SHORT", "FX-W", {"1": SERIAL})
    client.arm_run(run.id)
    client.start_run(run.id)
    for _ in client.events(run.id):
        pass
    sign_in(page, site, f"/units/{SERIAL}")
    readings = page.get_by_role("table", name=f"Readings of run {run.id}")
    wet = readings.get_by_role("row", name="patient leakage, AC, type CF, normal condition")
    expect(wet).to_contain_text("patient CATHETER")
    expect(wet).to_contain_text("FAIL")
    table = page.get_by_role("table", name=f"{TABLE}, current")
    expect(table).to_have_count(0)
    page.keyboard.press("t")
    expect(table.get_by_role("columnheader", name="earth open")).to_be_visible()
    expect(table.get_by_role("row", name="patient CATHETER")).to_contain_text("FAIL")
    expect(table.get_by_role("row", name="patient CUFF")).not_to_contain_text("FAIL")
    check_accessible(page)
    page.keyboard.press("t")
    expect(table).to_have_count(0)
