"""Names of exported files: safe whatever a record holds, never two the same, never outside."""

from pathlib import PurePosixPath

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.export_names import export_path, pattern_problem, safe_part

FACTS = {
    "serial": "DC40-26-0117", "lot": "L-2611-A", "product": "DC-40", "sequence": "DC40-FINAL",
    "operator": "mara", "verdict": "pass", "date": "2026-11-25", "number": "C-2026-000001",
}  # fmt: skip


def free(path: PurePosixPath) -> bool:
    return False


@pytest.mark.parametrize(
    ("pattern", "path"),
    [
        ("{serial}", "DC40-26-0117.pdf"),
        ("{date}/{product}/{serial}-{verdict}", "2026-11-25/DC-40/DC40-26-0117-pass.pdf"),
        ("tested by {operator}/{number}", "tested by mara/C-2026-000001.pdf"),
    ],
)
def test_a_pattern_is_filled(pattern: str, path: str) -> None:
    assert pattern_problem(pattern) == ""
    assert str(export_path(pattern, FACTS, ".pdf", free)) == path


@pytest.mark.parametrize(
    ("pattern", "says"),
    [
        ("{colour}-{serial}", "placeholder {colour}, which is not known"),
        ("{serial", "not closed"),
        ("{serial!r}", "not known"),
        ("{serial:>9}", "not known"),
        ("same", "neither {serial} nor {number}"),
        ("/tmp/{serial}", "goes out"),
        ("../{serial}", ". or .."),
        ("a//{serial}", "empty part"),
        ("c:{serial}", "goes out"),
        ("a\\{serial}", "goes out"),
    ],
)
def test_a_faulty_pattern_is_told(pattern: str, says: str) -> None:
    assert says in pattern_problem(pattern)
    with pytest.raises(ValueError, match="The pattern"):
        export_path(pattern, FACTS, ".pdf", free)


@pytest.mark.parametrize(
    ("text", "part"),
    [
        ("../../etc/passwd", "etc_passwd"), ("a/b\\c", "a_b_c"), ("", "none"), ("..", "none"),
        ("con", "_con"), ("LPT1.txt", "_LPT1.txt"), ("Grün 7", "Grün 7"), ("a\nb\0c", "a_b_c"),
        ("x" * 500, "x" * 80), ("dot.", "dot"), (" . ", "none"),
    ],
)  # fmt: skip
def test_a_part_is_made_safe(text: str, part: str) -> None:
    assert safe_part(text) == part


@given(serial=st.text(max_size=200), lot=st.text(max_size=50))
def test_nothing_escapes_whatever_a_record_holds(serial: str, lot: str) -> None:
    facts = {**FACTS, "serial": serial, "lot": lot}
    path = export_path("{lot}/{serial}", facts, ".pdf", free)
    assert not path.is_absolute() and len(path.parts) == 2 and ".." not in path.parts
    assert not any(ord(sign) < 32 for sign in str(path))


@given(serials=st.lists(st.text(alphabet="ab/:", max_size=3), max_size=12))
def test_two_never_get_the_same_name(serials: list[str]) -> None:
    taken: set[PurePosixPath] = set()
    for serial in serials:
        taken.add(
            export_path("{serial}", {**FACTS, "serial": serial}, ".pdf", lambda path: path in taken)
        )
    assert len(taken) == len(serials)
