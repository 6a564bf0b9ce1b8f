"""A winding in the console: its curve while it is measured, its table, its dates laid over."""

import re
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from loricate.client import Client
from loricate.commands.demo_site import demo_sequence
from loricate.simulator.hands_link import Hands
from tests.conftest import release
from tests.console.pages import check_accessible, sign_in

pytestmark = pytest.mark.console
SERIAL = "WM3-26-0777"


def begin(client: Client, retest: str = "") -> str:
    """A run of a short study of the motor, started."""
    document = demo_sequence("WM3-STUDY")
    document["code"] = "WM3-SHORT"
    steps = {step["id"]: step for step in document["steps"]}
    steps["temperature"]["settings"] = {"read": "thermometer"}
    steps["polarization"]["settings"] |= {
        "lasts": "30 s", "read_at": "30 s", "index_from": "15 s", "index_to": "30 s",
        "earthed_times": "1",
    }  # fmt: skip
    steps["polarization"]["limits"]["polarization_index"] = {"minimum": "1.1", "source": "a test"}
    steps["ladder"]["settings"] |= {
        "levels": ["500 V", "1 kV", "1.5 kV"], "slope": "500 V/s", "dwell": "5 s",
        "earthed_times": "1",
    }  # fmt: skip
    if "WM3-SHORT" not in [each.code for each in client.sequences()]:
        client.add_sequence(document)
        found = client.review("WM3-SHORT").findings
        reasons = {f"{each.rule}@{each.step}": "a short one, for a test" for each in found}
        client.release_sequence("WM3-SHORT", "for a test", reasons)
    run = client.create_run("WM3-SHORT", "FX-M", {"1": SERIAL}, retest=retest)
    client.arm_run(run.id)
    client.start_run(run.id)
    return run.id


def to_its_end(client: Client, run_id: str) -> None:
    for _ in client.events(run_id):
        pass


def test_curves_live_in_the_record_and_by_date(
    page: Page, site: dict[str, Any], client: Client, hands: Hands
) -> None:
    hands.pace(6)  # a busy machine reads no mark seconds late
    first = begin(client)
    sign_in(page, site, f"/run/{first}")
    nest = page.get_by_role("region", name="Nest 1")
    expect(nest.get_by_role("img", name="resistance from")).to_be_visible()
    expect(nest.get_by_text("resistance at each mark")).to_be_visible()
    expect(page.get_by_test_id("danger")).to_contain_text("hands off for")
    to_its_end(client, first)

    page.goto(f"{site['url']}/run/{first}?cell=1.polarization")
    marks = page.get_by_role("table", name=f"marks of {SERIAL}")
    expect(marks.get_by_role("row")).to_have_count(3)
    expect(page.get_by_text("Corrected resistance: corrected for temperature")).to_be_visible()
    page.goto(f"{site['url']}/run/{first}?cell=1.ladder")
    expect(page.get_by_role("img", name="voltage and current over time")).to_be_visible()
    expect(page.get_by_role("img", name="current over voltage")).to_be_visible()

    hands.put("FX-M/1", "WM-3", "moisture", SERIAL)
    to_its_end(client, begin(client, "after a month in a damp store"))
    page.goto(f"{site['url']}/units/{SERIAL}")
    page.get_by_role("link", name="Compare its dates").click()
    page.get_by_label("Test").select_option("polarization")
    figures = page.get_by_role("table", name="Readings by date")
    expect(figures.get_by_role("columnheader")).to_have_count(4)
    expect(figures.get_by_role("row", name="polarization index")).to_contain_text("−")
    assert page.locator("fieldset").get_by_role("checkbox").count() == 2
    check_accessible(page)
    page.locator("fieldset").get_by_text("PASS").click()
    expect(figures.get_by_role("columnheader")).to_have_count(3)
    assert "off=" in page.url and "test=polarization" in page.url


def test_pulses_are_overlaid_nested_and_looked_at_one_after_another(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    document = demo_sequence("WM3-FINAL")
    steps = [step for step in document["steps"] if step["id"] == "surge"]
    release(client, {**document, "code": "WM3-SURGE", "steps": steps})
    run = client.create_run("WM3-SURGE", "FX-M", {"1": "WM3-26-0778"})
    client.arm_run(run.id)
    client.start_run(run.id)
    to_its_end(client, run.id)
    sign_in(page, site, f"/run/{run.id}?cell=1.surge")
    waves = page.get_by_role("region", name="Waveforms")
    legend = waves.locator(".u-legend .u-series")
    expect(legend).to_have_count(1 + 3)
    view = waves.get_by_label("Waveforms")
    view.select_option("nested")
    waves.get_by_label("Phase").select_option("V")
    expect(legend).to_have_count(1 + 8)
    expect(legend.last).to_contain_text("V, peak 1.")
    view.select_option("singly")
    told = waves.get_by_role("status")
    expect(told).to_have_text(re.compile("Pulse 1 of 8, peak 4.* V"))
    expect(waves.get_by_role("button", name="Former pulse")).to_be_disabled()
    waves.get_by_role("button", name="Next pulse").click()
    expect(told).to_have_text(re.compile("Pulse 2 of 8, peak 6.* V"))
    check_accessible(page)
    summary = page.get_by_role("table").filter(has_text="pulse ratio").last
    expect(summary).not_to_contain_text("m%")


def test_a_transformer_is_captured_and_its_pins_are_looked_at(
    page: Page, site: dict[str, Any], client: Client, hands: Hands
) -> None:
    hands.put("FX-T/1", "CT-14")
    sign_in(page, site, "/captures")
    form = page.get_by_role("form", name="Capture a unit")
    form.get_by_label("Fixture").select_option("FX-T")
    expect(form.get_by_label("Positions of its switch")).to_have_count(0)
    form.get_by_label("Serial of the good unit").fill("CT14-WEB-1")
    form.get_by_label("Its temperature").fill("73 °F")
    form.get_by_role("button", name="Capture it").click()
    page.get_by_role("button", name="done").click()
    heading = page.get_by_role("heading", name="Capture of CT14-WEB-1")
    expect(heading).to_be_visible(timeout=30_000)
    table = page.get_by_role("table", name="Captured windings and pins")
    drawing = page.get_by_role("img", name="Pins and windings: W1 from 1 to 2")
    expect(drawing).to_contain_text("column 133")
    expect(drawing).to_contain_text("this channel is skipped")
    line = table.get_by_role("row").filter(has=page.get_by_label("name of W3"))
    line.get_by_label("start of W3").fill("7")
    line.get_by_label("end of W3").fill("6")
    line.get_by_label("name of W3").fill("S1")
    line.get_by_role("button", name="Accept changed").click()
    expect(page.get_by_role("img", name="S1 from 7 to 6")).to_be_visible()
    table.get_by_role("row").filter(has_text="pin 14").get_by_role("button", name="Refuse").click()
    page.get_by_role("button", name="Accept all in which no units differ").click()
    check_accessible(page)
    page.get_by_label("Code of the product").fill("CT-WEB-1")
    page.get_by_label("Title").fill("Captured in the console")
    page.get_by_role("button", name="Make it a product").click()
    expect(page.get_by_role("heading", name="CT-WEB-1", exact=True)).to_be_visible()
    made = client.product("CT-WEB-1")
    assert "14" not in made["terminals"]
    assert made["winding"]["windings"][2] == {
        "name": "S1", "start": "7", "end": "6",
        "resistance": made["winding"]["windings"][2]["resistance"], "tolerance": "10 %",
    }  # fmt: skip
