"""How long the console scripts to draw a harness of 512 nets, and whether it scrolls."""

import contextlib
import json
import statistics
import tempfile
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from typing import Any

from playwright.sync_api import CDPSession, Page, sync_playwright

from figures.harness import Counting, harness, proof
from loricate.challenge.cables import cable_stand_in
from loricate.client import Client
from loricate.commands import demo_site
from loricate.core.attempts import Attempt
from loricate.core.measuring.grading import Cause, Verdict
from loricate.core.sequences.released import step_as_done
from loricate.service.routers.showing import unit_out

NETS, TIMES = 512, 12
SERIAL = "HN-512-0001"
CHROMIUM = ["--headless", "--no-sandbox", "--disable-gpu"]
MOMENT = "2026-11-27T10:00:00.000Z"
SETTLED_MS = 600
# To another page without leaving the console, as a link within it goes.
GO = "to => { history.pushState({}, '', to); dispatchEvent(new PopStateEvent('popstate')) }"
SCROLL = """async () => {
  const box = document.querySelector('[aria-label="Nets"]')
  let last = performance.now(), longest = 0
  for (let at = 0; at < box.scrollHeight; at += 120) {
    box.scrollTop = at
    const now = await new Promise(requestAnimationFrame)
    longest = Math.max(longest, now - last)
    last = now
  }
  return longest
}"""


@cache
def _unit() -> dict[str, Any]:
    """A unit of the harness with a broken wire, tested net by net, as the service shows it."""
    product = harness(NETS)
    bench, sequence = Counting(cable_stand_in(product)), proof(product)
    bench.put_in(("open W7",), SERIAL)
    attempts = [
        Attempt(
            step_as_done(step),
            index,
            1,
            bench.grade(step, sequence.decision),
            started_at=MOMENT,
            ended_at=MOMENT,
        )
        for index, step in enumerate(sequence.steps)
    ]
    told = {
        "run_id": "r", "nest": "1", "serial": SERIAL, "product": product.code,
        "verdict": Verdict.FAIL, "cause": Cause.OPEN, "certificate": None,
        "certificate_kind": None, "revoked": None, "paper": "", "sequence_code": "HN-PROOF",
        "sequence_revision": 1, "run_state": "finished", "started_at": MOMENT, "due": [],
        "answers": [], "remarks": [], "attempts": attempts,
    }  # fmt: skip
    return unit_out(told).model_dump(mode="json")


@contextlib.contextmanager
def _console() -> Iterator[tuple[Page, CDPSession]]:
    """The console of a demo site, signed in, that is told of the unit as if it were there."""
    with (
        tempfile.TemporaryDirectory() as folder,
        demo_site.running_site(Path(folder), 1.0) as site,
        sync_playwright() as playwright,
    ):
        with Client(site["url"]) as client:
            client.sign_in(site["name"], site["password"])
            client.add_product(harness(NETS).model_dump(mode="json", by_alias=True))
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium-headless-shell", args=CHROMIUM
        )
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        _answer(page, f"units/{SERIAL}", [_unit()])
        page.goto(site["url"])
        page.get_by_label("Name").fill(site["name"])
        page.get_by_label("Password").fill(site["password"])
        page.keyboard.press("Enter")
        page.get_by_role("button", name="Sign out", exact=True).wait_for()
        session = page.context.new_cdp_session(page)
        session.send("Performance.enable")
        yield page, session
        browser.close()


def _answer(page: Page, path: str, body: object) -> None:
    """Have the console told this in the service's place."""
    text = json.dumps(body)
    page.route(
        f"**/api/v1/{path}",
        lambda route: route.fulfill(body=text, content_type="application/json"),
    )


def _scripted_ms(session: CDPSession) -> float:
    """What the page has spent in scripts so far."""
    found = session.send("Performance.getMetrics")["metrics"]
    return float(next(each["value"] for each in found if each["name"] == "ScriptDuration")) * 1e3


def _page_ms(page: Page, session: CDPSession, is_drawn: bool) -> float:
    """The median scripting of the unit's page, opened from within the console."""
    spent = []
    for _ in range(TIMES + 1):  # the first one fetches its parts
        page.evaluate(GO, "/units")
        page.get_by_role("heading", name="Units").wait_for()
        page.wait_for_timeout(SETTLED_MS)
        begun = _scripted_ms(session)
        page.evaluate(GO, f"/units/{SERIAL}")
        page.get_by_role("link", name="All units").wait_for()
        page.wait_for_timeout(SETTLED_MS)
        if page.get_by_role("table", name="Nets of the cable").count() != int(is_drawn):
            raise RuntimeError("The page does not show what is measured.")
        spent.append(_scripted_ms(session) - begun)
    return statistics.median(spent[1:])


def nets_drawn_ms() -> float:
    """Scripting of list and drawing: of the unit's page, less that of a page without them."""
    with _console() as (page, session):
        with_nets = _page_ms(page, session, is_drawn=True)
        _answer(page, f"products/HN-{NETS}", {"code": f"HN-{NETS}", "family": "other"})
        page.reload()
        page.get_by_role("button", name="Sign out", exact=True).wait_for()
        return with_nets - _page_ms(page, session, is_drawn=False)


def nets_scrolled_ms() -> float:
    """The longest frame while the list is scrolled from its beginning to its end."""
    with _console() as (page, _):
        page.evaluate(GO, f"/units/{SERIAL}")
        page.get_by_role("table", name="Nets of the cable").wait_for()
        page.wait_for_timeout(SETTLED_MS)
        return float(page.evaluate(SCROLL))
