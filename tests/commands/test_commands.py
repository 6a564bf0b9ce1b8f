"""The command line as people run it: as a process, with its output and exit status."""

import json
import os
import re
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click
import pytest
from PIL import Image

from loricate.api.records import QuestionOut
from loricate.client import Client
from loricate.commands import NOUNS, cli
from loricate.simulator.hands_link import Hands
from tests.conftest import write_patient_profiles
from tests.rig import DEMO

Run = Callable[..., subprocess.CompletedProcess[str]]
SERIALS = ["1=DC40-26-0117", "3=DC40-26-0119"]


@pytest.fixture
def loricate(site: dict[str, Any], client: Client, tmp_path: Path) -> Run:
    """Run a command against the shared site, signed in as its engineer."""
    environment = {
        **os.environ, "LORICATE_SERVICE": site["url"], "LORICATE_TOKEN": client.token,
        "XDG_CONFIG_HOME": str(tmp_path),
    }  # fmt: skip

    def run(*words: str, **more: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [sys.executable, "-m", "loricate", *words], env={**environment, **more}, cwd=tmp_path,
            capture_output=True, text=True, timeout=120, check=False,
        )  # fmt: skip

    return run


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


def test_a_run_with_a_failing_unit_exits_3(loricate: Run) -> None:
    done = loricate("run", "start", "DC40-FINAL", *SERIALS, "--pass-visual")
    assert done.returncode == 3, done.stderr
    table = done.stdout.splitlines()
    assert table[1].split()[:2] == ["NEST", "SERIAL"]
    assert "FAIL (breakdown)" in done.stdout and "PASS" in table[2]
    assert "Withstand, mains to case: FAIL" in done.stderr, "progress goes to standard error"
    shown = loricate("run", "show", "--readings")
    assert shown.returncode == 0 and "IEC 60335-1:2010 Annex A" in shown.stdout
    listed = json.loads(loricate("run", "show", "--json").stdout)
    assert listed["verdict"] == "fail"


def test_a_run_of_good_units_exits_0_and_its_certificate_verifies(
    loricate: Run, tmp_path: Path, site: dict[str, Any]
) -> None:
    done = loricate("run", "start", "DC40-FINAL", SERIALS[0], "--pass-visual", "--json")
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["units"][0]["certificate"].startswith("C-")
    got = loricate("certificate", "get", "DC40-26-0117", "--to", "papers")
    json_path, pdf_path = (tmp_path / line for line in got.stdout.split())
    with Client(site["url"]) as stranger:
        key = tmp_path / "site-key.jwk"
        key.write_text(json.dumps(stranger.site_key()))
    for path in (json_path, pdf_path):
        # No service is reachable for this one: verifying is offline.
        done = loricate("certificate", "verify", str(path), "--key", str(key),
                        LORICATE_SERVICE="http://127.0.0.1:1")  # fmt: skip
        assert done.returncode == 0 and "Genuine and unchanged" in done.stdout
    json_path.write_text(json_path.read_text().replace('"fail"', '"pass"').replace("mΩ", "µΩ"))
    done = loricate("certificate", "verify", str(json_path), "--key", str(key))
    assert done.returncode == 1 and "the signed value is" in done.stdout
    shown = loricate("certificate", "show", "DC40-26-0117")
    assert "≤ 200 mΩ" in shown.stdout


def test_a_question_is_asked_at_the_terminal(loricate: Run, site: dict[str, Any]) -> None:
    """Standard input that is not a terminal is answered line by line."""
    done = subprocess.run(
        [sys.executable, "-m", "loricate", "run", "start", "DC40-FINAL", "1=Q-1"],
        env={**os.environ, "LORICATE_SERVICE": site["url"], "LORICATE_TOKEN": token_of(site)},
        input="fail\n", capture_output=True, text=True, timeout=60, check=False,
    )  # fmt: skip
    assert done.returncode == 3 and "answered_fail" in done.stdout
    assert "Case closed" in done.stderr


def token_of(site: dict[str, Any]) -> str:
    with Client(site["url"]) as client:
        return client.sign_in(site["name"], site["password"]).token


def test_sequences(loricate: Run, tmp_path: Path) -> None:
    assert "DC40-FINAL" in loricate("sequence", "list").stdout
    assert "400 µA to 5 mA" in loricate("sequence", "show", "DC40-FINAL").stdout
    path = DEMO / "sequences" / "dc40-final.toml"
    assert "is good: 5 steps" in loricate("sequence", "check", str(path)).stdout
    assert "revision 1" in loricate("sequence", "add", str(path)).stdout
    wrong = tmp_path / "wrong.toml"
    wrong.write_text(path.read_text().replace('level = "1 kV"', 'level = "1 kΩ"'))
    done = loricate("sequence", "check", str(wrong))
    assert done.returncode == 1 and "steps[3].settings.level" in done.stderr
    wrong.write_text("step = [")
    assert loricate("sequence", "check", str(wrong)).returncode == 2


def test_a_sequence_file_brings_its_pictures(loricate: Run, tmp_path: Path) -> None:
    source = DEMO / "sequences" / "dc40-rework.toml"
    shown = loricate("sequence", "show", "DC40-REWORK").stdout
    assert "earth, before: Is the reworked earth stud" in shown and "together" in shown
    assert loricate("sequence", "check", str(source)).returncode == 0
    lone = tmp_path / "lone.toml"
    lone.write_text(source.read_text(encoding="utf-8"), encoding="utf-8")
    done = loricate("sequence", "add", str(lone))
    assert done.returncode == 1 and "earth-stud.png cannot be read" in done.stderr
    (tmp_path / "pictures").mkdir()
    (tmp_path / "pictures" / "earth-stud.png").write_bytes(b"not a picture")
    done = loricate("sequence", "add", str(lone))
    assert done.returncode == 1 and "not a whole PNG" in done.stderr


def test_bench_and_units(loricate: Run) -> None:
    bench = loricate("bench", "show").stdout
    assert "Guard closed" in bench and bench.count("answers") == 7
    assert json.loads(loricate("bench", "show", "--json").stdout)["code"] == "BENCH-2"
    loricate("run", "start", "DC40-FINAL", "2=U-77", "--pass-visual")
    assert "U-77" in loricate("unit", "find", "U-7*").stdout
    assert "MEASURED" in loricate("unit", "show", "U-77").stdout


def test_a_lot_from_open_to_closed(loricate: Run, tmp_path: Path) -> None:
    serials = "LT-01..LT-03"
    assert "open for 3 units" in loricate("lot", "open", "L-CLI", "DC-40", serials).stdout
    start = ("run", "start", "DC40-FINAL", "--lot", "L-CLI", "--pass-visual")
    assert loricate(*start, "1=LT-01", "3=LT-02").returncode == 3
    again = loricate(*start, "1=LT-02")
    assert again.returncode == 1 and "was tested already (fail)" in again.stderr
    assert loricate(*start, "1=LT-02", "--retest", "insulator changed").returncode == 0
    shown = loricate("lot", "show", "L-CLI").stdout
    assert "first-pass yield 50.0 %, final yield 100.0 %" in shown
    assert "Waiting: LT-03" in shown
    stranger = loricate(*start, "1=XX-9")
    assert "is not among LT-01..LT-03" in stranger.stderr
    assert "is closed" in loricate("lot", "close", "L-CLI").stdout
    assert "open one for DC-40" in loricate(*start, "1=LT-03").stderr
    assert "L-CLI" in loricate("lot", "list").stdout
    printed = loricate("lot", "paper", "L-CLI", "--to", "papers").stdout.strip()
    assert (tmp_path / printed).read_bytes().startswith(b"%PDF")


def test_a_failed_step_is_repeated_remarked_on_and_traced(
    loricate: Run, hands: Hands, tmp_path: Path
) -> None:
    hands.put("FX-A/2", "DC-40", "loose_earth")
    hands.pace(4)  # slow enough for a curve of many samples
    done = loricate("run", "start", "DC40-FINAL", "2=CL-2", "--pass-visual")
    assert done.returncode == 3 and "FAIL (over_limit)" in done.stdout
    photo = tmp_path / "stud.png"
    Image.new("RGB", (20, 10)).save(photo)
    kept = loricate("run", "remark", "last", "2", "stud was loose", "--picture", str(photo))
    assert kept.stdout == "Kept with CL-2: stud was loose\n"
    hands.put("FX-A/2", "DC-40", "")
    again = loricate("run", "repeat", "last", "2", "earth", "--reason", "stud tightened")
    assert again.returncode == 0, again.stderr
    shown = loricate("unit", "show", "CL-2").stdout
    assert "Earth from plug to case, attempt 2" in shown and "stud tightened" in shown
    assert "Remark by mara: stud was loose (picture" in shown and "WITH LEADS" in shown
    rows = loricate("unit", "trace", "CL-2", "withstand").stdout.splitlines()
    assert rows[0] == "elapsed_s,voltage_V,current_A,resistive_current_A" and len(rows) > 5
    missing = loricate("unit", "trace", "CL-2", "look")
    assert missing.returncode == 1 and "there is one of earth" in missing.stderr


def under_way(client: Client) -> list[QuestionOut]:
    """What the act of upkeep that has the bench asks."""
    act = client.bench().upkeep
    return client.upkeep(act).questions if act else []


def test_fixtures_are_zeroed_checked_and_renewed(
    loricate: Run, hands: Hands, client: Client, site: dict[str, Any]
) -> None:
    folder = str(site["folder"])

    def answer(*words: str, lines: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [sys.executable, "-m", "loricate", *words], input=lines, text=True, timeout=60,
            env={**os.environ, "LORICATE_SERVICE": site["url"], "LORICATE_TOKEN": token_of(site)},
            capture_output=True, check=False,
        )  # fmt: skip

    assert loricate("hands", "put", "FX-A/1", "SHORT", "--demo", folder).returncode == 0
    process = subprocess.Popen(
        [sys.executable, "-m", "loricate", "bench", "zero", "FX-A", "--nest", "1"], text=True,
        env={**os.environ, "LORICATE_SERVICE": site["url"], "LORICATE_TOKEN": token_of(site)},
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
    )  # fmt: skip
    assert process.stdin is not None
    process.stdin.write("done\n")
    process.stdin.flush()
    while not any(asked.moment == "open" for asked in under_way(client)):
        time.sleep(0.02)
    hands.empty("FX-A/1")
    out, told = process.communicate("done\n", timeout=60)
    assert process.returncode == 0 and "zero of FX-A: passed" in out, told
    assert "Zeroing nest 1" in told and "L to CHASSIS  1.000 kHz" in out
    done = answer("bench", "zero", "FX-A", "--nest", "2", lines="done\n")
    assert done.returncode == 3 and "the leads are not shorted there" in done.stdout
    stopped = answer("bench", "check", "FX-A", lines="stop\n")
    assert stopped.returncode == 3 and "Stopped by the operator." in stopped.stdout
    listed = loricate("bench", "checks", "FX-A").stdout
    assert "passed" in listed and "mara" in listed
    renewed = loricate("bench", "renew", "FX-B", "--note", "contacts changed")
    assert renewed.returncode == 0 and "0 of 10000" in renewed.stdout


def test_hands_do_what_a_person_does_at_the_bench(
    loricate: Run, hands: Hands, site: dict[str, Any]
) -> None:
    at = ("--demo", str(site["folder"]))
    assert loricate("hands", "guard", "open", *at).returncode == 0
    assert "Guard OPEN" in loricate("bench", "show").stdout
    assert loricate("hands", "guard", "close", *at).returncode == 0
    for words in (("press",), ("relay", "5", "12", "stuck"), ("relay", "5", "12", "2e6"),
                  ("empty", "FX-A/1", "FX-A/2"), ("restore",)):  # fmt: skip
        assert loricate("hands", *words, *at).returncode == 0, words
    told = loricate("hands", "press", "--json", *at)
    assert json.loads(told.stdout) == {"done": "press"}
    refused = loricate("hands", "put", "FX-Z/1", "DC-40", *at)
    assert refused.returncode == 1 and "The stand-ins refuse" in refused.stderr
    nowhere = loricate("hands", "press", "--demo", "nowhere")
    assert nowhere.returncode == 1 and "start `loricate demo`" in nowhere.stderr


def test_a_run_waits_for_the_foot_switch(loricate: Run, hands: Hands, site: dict[str, Any]) -> None:
    process = subprocess.Popen(
        [sys.executable, "-m", "loricate", "run", "start", "DC40-FINAL", "1=FT-9", "--pass-visual",
         "--start-by", "foot"],
        env={**os.environ, "LORICATE_SERVICE": site["url"], "LORICATE_TOKEN": token_of(site)},
        stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
    )  # fmt: skip
    assert process.stderr is not None
    assert "waiting for the foot switch" in process.stderr.readline()
    hands.do("HAND:FOOT")
    out, _ = process.communicate(timeout=60)
    assert process.returncode == 0 and "PASS" in out


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


def test_the_example_leaves_what_it_promises(tmp_path: Path) -> None:
    write_patient_profiles(tmp_path / "out" / "service")
    done = subprocess.run(
        [sys.executable, "-m", "loricate", "example", "--to", "out", "--pace", "20"],
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
    assert "8 of 8 units tested: 5 passed, 3 failed; first-pass yield 62.5 %" in done.stdout
    assert (tmp_path / "out" / "readings.csv").read_text().count("\n") > 40
    assert json.loads((tmp_path / "out" / "site-key.jwk").read_text())["crv"] == "Ed25519"


def test_a_product_is_copied_changed_and_compared(loricate: Run, tmp_path: Path) -> None:
    done = loricate("product", "copy", "DC-40", "DC-44", "--title", "Drying cabinet DC-44")
    assert done.stdout == "DC-44 is stored as revision 1.\n", done.stderr
    file = tmp_path / "dc-44.toml"
    file.write_text(loricate("product", "show", "DC-44").stdout, encoding="utf-8")
    text = file.read_text(encoding="utf-8")
    assert text.startswith("# DC-44, revision 1\nformat = ")
    file.write_text(text.replace('cord_length = "3 m"', 'cord_length = "14 m"'), encoding="utf-8")
    done = loricate("product", "add", str(file), "--based-on", "1")
    assert done.stdout == "DC-44 is stored as revision 2.\n", done.stderr
    done = loricate("product", "add", str(file), "--based-on", "1")
    assert done.returncode == 1 and "DC-44 is at revision 2 now" in done.stderr
    done = loricate("product", "differences", "DC-44", "1", "2")
    assert done.stdout == "cord_length: 3 m -> 14 m\n"
    limits = loricate("product", "limits", "DC-44")
    assert re.search(r"EN-50699/protective-conductor +ground_bond +≤ 500 mΩ", limits.stdout)
    assert "Not on offer: polarity" in limits.stderr
    everything = loricate("product", "limits", "DC-44", "--all").stdout
    assert "NO: protection class I, not II" in everything
    assert "DC-44" in loricate("product", "list").stdout
    assert loricate("product", "revisions", "DC-44").stdout.count("mara") == 2


def test_a_limit_set_is_shown_and_released(loricate: Run) -> None:
    shown = loricate("limit-set", "show", "IEC-60598-1-Q").stdout
    assert "(draft)" in shown and "nobody has compared it with a bought copy yet" in shown
    assert re.search(r"earth-continuity +Annex Q +ground_bond +≤ 0.5 Ω", shown)
    done = loricate("limit-set", "release", "IEC-60598-1-Q", "--checked", "M. Rowe, copy 12")
    assert done.stdout == "IEC-60598-1-Q is released as revision 2.\n", done.stderr
    assert "released" in loricate("limit-set", "revisions", "IEC-60598-1-Q").stdout
    compared = loricate("limit-set", "differences", "IEC-60598-1-Q", "1", "2").stdout
    assert compared == "checked: nothing -> M. Rowe, copy 12\nstatus: draft -> released\n"
    listed = loricate("limit-set", "list").stdout
    assert re.search(r"IEC-60598-1-Q +2 +released", listed) and "nobody yet" in listed
    file = str(DEMO / "limit-sets" / "iec-60598-1.toml")
    assert "revision 2" in loricate("limit-set", "add", file).stdout


FILES = [
    str(DEMO / "sequences" / "dc40-final.toml"), "--product", str(DEMO / "products" / "dc-40.toml"),
    "--bench", str(DEMO / "bench" / "bench.toml"),
]  # fmt: skip


def test_a_sequence_is_reviewed_from_files_alone(loricate: Run, tmp_path: Path) -> None:
    nobody = {"LORICATE_SERVICE": "http://127.0.0.1:9"}
    done = loricate("sequence", "review", *FILES, **nobody)
    assert done.returncode == 0, done.stderr
    assert "DC40-FINAL: a load of 4 takes 16.2 s as programmed." in done.stdout
    text = Path(FILES[0]).read_text(encoding="utf-8").replace('"1 kV"', '"0.9 kV"')
    weak = tmp_path / "weak.toml"
    weak.write_text(text, encoding="utf-8")
    done = loricate("sequence", "review", str(weak), *FILES[1:], "--json", **nobody)
    assert done.returncode == 3
    first = json.loads(done.stdout)["findings"][0]
    assert (first["rule"], first["step"]) == ("short_of_standard", "withstand")
    done = loricate("sequence", "review", "DC40-FINAL")
    assert done.returncode == 0 and "[not_compared]" in done.stdout
    done = loricate("sequence", "review", str(weak))
    assert done.returncode == 3 and "short of the 1.000 kV" in done.stdout


def test_a_sequence_is_challenged_from_files_alone(loricate: Run, tmp_path: Path) -> None:
    nobody = {"LORICATE_SERVICE": "http://127.0.0.1:9"}
    matrix = tmp_path / "matrix.csv"
    options = ["--repetitions", "20", "--csv", str(matrix)]
    done = loricate("sequence", "challenge", *FILES, *options, **nobody)
    assert done.returncode == 0, done.stdout + done.stderr
    assert "15 of 15 faults are caught." in done.stdout
    assert "20 good units: no false alarm." in done.stdout
    lines = matrix.read_text(encoding="utf-8").splitlines()
    assert lines[0].startswith("fault,title,caught,look verdict,look cause")
    assert any(line.startswith("loose_earth,") and ",yes," in line for line in lines)
    text = Path(FILES[0]).read_text(encoding="utf-8").replace('"1 kV"', '"0.5 kV"')
    weak = tmp_path / "weak.toml"
    weak.write_text(text, encoding="utf-8")
    unit = str(DEMO / "stand-ins" / "drying-cabinet.toml")
    done = loricate("sequence", "challenge", str(weak), *FILES[1:], "--unit", unit, **nobody)
    assert done.returncode == 3
    assert re.search(r"cracked_insulator +MISSED", done.stdout)
    assert "missed: cracked_insulator, loose_strand." in done.stdout
    done = loricate("sequence", "challenge", "DC40-FINAL", "--repetitions", "5", "--json")
    assert done.returncode == 0 and json.loads(done.stdout)["missed"] == 0


def test_a_sequence_is_drafted_released_and_withdrawn(loricate: Run, tmp_path: Path) -> None:
    text = Path(FILES[0]).read_text(encoding="utf-8").replace('"DC40-FINAL"', '"DC40-CLI"')
    file = tmp_path / "own.toml"
    file.write_text(text.replace('minimum = "0.4 mA"\n', ""), encoding="utf-8")
    done = loricate("sequence", "add", str(file))
    assert done.stdout == "DC40-CLI is stored as revision 1.\n", done.stderr
    done = loricate("sequence", "release", "DC40-CLI", "--why", "first issue")
    assert done.returncode == 1 and "accepted.empty_nest@withstand" in done.stderr
    done = loricate("sequence", "release", "DC40-CLI", "--why", "x", "--accept", "empty_nest")
    assert done.returncode == 2 and "has no reason" in done.stderr
    accept = "empty_nest@withstand=the leakage step proves the unit"
    done = loricate("sequence", "release", "DC40-CLI", "--why", "first issue", "--accept", accept)
    assert done.stdout == "DC40-CLI revision 1 is released.\n", done.stderr
    file.write_text(text, encoding="utf-8")
    assert "revision 2" in loricate("sequence", "add", str(file)).stdout
    compared = loricate("sequence", "differences", "DC40-CLI", "1", "2").stdout
    assert compared == "steps[withstand].limits.current.minimum: nothing -> 0.4 mA\n"
    done = loricate("sequence", "withdraw", "DC40-CLI", "--why", "minimum was missing")
    assert done.stdout == "DC40-CLI revision 1 is withdrawn.\n", done.stderr
    listed = loricate("sequence", "revisions", "DC40-CLI").stdout
    assert re.search(r"1 +withdrawn +\S+ \S+ +mara +mara +minimum was missing", listed)


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


def test_a_sequence_goes_to_toml_and_back_without_loss(loricate: Run, tmp_path: Path) -> None:
    for code in ("DC40-FINAL", "DC40-REWORK", "LP2-FINAL"):
        file = tmp_path / f"{code}.toml"
        done = loricate("sequence", "export", code, "--to", str(file))
        assert done.returncode == 0, done.stderr
        assert file.read_text(encoding="utf-8").startswith("format = ")
        kept = loricate("sequence", "add", str(file), "--json")
        assert json.loads(kept.stdout)["revision"] == 1, "nothing changed, so no new revision"
    steps = (tmp_path / "DC40-FINAL.toml").read_text(encoding="utf-8").split("[[steps]]")
    assert steps[4].index("settings") < steps[4].index("limits")


def test_a_value_is_set_in_a_file_and_its_comments_stay(loricate: Run, tmp_path: Path) -> None:
    file = tmp_path / "own.toml"
    before = Path(FILES[0]).read_text(encoding="utf-8")
    file.write_text(before, encoding="utf-8")
    done = loricate("sequence", "set", str(file), "steps.withstand.settings.level", "1.2 kV")
    assert done.stdout == "steps.withstand.settings.level is 1.2 kV.\n", done.stderr
    assert file.read_text(encoding="utf-8") == before.replace('"1 kV"', '"1.2 kV"')
    loricate("sequence", "set", str(file), "steps.insulation.settings.high", '["L"]')
    loricate("sequence", "set", str(file), "steps.withstand.limits.voltage.minimum", "0.99 kV")
    loricate("sequence", "set", str(file), "steps.earth.settings.dwell", "--remove")
    changed = loricate("sequence", "set", str(file), "title", "Own", "--json")
    document = json.loads(changed.stdout)
    assert document["title"] == "Own"
    assert document["steps"][2]["settings"]["high"] == ["L"]
    assert document["steps"][3]["limits"]["voltage"] == {"minimum": "0.99 kV"}
    assert "dwell" not in document["steps"][1]["settings"]
    text = file.read_text(encoding="utf-8")
    assert "# The filter draws about 1.4 mA" in text and text.count("#") == before.count("#")
    for words, says in (
        (("steps.nobody.title", "x"), "has no 'nobody' on the way"),
        (("title",), "Give a value, or --remove"),
        (("steps.earth.colour", "red"), "not a known key"),
    ):
        refused = loricate("sequence", "set", str(file), *words)
        assert refused.returncode != 0 and says in refused.stderr
    assert file.read_text(encoding="utf-8") == text, "a refusal changes nothing"


def test_a_sequences_label_is_saved(loricate: Run, tmp_path: Path) -> None:
    done = loricate("sequence", "label", "DC40-FINAL", "--to", "out")
    assert done.stdout == "out/DC40-FINAL-label.pdf\n", done.stderr
    assert (tmp_path / "out" / "DC40-FINAL-label.pdf").read_bytes().startswith(b"%PDF")
