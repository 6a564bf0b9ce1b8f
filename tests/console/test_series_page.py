"""A series in the console: begun, armed, followed unit by unit, held, let go on, stopped."""

import re
import time
from collections.abc import Iterator
from typing import Any

import pytest
from playwright.sync_api import Locator, Page, expect

from loricate.client import Client
from loricate.simulator.hands_link import Hands
from tests.console.pages import SIZES, check_accessible, sign_in

pytestmark = pytest.mark.console
NEST = "FX-C/1"


@pytest.fixture
def hands(site: dict[str, Any]) -> Iterator[Hands]:
    """The hands at the bench; what they did is put back, and no series is left on."""
    hands = Hands("127.0.0.1", site["ports"]["HANDS"])
    yield hands
    with Client(site["url"]) as client:
        client.sign_in(site["name"], site["password"])
        for each in client.list_series():
            if each.state == "held":
                client.let_series_go_on(each.id, "by the test that left it")
            if each.state != "ended":
                client.stop_series(each.id)
    hands.restore()


def now(page: Page) -> Locator:
    """The sentence that says what to do."""
    return page.get_by_role("status").first


def begin(page: Page, site: dict[str, Any], sequence: str, count_from: str, fails: str) -> None:
    """Begin a series from the Run page and arm it."""
    sign_in(page, site, f"/run?sequence={sequence}&fixture=FX-C")
    page.get_by_label("Start by").select_option("series")
    page.get_by_label("Serials").select_option("counted" if count_from else "scanned")
    if count_from:
        page.get_by_label("First serial, or pattern").fill(count_from)
    page.get_by_text("Line options").click()
    page.get_by_label("Stop after fails").fill(fails)
    check_accessible(page)
    page.get_by_role("button", name="Begin this series").press("Enter")
    expect(now(page)).to_have_text("Arm the series.")
    page.keyboard.press("F8")


def test_a_series_is_followed_held_and_stopped(
    page: Page, site: dict[str, Any], hands: Hands
) -> None:
    begin(page, site, "REF-CABLE", "SP-###", "2")
    expect(now(page)).to_have_text("Take the unit out of nest 1.")
    hands.empty(NEST)
    expect(now(page)).to_have_text("Plug SP-001 into nest 1.")
    expect(page.get_by_text(re.compile("armed for [45]:[0-9]{2} more"))).to_be_visible()
    check_accessible(page)
    hands.put(NEST, "REF-CABLE")
    expect(now(page)).to_have_text("Take the unit out of nest 1: passed.")
    expect(page.get_by_role("region", name="Nest 1")).to_contain_text("PASS")
    for serial in ("SP-002", "SP-003"):
        hands.empty(NEST)
        expect(now(page)).to_have_text(f"Plug {serial} into nest 1.")
        hands.put(NEST, "REF-CABLE", "open W7")
        table = page.get_by_role("table", name="Units, the last one first")
        expect(table.get_by_role("row").nth(1)).to_contain_text(re.compile(f"{serial}.*FAIL"))
    expect(now(page)).to_have_text("Call an engineer: the series is held.")
    expect(page.get_by_role("alert")).to_contain_text("W7 is open between")
    check_accessible(page)
    page.set_viewport_size(SIZES["tablet"])  # type: ignore[arg-type]  # its own TypedDict
    check_accessible(page)
    expect(page.get_by_role("button", name="Stop the series")).to_have_count(0)
    page.get_by_label("What was it?").fill("crimp of W7 in the whole batch")
    page.keyboard.press("Enter")
    expect(page.get_by_text("lets it go on: crimp of W7 in the whole batch")).to_be_visible()
    page.keyboard.press("F8")
    expect(now(page)).to_have_text(re.compile("^Take the unit out of nest 1"))
    figures = page.get_by_label("How it goes")
    expect(figures).to_contain_text(re.compile("First-pass yield.*33.3 %"))
    page.keyboard.press("Escape")
    expect(now(page)).to_have_text("The series has ended.")
    page.goto(site["url"] + "/run/series")
    expect(page.get_by_role("table", name="Series").get_by_role("row").nth(1)).to_contain_text(
        "ended"
    )
    check_accessible(page)


def test_a_serial_that_is_scanned_answers_no_question(
    page: Page, site: dict[str, Any], hands: Hands
) -> None:
    """Its digits come as the keys of answers do; only a key pressed by itself is one."""
    hands.empty(NEST)
    begin(page, site, "LEAD-FINAL", "", "0")
    box = page.get_by_label("Serial of the next unit")
    expect(box).to_be_focused()
    page.keyboard.type("CL7-26-0111")
    page.keyboard.press("Enter")
    expect(now(page)).to_have_text("Plug CL7-26-0111 into nest 1.")
    hands.put(NEST, "CL-7")
    question = page.get_by_role("group", name="Question for nest 1")
    expect(question).to_contain_text("Both plugs whole")
    expect(box).not_to_be_focused()
    page.keyboard.type("CL7-26-0112")
    page.keyboard.press("Enter")
    time.sleep(0.4)
    expect(question).to_contain_text("Both plugs whole")
    box.click()
    page.keyboard.press("1")
    time.sleep(0.4)
    expect(question).to_contain_text("Both plugs whole")
    page.keyboard.press("Backspace")
    expect(box).not_to_be_focused()
    time.sleep(0.2)
    page.keyboard.press("1")
    expect(question).to_contain_text("position")
    page.keyboard.press("Escape")
    expect(now(page)).to_have_text("The series has ended.")
    with Client(site["url"]) as client:
        client.sign_in(site["name"], site["password"])
        (unit,) = client.series(page.url.rpartition("/")[2]).units
    assert (unit.serial, unit.state) == ("CL7-26-0111", "aborted")
