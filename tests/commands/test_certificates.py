"""Documents, keys and the air from the command line."""

import json
import time
from pathlib import Path
from typing import Any

import pytest

from loricate.client import Client, ClientError, NotFoundError, WrongStateError
from loricate.commands import demo_site
from loricate.simulator.hands_link import Hands
from tests.commands.conftest import Run
from tests.conftest import run_load
from tests.rig import PATIENCE_S

OFFLINE = {"LORICATE_SERVICE": "http://127.0.0.1:1", "LORICATE_TOKEN": ""}


@pytest.fixture
def as_quality(loricate: Run, quality: Client) -> Run:
    """Run a command against the shared site, signed in as its quality."""
    return lambda *words, **more: loricate(*words, LORICATE_TOKEN=quality.token, **more)


def issued(client: Client, serial: str, lot: str = "") -> str:
    """The number of a certificate that was issued just now."""
    run = client.run(run_load(client, {"1": serial}, lot=lot))
    number = run.units[0].certificate
    assert number and run.units[0].certificate_kind == "certificate"
    return number


def got(loricate: Run, name: str, folder: Path) -> tuple[Path, Path]:
    """The JSON and the PDF of a document, saved as the command saves them."""
    done = loricate("certificate", "get", name, "--to", str(folder))
    assert done.returncode == 0, done.stderr
    data, paper = map(Path, done.stdout.split())
    return data, paper


def rows_of(loricate: Run, *words: str) -> dict[str, Any]:
    """What the list of documents tells, by number."""
    done = loricate("certificate", "list", *words, "--json")
    assert done.returncode == 0, done.stderr
    return {each["number"]: each for each in json.loads(done.stdout)}


def test_papers_are_printed_as_a_load_has_it_and_on_demand(
    loricate: Run, client: Client, site: dict[str, Any], hands: Hands
) -> None:
    for choice in ("passes", "off"):
        load = ("DC40-FINAL", "1=DC40-26-0117", "--fixture", "FX-A", "--print", choice)
        done = loricate("run", "start", *load, given="\n" * 20)
        assert done.returncode == 0, done.stderr
    number = issued(client, "DC40-26-0117")
    first, second = (each.number for each in client.certificates(serial="DC40-26-0117")[1:3])
    hands.printer("CLOSED")
    printed = loricate("certificate", "print", number)
    assert printed.returncode == 0 and f"{number} is being printed" in printed.stdout
    folder = Path(site["folder"]) / "printed"

    def wait_for(words: str) -> None:
        until = time.monotonic() + PATIENCE_S
        while words not in (said := loricate("records", "outbox", "--now").stdout):
            assert time.monotonic() < until, said

    wait_for("refuses: it takes no jobs.")
    hands.printer("READY")
    wait_for("Everything has been sent.")
    assert len(list(folder.glob(f"* {number} (*).pdf"))) == 1
    assert len(list(folder.glob(f"* {second} (*).pdf"))) == 1, "that of the load that said so"
    assert not list(folder.glob(f"* {first} (*).pdf"))
    refused = loricate("certificate", "print", "C-2026-999999")
    assert refused.returncode == 1 and "C-2026-999999" in refused.stderr


def test_what_is_approved_and_then_revoked_says_so_on_every_copy_and_offline(
    loricate: Run, as_quality: Run, client: Client, tmp_path: Path
) -> None:
    number = issued(client, "DC40-26-0117")
    keys, listed = tmp_path / "keys.json", tmp_path / "revocations.jws"
    assert loricate("key", "public", "--to", str(keys)).returncode == 0
    approved = as_quality("certificate", "approve", number, "--note", "sampled")
    assert approved.stdout.startswith("Approved (A-")
    early = got(loricate, number, tmp_path / "early")
    refused = as_quality("certificate", "revoke", number)
    assert refused.returncode == 2 and "--reason" in refused.stderr
    assert rows_of(loricate, "--number", number)[number]["revoked_by"] == ""
    revoked = as_quality("certificate", "revoke", number, "--reason", "bond source was out")
    assert revoked.returncode == 0 and f"{number} is revoked (X-" in revoked.stdout
    assert "REVOKED (X-" in loricate("certificate", "list", "--number", number).stdout
    shown = loricate("certificate", "show", number).stdout
    assert "bond source was out" in shown and "Approved by Ines Quay (A-" in shown
    late = got(loricate, number, tmp_path / "late")
    assert loricate("certificate", "revocations", "--to", str(listed)).returncode == 0

    def verified(path: Path, *more: str) -> tuple[int, str]:
        words = ("certificate", "verify", str(path), "--key", str(keys), *more)
        done = loricate(*words, **OFFLINE)
        return done.returncode, done.stdout

    for path in late:
        status, said = verified(path)
        assert status == 1 and "Genuine, but it counts no longer" in said
        assert "bond source was out" in said
    for path in early:  # a copy of before knows nothing of it; the list does
        assert verified(path)[0] == 0
        status, said = verified(path, "--revocations", str(listed))
        assert status == 1 and "counts no longer" in said
    again = as_quality("certificate", "revoke", number, "--reason", "once more")
    assert again.returncode == 1 and "revoked" in again.stderr


def test_several_files_are_verified_at_once_and_one_that_is_not_genuine_is_named(
    loricate: Run, client: Client, tmp_path: Path
) -> None:
    keys = tmp_path / "keys.json"
    loricate("key", "public", "--to", str(keys))
    data, paper = got(loricate, issued(client, "DC40-26-0117"), tmp_path / "papers")
    forged = tmp_path / "forged.pdf"
    forged.write_bytes(paper.read_bytes().replace(b"/Reason", b"/Season"))
    files = [str(each) for each in (data, forged, paper)]
    done = loricate("certificate", "verify", *files, "--key", str(keys), **OFFLINE)
    assert done.returncode == 1
    first, second, fault, third = done.stdout.splitlines()
    assert first.startswith(f"{data}: Genuine") and third.startswith(f"{paper}: Genuine")
    assert second == f"{forged}: NOT genuine" and fault.strip()
    told = json.loads(
        loricate("certificate", "verify", *files, "--key", str(keys), "--json", **OFFLINE).stdout
    )
    assert [each["genuine"] for each in told] == [True, False, True]


def test_a_lot_is_summed_up_and_approved_as_a_whole(
    loricate: Run, as_quality: Run, client: Client
) -> None:
    client.open_lot("L-PAPERS", "DC-40", "PP-01..PP-02")
    certificate = issued(client, "PP-01", "L-PAPERS")
    assert loricate("lot", "sum-up", "L-PAPERS").stdout.startswith("Issued L-")
    both = as_quality("certificate", "approve", certificate, "--lot", "L-PAPERS")
    assert both.returncode == 2 and "not both" in both.stderr
    assert as_quality("certificate", "approve", "--lot", "L-PAPERS").returncode == 0
    approved = rows_of(loricate, "--lot", "L-PAPERS", "--standing", "approved")
    assert {each["kind"] for each in approved.values()} == {"certificate", "lot"}
    nothing = as_quality("certificate", "approve", "--lot", "L-PAPERS")
    assert nothing.returncode == 1 and "L-PAPERS" in nothing.stderr
    again = loricate("lot", "sum-up", "L-PAPERS")
    first, second = rows_of(loricate, "--lot", "L-PAPERS", "--kind", "lot").items()
    assert again.stdout.split()[1].rstrip(";") == first[0]
    assert second[1]["superseded_by"] == first[0], "one summary of a lot counts"


def test_only_quality_revokes_approves_and_draws_again(
    loricate: Run, as_quality: Run, client: Client
) -> None:
    number = issued(client, "DC40-26-0117")
    for words in (
        ("approve", number),
        ("revoke", number, "--reason", "no"),
        ("draw-again", number),
    ):
        refused = loricate("certificate", *words)
        assert refused.returncode == 1 and "takes the role quality" in refused.stderr
    assert rows_of(loricate, "--number", number)[number]["approvals"] == 0
    drawn = as_quality("certificate", "draw-again", number)
    assert drawn.stdout == f"The paper of {number} is being made.\n"


@pytest.mark.parametrize("purpose", ["documents", "papers"])
def test_a_key_is_prepared_handed_out_and_begun(
    loricate: Run, client: Client, tmp_path: Path, purpose: str
) -> None:
    early = got(loricate, issued(client, "DC40-26-0117"), tmp_path / "early")
    none = loricate("key", "begin", "--for", purpose)
    assert none.returncode == 1 and f"key prepare --for {purpose}" in none.stderr
    before = tmp_path / "before.json"
    loricate("key", "public", "--to", str(before))
    prepared = loricate("key", "prepare", "--for", purpose)
    kid = prepared.stdout.split()[-1]
    assert loricate("key", "prepare", "--for", purpose).returncode == 1, "one is there already"
    handed_out = tmp_path / "handed-out.json"
    loricate("key", "public", "--to", str(handed_out))
    assert f"{kid}" in loricate("key", "list").stdout
    begun = loricate("key", "begin", "--for", purpose)
    assert begun.stdout == f"Signed with {kid} from now on.\n" and "keep it apart" in begun.stderr
    in_use = {each.kid for each in client.keys() if each.state == "in_use"}
    assert kid in in_use and len(in_use) == 2
    late = got(loricate, issued(client, "DC40-26-0117"), tmp_path / "late")

    def is_verified(paths: tuple[Path, ...], keys: Path) -> bool:
        files = [str(path) for path in paths]
        done = loricate("certificate", "verify", *files, "--key", str(keys), **OFFLINE)
        return done.returncode == 0

    assert is_verified((*early, *late), handed_out), "who had the keys before verifies both"
    assert is_verified(early, before) and not is_verified(late[1:], before)
    assert client.ledger().faults == []


def test_keys_over_http_say_what_is_wrong(client: Client, quality: Client) -> None:
    with pytest.raises(NotFoundError):
        client.begin_key("-no-such-key")
    current = next(each for each in client.keys() if each.state == "in_use")
    with pytest.raises(WrongStateError, match="in use already"):
        client.begin_key(current.kid)
    with pytest.raises(ClientError, match="takes the role administrator"):
        quality.prepare_key("documents")
    with Client(client.base_url) as anyone:
        told = anyone.site_keys().keys
    assert {each.kid for each in client.keys()} == {each["kid"] for each in told}
    assert not any({"d", "p", "q"} & each.keys() for each in told), "the private half stays here"


@pytest.mark.parametrize(
    ("said", "shown"),
    [(["-5 °C", "45 %"], "-5.0 °C, 45 %"), (["-.5 °C"], "-0.5 °C"), (["70 °F"], "21.1 °C")],
)
def test_the_air_is_said_and_shown(loricate: Run, said: list[str], shown: str) -> None:
    assert loricate("bench", "ambient", *said).stdout.startswith(f"{shown} ({demo_site.ACCOUNT}, ")
    assert loricate("bench", "ambient").stdout.startswith(f"{shown} (")


@pytest.mark.parametrize(
    ("said", "status", "told"),
    [
        (["warm"], 1, "temperature: 'warm' is not a number followed by a unit"),
        (["20 °C", "145 %"], 1, "humidity: is 145 %"),
        (["--jsno"], 2, "No such option"),
        (["20 °C", "-5 %"], 1, "humidity"),
    ],
)
def test_air_that_cannot_be_is_refused_and_nothing_kept(
    loricate: Run, said: list[str], status: int, told: str
) -> None:
    before = loricate("bench", "ambient").stdout
    refused = loricate("bench", "ambient", *said)
    assert refused.returncode == status and told in refused.stderr
    assert loricate("bench", "ambient").stdout == before
