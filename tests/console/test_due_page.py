"""What has been kept long enough: seen on the command line and in the console, and let go there."""

import json
import random
import sqlite3
from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import facts_of
from loricate.records import accounts, definitions, sequences
from loricate.records.store import Store
from loricate.service.guessing import hasher
from tests.conftest import demo_limit_sets, five_steps, read_demo
from tests.console.hall import Hall, serving
from tests.console.pages import check_accessible, sign_in
from tests.records.searched import put_in

pytestmark = pytest.mark.console

PASSWORD = "quality-of-long-ago"
WHY = "fifteen years, quality manual 4.2"


def _of_long_ago(conn: sqlite3.Connection) -> None:
    """Eighty units in runs of 2006, and somebody of quality."""
    product = Product.model_validate(read_demo("products/dc-40.toml"))
    sequence = prepare(five_steps(), {product.code: product}, demo_limit_sets())
    for code in ("dc-40", "fw-2"):
        document = read_demo(f"products/{code}.toml")
        definitions.add_document(conn, "product", document["code"], document, "m")
    for name in ("iec-60335-1-annex-a", "iec-60335-1-leakage"):
        document = read_demo(f"limit-sets/{name}.toml")
        definitions.add_document(conn, "limit_set", document["code"], document, "m")
    sequences.store_draft(conn, facts_of(sequence), five_steps(), "mara")
    put_in(conn, sequence, random.Random(15))
    for name in ("created_at", "started_at", "ended_at", "finished_at"):
        conn.execute(f"UPDATE run SET {name} = '2006' || substr({name}, 5)")
    conn.execute("UPDATE run SET state = 'aborted', ended_at = coalesce(ended_at, created_at)")
    accounts.put_account(conn, "quin", "Quin Dahl", "quality", hasher.hash(PASSWORD))


@pytest.fixture(scope="module")
def old(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Hall]:
    folder = tmp_path_factory.mktemp("old")
    store = Store(folder / "records" / "records.sqlite")
    store.write_now(_of_long_ago)
    store.close()
    (folder / "site.toml").write_text('format = "loricate-site/1"\n[keep]\nyears = 15\n')
    with serving(folder) as url:
        yield Hall(url, folder, "quin", PASSWORD)


def test_the_command_shows_first_and_asks_then(old: Hall) -> None:
    shown = old.run("records", "due")
    assert shown.returncode == 0, shown.stderr
    row = next(line.split() for line in shown.stdout.splitlines() if line.startswith("DC-40"))
    assert row[1] == "15" and int(row[2]) > 20 and row[-2].startswith("2006-")
    told = json.loads(old.run("records", "due", "--json").stdout)
    assert len(told["units"]) == int(row[2]) and told["units"][0]["serial"]
    kept = old.run("records", "let-go", "--reason", WHY, given="n\n")
    assert kept.returncode == 1 and "They do not come back" in kept.stdout
    assert told["units"][0]["run"] in kept.stdout, "what would go was shown"
    assert json.loads(old.run("records", "due", "--json").stdout) == told
    script = old.run("records", "let-go", "--reason", WHY, "--json")
    assert script.returncode == 2 and "--seen" in script.stderr
    other = old.run("records", "let-go", "--reason", WHY, "--seen", "0" * 64)
    assert other.returncode != 0 and "look again" in other.stderr
    assert json.loads(old.run("records", "due", "--json").stdout) == told


def test_what_is_due_is_seen_and_let_go_in_the_console(page: Page, old: Hall) -> None:
    told = json.loads(old.run("records", "due", "--json").stdout)
    first, count = told["units"][0], len(told["units"])
    sign_in(page, old.site, "/people")
    due = page.get_by_role("region", name="Due to go")
    row = due.get_by_role("row", name="DC-40")
    expect(row).to_contain_text("15 years")
    expect(row.get_by_role("cell", name=str(count), exact=True).first).to_be_visible()
    letting = due.get_by_role("button", name="Let go what was measured")
    expect(letting).to_have_count(0)  # nothing goes that was not looked at
    due.get_by_role("button", name="Show the units").click()
    units = due.get_by_role("table", name="Units whose time is over")
    expect(units.get_by_role("row")).to_have_count(count + 1)
    check_accessible(page)
    letting.click()
    due.get_by_role("button", name="Keep it").click()
    assert json.loads(old.run("records", "due", "--json").stdout) == told
    letting.click()
    due.get_by_label("Why may what was measured").fill(WHY)
    due.get_by_role("button", name="Let it go").click()
    expect(due.get_by_role("status")).to_contain_text(f"of {count} units in runs went")
    expect(due.get_by_role("button", name="Show the units")).to_have_count(0)
    expect(due.get_by_text("Nothing is due on 20")).to_be_visible()
    page.goto(f"{old.url}/units/{first['serial']}")
    gone = page.get_by_text("Its readings and curves were let go").first
    expect(gone).to_contain_text("by quin: the time for which they are kept was over")
    check_accessible(page)
    shown = old.run("unit", "show", first["serial"])
    assert "were let go on" in shown.stdout and "by quin" in shown.stdout
    empty = old.run("records", "let-go", "--reason", WHY)
    assert empty.returncode == 2 and "Nothing is due" in empty.stderr
    checked = old.run("records", "check")
    assert checked.returncode == 0, checked.stdout
