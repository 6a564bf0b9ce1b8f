"""Bench files and profiles: what is refused, and where it says so."""

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
        ('id = "GB1"', 'id = "HV1"', "share an id"),
        ('role = "bond"', 'role = "leakage"', "same role"),
        ("L = 5\n", "L = 1\n", "column twice"),
        ("tcp://127.0.0.1:52101", "somewhere", "instruments[0].address"),
        ("due = 2027-06-09", 'due = "soon"', "instruments[0].due"),
        ('serial = "WS-20418"', "", "instruments[0].serial: is missing"),
        ('title = "Final test, hall 2"', 'titel = "x"', "titel: is not a known key"),
        ('format = "loricate-bench/1"', "format = [", "is not TOML"),
    ],
)
def test_a_fault_in_a_bench_file_is_named(tmp_path: Path, old: str, new: str, says: str) -> None:
    assert old in TEXT
    path = tmp_path / "bench.toml"
    path.write_text(TEXT.replace(old, new, 1), encoding="utf-8")
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
