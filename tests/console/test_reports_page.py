"""Reports over many units: by command and in the console, in every form, stopped, kept by name."""

import csv
import io
import json
import re
import time
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

import pikepdf
import pytest
from lxml import etree
from playwright.sync_api import Page, expect

from loricate.client import Client, WrongStateError
from loricate.core.depths import Depth
from loricate.core.reports import ReportForm, ReportPlan
from loricate.core.searching import UnitSearch
from loricate.papers.unit_tables import NAMESPACE, xsd
from tests.console.hall import PASSWORD, Hall
from tests.console.pages import check_accessible, sign_in
from tests.papers.reading import text_of

pytestmark = pytest.mark.console
LOT, LOAD = "L-F43", "DC40-26-224*"


@pytest.fixture
def client(hall: Hall) -> Iterator[Client]:
    with Client(hall.url) as client:
        client.sign_in("ada", PASSWORD)
        yield client


def test_a_lot_as_one_document_with_a_report_a_unit(
    hall: Hall, client: Client, tmp_path: Path
) -> None:
    told = hall.told(
        *("report", "make", "lot.pdf", "--lot", LOT, "--serial", LOAD, "--depth", "limits"),
        *("--title", "For <the> auditor", "--sign", "Auditor of Fell", "--ledger"),
        *("--keep-as", "Auditor's lot"),
    )  # fmt: skip
    assert "10 units" in told
    with pikepdf.open(hall.folder / "lot.pdf") as made, made.open_outline() as outline:
        named = [each.title for each in outline.root]
        pages = len(made.pages)
    found = list(client.all_units(LOAD, lot=LOT))
    assert named == [each.serial for each in found]
    assert pages >= 1 + len(found)
    text = text_of((hall.folder / "lot.pdf").read_bytes(), tmp_path)
    for each in found:
        assert f"{each.certificate}" in text
    assert "For <the> auditor" in text and "Auditor of Fell" in text
    assert "Quillmere Apparatus, Fellside works" in text and "not sealed" in text
    (first,) = client.unit(found[0].serial)
    for reading in (each for attempt in first.attempts for each in attempt.readings):
        assert reading.text in text
    assert re.search(r"entry \d+, hash [0-9a-f ]+", text)
    short = hall.told(
        *("report", "make", "failed.pdf", "--template", "Auditor's lot"),
        *("--failed-only", "--verdict", "fail", "--depth", "summary"),
    )
    failed = [each for each in found if each.verdict == "fail"]
    assert f"{len(failed)} units" in short and 0 < len(failed) < len(found)
    assert "Auditor's lot" in hall.told("report", "list")
    hall.told("report", "drop", "Auditor's lot")
    assert hall.run("report", "make", "x.pdf", "--template", "Auditor's lot").returncode != 0


def test_every_table_says_what_the_record_says(hall: Hall, client: Client) -> None:
    asked = ("--lot", LOT, "--serial", LOAD)
    for form in ("csv", "xlsx", "xml", "json"):
        hall.told("report", "make", f"lot.{form}", *asked)
    units = {each.serial: each for each in client.find_units(LOAD, lot=LOT)}
    record = {serial: client.unit(serial)[0] for serial in units}
    told = json.loads((hall.folder / "lot.json").read_text("utf-8"))
    assert [each["serial"] for each in told["units"]] == list(units)
    for each in told["units"]:
        own = json.loads(record[each["serial"]].model_dump_json())
        assert [
            (a["step_id"], r["quantity"], r["value"], r["bound"])
            for a in each["attempts"] for r in a["readings"]
        ] == [
            (a["step_id"], r["quantity"], r["value"], r["bound"])
            for a in own["attempts"] for r in a["readings"]
        ]  # fmt: skip
    rows = list(csv.DictReader(io.StringIO((hall.folder / "lot.csv").read_text("utf-8"))))
    assert [
        (row["serial"], row["quantity"], float(row["value"])) for row in rows if row["value"]
    ] == [
        (serial, reading.quantity, reading.value)
        for serial in units
        for attempt in record[serial].attempts
        for reading in attempt.readings
    ]
    document = etree.parse(hall.folder / "lot.xml")
    schema = etree.XMLSchema(etree.fromstring(xsd().encode()))
    assert schema.validate(document), schema.error_log
    assert len(document.findall(f"{{{NAMESPACE}}}unit")) == len(units)
    assert (hall.folder / "lot.xlsx").read_bytes().startswith(b"PK")


def test_what_cannot_be_made_is_said_before_anything_is(hall: Hall) -> None:
    for words, says in (
        (("lot.doc",), "none of the endings"),
        (("kept.pdf", "--depth", "all"), "depth"),
        (("kept.pdf", "--since", "never"), "since"),
    ):
        refused = hall.run("report", "make", *words)
        assert refused.returncode != 0 and says in refused.stderr, refused.stderr
    (hall.folder / "there.pdf").touch()
    assert "is there already" in hall.run("report", "make", "there.pdf").stderr
    assert (
        "'xx' is not one of 'en', 'de'"
        in hall.run("report", "make", "x.pdf", "--language", "xx").stderr
    )
    nothing = hall.told("report", "make", "none.json", "--serial", "NOBODY")
    assert "0 units" in nothing
    assert json.loads((hall.folder / "none.json").read_text())["units"] == []


def test_a_report_that_is_stopped_leaves_nothing(hall: Hall, client: Client) -> None:
    plan = ReportPlan(search=UnitSearch(product="DC-40"), depth=Depth.LIMITS)
    job = client.make_report(plan)
    while client.report_job(job.id).done == 0:
        time.sleep(0.05)
    at = client.report_job(job.id)
    assert at.state == "making" and 0 < at.done < at.total == 400
    with pytest.raises(WrongStateError, match="has no file"):
        client.take_report(job.id, hall.folder / "half.pdf")
    assert client.cancel_report(job.id).state == "stopped"
    assert not (hall.folder / "records" / "reports" / job.id).exists()
    with pytest.raises(WrongStateError, match="stopped already"):
        client.cancel_report(job.id)
    assert ReportForm.PDF == job.form


def test_units_are_picked_by_their_ids(hall: Hall, client: Client) -> None:
    found = list(client.all_units(LOAD, lot=LOT))
    picks = [part for each in found[2:4] for part in ("--pick", each.id)]
    hall.told("report", "make", "picked.json", "--lot", LOT, "--serial", LOAD, *picks)
    told = json.loads((hall.folder / "picked.json").read_text("utf-8"))
    assert [each["serial"] for each in told["units"]] == [each.serial for each in found[2:4]]


def test_the_same_report_in_german_says_the_same(
    hall: Hall, client: Client, tmp_path: Path
) -> None:
    asked = ("--lot", LOT, "--serial", LOAD, "--depth", "limits", "--ledger")
    hall.told("report", "make", "english.pdf", *asked)
    hall.told(
        "report", "make", "german.pdf", *asked, "--language", "de", "--keep-as", "Auf Deutsch"
    )
    english, german = (
        text_of((hall.folder / f"{name}.pdf").read_bytes(), tmp_path, "-layout")
        for name in ("english", "german")
    )
    assert client.report_template("Auf Deutsch").plan.language == "de"
    found = list(client.all_units(LOAD, lot=LOT))
    assert len(re.findall(r"^Seriennummer +", german, re.MULTILINE)) == len(found) + 1
    (first,) = client.unit(found[0].serial)
    for reading in (each for attempt in first.attempts for each in attempt.readings):
        assert reading.text.replace(".", ",") in german
    failed = sum(each.verdict == "fail" for each in found)
    heads = re.findall(r"^ +\S+ +(NICHT BESTANDEN|BESTANDEN)$", german, re.MULTILINE)
    assert Counter(heads) == {"NICHT BESTANDEN": failed, "BESTANDEN": len(found) - failed}
    for words in ("PASS", "Limit of", "calibrated", "Withstand voltage AC", " to 5", "was 9"):
        assert words not in german
    assert "PASS" in english and "calibrated" in english


def test_a_report_is_made_kept_and_taken_in_the_console(page: Page, hall: Hall) -> None:
    sign_in(page, hall.site, f"/units?lot={LOT}&serial={LOAD}")
    page.get_by_role("button", name="Report", exact=True).click()
    panel = page.get_by_role("region", name="Report", exact=True)
    expect(panel.get_by_role("heading")).to_have_text("Report of these 10 units in runs")
    failed = page.get_by_role("button", name="4 fail", exact=True)
    failed.click()
    expect(panel.get_by_role("heading")).to_have_text("Report of these 4 units in runs")
    failed.click()
    expect(panel.get_by_role("heading")).to_have_text("Report of these 10 units in runs")
    panel.get_by_label("Title").fill("Made by hand")
    panel.get_by_label("Language").select_option("Deutsch")
    panel.get_by_label("Form").select_option("json")
    check_accessible(page)
    panel.get_by_label("Keep it as").fill("By hand")
    panel.get_by_role("button", name="Keep", exact=True).click()
    panel.get_by_role("button", name="Make report").click()
    line = panel.get_by_role("listitem").filter(has_text="Made by hand").first
    with page.expect_download() as coming:
        line.get_by_role("link", name=re.compile("10 units")).click()
    told = json.loads(Path(str(coming.value.path())).read_text("utf-8"))
    assert (told["title"], told["count"]) == ("Made by hand", 10)
    found = page.get_by_role("table", name="Units found")
    picked = [found.get_by_role("checkbox").nth(place) for place in (1, 4)]
    for each in picked:
        each.check()
    expect(panel.get_by_role("heading")).to_have_text("Report of the 2 units picked below")
    check_accessible(page)
    panel.get_by_label("Title").fill("Two of them")
    panel.get_by_role("button", name="Make report").click()
    line = panel.get_by_role("listitem").filter(has_text="Two of them").first
    with page.expect_download() as coming:
        line.get_by_role("link", name=re.compile("2 units")).click()
    told = json.loads(Path(str(coming.value.path())).read_text("utf-8"))
    names = [each.get_attribute("aria-label") or "" for each in picked]
    assert [f"Pick {each['serial']} of" for each in told["units"]] == [
        name.partition(" of ")[0] + " of" for name in names
    ]
    page.goto(f"{hall.url}/units")
    page.get_by_role("button", name="Report", exact=True).click()
    panel.get_by_label("As one that is kept").select_option("By hand")
    expect(page).to_have_url(re.compile(f"lot={LOT}"))
    expect(panel.get_by_label("Title")).to_have_value("Made by hand")
    panel.get_by_label("Form").select_option("pdf")
    expect(panel.get_by_label("Language")).to_have_value("de")
