"""What the tests of the console share: signing in, and what axe finds."""

from pathlib import Path
from typing import Any

from playwright.sync_api import Page, expect

AXE = Path(__file__).parents[2] / "console" / "node_modules" / "axe-core" / "axe.min.js"
SIZES = {"desk": {"width": 1280, "height": 800}, "tablet": {"width": 1024, "height": 768}}
SLOW_MS = 30_000


def sign_in(page: Page, site: dict[str, Any], path: str = "/") -> None:
    """Open a page as somebody who has signed in already."""
    answer = page.context.request.post(
        f"{site['url']}/api/v1/sign-in",
        data={"name": site["name"], "password": site["password"], "keep": "cookie"},
    )
    assert answer.ok, answer.text()
    page.goto(site["url"] + path)
    expect(page.get_by_role("button", name="Sign out", exact=True)).to_be_visible()


def sign_in_by_form(page: Page, site: dict[str, Any]) -> None:
    page.goto(site["url"])
    page.get_by_label("Name").fill(site["name"])
    page.get_by_label("Password").fill(site["password"])
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Sign out", exact=True)).to_be_visible()


def check_accessible(page: Page) -> None:
    """Axe finds nothing serious, and nothing makes the page scroll sideways."""
    # A colour on its way to another is neither: what moves is brought to its end.
    page.evaluate(
        "document.getAnimations().filter((each) => each.effect.getComputedTiming().endTime <"
        " Infinity).forEach((each) => each.finish())"
    )
    page.evaluate(AXE.read_text(encoding="utf-8"))
    found = page.evaluate(
        "axe.run({runOnly: ['wcag2a', 'wcag2aa', 'wcag22aa'],"
        " rules: {'label-content-name-mismatch': {enabled: true}}})"
    )
    serious = [
        (each["id"], each["nodes"][0]["html"][:120])
        for each in found["violations"]
        if each["impact"] in ("serious", "critical")
    ]
    assert not serious, serious
    assert len(found["passes"]) > 5, [each["id"] for each in found["passes"]]
    assert page.evaluate(
        "document.documentElement.scrollWidth <= document.documentElement.clientWidth"
    )
