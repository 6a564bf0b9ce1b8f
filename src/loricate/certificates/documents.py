"""The certificate document: plain JSON data that says all the paper says, and a little more."""

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from loricate.core.gate import Condition
from loricate.core.limits.limit import Limit, LimitSource
from loricate.core.measuring.readings import make_reading
from loricate.core.measuring.uncertainty import COVERAGE_FACTOR
from loricate.core.quantities import DIMENSIONS, display
from loricate.core.sequences.sequences import ReadySequence

FORMAT = "loricate-certificate/1"
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
    sequence: ReadySequence,
    gate: Sequence[Condition],
) -> Document:
    """Build the document of one unit from its run's records (as the records room gives them).

    Values are SI; each reading also carries the text that the paper shows.
    """
    settings = {step.id: step.conditions for step in sequence.steps}
    attempts: dict[str, list[Mapping[str, Any]]] = {}
    for attempt in unit["attempts"]:
        attempts.setdefault(attempt["step_id"], []).append(attempt)
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
        "steps": [_step(found, settings.get(step_id, "")) for step_id, found in attempts.items()],
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
        "instruments": run["bench"]["instruments"],
        "unseen": run["bench"].get("unseen", {}),
        "gate": [asdict(condition) for condition in gate],
        "software": f"Loricate {issue.software}",
        "ledger": {"position": issue.position, "previous": issue.previous},
        "verify_url": issue.verify_url,
    }


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


def _step(attempts: Sequence[Mapping[str, Any]], conditions: str) -> Document:
    """A step by its latest attempt; the earlier ones are named with what came of them."""
    *earlier, latest = attempts
    return {
        "id": latest["step_id"],
        "title": latest["title"],
        "kind": latest["kind"],
        "attempt": latest["number"],
        "reason": latest["reason"],
        "earlier": [
            {
                "attempt": each["number"],
                "verdict": each["verdict"],
                "cause": each["cause"],
                "readings": [_reading(row) for row in each["readings"]],
            }
            for each in earlier
        ],
        "started_at": latest["started_at"],
        "verdict": latest["verdict"],
        "cause": latest["cause"],
        "note": latest["note"],
        "conditions": conditions,
        "readings": [_reading(row) for row in latest["readings"]],
        "repetitions": [
            {"repetition": each["number"], "verdict": each["verdict"], "cause": each["cause"]}
            for each in latest["repetitions"]
        ],
    }


def _reading(row: Mapping[str, Any]) -> Document:
    dimension = DIMENSIONS[row["dimension"]]
    found: Document = {
        "name": row["name"],
        "value": row["value"],
        "unit": dimension.unit,
        "bound": row["bound"],
        "uncertainty": row["uncertainty"],
        "text": "not a number",
        "instrument": row["instrument"],
        "verdict": row["verdict"],
        "outcome": row["outcome"],
        "margin": row["margin"],
        "repetition": row["repetition"],
    }
    if row["as_measured"] is not None:
        found["as_measured"] = row["as_measured"]
        found["as_measured_text"] = display(row["as_measured"], dimension)
    if row["value"] is not None:
        found["text"] = make_reading(row["name"], row["value"], row["dimension"], row["bound"]).text
    if row["minimum"] is not None or row["maximum"] is not None:
        source = LimitSource.model_validate(row["source"])
        limit = Limit(
            dimension=row["dimension"],
            minimum=row["minimum"],
            maximum=row["maximum"],
            source=source,
        )
        found["limit"] = {
            "minimum": limit.minimum,
            "maximum": limit.maximum,
            "text": limit.text,
            "source": source.text,
        }
    return found


def series_of(kind: str, issued: dt.date) -> str:
    """What the numbers of a kind begin with in a year: ``C-2026`` or ``N-2026``."""
    return f"{'C' if kind == 'certificate' else 'N'}-{issued.year}"


def certificate_number(series: str, last: int) -> str:
    """The number after the last of a series: ``C-2026-000001``."""
    return f"{series}-{last + 1:06}"
