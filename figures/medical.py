"""What medical devices cost beside their measurements: switchings, time, and keys pressed."""

import datetime as dt
import re
import tempfile
from pathlib import Path
from typing import Any

from playwright.sync_api import Page, sync_playwright

from loricate.client import Client
from loricate.commands import demo_site
from loricate.core.kinds.leakage import Leakage
from loricate.core.leakage.table import Cell, switchings
from loricate.core.limits.limit_sets import LimitSet
from loricate.core.products.product import Product
from loricate.core.sequences.proposing import proposed_step
from loricate.simulator.hands_link import Hands

CHROMIUM = ["--headless", "--no-sandbox", "--disable-gpu"]
CLIP = re.compile(r"clip of (\w+) (?:back )?on (\w+)")
HEARS_MS = 200  # from when a question is there until its keys are heard, at most
FUNCTIONAL = ("display", "cuff-shown", "cuff-loss")

SET, DWELL_S, QUICK = "IEC-60601-1-8.7", 1.0, 20.0
WHY = "a table by itself, for a figure"


def matrix_switchings() -> float:
    """The changes in the whole table of the demo's fluid warmer, over one for each further cell."""
    products = {each["code"]: each for each in demo_site.demo_documents("products")}
    sets = {each["code"]: each for each in demo_site.demo_documents("limit-sets")}
    product = Product.model_validate(products["FW-2"])
    found = proposed_step("leakage", product, LimitSet.model_validate(sets[SET]))
    filled = found.step
    settings = Leakage.model_validate(filled["settings"])
    cells: list[Cell] = [point.values["cell"] for point in settings.points(product)]
    if len(cells) != found.points or len(set(cells)) != len(cells):
        raise RuntimeError("The table has not every cell once.")
    return switchings(cells) / (len(cells) - 1)


def matrix_overhead() -> float:
    """The time that a table takes on the demo bench in real time, over the dwells of its cells.

    One polarity, and the unit on: nobody is waited for.
    """
    with (
        tempfile.TemporaryDirectory() as folder,
        demo_site.running_site(Path(folder), QUICK) as site,
        Client(site["url"]) as client,
    ):
        hands = Hands("127.0.0.1", site["ports"]["HANDS"])
        client.sign_in(site["name"], site["password"])
        document = {**demo_site.demo_sequence("FW2-FINAL"), "code": "TABLE"}
        table = next(step for step in document["steps"] if step["id"] == "leakage")
        table["settings"] |= {"switch": "on", "polarity": "normal", "dwell": f"{DWELL_S:g} s"}
        client.add_sequence(document)
        reasons = {
            f"{each.rule}@{each.step}".removesuffix("@"): WHY
            for each in client.review("TABLE").findings
        }
        client.release_sequence("TABLE", WHY, reasons)
        run = client.create_run("TABLE", "FX-W", {"1": "TABLE-1"})
        client.arm_run(run.id)
        client.start_run(run.id)
        for event in client.events(run.id):
            if event.name == "question":
                client.answer(run.id, "1", event.data["choices"][0])
            elif event.name == "step_started" and event.data["step"] == "leakage":
                hands.pace(1.0)
        attempt = client.run(run.id).units[0].attempts[-1]
    cells = len({each.point for each in attempt.readings if each.point})
    if attempt.verdict != "pass" or cells < 50:
        raise RuntimeError(f"The table was not measured to its end: {attempt.verdict}, {cells}.")
    began, ended = (
        dt.datetime.fromisoformat(each) for each in (attempt.started_at, attempt.ended_at)
    )
    return (ended - began).total_seconds() / (cells * DWELL_S)


def capture_keys() -> float:
    """The keys for the whole functional part of a good device, over the figures that it gives.

    Counted at the console, from its first question to its verdict: every key that somebody presses
    who takes what is offered where the device shows that, and types what it shows elsewhere.
    """
    with (
        tempfile.TemporaryDirectory() as folder,
        demo_site.running_site(Path(folder), QUICK) as site,
        Client(site["url"]) as client,
        sync_playwright() as playwright,
    ):
        hands = Hands("127.0.0.1", site["ports"]["HANDS"])
        client.sign_in(site["name"], site["password"])
        hands.put("FX-W/1", "FW-2", "", "KEYS-1")
        run = client.create_run("FW2-WHOLE", "FX-W", {"1": "KEYS-1"})
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium-headless-shell", args=CHROMIUM
        )
        page = browser.new_page(viewport={"width": 1024, "height": 768})
        page.goto(f"{site['url']}/run/{run.id}")
        page.get_by_label("Name").fill(site["name"])
        page.get_by_label("Password").fill(site["password"])
        page.keyboard.press("Enter")
        page.get_by_role("button", name="Sign out", exact=True).wait_for()
        client.arm_run(run.id)
        client.start_run(run.id)
        keys = 0
        for event in client.events(run.id):
            if event.name == "question":
                pressed = _answered_by_keys(page, event.data, hands)
                keys += pressed if event.data["step"] in FUNCTIONAL else 0
            elif event.name == "cue":
                text = str(event.data["text"])
                if text.startswith("Vent"):
                    hands.pump("FX-W/1", 0.0)
                elif "30 kPa" in text:
                    hands.pump("FX-W/1", 33_000.0)
        browser.close()
        unit = client.run(run.id).units[0]
    functional = [each for each in unit.attempts if each.step_id in FUNCTIONAL]
    readings = [each for one in functional for each in one.readings]
    graded = [each for each in readings if each.verdict and each.quantity != "points_read"]
    seen = sum("alarm" in str(each.choice) for each in unit.answers)
    if unit.verdict != "pass" or len(graded) < len(FUNCTIONAL):
        raise RuntimeError(f"The functional part was not done: {unit.verdict}.")
    return keys / (len(graded) + seen)


def _answered_by_keys(page: Page, asked: dict[str, Any], hands: Hands) -> int:
    """Answer a question at the console as a person would; gives the keys that it took."""
    page.get_by_role("group", name="Question for nest 1").get_by_text(asked["question"]).wait_for()
    page.wait_for_timeout(HEARS_MS)
    if not asked["entries"]:
        for word, position in (("on", "on"), ("off", "off")):
            if f"it is {word}" in asked["choices"]:
                hands.turn("FX-W/1", position)
        if clip := CLIP.search(asked["question"]):
            hands.clip("FX-W/1", *clip.groups())
        page.keyboard.press("1")
        return 1
    keys = 0
    for entry in asked["entries"]:
        page.get_by_text("settles, ", exact=False).first.wait_for(state="detached")
        if not entry["target"]:
            shown = f"{float(hands.shown('FX-W/1', 'cuff')) / 1000:.1f}"
            page.keyboard.type(shown)
            keys += len(shown)
        page.keyboard.press("Enter")
        keys += 1
    return keys
