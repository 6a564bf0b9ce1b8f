"""A whole device at the console: its number, its figures by key or tap, on a tablet as well."""

import re
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from loricate.client import Client
from loricate.commands.demo_site import demo_sequence
from loricate.simulator.hands_link import Hands
from tests.conftest import release
from tests.console.pages import SIZES, check_accessible, sign_in

pytestmark = pytest.mark.console
SERIAL = "FW2-26-0666"


def functional(client: Client, hands: Hands, code: str, *ids: str) -> str:
    """A run of some steps of the whole device, started; gives its id."""
    document = demo_sequence("FW2-WHOLE")
    steps = [each for each in document["steps"] if each["id"] in ids]
    for each in steps:
        each["settings"] = {**each.get("settings", {}), "at_most": "1000 s"}
    release(client, {**document, "code": code, "steps": steps})
    hands.put("FX-W/1", "FW-2", "", SERIAL)
    run = client.create_run(code, "FX-W", {"1": SERIAL})
    client.start_run(run.id)
    return run.id


def test_figures_are_taken_by_enter_moved_by_arrows_and_wait_until_they_are_settled(
    page: Page, site: dict[str, Any], client: Client, hands: Hands
) -> None:
    run_id = functional(client, hands, "DEVICE-1", "display")
    page.set_viewport_size(SIZES["tablet"])  # type: ignore[arg-type]  # its own TypedDict
    sign_in(page, site, f"/run/{run_id}")
    question = page.get_by_role("group", name="Question for nest 1")
    expect(question).to_contain_text("switch the device on")
    page.keyboard.press("1")
    expect(question).to_contain_text("hands are out")
    page.keyboard.press("1")
    expect(question).to_contain_text("Low: what does the device show?")
    pressure = page.get_by_role("textbox", name="Pressure")
    expect(pressure).to_be_focused()
    expect(pressure).to_have_value("10 kPa")
    check_accessible(page)
    expect(page.get_by_text("settles, ")).to_have_count(0)
    page.keyboard.press("ArrowUp")
    expect(pressure).to_have_value("10.1 kPa")
    page.keyboard.press("Enter")
    expect(page.get_by_role("textbox", name="Temperature")).to_be_focused()
    page.keyboard.press("Enter")
    # What is off the network for a while goes on where it was.
    expect(question).to_contain_text("Normal: what does the device show?")
    page.context.set_offline(True)
    page.context.set_offline(False)
    page.reload()
    expect(question).to_contain_text("Normal: what does the device show?")
    expect(pressure).to_be_visible()  # the form is there, and says what has not settled
    expect(page.get_by_text("settles, ")).to_have_count(0)
    page.get_by_role("button", name="Pressure as shown, 20 kPa").click()
    page.get_by_role("button", name="note, target on Temperature").click()
    page.get_by_label("Note on Temperature").fill("read from the side")
    page.get_by_role("button", name="Temperature as shown, 37 °C").click()
    expect(page.get_by_text("✓ Temperature")).to_be_visible()  # what moves has moved
    page.get_by_role("group", name="Over-temperature alarm").get_by_role(
        "button", name="no"
    ).click()
    expect(question).to_contain_text("High: what does the device show?")
    expect(page.get_by_text("settles, ")).to_have_count(0)
    for _ in range(3):
        page.keyboard.press("Enter")
    expect(page.get_by_test_id("verdict")).to_have_text("PASS")
    (unit,) = client.run(run_id).units
    shown = {each.point: each.text for each in unit.attempts[0].readings if each.point}
    assert shown["low, Pressure"] == "10.10 kPa" and len(shown) == 6
    assert "read from the side" in unit.attempts[0].note


def test_what_a_gauge_shows_is_seen_as_it_goes_and_a_bare_figure_has_its_unit(
    page: Page, site: dict[str, Any], client: Client, hands: Hands
) -> None:
    run_id = functional(client, hands, "DEVICE-2", "cuff-shown")
    sign_in(page, site, f"/run/{run_id}")
    nest = page.get_by_role("region", name="Nest 1")
    expect(nest).to_contain_text("Start the pump of the warmer")
    hands.pump("FX-W/1", 33_000.0)
    field = page.get_by_role("textbox", name="The device shows")
    expect(field).to_be_focused()
    expect(field).to_have_value("")
    expect(page.get_by_role("img", name="pressure from")).to_be_visible()
    page.keyboard.type("33.0")
    page.keyboard.press("Enter")
    expect(nest).to_contain_text("Vent the cuff.")  # it has looked at the gauge once more
    hands.pump("FX-W/1", 0.0)
    expect(page.get_by_test_id("verdict")).to_have_text("PASS")
    assert client.run(run_id).units[0].answers[-1].choice == "The device shows 33.0 kPa"


def test_a_device_is_scanned_by_its_number_or_described(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    client.describe_asset("RB-77", "FW-2", "FW2-26-0771", "hut")
    sign_in(page, site, "/run?fixture=FX-W")
    page.get_by_label("Occasion").select_option("recurrent")
    expect(page.get_by_label("Sequence")).to_have_value("FW2-WHOLE")
    nest = page.locator("#nest-1")
    nest.fill("RB-77")
    nest.press("Enter")
    known = page.get_by_role("status", name="Device RB-77")
    expect(known).to_contain_text("hut")
    expect(known).to_contain_text("Never tested")
    expect(known).to_contain_text("due now")
    nest.fill("RB-78")
    nest.press("Enter")
    page.get_by_text("Not known by this number").click()
    page.get_by_label("Serial on its plate").fill("FW2-26-0778")
    check_accessible(page)
    page.get_by_label("Place").press("Enter")
    expect(page.get_by_role("status", name="Device RB-78")).to_contain_text("FW2-26-0778")
    assert client.asset("FW2-26-0778").number == "RB-78"
    assert page.url.endswith("fixture=FX-W&sequence=FW2-WHOLE"), "no load was handed in by that"


def test_a_cord_that_is_flexed_is_watched_by_a_needle_and_its_greatest_kept(
    page: Page, site: dict[str, Any], client: Client, hands: Hands
) -> None:
    document = demo_sequence("FW2-WHOLE")
    steps = [each for each in document["steps"] if each["id"] == "earth-flexed"]
    release(client, {**document, "code": "DEVICE-3", "steps": steps})
    hands.put("FX-W/1", "FW-2", "loose_cord_earth", SERIAL)
    hands.pace(4)  # the two minutes of the step, and the moments of the cord, at leisure
    run = client.create_run("DEVICE-3", "FX-W", {"1": SERIAL})
    client.start_run(run.id)
    sign_in(page, site, f"/run/{run.id}")
    question = page.get_by_role("group", name="Question for nest 1")
    for terminal, asked in (("PE", "put the clip of CASE on PE itself"), ("CASE", "back on CASE")):
        expect(question).to_contain_text(asked)
        hands.clip("FX-W/1", "CASE", terminal)
        question.get_by_role("button", name=f"it is on {terminal}").click()
        question.get_by_role("button", name="hands are out").click()
    expect(question).to_contain_text("Flex the cord along its whole length")
    needle = page.get_by_role("img", name="Resistance now")
    expect(needle).to_have_accessible_name(re.compile("greatest [0-9.]+ mΩ"))
    check_accessible(page)
    hands.bend("FX-W/1")
    expect(needle).to_have_accessible_name(re.compile("greatest open"))
    page.keyboard.press("1")
    expect(question).to_contain_text("What now?")
    page.get_by_role("button", name="carry on").click()
    expect(page.get_by_test_id("verdict")).to_have_text("FAIL")
    (unit,) = client.run(run.id).units
    assert (unit.verdict, unit.cause) == ("fail", "open")


def test_what_comes_next_is_chosen_by_touch_with_what_is_left_in_sight(
    page: Page, site: dict[str, Any], client: Client, hands: Hands
) -> None:
    document = demo_sequence("FW2-WHOLE")
    look = next(each for each in document["steps"] if each["id"] == "look")
    titles = {"case": "Case", "leads": "Leads", "label": "Rating plate"}
    steps = [{**look, "id": each, "title": title} for each, title in titles.items()]
    release(client, {**document, "code": "ANY-ORDER", "steps": steps})
    hands.put("FX-W/1", "FW-2", "", SERIAL)
    run = client.create_run("ANY-ORDER", "FX-W", {"1": SERIAL})
    client.start_run(run.id)
    page.set_viewport_size(SIZES["tablet"])  # type: ignore[arg-type]  # its own TypedDict
    sign_in(page, site, f"/run/{run.id}")
    question = page.get_by_role("group", name="Question for nest 1")
    expect(question).to_contain_text("What next? 3 of 3 left.")
    check_accessible(page)
    question.get_by_role("button", name="Leads").click()
    expect(question).to_contain_text("undamaged")
    expect(page.get_by_text("Left besides: Case, Rating plate")).to_be_visible()
    page.keyboard.press("1")
    expect(question).to_contain_text("What next? 2 of 3 left.")
    expect(question.get_by_role("button", name="Leads")).to_have_count(0)
    page.reload()
    expect(question).to_contain_text("What next? 2 of 3 left.")
    question.get_by_role("button", name="Rating plate").click()
    expect(page.get_by_text("Left besides: Case", exact=True)).to_be_visible()
    expect(question).to_contain_text("undamaged")
    page.keyboard.press("1")
    expect(page.get_by_text("Left besides")).to_have_count(0)
    expect(question).to_contain_text("undamaged")
    page.keyboard.press("1")
    expect(page.get_by_test_id("verdict")).to_have_text("PASS")
    made = sorted(client.run(run.id).units[0].attempts, key=lambda each: each.started_at)
    assert [each.step_id for each in made] == ["leads", "label", "case"]
