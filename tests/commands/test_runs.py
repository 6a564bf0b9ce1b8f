"""Runs and lots from the command line."""

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

from PIL import Image

from loricate.client import Client
from loricate.simulator.hands_link import Hands
from tests.commands.conftest import Run, token_of
from tests.conftest import release
from tests.service.test_photos import entries, photo

SERIALS = ["1=DC40-26-0117", "3=DC40-26-0119"]


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
        key = tmp_path / "site-keys.json"
        key.write_text(stranger.site_keys().model_dump_json())
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


def test_a_question_is_asked_at_the_terminal(loricate: Run) -> None:
    """Standard input that is not a terminal is answered line by line."""
    done = loricate("run", "start", "DC40-FINAL", "1=Q-1", given="fail\n")
    assert done.returncode == 3 and "answered_fail" in done.stdout
    assert "Case closed" in done.stderr


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
    assert "Remark by mara: stud was loose (picture" in shown and "UNCORRECTED" in shown
    rows = loricate("unit", "curve", "CL-2", "withstand").stdout.splitlines()
    assert rows[0] == "curve,point,repetition,time_s,voltage_V,current_A,resistive_current_A"
    assert len(rows) > 5
    missing = loricate("unit", "curve", "CL-2", "look")
    assert missing.returncode == 1 and "there is one of earth" in missing.stderr


def test_a_run_waits_for_the_foot_switch(loricate: Run, hands: Hands, site: dict[str, Any]) -> None:
    process = subprocess.Popen(
        [sys.executable, "-m", "loricate", "run", "start", "DC40-FINAL", "1=FT-9", "--pass-visual",
         "--start-by", "foot", "--fixture", "FX-A"],
        env={**os.environ, "LORICATE_SERVICE": site["url"], "LORICATE_TOKEN": token_of(site)},
        stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
    )  # fmt: skip
    assert process.stderr is not None
    assert "waiting for the foot switch" in process.stderr.readline()
    hands.do("HAND:FOOT")
    out, _ = process.communicate(timeout=60)
    assert process.returncode == 0 and "PASS" in out


def test_a_photo_is_handed_in_at_the_terminal(
    loricate: Run, client: Client, tmp_path: Path
) -> None:
    release(client, entries("PHOTO-3"))
    (tmp_path / "panel.png").write_bytes(photo())
    typed = "24 V\nnothing.png\npanel.png\n@panel.png\n"
    done = loricate("run", "start", "PHOTO-3", "1=PH-3", given=typed)
    assert done.returncode == 0, done.stderr
    assert "nothing.png cannot be read: No such file" in done.stderr
    assert "Lamp voltage (or @FILE of a photo)" in done.stderr
    (unit,) = client.unit("PH-3")
    assert [bool(each.picture) for each in unit.answers] == [True, True]
