"""A browser, a page that fails its test on any error in its log, and a tidy site."""

import contextlib
from collections.abc import Iterator
from typing import Any

import pytest
from drill.processes import say
from playwright.sync_api import Browser, Page, expect, sync_playwright

from loricate.client import Client, WrongStateError
from tests.console.hall import Hall, running_hall
from tests.console.pages import SIZES, SLOW_MS

CHROMIUM = [
    "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
]  # fmt: skip


@pytest.fixture(scope="module")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium-headless-shell", args=CHROMIUM
        )
        yield browser
        browser.close()


@pytest.fixture(scope="session")
def hall(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Hall]:
    """It begins with nothing; the demo's history is carried in by command."""
    with running_hall(tmp_path_factory.mktemp("hall")) as hall:
        yield hall


@pytest.fixture
def page(browser: Browser) -> Iterator[Page]:
    """A page that fails its test on any error in the browser's log."""
    context = browser.new_context(viewport=SIZES["desk"])  # type: ignore[arg-type]  # its own TypedDict
    context.set_default_timeout(SLOW_MS)
    expect.set_options(timeout=SLOW_MS)
    page = context.new_page()
    faults: list[str] = []
    page.on("pageerror", lambda error: faults.append(str(error)))
    page.on("console", lambda m: faults.append(m.text) if m.type == "error" else None)
    yield page
    context.close()
    # A refused request shows in the browser's log as well; it is the answer that a test asked for.
    assert [fault for fault in faults if "status of 4" not in fault] == []


@pytest.fixture(autouse=True)
def tidy_site(site: dict[str, Any]) -> Iterator[None]:
    """Leave the shared site as it was found: nothing runs, the guard is closed, all is on."""
    yield
    with Client(site["url"]) as client:
        client.sign_in(site["name"], site["password"])
        if act := client.bench().upkeep:
            client.abort_upkeep(act)
        for rehearsal in client.rehearsals():
            if rehearsal.state == "running":
                client.abort_rehearsal(rehearsal.id)
        for run in client.runs():
            if run.state in ("created", "armed", "running"):
                with contextlib.suppress(WrongStateError):  # it ended by itself just now
                    client.abort_run(run.id)
        if client.danger().must_earth:
            client.confirm_earthed("earthed by the test that left it")
    say(site["ports"], "HANDS", 'HAND:POW "GB1",1;:HAND:GUAR 1;:HAND:REST;:HAND:PACE 20')
