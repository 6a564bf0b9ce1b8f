"""The band of danger: on every page, from the bench itself, and unknown when nobody knows."""

import json
import re
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from loricate.client import Client
from loricate.simulator.hands_link import Hands
from tests.conftest import five_steps, release
from tests.console.pages import SIZES, SLOW_MS, check_accessible, sign_in

pytestmark = pytest.mark.console
PAGES = ("/run", "/lots", "/units", "/sequences", "/products", "/limits", "/bench", "/people")
STATES = ("safe", "armed", "hands_in", "discharging", "high_voltage", "unknown")


def start(client: Client, code: str, serial: str) -> str:
    """A run of one nest, armed and started."""
    run = client.create_run(code, "FX-A", {"1": serial})
    client.arm_run(run.id)
    client.start_run(run.id)
    return run.id


def test_every_page_says_that_it_is_safe(page: Page, site: dict[str, Any]) -> None:
    sign_in(page, site)
    for place in PAGES:
        page.goto(site["url"] + place)
        band = page.get_by_test_id("danger")
        expect(band).to_contain_text("Safe")
        expect(band).to_have_attribute("data-state", "safe")


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize("state", STATES)
def test_each_state_is_readable_and_stays_in_sight(
    page: Page, site: dict[str, Any], size: str, state: str
) -> None:
    """Whatever the bench says: word and sign, good contrast, never cut off or scrolled away."""
    told = {
        "state": state, "nests": ["1", "2"], "volts": 1029.6, "must_earth": state == "unknown",
        "reasons": ["Instrument HV1 cannot say what is left at the unit."],
    }  # fmt: skip
    body = f"event: danger\ndata: {json.dumps(told)}\n\n"
    page.route(
        "**/bench/danger/events",
        lambda route: route.fulfill(status=200, content_type="text/event-stream", body=body),
    )
    page.set_viewport_size(SIZES[size])  # type: ignore[arg-type]
    sign_in(page, site, "/bench")
    band = page.get_by_test_id("danger")
    expect(band).to_have_attribute("data-state", state)
    page.mouse.wheel(0, 5_000)
    expect(band).to_be_in_viewport()
    check_accessible(page)
    if state == "unknown":
        expect(band.get_by_role("button", name="Confirm: earthed by hand")).to_be_visible()


def test_high_voltage_is_told_while_it_is_on(
    page: Page, site: dict[str, Any], client: Client, hands: Hands
) -> None:
    document = {**five_steps(), "code": "DNG-1"}
    document["steps"] = [document["steps"][3]]
    document["steps"][0]["settings"]["dwell"] = "10 min"
    release(client, document)
    hands.pace(1)
    sign_in(page, site, "/units")
    run_id = start(client, "DNG-1", "DG-1")
    band = page.get_by_test_id("danger")
    expect(band).to_have_attribute("data-state", "high_voltage", timeout=SLOW_MS)
    expect(band).to_contain_text("High voltage on")
    expect(band).to_contain_text(re.compile(r"nest 1, 1\.0 kV"))
    client.abort_run(run_id)
    expect(band).to_have_attribute("data-state", "safe", timeout=SLOW_MS)


def test_what_nobody_can_measure_is_earthed_by_hand_and_confirmed(
    page: Page, site: dict[str, Any], client: Client, hands: Hands
) -> None:
    document = {**five_steps(), "code": "DNG-2"}
    document["steps"] = [document["steps"][3]]
    document["steps"][0]["settings"]["dwell"] = "10 min"
    release(client, document)
    hands.pace(1)
    sign_in(page, site, f"/run/{start(client, 'DNG-2', 'DG-2')}")
    band = page.get_by_test_id("danger")
    expect(band).to_have_attribute("data-state", "high_voltage", timeout=SLOW_MS)
    hands.do('HAND:POW "HV1",0')
    expect(band).to_contain_text("Unknown: treat as charged", timeout=SLOW_MS)
    expect(page.get_by_test_id("verdict")).to_contain_text("INCONCLUSIVE", timeout=SLOW_MS)
    hands.do('HAND:POW "HV1",1')
    band.get_by_label("What was earthed, and how?").fill("earthed nest 1 with the stick")
    band.get_by_role("button", name="Confirm: earthed by hand").click()
    expect(band).to_have_attribute("data-state", "safe", timeout=SLOW_MS)


def test_a_silent_service_is_unknown(page: Page, site: dict[str, Any]) -> None:
    sign_in(page, site)
    page.route("**/bench/danger/events", lambda route: None)  # it never answers
    page.reload()
    expect(page.get_by_test_id("danger")).to_contain_text("The service is silent")


@pytest.mark.parametrize("size", SIZES)
def test_no_live_reading_is_cut_off(
    page: Page, site: dict[str, Any], client: Client, hands: Hands, size: str
) -> None:
    """At either size, each reading of a tile lies within it."""
    code = f"CUT-{size.upper()}"
    document = {**five_steps(), "code": code}
    document["steps"] = [document["steps"][3]]
    document["steps"][0]["settings"]["dwell"] = "10 min"
    release(client, document)
    hands.pace(1)
    page.set_viewport_size(SIZES[size])  # type: ignore[arg-type]
    run = client.create_run(code, "FX-A", {nest: f"{code}-{nest}" for nest in "1234"})
    client.arm_run(run.id)
    client.start_run(run.id)
    sign_in(page, site, f"/run/{run.id}")
    tile = page.get_by_role("region", name="Nest 1")
    expect(tile).to_contain_text("Voltage", timeout=SLOW_MS)
    cut = page.evaluate("""
        [...document.querySelectorAll('[data-reading]')].filter((reading) => {
          const own = reading.getBoundingClientRect()
          const tile = reading.closest('section').getBoundingClientRect()
          return own.right > tile.right || own.left < tile.left || own.width === 0
        }).map((reading) => reading.textContent)
    """)
    assert cut == []
    assert page.locator("[data-reading]").count() >= 4
    client.abort_run(run.id)


def test_a_load_that_is_not_full_goes_on_to_the_check(page: Page, site: dict[str, Any]) -> None:
    sign_in(page, site, "/run?sequence=DC40-FINAL&fixture=FX-A")
    page.get_by_label("Nest 1").fill("PART-1")
    page.keyboard.press("Enter")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Arm high voltage")).to_be_visible()
