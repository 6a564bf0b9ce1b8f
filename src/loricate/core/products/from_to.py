"""From-to lists: what of a cable is joined with what, as a table that spreadsheets read and write.

A line joins two contacts: of a net, a shield or a component. A net of more than two contacts takes
several lines of one name. What a column leaves empty is not known. The first line names the
columns, in any order; those that are not needed may be left out.
"""

import csv
import io
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

from pydantic import ValidationError

from loricate.core.documents import findings_of, read_strictly
from loricate.core.errors import DocumentError, Finding
from loricate.core.products.product import Product

COLUMNS = (
    "sort",
    "name",
    "from",
    "to",
    "colour",
    "cross_section",
    "length",
    "resistance",
    "minimum",
    "maximum",
    "value",
    "tolerance",
    "position",
)
NEEDED = ("name", "from", "to")
WIRE, SHIELD = "wire", "shield"
PARTS = ("resistor", "capacitor", "diode")
OF_NET = ("colour", "cross_section", "length", "resistance", "minimum", "maximum")
OF_SHIELD = ("maximum",)
OF_PART = ("value", "tolerance")
MOST_LINES = 20_000
ANY_VALUE = {"resistor": "1 Ω", "capacitor": "1 nF", "diode": "0.6 V"}  # to look behind a bad one
FIRST, AGAIN = "first", "again"
_SEPARATORS = ",;\t"

Document = dict[str, Any]


def from_to_text(product: Product) -> str:
    """The list of a cable's nets, shields and components; the header alone where it has none."""
    kept = io.StringIO()
    writer = csv.DictWriter(kept, COLUMNS, lineterminator="\n")
    writer.writeheader()
    section = {} if product.cable is None else product.cable.model_dump(mode="json")
    writer.writerows(_lines(section))
    return kept.getvalue()


def _lines(section: Document) -> Iterator[Mapping[str, str]]:
    for entry in section.get("nets", ()):
        yield from _net_lines(WIRE, entry, OF_NET, "")
    for entry in section.get("shields", ()):
        yield from _net_lines(SHIELD, entry, OF_SHIELD, "")
    for position in section.get("positions", ()):
        for entry in position["nets"]:
            yield from _net_lines(WIRE, entry, OF_NET, position["code"])
    for part in section.get("parts", ()):
        first, second = part["between"]
        line = {"sort": part["sort"], "name": part["name"], "from": first, "to": second}
        yield line | {name: part[name] or "" for name in OF_PART}


def _net_lines(
    sort: str, entry: Document, own: Sequence[str], position: str
) -> Iterator[Mapping[str, str]]:
    """Each contact after the first is one line; what is said of the net is on its first."""
    first, *others = entry["contacts"]
    for place, other in enumerate(others):
        said = {name: entry[name] or "" for name in own} if place == 0 else {}
        yield {
            "sort": sort,
            "name": entry["name"],
            "from": first,
            "to": other,
            "position": position,
            **said,
        }


class _Reading:
    """A list as it is read: the entries it makes, where each of them is written, what is wrong."""

    def __init__(self) -> None:
        self.findings: list[Finding] = []
        self.nets: dict[tuple[str, str, str], Document] = {}  # by position, sort and name
        self.parts: dict[str, Document] = {}
        self.lines: dict[int, int] = {}  # of each entry, by its identity
        self.cells: dict[tuple[int, str], tuple[int, str]] = {}  # where an entry names a contact
        self.columns: dict[str, int] = {}

    def say(self, line: int, column: str, message: str, remedy: str) -> None:
        """Note what is wrong at a line and a column of the list."""
        self.findings.append(self.placed(line, column, message, remedy))

    def placed(self, line: int, column: str, message: str, remedy: str) -> Finding:
        """What is wrong at a line and a column of the list."""
        place = f"line {line}"
        if column in self.columns:
            place += f", column {self.columns[column] + 1} ({column})"
        return Finding(place, message, remedy)

    def without(self, cells: Iterable[tuple[int, str]]) -> bool:
        """Leave out what faulty cells say that need not be said; whether there was any."""
        count = 0
        for entry in (*self.nets.values(), *self.parts.values()):
            for line, column in cells:
                if self.lines[id(entry)] != line:
                    continue
                if column == "value":
                    entry[column] = ANY_VALUE[entry["sort"]]
                    count += 1
                elif column in (*OF_NET, "tolerance"):
                    count += entry.pop(column, None) is not None
        return count > 0

    def take(self, line: int, row: Mapping[str, str]) -> None:
        """Take in one line."""
        sort = row.get("sort") or WIRE
        if sort not in (WIRE, SHIELD, *PARTS):
            known = ", ".join((WIRE, SHIELD, *PARTS))
            self.say(line, "sort", f"'{sort}' is none", f"there are {known}.")
            return
        lacking = [name for name in NEEDED if not row.get(name)]
        for name in lacking:
            self.say(line, name, "is empty", "fill it in.")
        if lacking:
            return
        if sort in PARTS:
            self._take_part(line, sort, row)
        else:
            self._take_net(line, sort, row)

    def _take_part(self, line: int, sort: str, row: Mapping[str, str]) -> None:
        name = row["name"]
        if name in self.parts:
            first = self.lines[id(self.parts[name])]
            self.say(line, "name", f"{name} is on line {first} already", "give it another.")
            return
        part: Document = {"name": name, "sort": sort, "between": [row["from"], row["to"]]}
        part |= {each: row[each] for each in OF_PART if row.get(each)}
        self.parts[name] = part
        self.lines[id(part)] = line
        self.cells |= {(id(part), row[end]): (line, end) for end in ("to", "from")}

    def _take_net(self, line: int, sort: str, row: Mapping[str, str]) -> None:
        own = OF_NET if sort == WIRE else OF_SHIELD
        key = (row.get("position", ""), sort, row["name"])
        entry = self.nets.setdefault(key, {"name": row["name"], "contacts": []})
        self.lines.setdefault(id(entry), line)
        contacts = entry["contacts"]
        for column in ("from", "to"):
            contact = row[column]
            is_new = contact not in contacts
            if is_new:
                contacts.append(contact)
                self.cells[id(entry), contact] = (line, column)
            elif column == "to":
                told = f"{row['name']} has {contact} already"
                self.say(line, "to", told, "each line adds a contact.")
        for name in own:
            said = row.get(name)
            if not said:
                continue
            if entry.setdefault(name, said) != said:
                told = f"is {entry[name]} on line {self.lines[id(entry)]} and {said} here"
                self.say(line, name, told, "say it once for a net.")

    def section(self) -> Document:
        """What the list says, as the part of a product's section that it replaces."""
        found: Document = {"nets": [], "shields": [], "parts": list(self.parts.values())}
        positions: dict[str, Document] = {}
        for (position, sort, _), entry in self.nets.items():
            if sort == SHIELD:
                found["shields"].append(entry)
            elif position:
                own = positions.setdefault(position, {"code": position, "nets": []})
                own["nets"].append(entry)
            else:
                found["nets"].append(entry)
        found["positions"] = list(positions.values())
        return found

    def place_of(self, path: str, made: Document) -> tuple[int, str] | None:
        """The line and column of a path of the document that the list made; None elsewhere."""
        if not path.startswith("cable."):
            return None
        entry: Any = made
        parts = iter(path.removeprefix("cable.").replace("[", ".[").split("."))
        for part in parts:
            if id(entry) in self.lines:
                return self._cell(entry, part, next(parts, ""))
            try:
                entry = entry[int(part[1:-1])] if part.startswith("[") else entry[part]
            except (KeyError, IndexError, TypeError, ValueError):
                return None
        return (self.lines[id(entry)], "") if id(entry) in self.lines else None

    def _cell(self, entry: Document, column: str, index: str) -> tuple[int, str]:
        """Where an entry says something: of its contacts each is in a cell of its own."""
        if column in ("contacts", "between"):
            contacts = entry[column]
            place = int(index[1:-1]) if index else len(contacts) - 1
            contact = contacts[place]
            return self.cells.get((id(entry), contact), (self.lines[id(entry)], "to"))
        return self.lines[id(entry)], column


def with_from_to(document: Mapping[str, Any], text: str) -> Document:
    """A cable's document with the nets, shields and components of a list in place of its own.

    Raises DocumentError with the line and column of each mistake, of what only shows in the whole
    (an unknown connector, a contact in two nets) as well.
    """
    reading = _Reading()
    rows = _rows(text, reading)
    for line, row in rows:
        reading.take(line, row)
    made = reading.section()
    before = document.get("cable")
    titles = {
        str(each.get("code")): each.get("title")
        for each in (before or {}).get("positions", ())
        if isinstance(each, dict) and each.get("title")
    }
    for position in made["positions"]:
        if position["code"] in titles:
            position["title"] = titles[position["code"]]
    known = dict(before) if isinstance(before, dict) else {}
    found = {**document, "cable": {**known, **made}}
    for name in ("nets", "shields", "parts", "positions"):
        if not made[name]:
            del found["cable"][name]
    reading.findings += _whole_findings(found, reading, made)
    if reading.findings:
        raise DocumentError("from-to list", tuple(dict.fromkeys(reading.findings)))
    return found


def _whole_findings(document: Document, reading: _Reading, made: Document) -> list[Finding]:
    """What is wrong with the whole; what is wrong with a cell does not hide what is behind it."""
    found: list[Finding] = []
    for _ in (FIRST, AGAIN):
        try:
            read_strictly(Product, document)
        except ValidationError as error:
            cells = []
            for finding in findings_of(error):
                place = reading.place_of(finding.path, made)
                if place is None:
                    found.append(finding)
                    continue
                line, column = place
                found.append(reading.placed(line, column, finding.reason, finding.remedy))
                cells.append((line, column))
            if not reading.without(cells):
                break
        else:
            break
    return found


def _rows(text: str, reading: _Reading) -> list[tuple[int, dict[str, str]]]:
    """The lines below the header with their numbers; what is wrong with the header is noted."""
    lines = text.removeprefix("\ufeff").splitlines()
    if len(lines) > MOST_LINES:
        reading.findings.append(
            Finding(f"line {MOST_LINES + 1}", f"is one too many; at most {MOST_LINES}.")
        )
        return []
    header = next((line for line in lines if line.strip()), "")
    separator = max(_SEPARATORS, key=header.count)
    rows: list[tuple[int, dict[str, str]]] = []
    names: list[str] = []
    reader = csv.reader(lines, delimiter=separator)
    try:
        for cells in reader:
            cells = [cell.strip() for cell in cells]
            if not any(cells):
                continue
            if not names:
                names = [cell.casefold().replace(" ", "_").replace("-", "_") for cell in cells]
                if not _header_is_good(names, reading):
                    return []
                continue
            row = dict(zip(names, cells, strict=False))
            if len(cells) > len(names):
                told = f"has {len(cells)} cells, and the first line names {len(names)}"
                reading.say(reader.line_num, "", told, "quote a cell with a separator in it.")
            rows.append((reader.line_num, row))
    except csv.Error as error:
        reading.say(reader.line_num, "", f"cannot be read ({error})", "write plain CSV.")
    if not rows and not reading.findings:
        reading.say(1, "", "has no line below its header", "write a line for each wire.")
    return rows


def _header_is_good(names: Sequence[str], reading: _Reading) -> bool:
    strange = [name for name in names if name not in COLUMNS]
    lacking = [name for name in NEEDED if name not in names]
    twice = sorted({name for name in names if names.count(name) > 1})
    reading.columns = {name: place for place, name in enumerate(names)}
    if strange:
        told = f"has a column {' and '.join(repr(name) for name in strange)}"
        reading.say(1, "", told, f"the columns are {', '.join(COLUMNS)}.")
    if lacking:
        reading.say(1, "", f"lacks the column {' and '.join(lacking)}", "add it.")
    if twice:
        reading.say(1, "", f"has {' and '.join(twice)} twice", "name each column once.")
    return not (strange or lacking or twice)
