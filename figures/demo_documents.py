"""The demo's documents, for figures that need a sequence and a run's records."""

from typing import Any

from loricate.commands import demo_site
from loricate.core.limits.limit_sets import LimitSet
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence


def demo_sequence() -> ReadySequence:
    """The drying cabinet's sequence, ready to run."""
    products = {d["code"]: Product.model_validate(d) for d in demo_site.demo_documents("products")}
    limit_sets = {
        d["code"]: (LimitSet.model_validate(d), 1) for d in demo_site.demo_documents("limit-sets")
    }
    return prepare(demo_site.demo_sequence("DC40-FINAL"), products, limit_sets)


def certificate_document() -> dict[str, Any]:
    """A certificate's document with the demo sequence's five steps and their readings."""
    limit = {
        "minimum": None, "maximum": 0.2, "caution_below": None, "caution_above": None,
        "text": "≤ 200 mΩ", "source": "IEC 60335-1:2010 A",
    }  # fmt: skip
    reading = {
        "quantity": "resistance", "point": "", "value": 0.0834, "unit": "Ω", "bound": "exact",
        "uncertainty": 0.0007, "text": "83.40 mΩ", "instrument": "GB1", "verdict": "pass",
        "guarded": "pass", "band": "good", "margin": 0.58, "ungraded": "", "repetition": 1,
        "corrections": [], "limit": limit,
    }  # fmt: skip
    names = ("resistance", "voltage", "current")
    step = {
        "id": "s", "title": "Earth from plug to case", "kind": "ground_bond", "attempt": 1,
        "reason": "", "earlier": [], "repetitions": [], "faults": [], "curves": [],
        "started_at": "2026-11-25T08:00:00.000Z", "verdict": "pass", "cause": "", "note": "",
        "conditions": "High terminals L+N, Low terminals PE, Test voltage 1 kV, Dwell 1 s",
        "readings": [{**reading, "quantity": name} for name in names],
    }  # fmt: skip
    instrument = {
        "id": "HV1", "title": "Withstand and insulation source", "identity": "", "serial": "WS-1",
        "calibrated": "2026-06-09", "due": "2027-06-09", "certificate": "K-2026-0611",
    }  # fmt: skip
    return {
        "format": "loricate-certificate/3", "kind": "certificate", "number": "C-2026-000007",
        "supersedes": "", "remarks": [], "zone": "UTC", "ambient": None,
        "unseen": {},
        "issued_at": "2026-11-25T08:01:00.000Z", "site": "Quillmere Apparatus",
        "verdict": "pass", "cause": "",
        "unit": {"serial": "DC40-26-0117", "product": "DC-40", "product_revision": 1,
                 "title": "Drying cabinet DC-40", "protection_class": "I", "lot": ""},
        "run": {"id": "r", "started_at": "2026-11-25T08:00:00.000Z",
                "ended_at": "2026-11-25T08:00:40.000Z", "operator": "mara",
                "operator_name": "Mara Quill", "bench": "BENCH-2", "fixture": "FX-A", "nest": "1"},
        "sequence": {"code": "DC40-FINAL", "revision": 1, "title": "Final test",
                     "decision_rule": "simple", "decision_r": None, "coverage_factor": 2.0,
                     "findings_left": []},
        "limit_sets": [{"code": "IEC-60335-1-A", "revision": 1, "standard": "IEC 60335-1:2010",
                        "checked": "not checked against a purchased copy"}],
        "steps": [step] * 5, "instruments": [instrument] * 3, "gate": [],
        "software": "Loricate", "ledger": {"position": 1, "previous": "0" * 64},
        "verify_url": "http://127.0.0.1:8640/verify/C-2026-000007",
    }  # fmt: skip
