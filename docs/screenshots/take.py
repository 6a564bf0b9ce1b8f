"""Take the pictures in this folder from the demo: ``make pictures``.

Starts a demo site of its own, drives the console in Chromium, runs the CLI, and turns a certificate
and a nonconformance report into PNG with poppler's pdftoppm.
"""

import html
import os
import re
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

from PIL import Image
from playwright.sync_api import Browser, Page, sync_playwright

from loricate.client import Client
from loricate.commands import demo_site
from loricate.commands.example import running_site
from loricate.simulator.hands_link import Hands

HERE = Path(__file__).parent
SIZE = {"width": 1280, "height": 800}
CHROMIUM = [
    "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
]  # fmt: skip
SERIALS = {nest: f"DC40-26-01{16 + int(nest)}" for nest in "1234"}


LEAD = "CL7-26-0302"


def try_lead(client: Client, hands: Hands) -> None:
    """Test the lead in nest 2 of FX-C, which has two wires crossed; turn its switch when asked."""
    run = client.create_run("LEAD-FINAL", "FX-C", {"2": LEAD})
    client.arm_run(run.id)
    client.start_run(run.id)
    for event in client.events(run.id):
        if event.name == "question" and "FAST" in str(event.data["question"]):
            hands.turn("FX-C/2", "FAST")
        elif event.name == "question":
            client.answer(run.id, "2", event.data["choices"][0])
    client.wait_for_papers(run.id)


NEXT = "CL7-26-####"
NOW = "Take the unit out of nest 1: "


def take_series(page: Page, url: str, hands: Hands) -> None:
    """Test three leads on one arming, the last with two wires crossed and one broken."""
    page.goto(f"{url}/run?sequence=LEAD-FINAL&fixture=FX-C")
    page.get_by_label("Start by").select_option("series")
    page.get_by_label("Serials").select_option("counted")
    page.get_by_label("First serial, or pattern").fill(NEXT)
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Arm high voltage").wait_for()
    page.keyboard.press("F8")
    for faults in ("", "", "swapped X2:3 X2:4|open HORN"):
        page.get_by_text("Take the unit out of nest 1").first.wait_for()
        hands.empty("FX-C/1")
        page.get_by_text("into nest 1.").first.wait_for()
        hands.put("FX-C/1", "CL-7", faults)
        for asked in ("Both plugs whole", "position FAST", "Take your hands out"):
            page.get_by_text(asked).first.wait_for(timeout=60_000)
            if "FAST" in asked:
                hands.turn("FX-C/1", "FAST")
            else:
                page.wait_for_timeout(200)
                page.keyboard.press("1")
        page.get_by_text(NOW).first.wait_for(timeout=120_000)
    page.get_by_text("HORN is open between").wait_for()
    page.get_by_role("table", name="Units, the last one first").get_by_text("N-2").wait_for()
    shoot(page, "console-series")
    page.keyboard.press("Escape")
    page.get_by_text("The series has ended.").wait_for()
    hands.restore()


def shoot(page: Page, name: str) -> None:
    """Save what the page shows."""
    page.screenshot(path=HERE / f"{name}.png")


def take_console(browser: Browser, sign_in: dict[str, Any]) -> None:
    """Go through a load in the console, from sign-in to a unit's history."""
    page = browser.new_page(viewport=SIZE, color_scheme="light")
    url = sign_in["url"]
    page.goto(url)
    page.get_by_label("Name").fill(sign_in["name"])
    page.get_by_label("Password").fill(sign_in["password"])
    page.get_by_role("button", name="Sign in").click()
    page.get_by_label("Nest 1").wait_for()
    for serial in SERIALS.values():
        page.keyboard.type(serial)
        page.keyboard.press("Enter")
    shoot(page, "console-load")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Arm high voltage").wait_for()
    page.keyboard.press("F8")
    page.get_by_role("button", name="Start").wait_for()
    page.keyboard.press("F9")
    for nest in SERIALS:
        page.get_by_role("group", name=f"Question for nest {nest}").wait_for()
        page.keyboard.press("1")
    page.get_by_text("Withstand, mains to case").first.wait_for(timeout=120_000)
    page.get_by_text("dwell").first.wait_for(timeout=60_000)
    shoot(page, "console-run")
    page.get_by_test_id("verdict").wait_for(timeout=120_000)
    page.get_by_role("link", name="Certificate C-").first.wait_for()
    page.get_by_role("button", name="Withstand, mains to case, nest 1").click()
    page.locator("canvas").wait_for()
    page.get_by_role("region", name="Readings of nest 1").get_by_text("nest 3", exact=True).click()
    page.get_by_role("table", name="Curves in numbers").get_by_text(SERIALS["3"]).wait_for()
    page.get_by_role("table", name="Units by steps").scroll_into_view_if_needed()
    page.mouse.wheel(0, 700)
    page.wait_for_timeout(500)
    shoot(page, "console-curves")
    take_series(page, url, Hands("127.0.0.1", sign_in["ports"]["HANDS"]))
    page.goto(f"{url}/bench")
    page.get_by_role("table", name="Instruments").wait_for()
    shoot(page, "console-bench")
    page.goto(f"{url}/sequences/DC40-FINAL?step=withstand")
    page.get_by_label("Test voltage").fill("900 V")
    page.get_by_role("region", name="Review").get_by_text("short of the 1.000 kV").wait_for()
    page.get_by_role("listbox", name="Steps").scroll_into_view_if_needed()
    page.mouse.wheel(0, 360)
    page.wait_for_timeout(500)
    shoot(page, "console-sequence")
    page.get_by_role("button", name="Run against every fault").click()
    page.get_by_role("table", name="Faults by steps").wait_for()
    page.get_by_role("heading", name="Challenge").evaluate("each => each.scrollIntoView()")
    page.wait_for_timeout(500)
    shoot(page, "console-challenge")
    rehearsal = page.get_by_role("region", name="Rehearsal")
    rehearsal.get_by_role("button", name="Rehearse withstand").click()
    rehearsal.get_by_role("button", name="Start the rehearsal").click()
    rehearsal.get_by_role("button", name="Take it over").wait_for(timeout=60_000)
    rehearsal.evaluate("each => each.scrollIntoView()")
    page.wait_for_timeout(500)
    shoot(page, "console-rehearsal")
    page.get_by_role("button", name="Drop changes").click()
    page.goto(f"{url}/limits?product=DC-40")
    page.get_by_role("table", name="Limits for DC-40").wait_for()
    shoot(page, "console-limits")
    page.get_by_role("button", name="Dark").click()
    with Client(url) as client:
        client.sign_in(sign_in["name"], sign_in["password"])
        try_lead(client, Hands("127.0.0.1", sign_in["ports"]["HANDS"]))
    page.goto(f"{url}/units/{LEAD}")
    page.locator(".wiring-drawing").wait_for()
    shoot(page, "console-unit-dark")
    with Client(url) as client:
        client.sign_in(sign_in["name"], sign_in["password"])
        client.open_lot("L-2611-B", "DC-40", "DC40-26-0201..DC40-26-0212", order_number="PO-7732")
        load = {str(nest): f"DC40-26-02{nest:02}" for nest in range(1, 9)}
        run = client.create_run("DC40-FINAL", "FX-B", load, lot="L-2611-B")
        client.arm_run(run.id)
        client.start_run(run.id)
        page.get_by_role("button", name="Light").click()
        for event in client.events(run.id):
            if event.name == "question":
                client.answer(run.id, event.data["nest"], "pass")
    page.goto(f"{url}/lots/L-2611-B")
    page.get_by_role("table", name="Units").wait_for()
    shoot(page, "console-lot")
    with Client(url) as client:
        client.sign_in(sign_in["name"], sign_in["password"])
        client.add_account("ada", "Ada Lind", "quality")
        client.add_account("olle", "Olle Stark", "operator")
        demo_site.carry_history_in(client)
    page.goto(f"{url}/people")
    page.get_by_role("button", name="Check the records").click()
    page.get_by_text("Everything is as it was stored").wait_for()
    shoot(page, "console-people")
    take_certificates(browser, sign_in)
    stranger = browser.new_page(viewport=SIZE)
    stranger.goto(f"{url}/verify/C-{demo_site.today().year}-000001")
    stranger.get_by_text("seal, record, paper and ledger agree").wait_for()
    shoot(stranger, "console-verify")
    put_below(HERE / "console-certificates.png", HERE / "console-verify.png")
    with Client(url) as client:
        client.sign_in(demo_site.QUALITY, sign_in["password"])
        client.keep_search("Failed this week", verdict=["fail"], since="7d")
    page.goto(f"{url}/units?lot=L-F43")
    page.get_by_role("link", name="Failed this week").wait_for()
    page.get_by_role("table", name="Units found").wait_for()
    page.get_by_role("button", name="Report", exact=True).click()
    page.get_by_label("Title").fill("Lot L-F43 for the auditor")
    page.get_by_role("button", name="Make report").click()
    page.get_by_role("link", name="32 units").wait_for()
    shoot(page, "console-units")
    take_trends(page, url, sign_in)


def take_trends(page: Page, url: str, sign_in: dict[str, Any]) -> None:
    """Three months of insulation that gets worse, and what quality begins the day with."""
    with Client(url) as client:
        client.sign_in(sign_in["name"], sign_in["password"])
        client.watch("Insulation DC-40", step="insulation", quantity="resistance", product="DC-40")
        client.raise_item("FX-B nest 7", "Its clip is loose", owner=demo_site.QUALITY)
    page.goto(f"{url}/trends?step=insulation&quantity=resistance&product=DC-40&since=2026-08-01")
    page.get_by_text("Its line meets the minimum").wait_for()
    page.wait_for_timeout(500)
    shoot(page, "console-trends")
    page.goto(f"{url}/start")
    page.get_by_text("Its clip is loose").wait_for()
    page.wait_for_timeout(500)
    shoot(page, "console-start")
    for name in ("console-trends", "console-start"):
        put_below(HERE / "console-units.png", HERE / f"{name}.png")


def take_certificates(browser: Browser, sign_in: dict[str, str]) -> None:
    """What quality does with documents: a lot approved, one document about to be revoked."""
    url = sign_in["url"]
    with Client(url) as client:
        client.sign_in(demo_site.QUALITY, sign_in["password"])
        client.issue_summary("L-2611-B")
        number = client.certificates(kind="certificate", serial=SERIALS["2"])[0].number
        client.approve(lot="L-2611-B")
        client.revoke(number, "Bond source found out of tolerance on 2026-11-24")
        client.certificate_pdf(number)
    page = browser.new_page(viewport=SIZE, color_scheme="light")
    page.goto(f"{url}/certificates")
    page.get_by_label("Name").fill(demo_site.QUALITY)
    page.get_by_label("Password").fill(sign_in["password"])
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("table", name="Documents").get_by_text("Revoked").first.wait_for()
    page.get_by_role("button", name="Revoke C-").first.click()
    page.get_by_label("Reason, which stands on every copy").fill("Sold as another type")
    shoot(page, "console-certificates")


def take_winding(browser: Browser, sign_in: dict[str, Any]) -> None:
    """A winch motor after forty seconds under voltage, then stopped: it stays earthed a while."""
    url = sign_in["url"]
    page = browser.new_page(viewport=SIZE, color_scheme="light")
    with Client(url) as client:
        client.sign_in(sign_in["name"], sign_in["password"])
        run = client.create_run("WM3-FINAL", "FX-M", {"1": "WM3-26-0031"})
        client.arm_run(run.id)
        client.start_run(run.id)
        page.goto(f"{url}/run/{run.id}")
        page.get_by_label("Name").fill(sign_in["name"])
        page.get_by_label("Password").fill(sign_in["password"])
        page.get_by_role("button", name="Sign in").click()
        page.get_by_text("resistance at each mark").wait_for(timeout=120_000)
        page.wait_for_timeout(30_000)
        shoot(page, "console-winding")
        client.abort_run(run.id)
        for _ in client.events(run.id):  # a stop waits as well until the motor is safe
            pass


WARMER = "FW2-26-0041"


def take_medical(browser: Browser, sign_in: dict[str, Any]) -> None:
    """A fluid warmer with saline in its catheter sensor: its table of leakage currents, opened."""
    url = sign_in["url"]
    hands = Hands("127.0.0.1", sign_in["ports"]["HANDS"])
    page = browser.new_page(viewport=SIZE, color_scheme="light")
    hands.put("FX-W/1", "FW-2", "wet_catheter", WARMER)
    hands.pace(20)
    with Client(url) as client:
        client.sign_in(sign_in["name"], sign_in["password"])
        run = client.create_run("FW2-FINAL", "FX-W", {"1": WARMER})
        client.arm_run(run.id)
        client.start_run(run.id)
        for event in client.events(run.id):
            if event.name == "question":
                if "Switch the unit off" in str(event.data["question"]):
                    hands.turn("FX-W/1", "off")
                client.answer(run.id, "1", event.data["choices"][0])
    hands.pace(1)
    page.goto(f"{url}/units/{WARMER}")
    page.get_by_label("Name").fill(sign_in["name"])
    page.get_by_label("Password").fill(sign_in["password"])
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("button", name="Show all").wait_for()
    page.keyboard.press("t")
    table = page.get_by_role("table", name="Points of Leakage currents at 110 % of mains, current")
    table.wait_for()
    table.evaluate("table => window.scrollBy(0, table.getBoundingClientRect().top - 130)")
    shoot(page, "console-medical")
    take_device(page, url, sign_in, hands)


def take_device(page: Page, url: str, sign_in: dict[str, Any], hands: Hands) -> None:
    """The same device without a fault, its display being read; put below the table."""
    hands.put("FX-W/1", "FW-2", "", WARMER)
    hands.pace(20)
    with Client(url) as client:
        client.sign_in(sign_in["name"], sign_in["password"])
        load = {"1": "RB-1041"}
        run = client.create_run("", "FX-W", load, occasion="recurrent", retest="after repair")
        page.goto(f"{url}/run/{run.id}")
        client.arm_run(run.id)
        client.start_run(run.id)
        for event in client.events(run.id):
            if event.name != "question":
                continue
            asked = event.data
            if asked["entries"]:
                page.get_by_text("High: what does the device show?").or_(
                    page.get_by_text(asked["question"])
                ).first.wait_for()
                page.get_by_text("settles, ").first.wait_for(state="detached")
                if "High" in asked["question"]:
                    hands.pace(1)
                    page.keyboard.press("Enter")
                    page.wait_for_timeout(500)
                    shoot(page, "console-device")
                    break
                values = {each["name"]: each["target"] for each in asked["entries"]}
                client.answer(run.id, "1", "", values=values)
                continue
            for word in ("on", "off"):
                if f"it is {word}" in asked["choices"]:
                    hands.turn("FX-W/1", word)
            if clip := re.search(r"clip of (\w+) (?:back )?on (\w+)", asked["question"]):
                hands.clip("FX-W/1", *clip.groups())
            client.answer(run.id, "1", asked["choices"][0])
        client.abort_run(run.id)
    put_below(HERE / "console-medical.png", HERE / "console-device.png")


def put_below(first: Path, second: Path) -> None:
    """Make one picture of two, the second one below the first."""
    with Image.open(first) as above, Image.open(second) as below:
        both = Image.new("RGB", (above.width, above.height + below.height), "white")
        both.paste(above, (0, 0))
        both.paste(below, (0, above.height))
    both.save(first)
    second.unlink()


def take_terminal(browser: Browser, sign_in: dict[str, str]) -> None:
    """Run commands as a person would, and draw what they print."""
    with Client(sign_in["url"]) as client:
        token = client.sign_in(sign_in["name"], sign_in["password"]).token
    environment = {**os.environ, "LORICATE_SERVICE": sign_in["url"], "LORICATE_TOKEN": token}

    def run(*words: str) -> str:
        done = subprocess.run(
            [sys.executable, "-m", "loricate", *words],
            env=environment, capture_output=True, text=True, check=False,
        )  # fmt: skip
        return f"$ loricate {' '.join(words)}\n{done.stdout}\n"

    pages = {
        "cli-sequence": run("sequence", "list")
        + run("sequence", "review", "DC40-REWORK")
        + run("sequence", "challenge", "DC40-REWORK"),
        "cli-run-and-unit": run("run", "show")
        + run("certificate", "list", "--count", "8")
        + run("unit", "show", SERIALS["3"])
        + run("records", "check"),
    }
    page = browser.new_page(viewport=SIZE)
    for name, text in pages.items():
        page.set_content(
            "<body style='margin:24px;background:#12181a;color:#e8eeea'>"
            f"<pre style='font:13px/1.45 DejaVu Sans Mono'>{html.escape(text)}</pre>"
        )
        shoot(page, name)


def take_paper(sign_in: dict[str, str], folder: Path) -> None:
    """Turn the papers of a passing unit, a failing one, a lot and a device into a picture."""
    with Client(sign_in["url"]) as client:
        client.sign_in(sign_in["name"], sign_in["password"])
        certificate = page_of(client.certificate_pdf(SERIALS["1"]), folder)
        report = page_of(client.certificate_pdf(SERIALS["3"]), folder)
        lot = client.certificates(kind="lot", lot="L-2611-B")[0].number
        summary = page_of(client.certificate_pdf(lot), folder)
        device = page_of(client.unit_report(WARMER), folder)
    papers = (certificate, report, summary, device)
    size = (sum(each.width for each in papers), certificate.height)
    side_by_side = Image.new("RGB", size, "white")
    for index, each in enumerate(papers):
        side_by_side.paste(each, (index * certificate.width, 0))
    side_by_side.save(HERE / "papers.png")


def page_of(pdf: bytes, folder: Path) -> Image.Image:
    """The first page of a PDF as a picture."""
    path = folder / "paper.pdf"
    path.write_bytes(pdf)
    made = folder / "paper"
    subprocess.run(["pdftoppm", "-r", "90", "-png", "-singlefile", path, made], check=True)
    with Image.open(made.with_suffix(".png")) as page:
        return page.copy()


def main() -> None:
    """Take every picture."""
    with tempfile.TemporaryDirectory() as folder, running_site(Path(folder), 1.0) as sign_in:
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(
                executable_path="/usr/bin/chromium-headless-shell", args=CHROMIUM
            )
            take_console(browser, sign_in)
            take_terminal(browser, sign_in)
            take_medical(browser, sign_in)
            take_paper(sign_in, Path(folder))
            take_winding(browser, sign_in)
            browser.close()


if __name__ == "__main__":
    main()
