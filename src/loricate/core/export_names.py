"""Names for exported files: a pattern with placeholders, made safe whatever stands in a record.

A pattern is folders and a name with ``/`` between, such as ``{date}/{product}/{serial}-{verdict}``.
What a placeholder brings is never more than one part of the path, so that nothing gets out of the
folder.
"""

import re
import string
import unicodedata
from collections.abc import Callable, Mapping
from pathlib import PurePosixPath

PLACEHOLDERS = ("serial", "lot", "product", "sequence", "operator", "verdict", "date", "number")
MOST_SIGNS = 80
_UNSAFE = re.compile(r"[^\w.\- ]+")
# Names that some file systems keep for devices.
_RESERVED = {"con", "prn", "aux", "nul", *(f"{d}{n}" for d in ("com", "lpt") for n in range(10))}


def pattern_problem(pattern: str) -> str:
    """What is wrong with a pattern, or nothing."""
    known = ", ".join(f"{{{name}}}" for name in PLACEHOLDERS)
    try:
        fields = [(name, spec, turn) for _, name, spec, turn in string.Formatter().parse(pattern)]
    except ValueError:
        return f"has a brace that is not closed; write a placeholder as one of {known}."
    for name, spec, turn in fields:
        if name is not None and (name not in PLACEHOLDERS or spec or turn):
            return f"has the placeholder {{{name}}}, which is not known; there are {known}."
    if not any(name for name, _, _ in fields if name in ("serial", "number")):
        return "names neither {serial} nor {number}, so that every file would be the same one."
    if pattern.startswith("/") or "\\" in pattern or ":" in pattern:
        return "goes out of the export folder; write it from there, with / between folders."
    if any(part in ("", ".", "..") for part in pattern.split("/")):
        return "has an empty part, . or .. between its slashes; write folders and a name."
    return ""


def safe_part(text: str) -> str:
    """One part of a path that every file system takes: no separator or control sign, not empty."""
    tidy = (
        _UNSAFE.sub("_", unicodedata.normalize("NFC", text)).strip(" ._")[:MOST_SIGNS].rstrip(" .")
    )
    if not tidy:
        return "none"
    return f"_{tidy}" if tidy.split(".")[0].lower() in _RESERVED else tidy


def export_path(
    pattern: str, facts: Mapping[str, str], suffix: str, is_taken: Callable[[PurePosixPath], bool]
) -> PurePosixPath:
    """The path below the export folder for a file; numbered from 2 while ``is_taken``.

    Raises ValueError for a pattern with a problem.
    """
    if problem := pattern_problem(pattern):
        raise ValueError(f"The pattern '{pattern}' {problem}")
    known = {name: facts.get(name, "") for name in PLACEHOLDERS}
    # Each part is filled and made safe by itself: a slash in a serial makes no folder.
    parts = [safe_part(part.format(**known)) for part in pattern.split("/")]
    folder = PurePosixPath(*parts[:-1])
    path, number = folder / f"{parts[-1]}{suffix}", 2
    while is_taken(path):
        path, number = folder / f"{parts[-1]}-{number}{suffix}", number + 1
    return path
