"""The command line as people run it: as a process, with its output and exit status."""

import json
import logging
import os
import re
import subprocess
import sys
from pathlib import Path
from typing import Any

import click
import pikepdf
import pytest

from loricate.client import Client
from loricate.commands import NOUNS, cli
from loricate.service.logs import PeopleLines
from tests.commands.conftest import Run
from tests.conftest import copy_site


def every_command(group: click.Group, path: str = "") -> list[tuple[str, click.Command]]:
    """Every command below a group with its words."""
    found = []
    context = click.Context(group)
    for name in group.list_commands(context):
        command = group.get_command(context, name)
        assert command is not None
        if isinstance(command, click.Group):
            found += every_command(command, f"{path} {name}")
        else:
            found.append((f"{path} {name}".strip(), command))
    return found


@pytest.mark.parametrize(("words", "command"), every_command(cli), ids=lambda each: str(each)[:30])
def test_every_command_has_help_with_an_example_and_json(
    words: str, command: click.Command
) -> None:
    assert command.help and f"Example: loricate {words.split()[0]}" in command.help
    assert any(parameter.name == "as_json" for parameter in command.params)


def test_help_loads_no_noun() -> None:
    probe = (
        "import sys; from loricate.commands import cli; "
        "cli(['--help'], standalone_mode=False); print('LOADED', *sorted(sys.modules))"
    )
    done = subprocess.run([sys.executable, "-c", probe], capture_output=True, text=True, check=True)
    help_text, loaded = done.stdout.split("LOADED")
    assert all(noun in help_text for noun in NOUNS)
    heavy = {"numpy", "httpx", "pydantic", "fastapi", "rich", "sqlite3", "reportlab"}
    assert not heavy & set(loaded.split())


def test_a_bench_with_several_fixtures_wants_one_named(loricate: Run) -> None:
    done = loricate("run", "start", "DC40-FINAL", "1=A", LORICATE_FIXTURE="")
    assert done.returncode == 1 and "FX-A, FX-B, FX-C, FX-M, FX-T and FX-W; name one" in done.stderr


@pytest.mark.parametrize(
    ("words", "status", "says"),
    [
        (("run", "start", "DC40-FINAL", "nest1"), 2, "is not nest=serial"),
        (("run", "start", "DC40-FINAL", "1=A", "1=B"), 2, "given twice"),
        (("run", "start", "DC40-FINAL", "9=A"), 1, "no nest '9'"),
        (("run", "start", "NONE", "1=A"), 1, "no sequence 'NONE'"),
        (("run", "abort"), 1, "No run is under way"),
        (("lot", "open", "L-X", "DC-40", "A-9..A-1"), 1, "holds -7"),
        (("lot", "open", "L-X", "NONE", "A-1..A-9"), 1, "no product 'NONE'"),
        (("lot", "show", "NONE"), 1, "no lot 'NONE'"),
        (("run", "start", "DC40-FINAL", "1=A", "--lot", "NONE"), 1, "no lot 'NONE'"),
        (("run", "resume"), 1, "No run was interrupted"),
        (("unit", "show", "nobody"), 1, "no unit 'nobody'"),
        (("certificate", "get", "C-1999-000001"), 1, "C-1999-000001"),
        (("run", "repeat", "nothing", "1", "--reason", "x"), 1, "no run 'nothing'"),
        (("run", "repeat", "last", "1"), 2, "--reason"),
        (("bench", "zero", "FX-Z"), 1, "no fixture 'FX-Z'"),
        (("bench", "zero", "FX-A", "--nest", "9"), 1, "FX-A has no nest 9"),
        (("bench", "show", "--service", "http://127.0.0.1:1"), 1, "start it"),
        (("nonsense",), 2, "No such command"),
        (("bench", "show", "--token", "stale"), 1, "sign in again"),
    ],
)
def test_what_is_refused_exits_with_one_sentence(
    loricate: Run, words: tuple[str, ...], status: int, says: str
) -> None:
    done = loricate(*words)
    assert (done.returncode, done.stdout) == (status, "")
    assert says in done.stderr and "Traceback" not in done.stderr


def test_signing_in_is_kept_for_later_commands(site: dict[str, Any], tmp_path: Path) -> None:
    environment = {**os.environ, "XDG_CONFIG_HOME": str(tmp_path)}
    words = ("--service", site["url"], "--name", site["name"], "--password", site["password"])
    for command in (("sign-in", *words), ("bench", "show")):
        done = subprocess.run(
            [sys.executable, "-m", "loricate", *command], env=environment,
            capture_output=True, text=True, timeout=60, check=False,
        )  # fmt: skip
        assert done.returncode == 0, done.stderr
    assert "BENCH-2" in done.stdout
    kept = tmp_path / "loricate" / "session.json"
    assert kept.stat().st_mode & 0o777 == 0o600
    assert site["password"] not in kept.read_text()


def test_the_example_leaves_what_it_promises(tmp_path: Path, fit_folder: Path) -> None:
    copy_site(fit_folder, tmp_path / "out" / "service")
    done = subprocess.run(
        [sys.executable, "-m", "loricate", "example", "--to", "out", "--pace", "40"],
        cwd=tmp_path, capture_output=True, text=True, timeout=120, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    out = tmp_path / "out"
    folders = (out / "certificates", out / "nonconformance")
    left = {str(path.relative_to(out)) for folder in folders for path in folder.iterdir()}
    passed = ("0117", "0118", "0120", "0201", "0203", "0204", "0206", "0208")
    failed = ("0119", "0202", "0205", "0207")
    assert left == {
        *(f"certificates/DC40-26-{n}.{kind}" for n in passed for kind in ("json", "pdf")),
        *(f"nonconformance/DC40-26-{n}.{kind}" for n in failed for kind in ("json", "pdf")),
    }
    with pikepdf.open(out / "certificates" / "DC40-26-0201.pdf") as paper:
        assert len(paper.pages) == 1, "an ordinary appliance's certificate is one sheet"
    assert "8 of 8 units tested: 5 passed, 3 failed; first-pass yield 62.5 %" in done.stdout
    assert (tmp_path / "out" / "readings.csv").read_text().count("\n") > 40
    keys = json.loads((tmp_path / "out" / "site-keys.json").read_text())["keys"]
    assert {key["crv"] for key in keys} == {"Ed25519", "P-256"}


def test_people_are_added_changed_and_audited(loricate: Run, site: dict[str, Any]) -> None:
    done = loricate("account", "add", "tove", "--full-name", "Tove Lind", "--role", "operator")
    told = re.fullmatch(r"tove signs in with (\S+) and then chooses a password\.\n", done.stdout)
    assert told, done.stderr
    with Client(site["url"]) as other:
        token = other.sign_in("tove", told[1]).token
    own = {"LORICATE_TOKEN": token}
    refused = loricate("run", "show", "last", **own)
    assert refused.returncode == 1 and "one-time password" in refused.stderr
    changing = ["--present", told[1], "--next", "tove-chooses-1"]
    done = loricate("account", "password", *changing, **own)
    assert done.stdout == "Your password is changed.\n", done.stderr
    assert loricate("sequence", "list", **own).returncode == 0
    assert loricate("account", "list", **own).returncode == 1, "an operator sees no accounts"
    done = loricate("account", "change", "tove", "--role", "quality")
    assert done.stdout == "tove: Tove Lind, quality, open.\n"
    assert loricate("sequence", "list", **own).returncode == 1, "another role, another sign-in"
    assert re.search(r"tove +quality +open", loricate("account", "list").stdout)
    done = loricate("account", "reset", "tove")
    assert "tove signs in with" in done.stdout
    assert "closed" in loricate("account", "change", "tove", "--close").stdout
    trail = loricate("account", "audit", "--subject", "tove", "--json")
    actions = [each["action"] for each in json.loads(trail.stdout)]
    assert actions == [
        "change account", "reset password", "change account", "change password", "sign in",
        "add account",
    ]  # fmt: skip
    shown = loricate("account", "audit", "--account", "mara", "--action", "reset").stdout
    assert re.search(r"mara +reset password +tove", shown)


def test_the_demo_prints_what_its_page_shows_and_logs_to_a_file(site: dict[str, Any]) -> None:
    """Standard error stays free for what somebody must read; the log is a file of JSON lines."""
    folder = Path(site["folder"])
    lines = (folder / "loricate.log").read_text(encoding="utf-8").splitlines()
    assert lines and all(json.loads(line)["at"] for line in lines)
    told = (folder / "service.log").read_text(encoding="utf-8")
    assert '{"at"' not in told and "request" not in told


def test_a_terminal_is_told_in_words() -> None:
    record = logging.LogRecord("x", logging.WARNING, "f", 1, "no account yet", (), None)
    record.code = "ab12"
    line = PeopleLines().format(record)
    assert line.endswith("warning: no account yet; code: ab12")


SPOILT = """
import sys
from loricate.commands import cli, demo_site

def spoilt(client):
    client.add_product({"format": "loricate-product/2"})

demo_site.add_definitions = spoilt
cli(["demo", "--data", sys.argv[1], "--port", "0"])
"""


def test_a_demo_that_cannot_be_set_up_says_why_and_ends(tmp_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-c", SPOILT, str(tmp_path)],
        capture_output=True, text=True, timeout=120, check=False,
    )  # fmt: skip
    assert done.returncode != 0
    assert "Error: the demo could not be set up: The product is refused. code" in done.stderr
