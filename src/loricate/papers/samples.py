"""Documents of no unit, with a little of everything, to try templates on before they are used."""

import io
from typing import Any

from PIL import Image

from loricate.core.depths import Depth
from loricate.papers.certificate import draw_certificate
from loricate.papers.label import draw_label
from loricate.papers.look import Look
from loricate.papers.lot import draw_lot
from loricate.papers.report import Report, Shown, draw_report
from loricate.papers.standing import Standing

_LIMIT = {"minimum": None, "maximum": 0.2, "text": "≤ 200 mΩ", "source": "Sample 1:2026 A"}
_BY = {"account": "sample", "name": "Sample Person", "role": "quality"}


def _reading(point: str = "", verdict: str = "pass") -> dict[str, Any]:
    return {
        "quantity": "resistance", "point": point, "value": 0.08, "unit": "Ω", "bound": "exact",
        "uncertainty": 0.001, "text": "80.00 mΩ", "instrument": "GB1", "verdict": verdict,
        "guarded": verdict, "band": "good", "margin": 0.6, "ungraded": "", "repetition": 1,
        "corrections": [
            {"what": "zero", "before": 0.09, "text": "90.00 mΩ", "reason": "the leads"}
        ],
        "limit": _LIMIT,
    }  # fmt: skip


def _step(name: str, readings: list[dict[str, Any]], **more: Any) -> dict[str, Any]:
    return {
        "id": name, "title": f"Sample {name}", "kind": "continuity", "attempt": 2,
        "reason": "tried again", "started_at": "2026-01-02T08:00:00.000Z", "verdict": "pass",
        "cause": "", "note": "A note.", "conditions": "Test current 1 A", "readings": readings,
        "earlier": [{"attempt": 1, "verdict": "fail", "cause": "over_limit", "readings": [],
                     "faults": []}],
        "faults": [], "repetitions": [], "curves": [], **more,
    }  # fmt: skip


def _common(kind: str, number: str) -> dict[str, Any]:
    return {
        "format": "", "kind": kind, "number": number, "supersedes": "C-2026-000000", "zone": "UTC",
        "issued_at": "2026-01-02T08:01:00.000Z", "site": "Sample site", "software": "Loricate",
        "ledger": {"position": 1, "previous": ""}, "verify_url": f"http://127.0.0.1/verify/{number}",
    }  # fmt: skip


def sample_certificate(kind: str = "certificate") -> dict[str, Any]:
    """A certificate with rows, repetitions, a table of points and a curve."""
    curve = {
        "name": "course", "point": "", "repetition": 1, "marks": [{"x": 0.5, "text": "dwell"}],
        "x": {"name": "time", "dimension": "time", "values": [0.0, 0.5, 1.0]},
        "columns": [
            {"name": "resistance", "dimension": "resistance", "values": [0.08, 0.09, None]}
        ],
    }  # fmt: skip
    return {
        **_common(kind, "C-2026-000001"),
        "verdict": "pass", "cause": "",
        "unit": {"serial": "SAMPLE-1", "product": "S-1", "product_revision": 1,
                 "title": "Sample unit", "protection_class": "I", "lot": "L-1"},
        "run": {"id": "", "started_at": "2026-01-02T08:00:00.000Z",
                "ended_at": "2026-01-02T08:00:40.000Z", "operator": "sample",
                "operator_name": "Sample Person", "bench": "B", "fixture": "F", "nest": "1"},
        "sequence": {"code": "S", "revision": 1, "title": "Sample", "decision_rule": "guarded",
                     "decision_r": 0.83, "coverage_factor": 2.0,
                     "findings_left": [{"severity": "warning", "rule": "r", "step": "row",
                                        "finding": "A finding.", "reason": "A reason.",
                                        "by": "sample", "by_name": "Sample Person"}]},
        "ambient": {"temperature": "21.0 °C", "humidity": "45 %", "account": "sample",
                    "name": "Sample Person", "instrument": "", "at": "2026-01-02T07:00:00.000Z"},
        "wiring": {"position": "A", "connectors": [
            {"code": "X1", "title": "Sample", "side": "left", "rows": [["1", "2"]]},
            {"code": "X2", "title": "", "side": "right", "rows": [["1", "2"]]},
        ], "nets": [{"name": "N", "contacts": ["X1:1", "X2:1"], "is_shield": False}],
            "parts": [{"name": "R", "sort": "resistor", "between": ["X1:1", "X1:2"],
                       "value": "1 kΩ"}]},
        "limit_sets": [{"code": "S", "revision": 1, "standard": "Sample 1:2026",
                        "checked": "not checked"}],
        "steps": [
            _step("look", [], kind="visual", conditions="", note=""),
            _step("row", [_reading()], curves=[curve]),
            _step("points", [_reading(f"A{n} to B{n}") for n in range(1, 5)]),
            _step("repeated", [_reading()],
                  repetitions=[{"repetition": 1, "verdict": "pass", "cause": ""}]),
        ],
        "remarks": [{"step": "row", "text": "A remark.", "picture": "ab", "account": "sample",
                     "name": "Sample Person", "made_at": "2026-01-02T08:00:00.000Z"}],
        "instruments": [{"id": "GB1", "title": "Source", "identity": "", "serial": "1",
                         "calibrated": "2026-01-01", "due": "2027-01-01", "certificate": ""}],
        "unseen": {"GB1": ["dwell"]},
        "gate": [{"name": "daily check passed", "met": True, "reason": "Checked."},
                 {"name": "every step passed", "met": False, "reason": "One did not."}],
    }  # fmt: skip


def sample_report() -> Report:
    """A report of the same, with what was told at a step, and a photo."""
    body = {**sample_certificate(), "verdict": "fail"}
    return Report(
        body,
        body["issued_at"],
        "Sample Person (sample)",
        body["site"],
        body["software"],
        body["number"],
        body["verify_url"],
        not_certified=("One step did not pass.",),
        procedure={"look": ("Before: clip on.",)},
        pictures={"look": (Shown("ab", "The case"),), "": (Shown("cd", "The unit"),)},
    )


def _sample_photo(digest: str) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (32, 24), "grey").save(out, "PNG")
    return out.getvalue()


def sample_lot() -> dict[str, Any]:
    """A lot's summary with a unit tested and one waiting."""
    lot = {
        "code": "L-1", "product": "S-1", "order_number": "", "state": "open", "serials": "S-#",
        "created_at": "2026-01-02T07:00:00.000Z", "created_by": "sample", "closed_at": None,
        "expected": 2, "tested": 1, "passed": 1, "failed": 0, "first_pass_yield": 1.0,
        "final_yield": 1.0, "waiting_count": 1, "waiting": ["S-2"],
        "units": [{"serial": "S-1", "verdict": "pass", "cause": "", "times": 1,
                   "certificate": "C-2026-000001"}],
    }  # fmt: skip
    return {**_common("lot", "L-2026-000001"), "lot": lot}


def try_logo(look: Look) -> None:
    """Draw a paper that shows the logo; raises TemplateFault for one that cannot be shown."""
    draw_lot(sample_lot(), Standing(), look)


def try_look(look: Look) -> None:
    """Draw one of each paper with a look; raises TemplateFault for the first that cannot be."""
    act = {"number": "X-2026-000001", "issued_at": "2026-01-02T09:00:00.000Z"}
    standing = Standing(
        "C-2026-000002",
        {**act, "reason": "A reason.", "revoked_by": _BY},
        ({**act, "approved_by": _BY},),
    )
    draw_certificate(sample_certificate(), standing, look)
    draw_certificate(sample_certificate("nonconformance"), Standing(), look)
    draw_report(sample_report(), Depth.PHOTOS, False, look, _sample_photo)
    draw_lot(sample_lot(), standing, look)
    draw_label("SAMPLE-1", "Sample", "Sample site", look)
