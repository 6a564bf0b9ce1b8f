"""Documents in the console: found, seen coming, verified, approved, revoked; keys; the air."""

import json
import re
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from loricate.client import Client
from loricate.simulator.hands_link import Hands
from tests.conftest import run_load
from tests.console.pages import check_accessible, sign_in

pytestmark = pytest.mark.console
GOOD = "DC40-26-0117"


def certified(client: Client, lot: str = "") -> str:
    """The number of a fresh certificate."""
    return str(client.run(run_load(client, {"1": GOOD}, lot=lot)).units[0].certificate)


def as_quality(page: Page, site: dict[str, Any], path: str) -> None:
    """Sign in as quality and go there."""
    sign_in(page, {**site, "name": "ines"}, path)


def test_quality_approves_a_document_and_revokes_it_with_a_reason(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    number = certified(client)
    as_quality(page, site, f"/certificates?number={number}")
    table = page.get_by_role("table", name="Documents")
    expect(table.get_by_role("link", name=number)).to_be_visible()
    check_accessible(page)
    page.get_by_role("button", name=f"Approve {number}").click()
    page.get_by_role("button", name="Approve", exact=True).click()
    expect(page.get_by_role("status").first).to_contain_text("Approved (A-")
    expect(table).to_contain_text("Approved")
    page.get_by_role("button", name=f"Revoke {number}").click()
    page.get_by_label("Reason, which stands on every copy").fill("Bond source out of tolerance")
    check_accessible(page)
    page.get_by_role("button", name="Revoke", exact=True).click()
    expect(page.get_by_role("status").first).to_contain_text("is revoked (X-")
    expect(table).to_contain_text("Revoked (X-")
    expect(page.get_by_role("button", name=f"Revoke {number}")).to_have_count(0)
    page.goto(f"{site['url']}/units/{GOOD}")
    expect(page.get_by_text("Revoked (X-").first).to_be_visible()
    page.goto(f"{site['url']}/verify/{number}")
    expect(page.get_by_text("Bond source out of tolerance").first).to_be_visible()


def test_who_is_not_quality_sees_documents_and_acts_on_none(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    number = certified(client)
    sign_in(page, site, f"/certificates?number={number}")
    expect(page.get_by_role("link", name=number)).to_be_visible()
    expect(page.get_by_role("button", name=re.compile("Revoke|Approve"))).to_have_count(0)


def test_a_document_is_printed_and_what_the_printer_waits_for_is_shown(
    page: Page, site: dict[str, Any], client: Client, hands: Hands
) -> None:
    number = certified(client)
    hands.printer("EMPTY")
    sign_in(page, site, f"/certificates?number={number}")
    page.get_by_role("button", name=f"Print {number}").click()
    told = f"{number} goes to the printer; what it waits for there stands in the outbox."
    expect(page.get_by_role("status").first).to_have_text(told)
    page.goto(f"{site['url']}/people")
    waiting = page.get_by_role("table", name="What waits to be sent")
    expect(waiting).to_contain_text("there is no paper in it.", timeout=30_000)
    hands.printer("READY")
    page.get_by_role("button", name="Try now").click()
    expect(waiting).to_have_count(0, timeout=30_000)
    assert len(list((site["folder"] / "printed").glob(f"* {number} (*).pdf"))) == 1


def test_a_file_is_verified_where_it_lies(
    page: Page, site: dict[str, Any], client: Client, tmp_path: Path
) -> None:
    number = certified(client)
    paper, data = tmp_path / "paper.pdf", tmp_path / "data.json"
    paper.write_bytes(client.certificate_pdf(number))
    data.write_text(client.certificate(number).replace(GOOD, "DC40-26-0711"), encoding="utf-8")
    sign_in(page, site, "/certificates")
    chooser = page.get_by_label("PDF or signed data")
    told = page.get_by_role("region", name="Verify a file")
    chooser.set_input_files(paper)
    expect(told).to_contain_text("Genuine, and it counts")
    expect(told).to_contain_text(number)
    check_accessible(page)
    chooser.set_input_files(data)
    expect(told).to_contain_text("Not genuine")


def test_a_lot_is_summed_up_and_approved(page: Page, site: dict[str, Any], client: Client) -> None:
    client.open_lot("L-CONSOLE", "DC-40", f"{GOOD}..DC40-26-0118")
    run_load(client, {"1": GOOD}, lot="L-CONSOLE")
    as_quality(page, site, "/lots/L-CONSOLE")
    page.get_by_role("button", name="Issue its summary").click()
    expect(page.get_by_role("status")).to_contain_text("Issued L-")
    page.get_by_role("link", name="Its documents").click()
    page.get_by_role("button", name="Approve lot L-CONSOLE").click()
    page.get_by_role("button", name="Approve", exact=True).click()
    expect(page.get_by_role("status").first).to_contain_text("Approved (A-")
    kinds = {each.kind for each in client.certificates(lot="L-CONSOLE", standing="approved")}
    assert kinds == {"certificate", "lot"}


def test_the_run_page_shows_papers_coming_and_then_there(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    """The page asks for itself until they are; what it was told first is held back here."""
    run_id = run_load(client, {"1": GOOD})
    held = {"back": True}

    def as_it_was(route: Any) -> None:
        answer = route.fetch()
        told = answer.json()
        if held["back"]:
            told["documents"] = "issued"
            told["units"][0]["paper"] = "coming"
        route.fulfill(response=answer, body=json.dumps(told))

    page.route(f"**/api/v1/runs/{run_id}", as_it_was)
    sign_in(page, site, f"/run/{run_id}")
    expect(page.get_by_role("status").first).to_contain_text("paper is being made")
    held["back"] = False
    expect(page.get_by_role("link", name=re.compile("Certificate C-"))).to_be_visible()


def test_the_keys_of_the_site_are_shown(page: Page, site: dict[str, Any]) -> None:
    sign_in(page, site, "/people")
    table = page.get_by_role("table", name="Keys of the site")
    expect(table).to_contain_text("papers")
    expect(table).to_contain_text("in use")
    expect(page.get_by_role("link", name="Public keys (JWK set)")).to_be_visible()


def test_a_key_is_prepared_and_begun(page: Page, site: dict[str, Any], client: Client) -> None:
    """It signs nothing before it is begun, and what the former one signed still holds."""
    number = certified(client)
    sign_in(page, site, "/people")
    keys = page.get_by_role("region", name="Keys")
    keys.get_by_role("button", name="Prepare the next key for papers").click()
    expect(keys.get_by_role("status")).to_contain_text("Hand out the public keys")
    row = keys.get_by_role("row").filter(has_text="next")
    expect(row).to_have_count(1)
    kid = row.get_by_role("cell").first.inner_text()
    state = {each.kid: each.state for each in client.keys()}
    assert state[kid] == "next", "known, and in use by nobody"
    row.get_by_role("button", name="Begin").click()
    expect(keys.get_by_role("status")).to_contain_text("It signs from now on")
    expect(keys.get_by_role("row").filter(has_text=kid)).to_contain_text("in use")
    check_accessible(page)
    told = client.verify_file(client.certificate_pdf(number))
    assert told.genuine and told.counts


def test_the_air_is_said_again_where_the_load_is_made(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    client.note_ambient("20 °C", "40 %")
    sign_in(page, site, "/run")
    expect(page.get_by_text("Ambient 20.0 °C, 40 %")).to_be_visible()
    page.get_by_role("button", name="Say it again").click()
    page.get_by_label("Temperature").fill("22")
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_role("alert")).to_contain_text("unit")
    page.get_by_label("Temperature").fill("22.5 °C")
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_text("Ambient 22.5 °C")).to_be_visible()
    check_accessible(page)
