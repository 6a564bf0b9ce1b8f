"""Readings of many units as tables for programs: CSV, XLSX, XML and JSON, written as they come.

What is told of a unit is what the API tells of it; numbers go out to the last digit, with their
bound. Nothing is held but one unit.
"""

import json
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import chain
from pathlib import Path
from typing import Any

import xlsxwriter
from lxml import etree

from loricate.core.depths import Depth
from loricate.core.reports import ReportForm, ReportPlan
from loricate.papers.tables import Cell, csv_text

FORMAT = "loricate-report/1"
NAMESPACE = "urn:loricate:report:1"
Unit = Mapping[str, Any]
_NOT_IN_XML = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")
UNIT_HEADS = (
    "serial", "asset", "product", "lot", "bench", "run", "nest", "sequence", "revision",
    "started_at", "verdict", "cause", "document", "document_kind", "revoked",
    "let_go_at",
)  # fmt: skip
STEP_HEADS = (
    "step",
    "kind",
    "title",
    "attempt",
    "step_verdict",
    "step_cause",
    "ended_at",
    "reason",
)
READING_HEADS = (
    "quantity", "point", "repetition", "value", "unit", "bound", "uncertainty",
    "verdict_of_reading",
)  # fmt: skip
LIMIT_HEADS = ("minimum", "maximum", "source", "margin", "instrument")
LEDGER_HEADS = ("ledger_position", "ledger_hash")


@dataclass(frozen=True, slots=True)
class Head:
    """What stands before the units."""

    title: str
    site: str
    drawn_at: str
    drawn_by: str
    software: str
    scope: Mapping[str, Any]
    depth: str
    units: int


def write_table(plan: ReportPlan, head: Head, units: Iterable[Unit], to: Path) -> None:
    """Write a report in the form that its plan names, unit after unit."""
    shown = (shown_unit(unit, plan) for unit in units)
    {
        ReportForm.CSV: _write_csv,
        ReportForm.XLSX: _write_xlsx,
        ReportForm.XML: _write_xml,
        ReportForm.JSON: _write_json,
    }[plan.form](plan, head, shown, to)


def shown_unit(unit: Unit, plan: ReportPlan) -> dict[str, Any]:
    """A unit with as much of it as the plan tells."""
    told = dict(unit)
    if not plan.remarks:
        told["remarks"] = []
    if not plan.instruments:
        told.pop("instruments", None)
    if not plan.ledger:
        told.pop("ledger", None)
    if not plan.depth.has(Depth.PROCEDURE):
        told["answers"] = []
    told["attempts"] = [
        {**attempt, "readings": list(_readings(attempt, plan)), "headlines": []}
        for attempt in unit["attempts"]
        if not (plan.failed_only and attempt["verdict"] == "pass")
    ]
    return told


def _readings(attempt: Mapping[str, Any], plan: ReportPlan) -> Iterator[dict[str, Any]]:
    for reading in attempt["readings"]:
        did_not_pass = reading["verdict"] not in ("", "pass")
        if did_not_pass or (plan.depth.has(Depth.READINGS) and not plan.failed_only):
            yield dict(reading)


def heads_of(plan: ReportPlan) -> tuple[str, ...]:
    """The columns of a table of readings."""
    limits = LIMIT_HEADS if plan.depth.has(Depth.LIMITS) else ()
    ledger = LEDGER_HEADS if plan.ledger else ()
    return (*UNIT_HEADS, *ledger, *STEP_HEADS, *READING_HEADS, *limits)


def rows_of(unit: Unit, plan: ReportPlan) -> Iterator[list[Cell]]:
    """A row a reading; of an attempt without any one row, and of a unit without attempts one."""
    first = [unit[_UNIT.get(name, name)] for name in UNIT_HEADS]
    if plan.ledger:
        place = unit.get("ledger") or {}
        first += [place.get("position"), place.get("hash")]
    limits = LIMIT_HEADS if plan.depth.has(Depth.LIMITS) else ()
    count = len(READING_HEADS) + len(limits)
    if not unit["attempts"]:
        yield [*first, *[None] * (len(STEP_HEADS) + count)]
    for attempt in unit["attempts"]:
        second = [attempt[_ATTEMPT.get(name, name)] for name in STEP_HEADS]
        for reading in attempt["readings"]:
            names = (*READING_HEADS, *limits)
            yield [*first, *second, *(reading[_READING.get(name, name)] for name in names)]
        if not attempt["readings"]:
            yield [*first, *second, *[None] * count]


_UNIT = {
    "run": "run_id", "sequence": "sequence_code", "revision": "sequence_revision",
    "document": "certificate", "document_kind": "certificate_kind",
}  # fmt: skip
_ATTEMPT = {
    "step": "step_id", "attempt": "number", "step_verdict": "verdict", "step_cause": "cause",
}  # fmt: skip
_READING = {"verdict_of_reading": "verdict"}


def _write_csv(plan: ReportPlan, head: Head, units: Iterable[Unit], to: Path) -> None:
    with to.open("w", encoding="utf-8", newline="") as out:
        out.write(csv_text(heads_of(plan), (), plan.bom, plan.decimal_comma))
        for unit in units:
            out.write(csv_text(None, rows_of(unit, plan), False, plan.decimal_comma))


def _write_xlsx(plan: ReportPlan, head: Head, units: Iterable[Unit], to: Path) -> None:
    """Two sheets: what it is, and the readings; text is text, whatever it begins with."""
    options = {
        "constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False,
        "strings_to_numbers": False, "tmpdir": str(to.parent),
    }  # fmt: skip
    with xlsxwriter.Workbook(to, options) as book:
        bold = book.add_format({"bold": True})
        about = book.add_worksheet("Report")
        about.set_column(0, 0, 14)
        about.set_column(1, 1, 60)
        for row, (name, value) in enumerate(_told(head)):
            about.write_string(row, 0, name, bold)
            about.write_string(row, 1, value)
        sheet = book.add_worksheet("Readings")
        sheet.freeze_panes(1, 1)
        heads = heads_of(plan)
        sheet.set_column(0, len(heads) - 1, 14)
        rows = chain.from_iterable(rows_of(unit, plan) for unit in units)
        first: list[Cell] = list(heads)
        for row, cells in enumerate(chain([first], rows)):
            for column, cell in enumerate(cells):
                if isinstance(cell, str):
                    sheet.write_string(row, column, cell, bold if row == 0 else None)
                elif cell is not None:
                    sheet.write_number(row, column, cell)


def _told(head: Head) -> list[tuple[str, str]]:
    return [
        ("Title", head.title),
        ("Site", head.site),
        ("Drawn at", head.drawn_at),
        ("Drawn by", head.drawn_by),
        ("Software", head.software),
        ("Scope", json.dumps(dict(head.scope), ensure_ascii=False)),
        ("Depth", head.depth),
        ("Units", str(head.units)),
        ("Format", FORMAT),
    ]


def _write_json(plan: ReportPlan, head: Head, units: Iterable[Unit], to: Path) -> None:
    first = {"format": FORMAT, **_head(head)}
    with to.open("w", encoding="utf-8") as out:
        out.write(json.dumps(first, ensure_ascii=False, indent=1)[:-2])
        out.write(',\n "units": [')
        for number, unit in enumerate(units):
            out.write("," if number else "")
            out.write(f"\n{json.dumps(unit, ensure_ascii=False, allow_nan=False)}")
        out.write("\n ]\n}\n")


def _head(head: Head) -> dict[str, Any]:
    return {
        "title": head.title,
        "site": head.site,
        "drawn_at": head.drawn_at,
        "drawn_by": head.drawn_by,
        "software": head.software,
        "scope": dict(head.scope),
        "depth": head.depth,
        "count": head.units,
    }


def _write_xml(plan: ReportPlan, head: Head, units: Iterable[Unit], to: Path) -> None:
    told = {**_head(head), "scope": json.dumps(dict(head.scope), ensure_ascii=False)}
    attributes = {"format": FORMAT, **{name: _xml(value) for name, value in told.items()}}
    with etree.xmlfile(str(to), encoding="utf-8") as out:
        out.write_declaration()
        with out.element(_name("report"), attributes, nsmap={None: NAMESPACE}):
            for unit in units:
                out.write(_unit_element(unit, plan), pretty_print=True)


def _unit_element(unit: Unit, plan: ReportPlan) -> Any:
    made = etree.Element(
        _name("unit"), _attributes(unit, UNIT_HEADS, _UNIT), nsmap={None: NAMESPACE}
    )
    if plan.ledger and (place := unit.get("ledger")):
        etree.SubElement(made, _name("ledger"), _attributes(place, ("position", "hash"), {}))
    for each in unit.get("instruments", ()):
        etree.SubElement(made, _name("instrument"), _attributes(each, INSTRUMENT_HEADS, {}))
    for attempt in unit["attempts"]:
        step = etree.SubElement(made, _name("step"), _attributes(attempt, STEP_HEADS, _ATTEMPT))
        limits = LIMIT_HEADS if plan.depth.has(Depth.LIMITS) else ()
        for reading in attempt["readings"]:
            names = (*READING_HEADS, *limits)
            etree.SubElement(step, _name("reading"), _attributes(reading, names, _READING))
        for fault in attempt["faults"]:
            etree.SubElement(
                step, _name("fault"), _attributes(fault, ("cause", "point"), {})
            ).text = _clean(fault["text"])
    for remark in unit["remarks"]:
        named = _attributes(remark, REMARK_HEADS, {})
        etree.SubElement(made, _name("remark"), named).text = _clean(remark["text"])
    return made


_NUMBERS = {
    "revision", "attempt", "repetition", "value", "uncertainty", "minimum", "maximum", "margin",
    "position", "count",
}  # fmt: skip
_CHILDREN = {
    "unit": ("ledger", "instrument", "step", "remark"),
    "step": ("reading", "fault"),
}
_WITH_TEXT = ("fault", "remark")
INSTRUMENT_HEADS = ("id", "title", "serial", "calibrated", "due", "certificate")
REMARK_HEADS = ("step_id", "account", "made_at")
_ELEMENTS = {
    "unit": UNIT_HEADS,
    "ledger": ("position", "hash"),
    "instrument": INSTRUMENT_HEADS,
    "step": STEP_HEADS,
    "reading": (*READING_HEADS, *LIMIT_HEADS),
    "fault": ("cause", "point"),
    "remark": REMARK_HEADS,
}


def xsd() -> str:
    """The XML Schema of a report as XML: what is empty, or not told, is left out."""
    lines = [
        '<?xml version="1.0" encoding="utf-8"?>',
        f'<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="{NAMESPACE}"',
        f'    xmlns="{NAMESPACE}" elementFormDefault="qualified">',
        '  <xs:element name="report"><xs:complexType>',
        "    <xs:sequence>",
        '      <xs:element ref="unit" minOccurs="0" maxOccurs="unbounded"/>',
        "    </xs:sequence>",
        *(f"    {_attribute(name, ' use=' + chr(34) + 'required' + chr(34))}" for name in REPORT),
        "  </xs:complexType></xs:element>",
    ]
    for element, names in _ELEMENTS.items():
        mixed = ' mixed="true"' if element in _WITH_TEXT else ""
        lines.append(f'  <xs:element name="{element}"><xs:complexType{mixed}>')
        if children := _CHILDREN.get(element):
            lines.append("    <xs:sequence>")
            for child in children:
                most = "1" if child == "ledger" else "unbounded"
                lines.append(f'      <xs:element ref="{child}" minOccurs="0" maxOccurs="{most}"/>')
            lines.append("    </xs:sequence>")
        lines += [f"    {_attribute(name)}" for name in names]
        lines.append("  </xs:complexType></xs:element>")
    return "\n".join([*lines, "</xs:schema>", ""])


REPORT = (
    "format", "title", "site", "drawn_at", "drawn_by", "software", "scope", "depth", "count",
)  # fmt: skip


def _attribute(name: str, more: str = "") -> str:
    sort = "xs:double" if name in _NUMBERS else "xs:string"
    return f'<xs:attribute name="{name}" type="{sort}"{more}/>'


def _name(local: str) -> str:
    return f"{{{NAMESPACE}}}{local}"


def _attributes(
    told: Mapping[str, Any], names: Sequence[str], sources: Mapping[str, str]
) -> dict[str, str]:
    found = ((name, told[sources.get(name, name)]) for name in names)
    return {name: _xml(value) for name, value in found if value not in (None, "")}


def _xml(value: Any) -> str:
    if isinstance(value, float):
        return repr(value)
    return _clean(str(value))


def _clean(text: str) -> str:
    """A text without what XML has no place for."""
    return _NOT_IN_XML.sub(lambda sign: f"‹U+{ord(sign[0]):04X}›", text)


def units_in(lines: Path) -> Iterator[dict[str, Any]]:
    """Units that were written one a line."""
    with lines.open(encoding="utf-8") as source:
        for line in source:
            yield json.loads(line)
