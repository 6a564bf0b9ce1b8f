"""Bench files and profiles: what is refused, and where it says so."""

import math
import shutil
import tomllib
from pathlib import Path

import pytest

from loricate.bench.plan import read_bench_plan
from loricate.bench.profiles import read_profile
from loricate.core.errors import DocumentError
from tests.conftest import PROFILES
from tests.rig import DEMO

TEXT = (DEMO / "bench" / "bench.toml").read_text(encoding="utf-8")


def test_the_demo_bench_is_good() -> None:
    plan = read_bench_plan(DEMO / "bench" / "bench.toml")
    fixture = plan.find_fixture("FX-A")
    assert fixture is not None and len(fixture.nests) == 4
    assert plan.find_fixture("FX-Z") is None


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ('id = "GB1"', 'id = "HV1"', "instruments[2].id: HV1 is that of instruments[0]"),
        ('role = "bond"', 'role = "sparks"', "there is no role 'sparks'"),
        ('role = "bond"', 'role = "leakage"', "matrix.rows.bond: is no instrument"),
        ("L = 5\n", "L = 1\n", "fixtures[0].nests.2.L: is on matrix column 1, as nests.1.L is"),
        ("tcp://127.0.0.1:52101", "somewhere", "instruments[0].address"),
        ("due = 2027-06-09", 'due = "soon"', "instruments[0].due"),
        ('serial = "WS-20418"', "", "instruments[0].serial: is missing"),
        ('serial = "WS-20418"', 'serial = " "', "instruments[0].serial"),
        ('title = "Final test, hall 2"', 'titel = "x"', "titel: is not a known key"),
        ('format = "loricate-bench/1"', "format = [", "is not TOML"),
        ('columns = "fx-c-columns.csv"', "", "fixtures[2].nests: are missing"),
        ("fx-c-columns.csv", "gone.csv", "fixtures[2].columns: gone.csv cannot be read"),
        ("fx-c-columns.csv", "../x.csv", "fixtures[2].columns"),
        ("[[fixtures]]", '[sounds]\nvoice = "bell"\n[[fixtures]]', "sounds: belongs into the site"),
    ],
)
def test_a_fault_in_a_bench_file_is_named(tmp_path: Path, old: str, new: str, says: str) -> None:
    assert old in TEXT
    path = tmp_path / "bench.toml"
    path.write_text(TEXT.replace(old, new, 1), encoding="utf-8")
    shutil.copy(DEMO / "bench" / "fx-c-columns.csv", tmp_path)
    with pytest.raises(DocumentError) as refused:
        read_bench_plan(path)
    assert says in str(refused.value)


def test_the_columns_of_a_fixture_are_in_a_file_beside_it(tmp_path: Path) -> None:
    """It may skip columns; each mistake is told with its line, as well as one between two files."""
    path, columns = tmp_path / "bench.toml", tmp_path / "fx-c-columns.csv"
    path.write_text(TEXT, encoding="utf-8")
    text = (DEMO / "bench" / "fx-c-columns.csv").read_text(encoding="utf-8")
    columns.write_text(text, encoding="utf-8")
    fixture = read_bench_plan(path).find_fixture("FX-C")
    assert fixture is not None and fixture.nests["1"]["X2:SH"] == 87
    assert 68 not in fixture.nests["1"].values(), "it is skipped"
    for old, new, says in [
        ("1,X1:B,50", "1,X1:B,49", "fx-c-columns.csv, line 3: has column 49, which line 2 has"),
        ("nest,contact,column", "nest,pin", "fx-c-columns.csv, line 1: names nest, pin"),
    ]:
        columns.write_text(text.replace(old, new), encoding="utf-8")
        with pytest.raises(DocumentError) as refused:
            read_bench_plan(path)
        assert says in str(refused.value)


def test_a_missing_bench_file_is_told(tmp_path: Path) -> None:
    with pytest.raises(DocumentError, match="cannot be read"):
        read_bench_plan(tmp_path / "none.toml")


@pytest.mark.parametrize("path", sorted(PROFILES.glob("*.toml")), ids=lambda path: path.stem)
def test_every_shipped_profile_is_named_as_its_file(path: Path) -> None:
    assert read_profile(path.stem).name == path.stem
    assert tomllib.loads(path.read_text())["format"] == "loricate-profile/1"


def test_a_sites_own_profile_comes_before_a_shipped_one(tmp_path: Path) -> None:
    (tmp_path / "profiles").mkdir()
    text = (PROFILES / "stand-in-bond.toml").read_text().replace("[0.2, 30]", "[1, 20]")
    (tmp_path / "profiles" / "stand-in-bond.toml").write_text(text)
    assert read_profile("stand-in-bond", tmp_path).span["level_a"] == (1, 20)


def test_an_unknown_profile_is_told() -> None:
    with pytest.raises(DocumentError, match="no profile 'nobodys'"):
        read_profile("nobodys")


def changed_profile(folder: Path, name: str, old: str, new: str) -> None:
    """A shipped profile with a change, as a site's own."""
    (folder / "profiles").mkdir(exist_ok=True)
    text = (PROFILES / f"{name}.toml").read_text(encoding="utf-8")
    assert old in text
    (folder / "profiles" / f"{name}.toml").write_text(text.replace(old, new, 1), encoding="utf-8")


@pytest.mark.parametrize(
    ("name", "old", "new", "says"),
    [
        ("stand-in-withstand", 'residual = "MEASure:VOLTage:RESidual?"', "", "lacks residual"),
        ("stand-in-leakage", 'residual = "MEASure:VOLTage:RESidual?"', "", "lacks residual"),
        ("stand-in-withstand", 'stop = "ABORt"', "", "lacks stop"),
        ("stand-in-withstand", '"current_max", ', "", "lacks summary.current_max"),
        ("stand-in-withstand", "voltage = 7e3\n", "", "lacks ceiling.voltage"),
        ("stand-in-withstand", 'trip_a = "SOURce:CURRent:PROTection {value}"', "", "set.trip_a"),
        ("stand-in-bond", "open_circuit_v = 6", "", "lacks open_circuit_v"),
        ("stand-in-bond", '"phase", "elapsed_s"', '"phase", "other"', "sample.elapsed_s"),
        ("stand-in-matrix", 'settled = "*OPC?"', "", "lacks settled"),
        ("stand-in-guard", 'closed = "1"', "", "lacks closed"),
        ("stand-in-bond", "[set]", '[endings]\nGOOD = "fine"\n\n[set]', "endings: names fine"),
        ("stand-in-bond", "[set]", '[phases]\nHOLD = "hold"\n\n[set]', "phases: names hold"),
    ],
)  # fmt: skip
def test_a_profile_that_lacks_what_its_role_needs_is_refused_when_it_is_read(
    tmp_path: Path, name: str, old: str, new: str, says: str
) -> None:
    changed_profile(tmp_path, name, old, new)
    with pytest.raises(DocumentError) as refused:
        read_profile(name, tmp_path)
    assert says in str(refused.value)


def test_a_profile_scales_units_translates_words_and_knows_overflow() -> None:
    profile = read_profile("stand-in-withstand").model_copy(
        update={
            "scale": {"trip_a": 1e-3, "current": 1e-3},
            "words": {"function": {"AC": "ACW"}},
            "overflow": ("OL",),
        }
    )
    assert profile.spelled("trip_a", 5e-3) == "SOURce:CURRent:PROTection 5"
    assert profile.spelled("function", "AC") == "SOURce:FUNCtion ACW"
    assert profile.spelled("nothing", 1.0) is None
    assert profile.value("current", "1.4") == pytest.approx(1.4e-3)
    assert profile.value("current", "OL") == math.inf
    assert math.isnan(profile.value("current", "----"))


def test_a_matrix_says_what_is_closed() -> None:
    matrix = read_profile("stand-in-matrix")
    assert matrix.points_in("(@1!3,12!40)") == frozenset({(1, 3), (12, 40)})
    assert matrix.points_in("(@)") == frozenset()
    for other in ("1", "(@1!3,7)", "LORICATE,RELAY-MATRIX,MX-00012,1", "0.00,IDLE"):
        assert matrix.points_in(other) is None, "it answers something else"
