"""Exports: two never collide, the same is not written twice, and a full disk loses nothing else."""

from pathlib import Path

import pytest

from loricate.bench.plan import ExportsPlan
from loricate.service.exporting import Exporter

FACTS = {"serial": "A-1", "verdict": "pass", "date": "2026-11-25", "number": "C-1"}


def test_another_document_gets_another_name_and_the_same_one_none(tmp_path: Path) -> None:
    exporter = Exporter(ExportsPlan(folder="out", name="{serial}", forms=("pdf",)), tmp_path)
    (first,) = exporter.write(FACTS, {"pdf": b"one"})
    (again,) = exporter.write(FACTS, {"pdf": b"one"})
    (second,) = exporter.write(FACTS, {"pdf": b"two"})
    assert first == again == tmp_path / "out" / "A-1.pdf"
    assert (second.name, second.read_bytes(), first.read_bytes()) == ("A-1-2.pdf", b"two", b"one")


def test_a_folder_that_cannot_be_made_is_logged(
    tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    (tmp_path / "out").write_text("a file where the folder should be", encoding="utf-8")
    exporter = Exporter(ExportsPlan(folder="out"), tmp_path)
    assert exporter.write(FACTS, {"pdf": b"one", "json": b"{}"}) == []
    assert "document not exported" in caplog.text


def test_without_a_plan_nothing_is_written(tmp_path: Path) -> None:
    assert Exporter(None, tmp_path).write(FACTS, {"pdf": b"one"}) == []
    assert list(tmp_path.iterdir()) == []


def test_a_faulty_name_is_refused_in_the_bench_file() -> None:
    with pytest.raises(ValueError, match=r"placeholder \{colour\}"):
        ExportsPlan(folder="out", name="{colour}-{serial}")
