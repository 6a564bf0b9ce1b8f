"""Line options in the console: said at the load, shown as they work."""

from typing import Any

import pytest
from playwright.sync_api import Page, expect

from loricate.client import Client
from tests.console.pages import check_accessible, sign_in

pytestmark = pytest.mark.console
HEARD = """
    window.played = [];
    const start = OscillatorNode.prototype.start;
    OscillatorNode.prototype.start = function (when) {
      window.played.push(Math.round(this.frequency.value));
      return start.call(this, when);
    };
"""
OF_A_PASS, OF_A_FAIL = 523, 220  # Hz


def load(page: Page, nest: str, serial: str, **line: str) -> None:
    """A load of one unit with line options, started."""
    page.get_by_label(f"Nest {nest}").fill(serial)
    page.get_by_text("Line options").click()
    for label, text in line.items():
        field = page.get_by_label(label.replace("_", " "))
        if field.evaluate("each => each.tagName") == "SELECT":
            field.select_option(text)
        else:
            field.fill(text)
    expect(page.get_by_label("Begin again every")).to_have_count(0)
    check_accessible(page)
    page.get_by_role("button", name="Check this load").click()
    page.get_by_role("button", name="Arm high voltage").click()
    page.get_by_role("button", name="Start").click()


def test_a_pass_waits_is_silent_and_makes_room_as_its_load_has_it(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    page.add_init_script(HEARD)
    sign_in(page, site, "/run?sequence=DC40-FINAL&fixture=FX-A")
    options = {"Sound_at_an_end": "fails", "Verdict_stays": "3 s"}
    load(page, "1", "LINE-1", Delay_after_the_start="2 s", **options)
    expect(page.get_by_text("Hands off: the first step begins in")).to_be_visible()
    page.get_by_role("button", name="pass", exact=False).first.click()
    expect(page.get_by_test_id("verdict")).to_contain_text("PASS")
    expect(page.get_by_text("Next load in")).to_be_visible()
    expect(page.get_by_role("heading", name="Load the fixture")).to_be_visible()
    assert OF_A_PASS not in page.evaluate("window.played")
    kept = client.run(client.runs()[0].id).line
    assert (kept.sounds, kept.verdict_stays_s, kept.start_delay_s) == ("fails", 3.0, 2.0)


def test_a_fail_is_heard_and_stays_until_somebody_acts(page: Page, site: dict[str, Any]) -> None:
    page.add_init_script(HEARD)
    sign_in(page, site, "/run?sequence=DC40-FINAL&fixture=FX-A")
    load(page, "3", "LINE-3", Sound_at_an_end="fails", Verdict_stays="1 s")
    page.get_by_role("button", name="pass", exact=False).first.click()
    expect(page.get_by_test_id("verdict")).to_contain_text("FAIL")
    page.wait_for_timeout(2_000)
    expect(page.get_by_test_id("verdict")).to_contain_text("FAIL")
    expect(page.get_by_text("Next load in")).to_have_count(0)
    assert OF_A_FAIL in page.evaluate("window.played")
