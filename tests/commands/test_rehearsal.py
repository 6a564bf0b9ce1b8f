"""Rehearsals from the command line."""

import json
import subprocess
import tomllib
from pathlib import Path

from tests.commands.conftest import Run
from tests.rig import DEMO


def test_a_file_is_rehearsed_and_a_reading_taken_over(loricate: Run, tmp_path: Path) -> None:
    text = (DEMO / "sequences" / "dc40-final.toml").read_text(encoding="utf-8")
    file = tmp_path / "mine.toml"
    file.write_text("# ours\n" + text.replace('"2 MΩ"', '"3 MΩ"'), encoding="utf-8")
    done = loricate("rehearsal", "start", "mine.toml", "insulation", "--yes")
    assert done.returncode == 0, done.stderr
    assert "≥ 3 MΩ" in done.stdout and "Nothing was recorded" in done.stdout
    assert "REHEARSAL of DC40-FINAL: nothing is recorded" in done.stderr
    words = ("mine.toml", "insulation", "resistance", "minimum", "--allow", "30 %")
    done = loricate("rehearsal", "take", *words)
    assert done.returncode == 0, done.stderr
    assert "insulation limits.resistance.minimum is" in done.stdout
    written = file.read_text(encoding="utf-8")
    assert written.startswith("# ours\n")
    limit = tomllib.loads(written)["steps"][2]["limits"]["resistance"]
    assert limit["minimum"] != "3 MΩ" and "in a rehearsal of 20" in limit["source"]
    assert loricate("sequence", "check", "mine.toml").returncode == 0
    shown = json.loads(loricate("rehearsal", "show", "--json").stdout)
    assert (shown["state"], shown["nest"]) == ("finished", "1")


def test_nominal_values_are_written_into_a_file_that_keeps_its_comments(
    loricate: Run, tmp_path: Path
) -> None:
    text = (DEMO / "sequences" / "ct14-final.toml").read_text(encoding="utf-8")
    file = tmp_path / "mine.toml"
    file.write_text(text.replace('"4.8 H", tolerance', '"1 H", tolerance'), encoding="utf-8")
    done = loricate("rehearsal", "start", "mine.toml", "inductance", "--fixture", "FX-T", "--yes")
    assert "P" in done.stdout, done.stderr
    done = loricate("rehearsal", "take", "mine.toml", "inductance", "inductance", "nominal",
                    "--point", "*")  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert "inductance settings.coils.0.nominal is 4." in done.stdout
    written = file.read_text(encoding="utf-8")
    assert written.startswith("# Final test of the control transformer CT-14.\n")
    coils = tomllib.loads(written)["steps"][3]["settings"]["coils"]
    assert [each["tolerance"] for each in coils] == ["10 %", "10 %"]
    assert coils[0]["nominal"].startswith("4.") and coils[1]["short"] == ["6", "7"]


def test_what_does_not_pass_exits_3_and_what_is_wrong_1(loricate: Run) -> None:
    done = loricate("rehearsal", "start", "DC40-FINAL", "withstand", "--nest", "3", "--yes")
    assert done.returncode == 3 and "FAIL (breakdown)" in done.stdout
    done = loricate("rehearsal", "start", "DC40-FINAL", "nothing", "--yes")
    assert done.returncode == 1 and "there is no step 'nothing'" in done.stderr
    done = loricate("rehearsal", "abort")
    assert done.returncode == 1 and "No rehearsal is under way" in done.stderr


def test_high_voltage_is_agreed_to_first(loricate: Run) -> None:
    def start(said: str) -> subprocess.CompletedProcess[str]:
        return loricate("rehearsal", "start", "DC40-FINAL", "withstand", given=said)

    refused = start("n\n")
    assert refused.returncode == 1 and "energised at up to 1.030 kV" in refused.stderr
    assert refused.stdout == ""
    agreed = start("y\n")
    assert agreed.returncode == 0 and "Rehearsal finished, PASS" in agreed.stdout
