"""Writing a sequence in the console: steps, review, challenge, release and withdrawal."""

import re
import tomllib
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Locator, Page, expect

from loricate.client import Client
from tests.conftest import five_steps, release, second_engineer
from tests.console.pages import check_accessible, sign_in
from tests.rig import DEMO

pytestmark = pytest.mark.console


def final_test(code: str) -> dict[str, Any]:
    return {**five_steps(), "code": code}


def steps(page: Page) -> Locator:
    return page.get_by_role("listbox", name="Steps")


def step_ids(page: Page) -> list[str]:
    found: list[str] = (
        steps(page).get_by_role("option").evaluate_all("rows => rows.map(row => row.dataset.step)")
    )
    return found


def step_row(page: Page, step_id: str) -> Locator:
    return steps(page).locator(f'[data-step="{step_id}"]')


def test_a_sequence_is_written_reviewed_challenged_and_released(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    sign_in(page, site, "/sequences")
    page.get_by_label("New sequence").fill("ED-1")
    page.get_by_label("For product").select_option("DC-40")
    page.keyboard.press("Enter")
    add = page.get_by_label("Add a step", exact=True)
    expect(add.locator("option", has_text="Ground bond")).to_be_attached()
    offered = add.locator("option").all_inner_texts()
    assert "Ground bond" in offered and "Polarity of a cord" not in offered
    add.select_option("ground_bond")
    page.get_by_label("Accessible part").fill("CHASSIS")
    page.get_by_label("Source").fill("IEC-60335-1-A")
    review = page.get_by_role("region", name="Review")
    expect(review).to_contain_text("tests the insulation of an appliance")
    add.select_option("withstand")
    page.get_by_label("High terminals").fill("L, N")
    page.get_by_label("Low terminals").fill("PE")
    page.get_by_label("Test voltage").fill("900 volts")
    expect(page.get_by_role("alert").first).to_contain_text("unit 'volts', which is not known")
    page.get_by_label("Test voltage").fill("900 V")
    current = page.get_by_role("group", name="Limit of current")
    current.get_by_label("Minimum").fill("0.4 mA")
    current.get_by_label("Maximum").fill("5 mA")
    current.get_by_label("Source").fill("IEC-60335-1-A")
    expect(review).to_contain_text("short of the 1.000 kV that IEC-60335-1-A/withstand-basic asks")
    page.get_by_label("Test voltage").fill("1.1 kV")
    expect(review).not_to_contain_text("short of the 1.000 kV")
    page.get_by_role("button", name="Run against every fault").click()
    faults = page.get_by_role("table", name="Faults by steps")
    expect(faults.get_by_role("row", name=re.compile("cracked_insulator"))).to_contain_text(
        "breakdown"
    )
    expect(faults.get_by_role("row", name=re.compile("wet"))).to_contain_text("MISSED")
    check_accessible(page)
    page.get_by_label("Test voltage").fill("900 V")
    page.reload()  # a closed tab loses nothing
    expect(page.get_by_label("Test voltage")).to_have_value("900 V")
    page.get_by_role("button", name="Store as a draft").click()
    expect(page.get_by_text("revision 1, draft")).to_be_visible()
    panel = page.get_by_role("region", name="Release")
    panel.get_by_label(re.compile("short of the 1.000 kV")).fill("drawing 4 asks for 900 V")
    panel.get_by_label("What changed").fill("first issue")
    panel.get_by_role("button", name="Release this draft").click()
    expect(page.get_by_text("a second engineer has to leave it")).to_be_visible()
    with second_engineer(client) as other:
        reasons = {"short_of_standard@withstand": "drawing 4 asks for 900 V"}
        other.release_sequence("ED-1", "first issue", reasons)
    page.reload()
    expect(page.get_by_text("revision 1, released")).to_be_visible()
    stored = client.sequence("ED-1")
    assert [step.kind for step in stored.steps] == ["ground_bond", "withstand"]
    assert stored.release is not None and stored.release.accepted[0].rule == "short_of_standard"
    page.get_by_label("Withdraw revision 1, because").fill("900 V was wrong")
    page.get_by_role("button", name="Withdraw", exact=True).click()
    expect(page.get_by_role("table", name="Revisions")).to_contain_text(
        "withdrawn by mara: 900 V was wrong"
    )


def test_steps_are_moved_switched_off_cut_pasted_and_undone(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    release(client, final_test("ED-2"))
    release(client, final_test("ED-3"))
    sign_in(page, site, "/sequences/ED-2?step=earth")
    expect(steps(page).get_by_role("option").first).to_be_visible()
    start = ["look", "earth", "insulation", "withstand", "leakage"]
    assert step_ids(page) == start
    earth = step_row(page, "earth")
    earth.focus()
    page.keyboard.press("Alt+ArrowDown")
    moved = ["look", "insulation", "earth", "withstand", "leakage"]
    expect(steps(page).get_by_role("option").nth(2)).to_have_attribute("data-step", "earth")
    assert step_ids(page) == moved
    review = page.get_by_role("region", name="Review")
    expect(review).to_contain_text("only after 'insulation' has put voltage on the unit")
    step_row(page, "leakage").drag_to(steps(page).get_by_role("option").first)
    assert step_ids(page)[0] == "leakage"
    page.get_by_role("button", name="Undo").click()
    page.get_by_role("button", name="Undo").click()
    assert step_ids(page) == start
    step_row(page, "insulation").click()
    page.get_by_role("button", name="Duplicate").click()
    assert step_ids(page)[3] == "insulation-2"
    page.get_by_role("button", name="Switch off").click()
    expect(steps(page).get_by_role("option").nth(3)).to_contain_text("switched off")
    page.get_by_role("button", name="Store as a draft").click()
    expect(page.get_by_text("revision 2, draft")).to_be_visible()
    assert len(client.sequence("ED-2").steps) == 5, "what is switched off is not performed"
    assert len(client.sequence("ED-2").document["steps"]) == 6, "and stays in the document"
    step_row(page, "insulation-2").click()
    page.get_by_role("button", name="Cut").click()
    assert step_ids(page) == start
    page.goto(site["url"] + "/sequences/ED-3?step=look")
    page.get_by_role("button", name="Paste").click()
    assert step_ids(page)[1] == "insulation-2", "after the selected one"
    check_accessible(page)


def test_a_step_is_rehearsed_and_its_reading_taken_as_a_limit(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    document = final_test("ED-5")
    client.add_sequence({**document, "steps": document["steps"][:2]})
    sign_in(page, site, "/sequences/ED-5?step=earth")
    panel = page.get_by_role("region", name="Rehearsal")
    panel.get_by_label("Nest").select_option("2")
    panel.get_by_role("button", name="Rehearse every step").click()
    expect(panel).to_contain_text("Nest 2 of FX-A will be energised")
    check_accessible(page)
    panel.get_by_role("button", name="Start the rehearsal").click()
    question = panel.get_by_role("group", name="Question for nest 2")
    question.get_by_role("button", name="pass").click()
    readings = panel.get_by_role("table", name="Readings of the rehearsal")
    expect(readings).to_contain_text("≤ 200 mΩ")
    expect(panel).to_contain_text("Nothing was recorded")
    check_accessible(page)
    panel.get_by_label("Reading", exact=True).select_option(index=0)
    panel.get_by_label("allowing").fill("20 %")
    panel.get_by_role("button", name="Take it over").click()
    expect(panel.get_by_role("status")).to_contain_text("earth: maximum")
    maximum = page.get_by_role("group", name="Limit of resistance").get_by_label("Maximum")
    expect(maximum).to_have_value(re.compile(r"^\d+(\.\d+)? mΩ$"))
    page.get_by_role("button", name="Undo").click()
    expect(maximum).to_have_value("")
    panel.get_by_role("button", name="Rehearse earth").click()
    expect(panel).to_contain_text("will be energised")
    panel.get_by_role("button", name="Leave it").click()
    expect(panel).not_to_contain_text("will be energised")
    assert client.find_units("rehearsal") == [], "nothing was recorded"


def test_whoever_stands_at_the_bench_can_abort_a_rehearsal(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    found = client.prepare_rehearsal(final_test("ED-6"), "FX-A", "1", ["look"])
    client.start_rehearsal(found.id)
    sign_in(page, site, "/run")
    note = page.get_by_role("status").filter(has_text="busy with a rehearsal of ED-6 by mara")
    expect(note).to_be_visible()
    check_accessible(page)
    note.get_by_role("button", name="Abort the rehearsal").click()
    expect(note).not_to_be_visible()
    assert client.rehearsal(found.id).state == "aborted"


def test_a_file_is_opened_changed_stored_and_saved(
    page: Page, site: dict[str, Any], client: Client, tmp_path: Path
) -> None:
    text = (DEMO / "sequences" / "dc40-final.toml").read_text(encoding="utf-8")
    file = tmp_path / "mine.toml"
    file.write_text(text.replace('"DC40-FINAL"', '"ED-7"').replace('"500 V"', '"500 volts"'))
    sign_in(page, site, "/sequences")
    page.get_by_label("Open a TOML file").set_input_files(file)
    expect(page.get_by_role("heading", name="ED-7")).to_be_visible()
    step_row(page, "insulation").click()
    expect(page.get_by_role("alert").first).to_contain_text("unit 'volts', which is not known")
    page.get_by_role("textbox", name="Test voltage").fill("500 V")
    page.get_by_role("button", name="Store as a draft").click()
    expect(page.get_by_text("revision 1, draft")).to_be_visible()
    with page.expect_download() as saved:
        page.get_by_role("link", name="TOML file").click()
    saved.value.save_as(tmp_path / "saved.toml")
    again = tomllib.loads((tmp_path / "saved.toml").read_text(encoding="utf-8"))
    assert again == client.sequence("ED-7").document
    page.get_by_role("textbox", name="Test voltage").fill("750 V")
    page.goto(site["url"] + "/sequences")
    page.get_by_label("Open a TOML file").set_input_files(file)
    expect(page.get_by_role("alert")).to_contain_text("keeps changes of ED-7 already")
    file.write_text("code = ")
    page.get_by_label("Open a TOML file").set_input_files(file)
    expect(page.get_by_role("alert")).to_contain_text("is not TOML")
    check_accessible(page)


def test_two_engineers_on_one_draft_are_told(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    client.add_sequence(final_test("ED-4"))
    sign_in(page, site, "/sequences/ED-4?step=look")
    page.get_by_label("Title").first.fill("His")
    client.add_sequence({**final_test("ED-4"), "title": "Hers"})
    page.get_by_role("button", name="Store as a draft").click()
    expect(page.get_by_role("alert").first).to_contain_text("changed by mara meanwhile")
    expect(page.get_by_label("Title").first).to_have_value("His")
    assert client.sequence("ED-4").title == "Hers"
