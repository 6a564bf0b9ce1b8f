"""What a certificate says: plain JSON data, all that is on the paper and a little more."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

from loricate.certificates.issue import Document
from loricate.core.attempts import Attempt
from loricate.core.gate import Requirement
from loricate.core.limits.limit import LimitSource
from loricate.core.measuring.curves import Column, Curve, thinned
from loricate.core.measuring.grading import Cause, Fault, GradedReading
from loricate.core.measuring.uncertainty import COVERAGE_FACTOR
from loricate.core.products.product import Product
from loricate.core.quantities import display
from loricate.core.sequences.released import ReleasedSequence

CURVE_SAMPLES = 200  # of a curve in a document: what a page can show
# Causes that an output's curve shows: on these, it is on the paper whatever the step says.
SHOWN_BY_CURVE = frozenset({Cause.BREAKDOWN, Cause.ARC, Cause.LEVEL_NOT_REACHED, Cause.OVERSTRESS})
REASONS = {
    "zero": "the resistance of the leads, as it was zeroed",
    "supply": "the supply as it was measured, to the rated voltage",
    "temperature": "the temperature of the unit, to the reference temperature",
}


@dataclass(frozen=True, slots=True)
class Circumstances:
    """What a certificate says beside the run: of product, people, air, and what was left."""

    product_revision: int
    names: Mapping[str, str] = field(default_factory=dict)  # full names, by account
    ambient: Mapping[str, Any] | None = None
    left: tuple[Mapping[str, str], ...] = ()  # findings that were left when it was released
    curves: Mapping[tuple[str, int], tuple[Curve, ...]] = field(default_factory=dict)
    """By step and attempt."""
    cable: Product | None = None  # the product, where a cable's wiring is to be drawn


def certificate_body(
    run: Mapping[str, Any],
    unit: Mapping[str, Any],
    sequence: ReleasedSequence,
    gate: Sequence[Requirement],
    about: Circumstances,
) -> Document:
    """What a certificate or nonconformance report says of one unit, from its run's records.

    Values are SI; each reading also carries the text that the paper shows.
    """
    attempts: dict[str, list[Attempt]] = {}
    for attempt in unit["attempts"]:
        attempts.setdefault(attempt.step.id, []).append(attempt)
    sources = [limit.source for step in sequence.steps for limit in step.limits.values()]
    return {
        "verdict": unit["verdict"],
        "cause": unit["cause"],
        "unit": {
            "serial": unit["serial"],
            "product": sequence.product.code,
            "product_revision": about.product_revision,
            "title": sequence.product.title,
            "protection_class": sequence.product.protection_class,
            "lot": run["lot"],
            "asset": unit["asset"],
            "place": unit["place"],
        },
        "run": {
            "id": run["id"],
            "started_at": run["started_at"],
            "ended_at": run["ended_at"],
            "operator": run["started_by"],
            "operator_name": about.names.get(run["started_by"] or "", ""),
            "bench": run["bench"]["code"],
            "fixture": run["fixture"],
            "nest": unit["nest"],
            "occasion": run["occasion"],
        },
        "sequence": {
            "code": sequence.code,
            "revision": run["sequence_revision"],
            "title": sequence.title,
            "decision_rule": sequence.decision.rule,
            "decision_r": sequence.decision.r if sequence.decision.rule == "guarded" else None,
            "coverage_factor": COVERAGE_FACTOR,
            "findings_left": [
                {**each, "by_name": about.names.get(each["by"], "")} for each in about.left
            ],
        },
        "limit_sets": _limit_sets(sources),
        "ambient": None if about.ambient is None else dict(about.ambient),
        "wiring": None if about.cable is None else _wiring(about.cable, unit),
        "steps": [_step(made, about) for made in attempts.values()],
        "remarks": [
            {
                "step": remark["step_id"],
                "text": remark["text"],
                "picture": remark["picture"] or "",
                "account": remark["account"],
                "name": about.names.get(remark["account"], ""),
                "made_at": remark["made_at"],
            }
            for remark in unit["remarks"]
        ],
        "instruments": used_instruments(run["bench"]["instruments"], unit),
        "unseen": run["bench"].get("unseen", {}),
        "gate": [asdict(each) for each in gate],
    }


def _wiring(product: Product, unit: Mapping[str, Any]) -> Document | None:
    """What a cable that did not pass should be, in the position of its first fault."""
    if unit["verdict"] == "pass" or not product.wirings or product.cable is None:
        return None
    points = [fault.point for each in unit["attempts"] for fault in each.grade.faults]
    wirings = {each.position: each for each in product.wirings}
    seen = (point.partition(": ")[0] for point in points)
    wiring = next((wirings[each] for each in seen if each in wirings), product.wirings[0])
    return {
        "position": wiring.position,
        "connectors": [
            {
                "code": each.code,
                "title": each.title,
                "side": each.side,
                "rows": [list(row) for row in each.rows],
            }
            for each in product.cable.connectors
        ],
        "nets": [
            {"name": net.name, "contacts": list(net.contacts), "is_shield": net.is_shield}
            for net in wiring.nets
        ],
        "parts": [
            {
                "name": part.name,
                "sort": str(part.sort),
                "between": list(part.between),
                "value": part.value,
            }
            for part in product.cable.parts
        ],
    }


def used_instruments(
    instruments: Sequence[Mapping[str, Any]], unit: Mapping[str, Any]
) -> list[Mapping[str, Any]]:
    """The instruments that measured the unit, of those that the run could take."""
    used = {
        graded.reading.instrument
        for attempt in unit["attempts"]
        for graded in attempt.grade.readings
    }
    used |= set(unit.get("read_by", ()))  # of readings that went, their time being over
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


def _step(attempts: Sequence[Attempt], about: Circumstances) -> Document:
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
        "left_out": list(latest.step.left_out),
        "readings": [_reading(graded) for graded in latest.grade.readings],
        "faults": [_fault(fault) for fault in latest.grade.faults],
        "repetitions": [
            {"repetition": each.number, "verdict": each.verdict, "cause": each.cause}
            for each in latest.grade.repetitions
        ],
        "curves": [
            _curve(curve)
            for curve in about.curves.get((latest.step.id, latest.number), ())
            if is_on_paper(latest)
        ],
    }


def is_on_paper(attempt: Attempt) -> bool:
    """Whether the curves of an attempt belong on paper: it asks for it, or they show why."""
    return attempt.step.curves_on_paper or attempt.cause in SHOWN_BY_CURVE


def _curve(curve: Curve) -> Document:
    kept = thinned(curve, CURVE_SAMPLES)
    return {
        "name": kept.name,
        "point": kept.point,
        "repetition": kept.repetition,
        "drawn": kept.drawn,
        "x": _column(kept.x),
        "columns": [_column(column) for column in kept.columns],
        "marks": [{"x": mark.x, "text": mark.text} for mark in kept.marks],
    }


def _column(column: Column) -> Document:
    return {
        "name": column.name,
        "dimension": column.dimension.name,
        "values": list(column.values),
    }


def _fault(fault: Fault) -> Document:
    return {
        "cause": fault.cause,
        "point": fault.point,
        "text": fault.sentence,
        "repetition": fault.repetition,
        "contacts": list(fault.contacts),
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
                "reason": f"{REASONS.get(each.what, '')} {each.how and f'({each.how})'}".strip(),
            }
            for each in reading.corrections
        ],
    }
    if limit is not None:
        document["limit"] = {
            "minimum": limit.minimum,
            "maximum": limit.maximum,
            "caution_below": limit.caution_below,
            "caution_above": limit.caution_above,
            "text": limit.text,
            "source": limit.source.text,
            "applies": limit.source.applies,
        }
    return document
