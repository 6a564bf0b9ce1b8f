"""What docs/operating.md says can be done: unit file, second way in, upgrade and way back."""

import configparser
import re
import shlex
import shutil
import sqlite3
import subprocess
from functools import partial
from pathlib import Path

import click
import httpx
import pytest

from loricate.commands import Nouns, cli
from loricate.records import marks
from loricate.records.accounts import set_code_secret
from loricate.records.errors import NewerDatabase
from loricate.records.store import Store, migrate, migrations, open_connection
from loricate.service.app import create_app
from loricate.service.settings import FirstAccount, Settings
from tests.rig import DEMO, copy_bench

DOCS = DEMO.parent / "docs"
TEXT = (DOCS / "operating.md").read_text(encoding="utf-8")


def check_command(words: list[str]) -> None:
    """Raise click's error for a command line of ours that it would refuse, but for its files."""
    command: click.Command = cli
    context = click.Context(command)
    while isinstance(command, click.Group):
        name = words.pop(0)
        found = command.get_command(context, name)
        assert found is not None, f"there is no command {name}"
        command = found
    known = {
        option: each for each in command.params for option in (*each.opts, *each.secondary_opts)
    }
    while words:
        word = words.pop(0)
        if word.startswith("--"):
            assert word in known, f"{command.name} has no option {word}"
            if not getattr(known[word], "is_flag", False):
                words.pop(0)


def test_every_command_that_the_page_shows_is_one() -> None:
    assert isinstance(cli, Nouns)
    lines = re.findall(r"^[$#] (.*loricate (?:serve|records|account) .*)$", TEXT, re.M)
    assert len(lines) >= 9
    for line in lines:
        check_command(shlex.split(line.partition("loricate ")[2]))


def test_every_procedure_has_a_test_that_is_there() -> None:
    named = re.findall(r"`(tests/[\w/]+\.py)::(test_\w+)`", TEXT)
    assert len(named) >= 14
    for path, name in named:
        assert f"def {name}(" in (DEMO.parent / path).read_text(encoding="utf-8"), name


def test_the_unit_file_starts_what_serve_takes() -> None:
    unit = configparser.ConfigParser(strict=False, interpolation=None)
    unit.optionxform = str  # type: ignore[assignment, method-assign]
    unit.read(DOCS / "systemd" / "loricate.service")
    service = unit["Service"]
    words = shlex.split(service["ExecStart"])
    assert words[:2] == ["/opt/loricate/bin/loricate", "serve"]
    check_command(words[1:])
    data = words[words.index("--data") + 1]
    assert data in service["ReadWritePaths"] and service["UMask"] == "0077"
    assert int(service["TimeoutStopSec"]) >= 4 * 600, "ten minutes' earthing of a winding"
    assert service["PrivateTmp"] == "no", "instruments' locks are shared between services"
    if shutil.which("systemd-analyze"):
        told = subprocess.run(
            ["systemd-analyze", "verify", str(DOCS / "systemd" / "loricate.service")],
            capture_output=True, text=True, check=False,
        ).stderr  # fmt: skip
        wrong = [line for line in told.splitlines() if "Unknown" in line or "Invalid" in line]
        assert wrong == []


async def test_the_second_way_in_is_at_the_machine(tmp_path: Path) -> None:
    """Somebody who lost password and authenticator gets both anew by an option of the start."""
    bench = copy_bench(tmp_path)
    for password in ("the first one", "the second one"):
        account = FirstAccount("ada", "Ada Lind", "administrator", password)
        app = create_app(Settings(bench, tmp_path, "http://b", accounts=(account,)))
        async with app.router.lifespan_context(app):
            transport = httpx.ASGITransport(app)
            async with httpx.AsyncClient(transport=transport, base_url="http://b/api/v1") as wire:
                body = {"name": "ada", "password": password}
                signed = await wire.post("/sign-in", json=body)
                assert signed.status_code == 200 and signed.json()["role"] == "administrator"
            await app.state.desk.store.write(partial(set_code_secret, name="ada", secret="LOST"))


def test_an_upgrade_keeps_what_was_and_there_is_a_way_back(tmp_path: Path) -> None:
    """From the records before marks to those with them, what was found changed is entered."""
    path = tmp_path / "records.sqlite"
    first_marked = 11
    older = {number: text for number, text in migrations().items() if number < first_marked}
    migrate(path, older)
    conn = sqlite3.connect(path)
    conn.execute("INSERT INTO audit (at, account, action, subject) VALUES ('t', 'mara', 'a', 's')")
    conn.commit()
    conn.close()
    Store(path).close()
    after = open_connection(path, read_only=True)
    assert after.execute("SELECT count(*) FROM audit").fetchone()[0] == 1
    assert list(marks.faults(after)) == [], "what was there before is marked"
    after.close()
    kept = tmp_path / f"records.sqlite.before-{first_marked:04}"
    with pytest.raises(NewerDatabase):
        migrate(path, older)
    path.rename(tmp_path / "away.sqlite")
    kept.rename(path)
    assert migrate(path, older) == [], "the older version takes its own records back"
    assert sqlite3.connect(path).execute("SELECT account FROM audit").fetchone()[0] == "mara"


def test_what_was_changed_before_an_upgrade_is_not_covered_up_by_it(tmp_path: Path) -> None:
    path = tmp_path / "records.sqlite"
    store = Store(path)
    store.write_now(
        lambda conn: (
            conn.execute(
                "INSERT INTO audit (at, account, action, subject) VALUES ('t', 'mara', 'a', 's')"
            )
            and None
        )
    )
    store.close()
    conn = sqlite3.connect(path)
    conn.execute("DROP TRIGGER audit_is_final")
    conn.execute("UPDATE audit SET account = 'olle'")
    conn.commit()
    conn.close()
    later = {**migrations(), max(migrations()) + 1: "ALTER TABLE audit ADD COLUMN place TEXT;"}
    migrate(path, later)
    found = open_connection(path, read_only=True)
    (told,) = found.execute("SELECT action, detail FROM audit WHERE account = 'service'").fetchall()
    assert told["action"] == "found changed from outside"
    assert "Audit 1 is not as it was stored" in told["detail"]
    assert list(marks.faults(found)) == []
    found.close()
