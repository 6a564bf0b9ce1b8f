"""People in the console: added, given roles and passwords, audited; a new site's first engineer."""

import datetime as dt
import io
import json
import re
import subprocess
import sys
from pathlib import Path
from typing import Any

import numpy
import pyotp
import pytest
import zxingcpp
from PIL import Image
from playwright.sync_api import Page, expect

from loricate.client import Client, NotSignedInError
from loricate.commands.demo_site import free_port, wait_for
from tests.console.pages import check_accessible, sign_in
from tests.rig import PATIENCE_S, copy_bench

pytestmark = pytest.mark.console


def test_somebody_is_added_and_chooses_a_password(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    sign_in(page, site, "/people")
    page.get_by_label("New account").fill("siv")
    page.get_by_label("Full name").fill("Siv Berg")
    page.get_by_role("button", name="Add account").click()
    told = page.get_by_role("status")
    expect(told).to_contain_text("siv signs in with")
    once = told.locator("code").inner_text()
    check_accessible(page)
    page.get_by_label("Role of siv").select_option("quality")
    expect(page.get_by_role("table", name="Audit trail")).to_contain_text("change account")
    page.get_by_label("To", exact=True).fill("siv")
    expect(page).to_have_url(re.compile("subject=siv"))
    expect(page.get_by_role("table", name="Audit trail")).not_to_contain_text("sign in")
    page.get_by_role("button", name="Sign out", exact=True).click()
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()
    sign_in(page, {**site, "name": "siv", "password": once}, "/units")
    expect(page.get_by_role("heading", name="Password")).to_be_visible()
    page.get_by_label("Present password").fill(once)
    page.get_by_label("New password").fill("siv-chooses-1")
    page.get_by_label("The new one again").fill("siv-chooses-2")
    page.get_by_role("button", name="Change password").click()
    expect(page.get_by_role("alert")).to_contain_text("typed differently")
    page.get_by_label("The new one again").fill("siv-chooses-1")
    page.get_by_role("button", name="Change password").click()
    expect(page.get_by_role("heading", name="Units")).to_be_visible()
    page.get_by_role("link", name="Siv Berg").click()
    check_accessible(page)
    page.get_by_role("button", name="Sign out everywhere").click()
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()
    accounts = {each.name: (each.role, each.must_change) for each in client.accounts()}
    assert accounts["siv"] == ("quality", False)


def test_a_new_site_begins_with_the_code_from_its_log(page: Page, tmp_path: Path) -> None:
    bench = copy_bench(tmp_path)
    port = free_port()
    log = (tmp_path / "log").open("w+", encoding="utf-8")
    service = subprocess.Popen(
        [sys.executable, "-m", "loricate", "serve", "--bench", str(bench), "--data",
         str(tmp_path / "records"), "--port", str(port)],
        stderr=log,
    )  # fmt: skip
    try:
        with Client(f"http://127.0.0.1:{port}") as client:
            wait_for(client)
        lines = (tmp_path / "records" / "loricate.log").read_text(encoding="utf-8").splitlines()
        told = [json.loads(line) for line in lines if "no account yet" in line]
        assert f"code: {told[0]['code']}" in (tmp_path / "log").read_text(encoding="utf-8")
        page.goto(f"http://127.0.0.1:{port}/")
        page.get_by_label("Code").fill(told[0]["code"])
        page.get_by_label("Name", exact=True).fill("mara")
        page.get_by_label("Full name").fill("Mara Quill")
        page.get_by_label("Password, at least 10 signs").fill("mara-chooses-1")
        check_accessible(page)
        page.get_by_role("button", name="Make the first engineer").click()
        expect(page.get_by_role("button", name="Sign out", exact=True)).to_be_visible()
        page.get_by_role("link", name="Products").click()
        expect(page.get_by_text("No product yet. Give the first one a code above.")).to_be_visible()
        page.goto("about:blank")  # an open stream would be told as cut off
    finally:
        service.terminate()
        service.wait(timeout=PATIENCE_S)
        log.close()


def test_the_records_are_checked_and_the_trail_exported(page: Page, site: dict[str, Any]) -> None:
    sign_in(page, site, "/people")
    page.get_by_role("button", name="Check the records").click()
    told = page.get_by_role("region", name="Records").get_by_role("status")
    expect(told).to_contain_text("Everything is as it was stored")
    with page.expect_download() as coming:
        page.get_by_role("link", name="Export all of it").click()
    assert coming.value.path().read_text().startswith("number,at,account,action")


def test_sessions_are_seen_and_ended_and_a_code_goes_with_the_password(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    once = client.add_account("tyra", "Tyra Holm", "quality").password
    with Client(site["url"]) as other:
        other.sign_in("tyra", once)
        other.change_password(once, "tyra-chooses-1")
        sign_in(page, {**site, "name": "tyra", "password": "tyra-chooses-1"}, "/password")
        table = page.get_by_role("table", name="Sessions")
        expect(table).to_contain_text("this browser")
        check_accessible(page)
        page.get_by_role("button", name=re.compile("End the session of")).first.click()
        expect(page.get_by_role("button", name=re.compile("End the session of"))).to_have_count(0)
        with pytest.raises(NotSignedInError):
            other.me()
    page.get_by_label("Your password").fill("tyra-chooses-1")
    page.get_by_role("button", name="Set up codes").click()
    section = page.get_by_role("region", name="One-time codes")
    secret = section.locator("code").inner_text()
    square = section.get_by_role("img").screenshot()
    with Image.open(io.BytesIO(square)) as image:
        (found,) = zxingcpp.read_barcodes(numpy.asarray(image))
    assert f"secret={secret}" in found.text
    check_accessible(page)
    codes = pyotp.TOTP(secret)
    earlier = codes.at(dt.datetime.now(dt.UTC), counter_offset=-1)
    page.get_by_label("Code that it shows").fill(earlier)
    page.get_by_role("button", name="Begin codes").click()
    expect(section).to_contain_text("goes with your password")
    page.get_by_role("button", name="Sign out", exact=True).click()
    page.get_by_label("Name").fill("tyra")
    page.get_by_label("Password").fill("tyra-chooses-1")
    page.get_by_role("button", name="Sign in").click()
    page.get_by_label("One-time code").fill(codes.now())
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("link", name="Tyra Holm")).to_be_visible()


def test_whoever_signs_in_again_finds_the_page_as_it_was_left(
    page: Page, site: dict[str, Any], client: Client
) -> None:
    once = client.add_account("wilma", "Wilma Ek", "engineer").password
    with Client(site["url"]) as other:
        other.sign_in("wilma", once)
        other.change_password(once, "wilma-chooses-1")
        sign_in(page, {**site, "name": "wilma", "password": "wilma-chooses-1"}, "/people")
        page.get_by_label("Full name").fill("typed before the end")
        for each in other.sessions():
            if not each.is_this:
                other.end_session(each.id)
    page.get_by_role("button", name="Check the records").click()
    again = page.get_by_role("dialog", name="Sign in again")
    expect(again).to_contain_text("This page stays as you left it")
    check_accessible(page)
    again.get_by_label("Name").fill("wilma")
    again.get_by_label("Password").fill("not this one")
    again.get_by_role("button", name="Sign in").click()
    expect(again.get_by_role("alert")).to_contain_text("is wrong")
    again.get_by_label("Password").fill("wilma-chooses-1")
    again.get_by_role("button", name="Sign in").click()
    expect(again).to_have_count(0)
    expect(page.get_by_label("Full name")).to_have_value("typed before the end")
    page.get_by_role("button", name="Check the records").click()
    expect(page.get_by_text("Everything is as it was stored")).to_be_visible()
