"""Questions of a run in the console: figures with photos, and a unit that seems switched off."""

from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from loricate.client import Client
from loricate.simulator.hands_link import Hands
from tests.conftest import five_steps, release
from tests.console.pages import check_accessible, sign_in
from tests.service.test_photos import entries, photo

pytestmark = pytest.mark.console


def begin(client: Client, sequence: str, serial: str) -> str:
    run = client.create_run(sequence, "FX-A", {"1": serial})
    client.arm_run(run.id)
    client.start_run(run.id)
    return run.id


def test_a_photo_is_taken_beside_a_figure_and_in_its_place(
    page: Page, site: dict[str, Any], client: Client, tmp_path: Path
) -> None:
    release(client, entries("PHOTO-4"))
    picture = tmp_path / "panel.png"
    picture.write_bytes(photo())
    sign_in(page, site, f"/run/{begin(client, 'PHOTO-4', 'PH-4')}")
    question = page.get_by_role("group", name="Question for nest 1")
    expect(question).to_contain_text("Panel voltage")
    enter = question.get_by_role("button", name="Enter figure")
    expect(enter).to_be_disabled()
    check_accessible(page)
    question.get_by_label("with a photo").set_input_files(picture)
    question.get_by_label("Panel voltage").fill("24.2 V")
    enter.click()
    expect(question).to_contain_text("Lamp voltage")
    question.get_by_label("or a photo").set_input_files(picture)
    question.get_by_label("Lamp voltage").fill("")
    question.get_by_role("button", name="Hand in the photo").click()
    expect(page.get_by_test_id("verdict")).to_contain_text("PASS")
    page.goto(site["url"] + "/units/PH-4")
    expect(page.get_by_role("link", name="photo", exact=True)).to_have_count(2)


def test_a_unit_that_seems_switched_off_is_switched_on_and_measured_again(
    page: Page, site: dict[str, Any], client: Client, hands: Hands
) -> None:
    document = {**five_steps(), "code": "OFF-1"}
    document["steps"] = [document["steps"][2]]
    document["steps"][0]["settings"]["seems_off_above"] = "8 GΩ"
    release(client, document)
    hands.put("FX-A/1", "DC-40", "switched_off")
    sign_in(page, site, f"/run/{begin(client, 'OFF-1', 'OFF-A')}")
    question = page.get_by_role("group", name="Question for nest 1")
    expect(question).to_contain_text("the unit seems to be switched off")
    hands.put("FX-A/1", "DC-40")
    expect(question).to_contain_text("Hands in")
    expect(page.get_by_test_id("danger")).to_contain_text("Hands in")
    question.get_by_role("button", name="measure again").click()
    expect(question).to_contain_text("Take your hands out and close the guard")
    check_accessible(page)
    question.get_by_role("button", name="hands are out").click()
    expect(page.get_by_test_id("verdict")).to_contain_text("PASS")
    (unit,) = client.unit("OFF-A")
    assert "Seemed switched off at > " in unit.attempts[0].note
