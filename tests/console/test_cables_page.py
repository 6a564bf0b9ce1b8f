"""Cables in the console: nets typed like a spreadsheet, and a failed lead seen at a glance."""

from typing import Any

import pytest
from playwright.sync_api import Locator, Page, expect

from loricate.client import Client
from loricate.simulator.hands_link import Hands
from tests.console.pages import SIZES, check_accessible, sign_in
from tests.service.test_cables import run_leads
from tests.service.test_captures import capture

pytestmark = pytest.mark.console

NETS = "UP\tX1:1\tX2:1\tbrown\nDOWN\tX1:2\tX2:2\twhite\n"


def paste(field: Locator, text: str) -> None:
    field.evaluate(
        """(field, text) => {
            const clipboardData = new DataTransfer()
            clipboardData.setData('text', text)
            field.dispatchEvent(new ClipboardEvent('paste', {clipboardData, bubbles: true}))
        }""",
        text,
    )


def test_nets_are_pasted_typed_undone_refused_and_stored(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    client.add_product(
        {
            "format": "loricate-product/2", "code": "CL-WEB", "title": "A lead",
            "family": "cable",
            "cable": {
                "length": "2 m",
                "connectors": [
                    {"code": "X1", "rows": [["1", "2", "3"]]},
                    {"code": "X2", "side": "right", "rows": [["1", "2", "3"]]},
                ],
                "nets": [{"name": "OLD", "contacts": ["X1:3", "X2:3"]}],
            },
        }
    )  # fmt: skip
    sign_in(page, site, "/products/CL-WEB")
    grid = page.get_by_role("table", name="From-to list")
    grid.get_by_role("row").nth(2).get_by_role("cell").nth(1).click()
    paste(page.get_by_label("Line 2, name"), NETS)
    drawing = page.get_by_role("region", name="Wiring").get_by_role("img")
    expect(drawing).to_have_attribute("aria-label", "Connectors X1, X2 with 3 nets between. No"
                                      " fault was found.")  # fmt: skip
    page.keyboard.press("Control+z")
    expect(drawing).to_have_attribute("aria-label", "Connectors X1, X2 with 1 net between. No"
                                      " fault was found.")  # fmt: skip
    grid.get_by_role("row").nth(2).get_by_role("cell").nth(1).click()
    paste(page.get_by_label("Line 2, name"), NETS.replace("X2:2", "X2:1"))
    page.get_by_role("button", name="Store as revision 2").click()
    nets = page.get_by_role("region", name="Nets")
    expect(nets.get_by_role("alert")).to_contain_text("Line 3, to: X2:1 is in UP already")
    grid.get_by_role("row").nth(3).get_by_role("cell").nth(3).click()
    page.keyboard.type("X2:2")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Store as revision 2").click()
    expect(page.get_by_text("revision 2", exact=True)).to_be_visible()
    stored = client.product("CL-WEB")["cable"]["nets"]
    assert [each["contacts"] for each in stored] == [
        ["X1:3", "X2:3"], ["X1:1", "X2:1"], ["X1:2", "X2:2"],
    ]  # fmt: skip
    check_accessible(page)


def test_a_list_from_a_file_is_taken_or_refused_line_by_line(
    page: Page, site: dict[str, Any], tmp_path: Any
) -> None:
    sign_in(page, site, "/products/CL-7")
    file = tmp_path / "list.csv"
    file.write_text("name,from,to\nUP,X1:C,X2:3\nDOWN,X1:D,X2:3\n", encoding="utf-8")
    nets = page.get_by_role("region", name="Nets")
    nets.get_by_label("From-to list as CSV").set_input_files(file)
    expect(nets.get_by_role("alert").first).to_contain_text("line 3, column 3 (to): X2:3 is in UP")
    expect(nets.get_by_role("table")).to_contain_text("BUS_H")
    with page.expect_download() as saved:
        nets.get_by_role("button", name="Save the stored list").click()
    assert "wire,UP,X1:C,X2:3,brown" in saved.value.path().read_text(encoding="utf-8")


def test_whoever_looks_at_a_failed_lead_sees_the_wire_that_is_wrong(
    page: Page, site: dict[str, Any], client: Client, hands: Hands
) -> None:
    run_leads(client, hands, {"2": "CL7-WEB-2"})
    sign_in(page, site, "/units/CL7-WEB-2")
    wiring = page.get_by_role("region", name="Wiring of CL-7")
    expect(wiring).to_contain_text("2 of 16 nets failed")
    rows = wiring.get_by_role("table").get_by_role("row")
    expect(rows.nth(1)).to_contain_text("FAIL")
    expect(rows.nth(1)).to_contain_text("UP")
    expect(rows.nth(1)).to_contain_text("swapped")
    found = wiring.get_by_role("list", name="What was found")
    expect(found.get_by_role("listitem")).to_have_count(1)
    expect(found).to_contain_text("UP and DOWN are crossed")
    drawing = wiring.locator(".wiring-drawing")
    expect(drawing.locator(".mark.crossed")).to_have_count(2)
    rows.filter(has_text="HORN").hover()
    expect(drawing.locator(".wire.chosen")).to_have_text("HORN")
    rows.filter(has_text="HORN").click()
    page.keyboard.press("ArrowDown")
    expect(drawing.locator(".wire.chosen")).to_have_text("LOAD")
    wiring.get_by_label("Find a net or contact").fill("x2:7")
    expect(rows).to_have_count(2)
    wiring.get_by_label("Find a net or contact").fill("")
    for size in SIZES.values():
        page.set_viewport_size(size)  # type: ignore[arg-type]
        check_accessible(page)


def test_a_capture_is_decided_net_by_net_and_becomes_a_product(
    page: Page, site: dict[str, Any], client: Client, hands: Hands
) -> None:
    """As an engineer does it: capture, look, change one, refuse what a bad second unit shows."""
    first = capture(client, hands, "WEB-1").made
    capture(client, hands, "WEB-2", "swapped X2:3 X2:4", beside=first)
    sign_in(page, site, "/captures")
    page.get_by_role("link", name="WEB-1, WEB-2").click()
    told = page.get_by_role("list", name="What differs")
    expect(told).to_contain_text("are crossed")
    table = page.get_by_role("table", name="Captured nets and components")
    expect(table.get_by_text("differs", exact=True)).to_have_count(4)
    check_accessible(page)
    page.get_by_role("button", name="Accept all in which no units differ").click()
    expect(page.get_by_text("4 of 20 are not decided yet.")).to_be_visible()
    expect(page.get_by_role("form", name="Make it a product")).to_have_count(0)
    for contacts, act in (
        ("X1:C – X2:3", "Accept"),
        ("X1:C – X2:4", "Refuse"),
        ("X1:D – X2:3", "Refuse"),
        ("X1:D – X2:4", "Accept"),
    ):
        line = table.get_by_role("row").filter(has_text=contacts)
        line.get_by_role("button", name=act).click()
        expect(line.locator(".verdict")).to_contain_text(act.lower())
    line = table.get_by_role("row").filter(has_text="X1:A – X2:1")
    line.get_by_label("name of N1").fill("+48V")
    line.get_by_role("button", name="Accept changed").click()
    expect(line.locator(".verdict")).to_contain_text("changed")
    page.get_by_label("Code of the product").fill("CL-WEB-2")
    page.get_by_label("Title").fill("Captured in the console")
    page.get_by_role("button", name="Make it a product").click()
    expect(page.get_by_role("heading", name="CL-WEB-2", exact=True)).to_be_visible()
    nets = {each["name"]: each["contacts"] for each in client.product("CL-WEB-2")["cable"]["nets"]}
    assert nets["+48V"] == ["X1:A", "X2:1"]
    assert ["X1:C", "X2:3"] in nets.values() and ["X1:C", "X2:4"] not in nets.values()


def test_a_unit_is_captured_from_the_console(
    page: Page, site: dict[str, Any], hands: Hands
) -> None:
    hands.put("FX-C/1", "CL-7")
    sign_in(page, site, "/products")
    page.get_by_role("link", name="capture it from a good unit").click()
    form = page.get_by_role("form", name="Capture a unit")
    form.get_by_label("Serial of the good unit").fill("WEB-3")
    form.get_by_role("button", name="Capture it").click()
    page.get_by_role("button", name="done").click()
    expect(page.get_by_role("heading", name="Capture of WEB-3")).to_be_visible(timeout=30_000)
    expect(page.get_by_text("17 of 17 are not decided yet.")).to_be_visible()


def test_somebody_is_led_through_contacts_with_a_picture_and_refused(
    page: Page, site: dict[str, Any], hands: Hands
) -> None:
    hands.put("FX-C/1", "CL-7", "unplugged X2")
    sign_in(page, site, "/bench")
    fixture = page.get_by_role("region", name="Fixture FX-C")
    fixture.get_by_role("button", name="Probe").click()
    form = page.get_by_role("form", name="Probe in FX-C")
    form.get_by_label("Nets of").select_option("CL-7")
    form.get_by_label("Contacts to be led through").fill("X2:1 X2:2")
    form.get_by_role("button", name="Begin").click()
    try:
        expect(page.get_by_role("img", name="Connector X2: touch 1")).to_be_visible()
        hands.touch("FX-C/1", "X2:5")
        expect(page.get_by_text("Wrong: X2:5, net STOP_1 is touched. Touch X2:1.")).to_be_visible()
        hands.lift()
        for contact in ("X2:1", "X2:2"):
            name = f"Connector X2: touch {contact.removeprefix('X2:')}"
            expect(page.get_by_role("img", name=name)).to_be_visible()
            check_accessible(page)
            hands.touch("FX-C/1", contact)
            expect(page.get_by_text("right.").last).to_contain_text(contact)
            hands.lift()
        expect(page.get_by_text("Contacts of FX-C: passed")).to_be_visible()
        expect(page.get_by_text("2 so far: X2:1 X2:2")).to_be_visible()
    finally:
        hands.lift()


def test_the_columns_are_measured_by_a_part_and_shown(
    page: Page, site: dict[str, Any], hands: Hands
) -> None:
    sign_in(page, site, "/bench")
    fixture = page.get_by_role("region", name="Fixture FX-C")
    fixture.get_by_role("button", name="Probe").click()
    form = page.get_by_role("form", name="Probe in FX-C")
    form.get_by_label("What").select_option("map")
    form.get_by_label("By").select_option("REF-CABLE")
    hands.put("FX-C/1", "REF-CABLE")
    form.get_by_role("button", name="Begin").click()
    page.get_by_role("button", name="done").click()
    expect(page.get_by_text("Columns of FX-C: passed")).to_be_visible()
    expect(fixture.get_by_text("as in the file. Measured by REF-CABLE")).to_be_visible()
