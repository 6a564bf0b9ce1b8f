"""Products, limit sets and sequences from the command line."""

import json
import re
from pathlib import Path

from tests.commands.conftest import Run
from tests.rig import DEMO


def test_sequences(loricate: Run, tmp_path: Path) -> None:
    assert "DC40-FINAL" in loricate("sequence", "list").stdout
    assert "400 µA to 5 mA" in loricate("sequence", "show", "DC40-FINAL").stdout
    path = DEMO / "sequences" / "dc40-final.toml"
    assert "is good: 6 steps" in loricate("sequence", "check", str(path)).stdout
    assert "revision 1" in loricate("sequence", "add", str(path)).stdout
    wrong = tmp_path / "wrong.toml"
    wrong.write_text(path.read_text().replace('level = "1.03 kV"', 'level = "1 kΩ"'))
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
    assert "Not on offer: " in limits.stderr and "polarity (" in limits.stderr
    everything = loricate("product", "limits", "DC-44", "--all").stdout
    assert "NO: protection class I, not II" in everything
    assert "DC-44" in loricate("product", "list").stdout
    assert loricate("product", "revisions", "DC-44").stdout.count("mara") == 2


def test_a_step_is_filled_from_a_standard_and_two_are_compared(
    loricate: Run, tmp_path: Path
) -> None:
    done = loricate("product", "step", "FW-2", "leakage", "--limit-set", "IEC-62353")
    assert "8 places and conditions." in done.stderr, done.stderr
    whole = loricate("product", "step", "FW-2", "leakage", "--limit-set", "IEC-60601-1-8.7")
    assert "Left out: earth, earth open: nothing flows in a conductor" in whole.stderr
    file = tmp_path / "filled.toml"
    head = 'format = "loricate-sequence/2"\ncode = "FILLED"\ntitle = "Filled"\nproduct = "FW-2"\n\n'
    for each in (done, whole):
        file.write_text(head + each.stdout, encoding="utf-8")
        checked = loricate("sequence", "check", str(file))
        assert "FILLED is good: 1 step" in checked.stdout, checked.stderr
    done = loricate("product", "step", "FW-2", "wait", "--limit-set", "IEC-62353")
    assert done.returncode == 1 and "does not decide how a wait step is set" in done.stderr
    done = loricate("product", "standards", "FW-2", "IEC 60601-1", "IEC 62353")
    lines = {" ".join(line.split()) for line in done.stdout.splitlines()}
    assert (
        "leakage current earth ≤ 5 mA, supply at least 253 V (8.7.3) "
        "≤ 500 µA, direct or differential"
    ) in lines
    done = loricate("product", "standards", "FW-2", "IEC 60601-1", "IEC 1")
    assert done.returncode == 1 and "there is no limit set of 'IEC 1'" in done.stderr


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
    assert "DC40-FINAL: a load of 4 takes 13.7 s as programmed." in done.stdout
    text = Path(FILES[0]).read_text(encoding="utf-8").replace('"1.03 kV"', '"0.9 kV"')
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
    text = Path(FILES[0]).read_text(encoding="utf-8").replace('"1.03 kV"', '"0.5 kV"')
    weak = tmp_path / "weak.toml"
    # A level short of what the limit cites would pass no unit at all.
    cited = 'maximum = "5 mA"\nsource = "IEC-60335-1-A"'
    assert cited in text
    text = text.replace(cited, 'maximum = "5 mA"\nsource = "own figure"')
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
    assert file.read_text(encoding="utf-8") == before.replace('"1.03 kV"', '"1.2 kV"')
    loricate("sequence", "set", str(file), "steps.insulation.settings.high", '["L"]')
    loricate("sequence", "set", str(file), "steps.withstand.limits.voltage.minimum", "0.99 kV")
    loricate("sequence", "set", str(file), "steps.withstand.limits.current.minimum", "-5 mA")
    loricate("sequence", "set", str(file), "steps.earth.settings.dwell", "--remove")
    changed = loricate("sequence", "set", str(file), "title", "Own", "--json")
    document = json.loads(changed.stdout)
    assert document["title"] == "Own"
    assert document["steps"][2]["settings"]["high"] == ["L"]
    assert document["steps"][3]["limits"]["voltage"] == {"minimum": "0.99 kV"}
    assert document["steps"][3]["limits"]["current"]["minimum"] == "-5 mA", "no option"
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
