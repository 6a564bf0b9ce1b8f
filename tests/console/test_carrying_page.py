"""What another works carried in: taken in by command, seen in the console, and worth looking at."""

import json
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from loricate.client import Client
from tests.console.hall import FILE, PASSWORD, Hall
from tests.console.pages import check_accessible, sign_in

pytestmark = pytest.mark.console


def test_each_thing_is_taken_once_and_the_list_says_what_came(hall: Hall) -> None:
    assert "Nothing new" in hall.told("carry", "in", FILE)
    listed = hall.told("carry", "list")
    assert "BENCH-5" in listed and "400" in listed
    assert json.loads((hall.folder / "back.json").read_text())["format"] == "loricate-receipt/1"
    wrong = hall.run("carry", "received", "back.json")
    assert wrong.returncode != 0 and "another site" in wrong.stderr
    (hall.folder / "no.json").write_text("{}")
    broken = hall.run("carry", "received", "no.json")
    assert broken.returncode != 0 and "is no receipt" in broken.stderr
    told = json.loads(hall.told("carry", "out", "hall.carried", "--no-papers", "--json"))
    assert told["records"] > 0 and (hall.folder / "hall.carried").stat().st_size == told["bytes"]
    own = hall.run("carry", "in", "hall.carried")
    assert own.returncode != 0 and "own records" in own.stderr
    assert hall.run("carry", "out", "hall.carried").returncode != 0, "nothing is overwritten"
    assert "Everything is as it was stored" in hall.told("records", "check")


def test_the_history_has_a_drift_a_bad_lot_and_a_worn_contact(hall: Hall) -> None:
    asked = {"product": "DC-40", "since": "2026-08-01"}
    with Client(hall.url) as client:
        client.sign_in("ada", PASSWORD)
        drift = client.trend("insulation", "resistance", point="", **asked)
        assert "minimum" in drift.forecast.text and drift.chart and drift.chart.signals
        worn = client.trend("earth", "resistance", by="nest", **asked)
        out = {each.name for each in worn.groups if each.stands_out}
        assert out == {"FX-B/5 (BENCH-5)"}
        lots = {each.name: each for each in client.yields("lot", **asked).groups}
    worst = min(lots, key=lambda name: lots[name].passed_first / lots[name].tested)
    assert worst == "L-F43" and len(lots) == 13


def test_what_was_carried_in_is_seen_with_its_bench(page: Page, hall: Hall) -> None:
    sign_in(page, hall.site, "/people")
    carrying = page.get_by_role("region", name="Carrying")
    row = carrying.get_by_role("row", name="BENCH-5")
    expect(row).to_contain_text("Quillmere Apparatus, Fellside works")
    expect(row.get_by_role("cell", name="400", exact=True).first).to_be_visible()
    check_accessible(page)
    carrying.get_by_label("Take in a file").set_input_files(FILE)
    expect(carrying.get_by_role("status")).to_contain_text("Nothing new")
    with page.expect_download() as coming:
        carrying.get_by_role("button", name="Carry out what was not carried yet").click()
    assert coming.value.suggested_filename.endswith(".carried")
    with page.expect_download() as coming:
        carrying.get_by_role("button", name="Receipt for the bench").click()
    receipt = json.loads(Path(str(coming.value.path())).read_text())
    carrying.get_by_label("Receipt that came back").set_input_files(
        {"name": "r.json", "mimeType": "application/json", "buffer": json.dumps(receipt).encode()}
    )
    expect(carrying.get_by_role("alert")).to_contain_text("another site")
    page.goto(f"{hall.url}/units?lot=L-F43")
    table = page.get_by_role("table", name="Units found")
    expect(table.get_by_role("row").nth(1)).to_contain_text("BENCH-5")
    table.get_by_role("link").first.click()
    expect(page.get_by_text("BENCH-5,")).to_be_visible()
    page.goto(f"{hall.url}/certificates?of=BENCH-5")
    expect(page.get_by_label("Ledger of")).to_have_value("BENCH-5")
    expect(page.get_by_role("table").get_by_role("row").nth(1)).to_contain_text("-2026-")
    check_accessible(page)
