"""A kind that does not ship, at the bench: its form is asked for whole, its meters are live."""

from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from loricate.client import Client
from tests.console.pages import check_accessible, sign_in
from tests.rotor import PASSWORD, Rotor, engineer_of, rotor_site

pytestmark = pytest.mark.console


@pytest.fixture(scope="module")
def rotor(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Rotor]:
    with rotor_site(tmp_path_factory.mktemp("rotor")) as site:
        yield site


@pytest.fixture(scope="module")
def client(rotor: Rotor) -> Iterator[Client]:
    with engineer_of(rotor) as client:
        yield client


def test_a_form_is_filled_in_at_the_run_page(page: Page, rotor: Rotor, client: Client) -> None:
    run = client.create_run("ROTOR-T", "FX-A", {"1": "R-50"})
    client.arm_run(run.id)
    sign_in(page, {"url": rotor.url, "name": "mara", "password": PASSWORD}, f"/run/{run.id}")
    client.start_run(run.id)
    form = page.get_by_role("group", name="Question for nest 1")
    room = form.get_by_role("textbox", name="Room")
    grease = form.get_by_role("group", name="Grease")
    expect(room).to_have_value("23 °C")
    expect(room).to_be_focused()
    check_accessible(page)
    room.fill("lukewarm")
    room.press("Enter")
    grease.get_by_role("button", name="thick").click()
    expect(form).to_contain_text("'lukewarm' is not a number followed by a unit")
    room.fill("24.5 °C")
    room.press("Enter")
    expect(grease.get_by_role("button", name="thick")).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("verdict")).to_have_text("PASS", timeout=20_000)
    (answer,) = client.run(run.id).units[0].answers
    assert answer.choice == "Room 24.5 °C, Grease thick"
    # Two speeds: a row each, and what was measured of the rotor as a whole beside them.
    page.goto(f"{rotor.url}/units/R-50")
    points = page.get_by_role("table", name="Points of")
    expect(page.get_by_text("All of 2 points passed.")).to_be_visible()
    expect(
        points.get_by_role("columnheader", name="rate ≥ 60 /min drawing of the rotor")
    ).to_have_count(1)
    expect(points.get_by_role("row", name="slow")).to_contain_text("not judged: it had no time")
    expect(points.get_by_role("row", name="fast")).to_contain_text("/min")
    check_accessible(page)
