"""Reports as tables: every form says of every unit the same, to the last digit and bound."""

import csv
import io
import json
import re
import zipfile
from pathlib import Path
from typing import Any

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from jsonschema import Draft202012Validator
from lxml import etree

from loricate.api.reports import ReportFile
from loricate.core.depths import Depth
from loricate.core.reports import ReportForm, ReportPlan
from loricate.papers.tables import FORMULA, MARK
from loricate.papers.unit_tables import (
    NAMESPACE,
    Head,
    heads_of,
    rows_of,
    shown_unit,
    write_table,
    xsd,
)

HEAD = Head(
    "Lot <7> & more", "Quillmere", "2026-12-02T00:00:00Z", "Ines", "Loricate", {}, "limits", 2
)
ESCAPED = re.compile("_x([0-9A-F]{4})_")  # how such a file spells what XML has no place for
SHEET = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"
TEXT = st.text(st.characters(exclude_categories=["Cs"]), max_size=12) | st.sampled_from(
    ["=1+1", "+49", "-x", "@cmd", "\tx", "\rx", "a;b", 'say "no"', "𝛺", "\x00\x0b", "\ufffe"]
)
NUMBER = st.floats(allow_nan=False, allow_infinity=False) | st.sampled_from([0.1 + 0.2, 5e-324])
READING = st.fixed_dictionaries(
    {
        "quantity": TEXT, "point": TEXT, "repetition": st.integers(1, 3),
        "value": NUMBER | st.none(), "dimension": st.just("resistance"), "unit": st.just("Ω"),
        "bound": st.sampled_from(["exact", "below", "above"]), "uncertainty": NUMBER,
        "text": TEXT, "instrument": TEXT, "minimum": NUMBER | st.none(),
        "maximum": NUMBER | st.none(), "limit": TEXT, "source": TEXT,
        "verdict": st.sampled_from(["pass", "fail", "inconclusive", ""]), "cause": st.just(""),
        "guarded": st.just(""), "band": st.none(), "ungraded": st.just(""),
        "margin": NUMBER | st.none(), "corrections": st.just([]),
    }
)  # fmt: skip
ATTEMPT = st.fixed_dictionaries(
    {
        "step_id": TEXT, "number": st.integers(1, 9), "kind": st.just("insulation"), "title": TEXT,
        "verdict": st.sampled_from(["pass", "fail"]), "cause": st.just(""), "note": TEXT,
        "reason": TEXT, "started_at": st.just("2026-12-02T00:00:00Z"),
        "ended_at": st.just("2026-12-02T00:00:01Z"), "curves": st.just(0),
        "readings": st.lists(READING, max_size=3), "headlines": st.just([]),
        "faults": st.lists(
            st.fixed_dictionaries(
                {"cause": st.just("open"), "point": TEXT, "text": TEXT, "contacts": st.just([]),
                 "repetition": st.just(1)}
            ),
            max_size=1,
        ),
        "repetitions": st.just([]),
    }
)  # fmt: skip
UNIT = st.fixed_dictionaries(
    {
        "run_id": st.uuids().map(str), "nest": TEXT, "serial": TEXT, "product": TEXT,
        "verdict": st.sampled_from(["pass", "fail"]), "cause": st.just(""),
        "certificate": TEXT | st.none(), "certificate_kind": st.none(), "revoked": st.none(),
        "let_go_at": st.none() | st.just("2036-12-02T10:00:00.000Z"),
        "paper": st.just("none"), "sequence_code": TEXT, "sequence_revision": st.integers(1, 99),
        "asset": TEXT, "place": TEXT, "occasion": st.just(""), "run_state": st.just("finished"),
        "started_at": st.just("2026-12-02T00:00:00Z"), "attempts": st.lists(ATTEMPT, max_size=2),
        "due": st.just([]), "answers": st.just([]), "kept": st.just([]),
        "remarks": st.lists(
            st.fixed_dictionaries(
                {"step_id": TEXT, "text": TEXT, "picture": st.just(""), "account": TEXT,
                 "made_at": st.just("2026-12-02T00:00:00Z")}
            ),
            max_size=1,
        ),
        "not_certified": st.just([]), "from_bench": TEXT, "lot": TEXT, "bench": TEXT,
        "fixture": TEXT,
        "instruments": st.just([{"id": "GB1", "title": "Bond", "serial": "1", "calibrated": "x",
                                 "due": "y", "certificate": "z"}]),
        "ledger": st.just({"position": 3, "hash": "ab"}) | st.none(),
    }
)  # fmt: skip
PLAN = st.builds(
    ReportPlan,
    depth=st.sampled_from(list(Depth)),
    failed_only=st.booleans(),
    ledger=st.booleans(),
    remarks=st.booleans(),
    decimal_comma=st.booleans(),
    bom=st.booleans(),
)


@settings(
    max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(units=st.lists(UNIT, max_size=3), plan=PLAN)
def test_every_form_says_the_same_of_every_unit(
    units: list[dict[str, Any]], plan: ReportPlan, tmp_path: Path
) -> None:
    wanted = [row for unit in units for row in rows_of(shown_unit(unit, plan), plan)]
    made = {}
    for form in (ReportForm.CSV, ReportForm.XLSX, ReportForm.XML, ReportForm.JSON):
        made[form] = tmp_path / f"report.{form}"
        write_table(plan.model_copy(update={"form": form}), HEAD, iter(units), made[form])
    heads = list(heads_of(plan))
    assert _csv_rows(made[ReportForm.CSV], plan) == [heads, *_plain(wanted, _as_csv)]
    assert _xlsx_rows(made[ReportForm.XLSX]) == [heads, *_plain(wanted, _as_cell)]
    told = json.loads(made[ReportForm.JSON].read_text("utf-8"))
    assert told["units"] == [shown_unit(unit, plan) for unit in units]
    document = etree.parse(made[ReportForm.XML])
    schema = etree.XMLSchema(etree.fromstring(xsd().encode()))
    assert schema.validate(document), schema.error_log
    values = document.iterfind(f".//{{{NAMESPACE}}}reading")
    readings = [
        each for unit in units for a in shown_unit(unit, plan)["attempts"] for each in a["readings"]
    ]
    assert [_number(each.get("value")) for each in values] == [each["value"] for each in readings]


def _number(text: str | None) -> float | None:
    return None if text is None else float(text)


def _plain(rows: list[list[Any]], cell: Any) -> list[list[Any]]:
    return [[cell(each) for each in row] for row in rows]


def _as_csv(value: Any) -> Any:
    if isinstance(value, str):
        return f"'{value}" if value.startswith(FORMULA) else value
    return "" if value is None else value


def _as_cell(value: Any) -> Any:
    """As a spreadsheet has it: of a number sixteen digits, one more than it reckons with."""
    if isinstance(value, float):
        return float(f"{value:.16G}")
    return None if value in (None, "") else value


def _csv_rows(path: Path, plan: ReportPlan) -> list[list[Any]]:
    text = path.read_bytes().decode("utf-8")
    assert text.startswith(MARK) is plan.bom
    rows = list(
        csv.reader(
            io.StringIO(text.removeprefix(MARK), newline=""),
            delimiter=";" if plan.decimal_comma else ",",
        )
    )
    numbers = {"revision", "attempt", "repetition", "value", "uncertainty", "minimum", "maximum",
               "margin", "ledger_position"}  # fmt: skip
    heads = rows[0]
    return [
        heads,
        *(
            [
                float(cell.replace(",", ".")) if cell and name in numbers else cell
                for name, cell in zip(heads, row, strict=True)
            ]
            for row in rows[1:]
        ),
    ]


def _xlsx_rows(path: Path) -> list[list[Any]]:
    """The cells of the second sheet as a spreadsheet reads them; nothing of it is a formula."""
    with zipfile.ZipFile(path) as book:
        root = etree.fromstring(book.read("xl/worksheets/sheet2.xml"))
    assert root.find(f".//{SHEET}f") is None
    found = []
    width = len(root.find(f".//{SHEET}row").findall(f"{SHEET}c"))
    for row in root.iterfind(f".//{SHEET}row"):
        cells: list[Any] = [None] * width
        for cell in row.iterfind(f"{SHEET}c"):
            column = 0
            for letter in filter(str.isalpha, cell.get("r")):
                column = column * 26 + ord(letter) - 64
            if cell.get("t") == "inlineStr":
                text = "".join(cell.itertext())
                cells[column - 1] = ESCAPED.sub(lambda at: chr(int(at[1], 16)), text) or None
            else:
                cells[column - 1] = float(cell.find(f"{SHEET}v").text)
        found.append(cells)
    return found


def test_the_json_is_as_its_schema_says(tmp_path: Path) -> None:
    path = tmp_path / "report.json"
    write_table(ReportPlan(form=ReportForm.JSON), HEAD, [], path)
    Draft202012Validator(ReportFile.model_json_schema()).validate(json.loads(path.read_text()))
