"""What a report of many units holds in memory, over one of few: the most that its worker ever has.

The units are those of the demo's history, some of them twice where more are wanted.
"""

import json
import resource
import subprocess
import sys
import tempfile
from itertools import cycle, islice
from pathlib import Path

from loricate.core.reports import ReportForm, ReportPlan
from loricate.papers.look import Look
from loricate.records.store import Store, open_connection
from loricate.service.carried_files import take_in
from loricate.service.places import carried_databases
from loricate.service.report_making import Chosen, Drawing, finish, make_part

FEW, MANY, AT_ONCE = 10, 1_000, 8
HISTORY = Path("demo/history")


def report_memory() -> float:
    """The memory of a report of a thousand units as PDF, over that of ten."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        Store(folder / "records.sqlite").close()
        key = (HISTORY / "bench-5.key").read_text(encoding="ascii").strip()
        take_in(folder, HISTORY / "bench-5.carried", [key], "figure")
        return _peak_of(folder, MANY) / _peak_of(folder, FEW)


def _peak_of(folder: Path, units: int) -> int:
    """The more of two processes, as there are two workers: one draws, one binds."""
    peaks = []
    with tempfile.TemporaryDirectory(dir=folder) as place:
        for act in ("draw", "bind"):
            given = [sys.executable, "-m", __name__, act, str(folder), str(units), place]
            told = subprocess.run(given, check=True, capture_output=True, text=True).stdout
            peaks.append(int(json.loads(told)["kib"]))
    return max(peaks)


def _act(act: str, folder: Path, units: int, place: Path) -> None:
    (database,) = carried_databases(folder)
    conn = open_connection(database, read_only=True)
    ids = [str(row["id"]) for row in conn.execute("SELECT id FROM run_unit ORDER BY id")]
    conn.close()
    plan = ReportPlan(form=ReportForm.PDF)
    drawing = Drawing(
        plan,
        Look(),
        place,
        "Quillmere",
        "http://b",
        "Loricate",
        "2026-12-02T00:00:00.000Z",
        "figure",
    )
    chosen = [Chosen(database, "BENCH-5", "Fellside", each) for each in islice(cycle(ids), units)]
    if act == "bind":
        finish(drawing, [], [])
    else:
        for begin in range(0, units, AT_ONCE):
            make_part(drawing, begin, chosen[begin : begin + AT_ONCE])
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    sys.stdout.write(json.dumps({"kib": peak}))


if __name__ == "__main__":
    _act(sys.argv[1], Path(sys.argv[2]), int(sys.argv[3]), Path(sys.argv[4]))
