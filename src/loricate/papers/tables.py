"""Tables as CSV (RFC 4180) that a spreadsheet opens as what they are."""

import csv
import io
from collections.abc import Iterable, Sequence

MARK = "\ufeff"  # by which some spreadsheets know UTF-8
FORMULA = ("=", "+", "-", "@", "\t", "\r")  # what a spreadsheet would run
Cell = str | float | int | bool | None


def csv_text(
    heads: Sequence[str] | None,
    rows: Iterable[Sequence[Cell]],
    with_mark: bool = False,
    decimal_comma: bool = False,
) -> str:
    """A table as text: numbers to the last digit, nothing that a spreadsheet would run.

    Without ``heads`` it goes on where another one ended.

    A text that begins like a formula has an apostrophe before it. ``with_mark`` puts the mark of
    UTF-8 first; with ``decimal_comma`` cells are divided by semicolons.
    """
    out = io.StringIO(newline="")
    writer = csv.writer(out, delimiter=";" if decimal_comma else ",", lineterminator="\r\n")
    if heads is not None:
        writer.writerow([_cell(each, decimal_comma) for each in heads])
    writer.writerows([_cell(each, decimal_comma) for each in row] for row in rows)
    return (MARK if with_mark else "") + out.getvalue()


def _cell(value: Cell, decimal_comma: bool) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, str):
        return f"'{value}" if value.startswith(FORMULA) else value
    text = repr(value)
    return text.replace(".", ",") if decimal_comma else text
