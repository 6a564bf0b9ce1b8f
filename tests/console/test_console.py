"""The web console in headless Chromium, driven by keyboard as an operator would, and by axe."""

import io
import re
from pathlib import Path
from typing import Any

import pytest
from drill.processes import say
from PIL import Image
from playwright.sync_api import Page, expect

from loricate.client import Client
from loricate.simulator.hands_link import Hands
from tests.conftest import release, run_load
from tests.console.pages import SIZES, check_accessible, sign_in, sign_in_by_form

pytestmark = pytest.mark.console


def load_by_scanner(page: Page, **nests: str) -> None:
    """Type serials as a scanner does, each ended by Enter; focus must move by itself."""
    expect(page.get_by_label("Nest 1")).to_be_focused()
    for nest, serial in nests.items():
        page.get_by_label(f"Nest {nest.removeprefix('n')}").press_sequentially(serial)
        page.keyboard.press("Enter")


def test_a_wrong_password_is_told(page: Page, site: dict[str, Any]) -> None:
    page.goto(site["url"])
    page.get_by_label("Name").fill("nobody")
    page.get_by_label("Password").fill("wrong")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("name or the password is wrong")
    check_accessible(page)


@pytest.mark.parametrize("width", [1280, 1366, 1920])
def test_the_head_of_each_page_is_one_row(page: Page, site: dict[str, Any], width: int) -> None:
    page.set_viewport_size({"width": width, "height": 800})
    sign_in(page, site)
    page.get_by_role("navigation", name="Pages").wait_for()
    box = page.get_by_role("banner").bounding_box()
    assert box is not None and box["height"] < 70


@pytest.mark.parametrize("mode", ["light", "dark"])
def test_a_whole_load_by_keyboard(page: Page, site: dict[str, Any], mode: str) -> None:
    sign_in_by_form(page, site)
    if mode == "dark":
        page.get_by_role("button", name="Dark").click()
        page.goto(site["url"])
    expect(page.get_by_label("Nest 1")).to_be_focused()
    page.keyboard.type("DC40-26-0117")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Nest 2")).to_be_focused()
    page.get_by_label("Nest 3").fill("DC40-26-0119")
    check_accessible(page)
    page.get_by_role("button", name="Check this load").press("Enter")
    expect(page.get_by_role("button", name="Arm high voltage")).to_be_visible()
    check_accessible(page)
    page.keyboard.press("F8")
    expect(page.get_by_role("button", name="Start")).to_be_visible()
    page.keyboard.press("F9")
    for nest in "13":
        expect(page.get_by_role("group", name=f"Question for nest {nest}")).to_be_visible()
        if nest == "1":
            check_accessible(page)
        page.keyboard.press("1")
    expect(page.get_by_test_id("verdict")).to_have_text("FAIL")
    expect(page.get_by_role("region", name="Nest 1")).to_contain_text("PASS")
    expect(page.get_by_role("region", name="Nest 3")).to_contain_text("breakdown")
    table = page.get_by_role("table", name="Units by steps")
    table.get_by_role("button", name="Earth from plug to case, nest 1").click()
    assert "cell=1.earth" in page.url
    readings = page.get_by_role("table", name="Readings of DC40-26-0117")
    expect(readings).to_contain_text("≤ 200 mΩ")
    expect(readings).to_contain_text("IEC 60335-1:2010 Annex A")
    check_accessible(page)
    page.set_viewport_size(SIZES["tablet"])  # type: ignore[arg-type]  # its own TypedDict
    check_accessible(page)
    href = page.get_by_role("link", name=re.compile("^Certificate C-")).get_attribute("href")
    answer = page.request.get(site["url"] + str(href))
    assert answer.body().startswith(b"%PDF")
    page.keyboard.press("F2")
    expect(page.get_by_role("textbox", name="Nest 1")).to_be_focused()


def test_a_run_that_somebody_else_arms_and_starts_is_followed(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    run = client.create_run("DC40-FINAL", "FX-A", {"1": "ELSE-1"})
    sign_in(page, site, f"/run/{run.id}")
    expect(page.get_by_role("button", name="Arm high voltage")).to_be_visible()
    client.arm_run(run.id)
    client.start_run(run.id)
    page.get_by_role("group", name="Question for nest 1").wait_for()
    page.keyboard.press("1")
    expect(page.get_by_test_id("verdict")).to_have_text("PASS")


def hands_of(site: dict[str, Any]) -> Hands:
    return Hands("127.0.0.1", site["ports"]["HANDS"])


def test_a_failed_unit_is_looked_into_remarked_on_and_repeated(
    page: Page, site: dict[str, Any], tmp_path: Path
) -> None:
    """From the table to readings and curves, a photo with a remark, and the repeat that passes."""
    hands = hands_of(site)
    hands.put("FX-A/2", "DC-40", "loose_earth")
    hands.pace(4)  # slow enough for a curve of many samples
    with Client(site["url"]) as client:
        client.sign_in(site["name"], site["password"])
        run_id = run_load(client, {"1": "LK-1", "2": "LK-2"})
    sign_in(page, site, f"/run/{run_id}")
    table = page.get_by_role("table", name="Units by steps")
    table.get_by_role("button", name="Withstand, mains to case, nest 1").click()
    panel = page.get_by_role("region", name="Readings of nest 1, Withstand, mains to case")
    expect(panel.get_by_role("img", name=re.compile("^current over time of LK-1"))).to_be_visible()
    expect(panel.locator("canvas")).to_be_visible()
    panel.get_by_label("Curve", exact=True).select_option("voltage")
    expect(panel.get_by_role("table", name="Curves in numbers")).to_contain_text(
        re.compile(r"1\.0[23]\d kV")
    )
    check_accessible(page)
    table.get_by_role("button", name="Earth from plug to case, nest 2").click()
    expect(page.get_by_role("table", name="Readings of LK-2")).to_contain_text("before zero")
    panel = page.get_by_role("region", name="Readings of nest 2, Earth from plug to case")
    panel.get_by_text("nest 1", exact=True).click()
    expect(panel.get_by_role("table", name="Curves in numbers").get_by_role("row")).to_have_count(3)
    expect(page.get_by_role("img", name=re.compile("Timeline of 2 nests"))).to_be_visible()
    tile = page.get_by_role("region", name="Nest 2")
    photo = tmp_path / "stud.png"
    Image.new("RGB", (60, 40), (90, 90, 90)).save(photo)
    tile.get_by_role("button", name="Remark").click()
    tile.get_by_label("Remark").fill("stud was loose")
    tile.get_by_label("Photo").set_input_files(photo)
    tile.get_by_role("button", name="Keep the remark").click()
    expect(tile.get_by_role("img", name="Photo: stud was loose")).to_be_visible()
    check_accessible(page)
    hands.put("FX-A/2", "DC-40", "")
    tile.get_by_role("button", name="Repeat").click()
    tile.get_by_label("Why is it repeated?").fill("stud tightened")
    tile.get_by_role("button", name="Ask for the repeat").click()
    page.get_by_role("button", name="Arm high voltage").click()
    page.get_by_role("button", name="Start").click()
    expect(page.get_by_test_id("verdict")).to_have_text("PASS")
    expect(table).to_contain_text("PASS (2)")
    hands.restore()


def test_a_cue_is_shown_with_its_picture_and_a_decision_takes_its_reason(
    page: Page, site: dict[str, Any], sequence_document: dict[str, Any]
) -> None:
    out = io.BytesIO()
    Image.new("RGB", (80, 50), (20, 90, 60)).save(out, "PNG")
    earth = sequence_document["steps"][1]
    with Client(site["url"]) as client:
        client.sign_in(site["name"], site["password"])
        digest = client.add_picture(out.getvalue()).digest
        earth["on_fail"] = "ask"
        earth["cues"] = [{"text": "Clip on the stud?", "choices": ["done"], "picture": digest}]
        release(client, {**sequence_document, "code": "CUES", "steps": [earth]})
    hands = hands_of(site)
    hands.put("FX-A/1", "DC-40", "loose_earth")
    sign_in(page, site, "/run?sequence=CUES&fixture=FX-A")
    load_by_scanner(page, n1="CU-1")
    page.get_by_role("button", name="Check this load").click()
    page.get_by_role("button", name="Start").click()  # of low voltage alone: nothing is armed
    asked = page.get_by_role("group", name="Question for nest 1")
    expect(asked.get_by_role("img", name="Picture for: Clip on the stud?")).to_be_visible()
    page.keyboard.press("1")
    expect(asked).to_contain_text("Earth from plug to case: over limit. What now?")
    check_accessible(page)
    hands.put("FX-A/1", "DC-40", "")
    page.keyboard.press("1")
    page.get_by_label("Why repeat?").fill("stud tightened")
    page.keyboard.press("Enter")
    expect(asked).to_contain_text("Clip on the stud?")
    page.keyboard.press("1")
    expect(page.get_by_test_id("verdict")).to_have_text("PASS")
    hands.restore()


def test_what_is_left_at_a_unit_is_told_until_it_is_safe(
    page: Page, site: dict[str, Any], sequence_document: dict[str, Any]
) -> None:
    """A unit that holds its charge: the console says so until the bench has measured it safe."""
    insulation = sequence_document["steps"][2]
    insulation["settings"]["dwell"] = "30 min"
    insulation["settings"]["level"] = "5 kV"
    insulation["settings"].update(trip="50 mA", ramp="2 s")
    hands = hands_of(site)
    with Client(site["url"]) as client:
        client.sign_in(site["name"], site["password"])
        release(client, {**sequence_document, "code": "HOLDS", "steps": [insulation]})
    hands.put("FX-A/1", "DC-40", "big_store")
    hands.pace(1)
    sign_in(page, site, "/run?sequence=HOLDS&fixture=FX-A")
    load_by_scanner(page, n1="HO-1")
    page.get_by_role("button", name="Check this load").click()
    page.get_by_role("button", name="Arm high voltage").click()
    page.get_by_role("button", name="Start").click()
    expect(page.get_by_role("region", name="Nest 1")).to_contain_text("s, dwell")
    page.keyboard.press("Escape")
    expect(page.get_by_text(re.compile(r"Discharging: .* left at a unit"))).to_be_visible()
    expect(page.get_by_test_id("verdict")).to_have_text("INCONCLUSIVE")
    expect(page.get_by_text("Discharging")).to_have_count(0)
    hands.restore()
    hands.pace(20)


def test_the_foot_switch_is_waited_for(page: Page, site: dict[str, Any]) -> None:
    sign_in(page, site, "/run?sequence=DC40-FINAL&fixture=FX-A")
    page.get_by_label("Start by").select_option("foot")
    load_by_scanner(page, n1="FS-1")
    page.get_by_role("button", name="Check this load").click()
    page.get_by_role("button", name="Arm high voltage").click()
    expect(page.get_by_text("Press the foot switch to start.")).to_be_visible()
    hands_of(site).do("HAND:FOOT")
    page.get_by_role("button", name="pass", exact=False).first.click()
    expect(page.get_by_test_id("verdict")).to_have_text("PASS")


def test_live_tiles_show_what_is_measured_and_escape_aborts(
    page: Page, site: dict[str, Any], sequence_document: dict[str, Any]
) -> None:
    sequence_document["code"] = "CONSOLE-LONG"
    sequence_document["steps"] = [sequence_document["steps"][3]]
    sequence_document["steps"][0]["settings"]["dwell"] = "30 min"
    with Client(site["url"]) as client:
        client.sign_in(site["name"], site["password"])
        release(client, sequence_document)
    sign_in(page, site, "/run?sequence=CONSOLE-LONG&fixture=FX-A")
    load_by_scanner(page, n1="L-1")
    page.get_by_role("button", name="Check this load").click()
    page.get_by_role("button", name="Arm high voltage").click()
    page.get_by_role("button", name="Start").click()
    tile = page.get_by_role("region", name="Nest 1")
    expect(tile).to_contain_text(re.compile(r"Voltage\s*1\.0[23]\d kV"))
    expect(tile).to_contain_text(re.compile(r"Current\s*1\.\d+ mA"))
    expect(tile).to_contain_text("s, dwell")
    expect(tile).to_contain_text("400 µA to 5 mA")
    check_accessible(page)
    page.keyboard.press("Escape")
    expect(page.get_by_test_id("verdict")).to_have_text("INCONCLUSIVE")
    expect(page.get_by_role("alert")).to_contain_text("Aborted by mara")


def test_a_scanned_sequence_code_chooses_it_and_is_remembered(
    page: Page, site: dict[str, Any], sequence_document: dict[str, Any]
) -> None:
    sequence_document["code"] = "ZZ-SCANNED"
    with Client(site["url"]) as client:
        client.sign_in(site["name"], site["password"])
        release(client, sequence_document)
    sign_in(page, site)
    load_by_scanner(page, n1="ZZ-SCANNED")
    expect(page.get_by_label("Sequence")).to_have_value("ZZ-SCANNED")
    expect(page.get_by_label("Nest 1")).to_be_focused()
    expect(page.get_by_label("Nest 1")).to_have_value("")
    page.goto(site["url"] + "/run")
    expect(page.get_by_label("Sequence")).to_have_value("ZZ-SCANNED")


def test_sounds_differ_and_can_be_turned_off(page: Page, site: dict[str, Any]) -> None:
    """The browser's own audio is asked what was started: pass and fail share no note."""
    page.add_init_script("""
        window.played = [];
        const start = OscillatorNode.prototype.start;
        OscillatorNode.prototype.start = function (when) {
          window.played.push([Math.round(this.frequency.value), this.type]);
          return start.call(this, when);
        };
    """)
    sign_in(page, site)
    heard: dict[str, list[Any]] = {}
    for serial, nest in (("SND-1", "1"), ("SND-3", "3")):
        page.goto(site["url"] + "/run?sequence=DC40-FINAL&fixture=FX-A")
        page.get_by_label(f"Nest {nest}").fill(serial)
        page.get_by_role("button", name="Check this load").click()
        page.get_by_role("button", name="Arm high voltage").click()
        page.get_by_role("button", name="Start").click()
        page.get_by_role("button", name="pass", exact=False).first.click()
        expect(page.get_by_test_id("verdict")).to_be_visible()
        heard[page.get_by_test_id("verdict").inner_text()] = page.evaluate("window.played")
    attention = (880, "triangle")  # of a question, and of every change of danger
    notes = {word: {tuple(note) for note in played} for word, played in heard.items()}
    assert attention in notes["PASS"] & notes["FAIL"]
    passed, failed = (notes[word] - {attention} for word in ("PASS", "FAIL"))
    assert passed and failed and not passed & failed
    page.get_by_role("button", name="Sounds on").click()
    page.reload()
    expect(page.get_by_role("button", name="Sounds off")).to_be_visible()


def test_a_load_that_is_refused_is_told_and_keeps_what_was_typed(
    page: Page, site: dict[str, Any]
) -> None:
    sign_in(page, site)
    load_by_scanner(page, n1="SAME", n2="same")
    page.get_by_role("button", name="Check this load").click()
    expect(page.get_by_role("alert")).to_contain_text("in nest 1 already")
    expect(page.get_by_label("Nest 2")).to_have_value("same")


def test_units_are_found_and_the_search_stands_in_the_address(
    page: Page, site: dict[str, Any]
) -> None:
    with Client(site["url"]) as client:
        client.sign_in(site["name"], site["password"])
        run_load(client, {"1": "FIND-ME-7"})
    sign_in(page, site, "/units")
    page.get_by_label("Serial or asset number, or a part of it").fill("ME-7")
    expect(page.get_by_role("table", name="Units found").get_by_role("link")).to_have_count(1)
    assert "serial=ME-7" in page.url
    check_accessible(page)
    page.get_by_role("link", name="FIND-ME-7").click()
    expect(page.get_by_role("heading", name="FIND-ME-7")).to_be_visible()
    expect(page.get_by_role("link", name="signed data")).to_be_visible()
    check_accessible(page)
    page.goto(f"{site['url']}/units?serial=no-such-serial")
    expect(page.get_by_text("No unit matches")).to_be_visible()


def test_a_search_is_narrowed_counted_kept_and_done_again(page: Page, site: dict[str, Any]) -> None:
    with Client(site["url"]) as client:
        client.sign_in(site["name"], site["password"])
        run_load(client, {"1": "NARROW-1", "3": "NARROW-3"})
    sign_in(page, site, "/units?serial=NARROW")
    table, counts = page.get_by_role("table", name="Units found"), page.get_by_role("group")
    expect(table.get_by_role("link")).to_have_count(2)
    expect(counts.get_by_role("button", name="2 in all")).to_have_attribute("aria-pressed", "true")
    counts.get_by_role("button", name="1 fail").click()
    expect(table.get_by_role("link")).to_have_text(["NARROW-3"])
    page.get_by_label("Narrow by").select_option("failed")
    page.get_by_label("Failed step", exact=True).fill("earth")
    expect(page.get_by_text("No unit is all of that")).to_be_visible()
    page.get_by_label("Failed step", exact=True).fill("with*")
    expect(table.get_by_role("link")).to_have_text(["NARROW-3"])
    check_accessible(page)
    page.get_by_role("button", name="Keep this search").click()
    page.get_by_label("Keep this search as").fill("Narrowed")
    page.keyboard.press("Enter")
    kept = page.get_by_role("link", name="Narrowed")
    expect(kept).to_be_visible()
    page.goto(f"{site['url']}/units?since=soon")
    expect(page.get_by_role("alert")).to_contain_text("since: is no time; write a day")
    kept.click()
    expect(table.get_by_role("link")).to_have_text(["NARROW-3"])
    expect(page.get_by_label("Failed step", exact=True)).to_have_value("with*")
    page.get_by_role("button", name="Leave out Failed step").click()
    expect(page.get_by_label("Failed step", exact=True)).to_have_count(0)
    assert "failed=" not in page.url and "verdict=fail" in page.url
    page.get_by_role("button", name="Drop Narrowed").click()
    expect(kept).to_have_count(0)


def test_a_bench_and_a_limit_set_lead_to_what_rests_on_them(
    page: Page, site: dict[str, Any]
) -> None:
    with Client(site["url"]) as client:
        client.sign_in(site["name"], site["password"])
        run_load(client, {"1": "RESTS-1"})
        serial = next(each.serial for each in client.bench().instruments if each.id == "GB1")
    sign_in(page, site, "/bench")
    units = page.get_by_role("table", name="Units found")
    page.get_by_role("table", name="Instruments").get_by_role("link", name=serial).click()
    expect(units.get_by_role("link", name="RESTS-1")).to_be_visible()
    expect(page.get_by_label("Measured by", exact=True)).to_have_value(serial)
    page.goto(f"{site['url']}/bench")
    page.get_by_role("region", name="Fixture FX-A").get_by_role("link").first.click()
    expect(units.get_by_role("link", name="RESTS-1")).to_be_visible()
    expect(page.get_by_text("Since its contacts were renewed")).to_be_visible()
    page.goto(f"{site['url']}/limits/IEC-60335-1-A")
    page.get_by_role("table", name="Revisions").get_by_role(
        "link", name="Certificates"
    ).last.click()
    expect(units.get_by_role("link", name="RESTS-1")).to_be_visible()
    expect(page.get_by_label("Limit revision", exact=True)).to_have_value("1")


def test_a_lot_from_open_to_retest(page: Page, site: dict[str, Any]) -> None:
    sign_in(page, site, "/lots")
    page.get_by_label("New lot").fill("L-WEB")
    page.get_by_label("Product").select_option("DC-40")
    page.get_by_label("Serials, first..last or pattern").fill("W-3..W-1")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("holds -1 serials")
    page.get_by_label("Serials, first..last or pattern").fill("W-1..W-3")
    page.keyboard.press("Enter")
    page.get_by_role("link", name="L-WEB").click()
    expect(page.get_by_text("0 of 3")).to_be_visible()
    check_accessible(page)
    with Client(site["url"]) as client:
        client.sign_in(site["name"], site["password"])
        run_load(client, {"1": "W-1", "3": "W-2"}, lot="L-WEB")
    page.reload()
    expect(page.get_by_text("50.0 %").first).to_be_visible()
    expect(page.get_by_text("Waiting (1): W-3")).to_be_visible()
    check_accessible(page)
    page.goto(f"{site['url']}/run?sequence=DC40-FINAL&fixture=FX-A&lot=L-WEB")
    load_by_scanner(page, n1="W-2")
    page.get_by_role("button", name="Check this load").click()
    expect(page.get_by_role("alert")).to_contain_text("tested already (fail)")
    page.get_by_label("Why are they tested again?").fill("insulator changed")
    page.get_by_role("button", name="Check this load").click()
    expect(page.get_by_role("button", name="Arm high voltage")).to_be_visible()
    page.keyboard.press("Escape")
    page.goto(f"{site['url']}/lots/L-WEB")
    href = page.get_by_role("link", name="As it stands (PDF)").get_attribute("href")
    assert page.request.get(site["url"] + str(href)).body().startswith(b"%PDF")
    page.get_by_role("button", name="Close the lot").click()
    expect(page.get_by_text("closed")).to_be_visible()


def test_the_bench_page_tells_who_answers_and_what_to_do(page: Page, site: dict[str, Any]) -> None:
    sign_in(page, site, "/bench")
    table = page.get_by_role("table", name="Instruments")
    expect(table.get_by_text("answers", exact=True)).to_have_count(19)
    expect(page.get_by_text("Guard closed.")).to_be_visible()
    expect(page.get_by_role("table", name="Wiring of FX-B")).to_contain_text("CHASSIS")
    check_accessible(page)
    say(site["ports"], "HANDS", 'HAND:POW "GB1",0;:HAND:GUAR 0')
    page.keyboard.press("F5")
    expect(page.get_by_text("check that it is on")).to_be_visible()
    expect(page.get_by_text("Guard open.")).to_be_visible()
    expect(page.get_by_role("button", name="Look again")).to_be_enabled()
    check_accessible(page)
    say(site["ports"], "HANDS", 'HAND:POW "GB1",1;:HAND:GUAR 1')
    page.get_by_role("button", name="Look again").click()
    expect(table.get_by_text("answers", exact=True)).to_have_count(19)


def test_a_fixture_is_zeroed_and_checked_from_the_bench_page(
    page: Page, site: dict[str, Any]
) -> None:
    hands = hands_of(site)
    sign_in(page, site, "/bench")
    fixture = page.get_by_role("region", name="Fixture FX-A")
    expect(fixture).to_contain_text("leads zeroed")
    fixture.get_by_role("button", name="Zero the leads").click()
    upkeep = page.get_by_role("region", name="Upkeep")
    expect(upkeep).to_contain_text("Put a shorting plug into nest 1, 2, 3, 4 of FX-A")
    check_accessible(page)
    for nest in "1234":
        hands.put(f"FX-A/{nest}", "SHORT")
    page.keyboard.press("1")
    expect(upkeep).to_contain_text("Take the shorting plug out of nest 1, 2, 3, 4")
    for nest in "1234":
        hands.empty(f"FX-A/{nest}")
    page.keyboard.press("1")
    expect(upkeep).to_contain_text("Zero of FX-A: passed")
    fixture.get_by_text("Impedance paths, open and shorted").click()
    expect(page.get_by_role("table", name="Impedance zeroes of FX-A")).to_contain_text("1.000 kHz")
    upkeep.get_by_role("button", name="Close").click()
    fixture.get_by_role("button", name="Daily check").click()
    for nest in "1234":
        hands.empty(f"FX-A/{nest}")
    hands.do("HAND:REL 5,12,STUCK")
    expect(upkeep).to_contain_text("Empty every nest")
    page.keyboard.press("1")
    expect(upkeep).to_contain_text("row 5 (GB1 low) to column 12 (nest 3 CHASSIS) is stuck closed")
    expect(fixture).to_contain_text("put it right and check again")
    check_accessible(page)
    upkeep.get_by_role("button", name="Close").click()
    hands.do("HAND:REL 5,12,GOOD")
    fixture.get_by_role("button", name="Daily check").click()
    for faults, text in (("", "Empty every nest"), ("", "known-good"), ("bad", "known-bad")):
        expect(upkeep).to_contain_text(text)
        if text != "Empty every nest":
            hands.put("FX-A/1", "REF-BOX", faults)
        page.keyboard.press("1")
    expect(upkeep).to_contain_text("Daily check of FX-A: passed")
    fixture.get_by_text(re.compile("^Daily check of .* passed$")).click()
    expect(page.get_by_role("table", name="Readings of REF-BAD-01")).to_contain_text("FAIL")
    check_accessible(page)
    hands.restore()


def test_anyone_may_verify_a_paper(page: Page, site: dict[str, Any]) -> None:
    with Client(site["url"]) as client:
        client.sign_in(site["name"], site["password"])
        run_id = run_load(client, {"1": "PAPER-1"})
        number = client.run(run_id).units[0].certificate
    page.goto(f"{site['url']}/verify/{number}")
    expect(page.get_by_text("seal, record, paper and ledger agree")).to_be_visible()
    expect(page.get_by_text("PAPER-1")).to_be_visible()
    check_accessible(page)
    page.goto(f"{site['url']}/verify/C-1999-000001")
    expect(page.get_by_text("The paper in your hand is not ours")).to_be_visible()


def test_the_first_route_is_small() -> None:
    """Under 250 kB of JavaScript, gzipped, before the first page shows."""
    import gzip

    folder = Path(__file__).parents[2] / "src" / "loricate" / "_console"
    page = (folder / "index.html").read_text(encoding="utf-8")
    scripts = set(re.findall(r"/(assets/[\w.-]+\.js)", page))
    first = next(folder / name for name in scripts if "index" in name)
    for name in re.findall(r'from"\./([\w.-]+\.js)"', first.read_text(encoding="utf-8")):
        scripts.add(f"assets/{name}")
    size = sum(len(gzip.compress((folder / name).read_bytes())) for name in scripts)
    assert 50_000 < size < 250_000


def test_pages_are_served_with_a_strict_policy(page: Page, site: dict[str, Any]) -> None:
    answer = page.request.get(site["url"] + "/units/anything")
    assert (
        answer.status == 200
        and "frame-ancestors 'none'" in answer.headers["content-security-policy"]
    )
    assert page.request.get(site["url"] + "/assets/none.js").status == 404
