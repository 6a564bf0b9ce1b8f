"""The certificate document: plain JSON data that says all the paper says, and a little more."""

import datetime as dt
import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from loricate.core.attempts import Attempt
from loricate.core.gate import Requirement
from loricate.core.limits.limit import LimitSource
from loricate.core.measuring.grading import Fault, GradedReading
from loricate.core.measuring.uncertainty import COVERAGE_FACTOR
from loricate.core.quantities import display
from loricate.core.sequences.released import ReleasedSequence

FORMAT = "loricate-certificate/2"
KNOWN = (FORMAT, "loricate-certificate/1")  # forms that were issued, and are verified still
Document = dict[str, Any]


@dataclass(frozen=True, slots=True)
class Issue:
    """What is decided at the moment of issue."""

    kind: str
    number: str
    issued_at: str
    position: int
    previous: str
    verify_url: str
    software: str
    product_revision: int
    supersedes: str = ""
    left: tuple[Mapping[str, str], ...] = ()  # findings that were left when it was released


def make_document(
    issue: Issue,
    run: Mapping[str, Any],
    unit: Mapping[str, Any],
    sequence: ReleasedSequence,
    gate: Sequence[Requirement],
) -> Document:
    """Build the document of one unit from its run's records (as the records room gives them).

    Values are SI; each reading also carries the text that the paper shows.
    """
    attempts: dict[str, list[Attempt]] = {}
    for attempt in unit["attempts"]:
        attempts.setdefault(attempt.step.id, []).append(attempt)
    sources = [limit.source for step in sequence.steps for limit in step.limits.values()]
    return {
        "format": FORMAT,
        "kind": issue.kind,
        "number": issue.number,
        "supersedes": issue.supersedes,
        "issued_at": issue.issued_at,
        "site": run["bench"]["site"],
        "verdict": unit["verdict"],
        "cause": unit["cause"],
        "unit": {
            "serial": unit["serial"],
            "product": sequence.product.code,
            "product_revision": issue.product_revision,
            "title": sequence.product.title,
            "protection_class": sequence.product.protection_class,
            "lot": run["lot"],
        },
        "run": {
            "id": run["id"],
            "started_at": run["started_at"],
            "ended_at": run["ended_at"],
            "operator": run["started_by"],
            "bench": run["bench"]["code"],
            "fixture": run["fixture"],
            "nest": unit["nest"],
        },
        "sequence": {
            "code": sequence.code,
            "revision": run["sequence_revision"],
            "title": sequence.title,
            "decision_rule": sequence.decision.rule,
            "decision_r": sequence.decision.r if sequence.decision.rule == "guarded" else None,
            "coverage_factor": COVERAGE_FACTOR,
            "findings_left": [dict(each) for each in issue.left],
        },
        "limit_sets": _limit_sets(sources),
        "steps": [_step(made) for made in attempts.values()],
        "remarks": [
            {
                "step": remark["step_id"],
                "text": remark["text"],
                "picture": remark["picture"] or "",
                "account": remark["account"],
                "made_at": remark["made_at"],
            }
            for remark in unit["remarks"]
        ],
        "instruments": _used(run["bench"]["instruments"], unit["attempts"]),
        "unseen": run["bench"].get("unseen", {}),
        "gate": [asdict(each) for each in gate],
        "software": f"Loricate {issue.software}",
        "ledger": {"position": issue.position, "previous": issue.previous},
        "verify_url": issue.verify_url,
    }


def _used(
    instruments: Sequence[Mapping[str, Any]], attempts: Sequence[Attempt]
) -> list[Mapping[str, Any]]:
    """The instruments that measured the unit, of those that the run could take."""
    used = {graded.reading.instrument for attempt in attempts for graded in attempt.grade.readings}
    return [each for each in instruments if each["id"] in used]


def _limit_sets(sources: Sequence[LimitSource]) -> list[Document]:
    found = {
        source.limit_set: {
            "code": source.limit_set,
            "revision": source.revision,
            "standard": f"{source.standard}:{source.edition}"
            if source.edition
            else f"{source.standard}, edition not stated",
            "checked": source.checked or "not checked against a purchased copy",
        }
        for source in sources
        if source.limit_set
    }
    return [found[code] for code in sorted(found)]


def _step(attempts: Sequence[Attempt]) -> Document:
    """A step by its latest attempt; the earlier ones are named with what came of them."""
    *earlier, latest = attempts
    return {
        "id": latest.step.id,
        "title": latest.step.title,
        "kind": latest.step.kind,
        "attempt": latest.number,
        "reason": latest.reason,
        "earlier": [
            {
                "attempt": each.number,
                "verdict": each.verdict,
                "cause": each.cause,
                "readings": [_reading(graded) for graded in each.grade.readings],
                "faults": [_fault(fault) for fault in each.grade.faults],
            }
            for each in earlier
        ],
        "started_at": latest.started_at,
        "verdict": latest.verdict,
        "cause": latest.cause,
        "note": latest.note,
        "conditions": latest.step.conditions,
        "readings": [_reading(graded) for graded in latest.grade.readings],
        "faults": [_fault(fault) for fault in latest.grade.faults],
        "repetitions": [
            {"repetition": each.number, "verdict": each.verdict, "cause": each.cause}
            for each in latest.grade.repetitions
        ],
    }


def _fault(fault: Fault) -> Document:
    return {
        "cause": fault.cause,
        "point": fault.point,
        "text": fault.sentence,
        "repetition": fault.repetition,
    }


def _reading(graded: GradedReading) -> Document:
    reading, grade, limit = graded.reading, graded.grade, graded.limit
    is_number = math.isfinite(reading.value)
    document: Document = {
        "quantity": reading.quantity,
        "point": reading.point,
        "value": reading.value if is_number else None,
        "unit": reading.dimension.unit,
        "bound": reading.bound,
        "uncertainty": reading.uncertainty,
        "text": reading.text if is_number else "not a number",
        "instrument": reading.instrument,
        "verdict": grade.verdict if grade else "",
        "guarded": grade.guarded if grade else "",
        "band": (grade.band or "") if grade else "",
        "margin": grade.margin if grade else None,
        "ungraded": graded.ungraded,
        "repetition": graded.repetition,
        "corrections": [
            {
                "what": each.what,
                "before": each.before if math.isfinite(each.before) else None,
                "text": display(each.before, reading.dimension),
            }
            for each in reading.corrections
        ],
    }
    if limit is not None:
        document["limit"] = {
            "minimum": limit.minimum,
            "maximum": limit.maximum,
            "text": limit.text,
            "source": limit.source.text,
        }
    return document


def series_of(letter: str, issued: dt.date) -> str:
    """What the numbers of a kind begin with in a year: ``C-2026`` or ``N-2026``."""
    return f"{letter}-{issued.year}"


def certificate_number(series: str, last: int) -> str:
    """The number after the last of a series: ``C-2026-000001``."""
    return f"{series}-{last + 1:06}"
