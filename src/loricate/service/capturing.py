"""What was captured as it is shown, and decisions on it as they are kept."""

import sqlite3
from collections.abc import Mapping, Sequence

from loricate.api.captures import (
    CapturedItemOut,
    CapturedUnitOut,
    CaptureOut,
    ItemDecision,
)
from loricate.core.capture.drafting import (
    CHANGED,
    OPEN,
    Decision,
    check_changes,
    draft,
    entry_of,
    fields_of,
    standing,
)
from loricate.core.capture.proposal import Proposal, Proposed
from loricate.core.capture.proposing import propose
from loricate.core.errors import Finding
from loricate.records import captures
from loricate.service.errors import NotReady


def _proposed(units: Sequence[captures.CapturedUnit]) -> Proposed:
    return propose([each.seen for each in units])


def show_capture(conn: sqlite3.Connection, capture: str) -> CaptureOut:
    """All of a capture; raises NotFound."""
    units = captures.captured_units(conn, capture)
    decisions = captures.decisions_of(conn, capture)
    proposed = _proposed(units)
    items = [_item(each, decisions.get(each.key)) for each in proposed.items]
    return CaptureOut(
        id=capture,
        family=proposed.family,
        contacts=list(proposed.contacts),
        positions=list(proposed.positions),
        units=[_unit(each) for each in units],
        items=items,
        differences=list(proposed.differences),
        remarks=list(proposed.remarks),
        columns=dict(proposed.columns),
        skipped=list(proposed.skipped),
        open=sum(each.standing == OPEN for each in items),
    )


def _unit(unit: captures.CapturedUnit) -> CapturedUnitOut:
    return CapturedUnitOut(
        serial=unit.seen.serial,
        fixture=unit.fixture,
        nest=unit.nest,
        instrument=unit.seen.instrument,
        is_zeroed=unit.seen.is_zeroed,
        account=unit.account,
        measured_at=unit.measured_at,
    )


def _item(item: Proposal, decision: Decision | None) -> CapturedItemOut:
    stands = standing(item, decision)
    return CapturedItemOut.model_validate(
        {
            "key": item.key,
            "name": item.name,
            "sort": item.sort,
            "contacts": list(item.contacts),
            "position": item.position,
            "measured": list(item.texts),
            "proposed": entry_of(item),
            "fields": list(fields_of(item)),
            "differs": item.differs,
            "standing": stands,
            "changes": {} if decision is None or stands == OPEN else dict(decision.changes),
        }
    )


def decide(
    conn: sqlite3.Connection,
    capture: str,
    wanted: Sequence[ItemDecision],
    accept_others: bool,
    account: str,
) -> CaptureOut:
    """Keep decisions, all or none of them; raises NotFound and NotReady."""
    units = captures.captured_units(conn, capture)
    proposed = _proposed(units)
    before = captures.decisions_of(conn, capture)
    made: dict[str, Decision] = {}
    findings: list[Finding] = []
    for number, each in enumerate(wanted):
        found = _find(proposed, each.item)
        if found is None:
            told = f"there is no {each.item} in this capture"
            findings.append(Finding(f"decisions[{number}].item", told, "name one that it has."))
            continue
        findings += _decision_findings(number, found, each)
        made[found.key] = Decision(each.choice, each.changes, len(units))
    if findings:
        raise NotReady.because(findings)
    if accept_others:
        for item in proposed.items:
            is_open = standing(item, before.get(item.key)) == OPEN
            if is_open and item.key not in made and not item.differs:
                made[item.key] = Decision("accepted", {}, len(units))
    if made:
        captures.add_decisions(conn, capture, made, account)
    return show_capture(conn, capture)


def _find(proposed: Proposed, told: str) -> Proposal | None:
    return next((each for each in proposed.items if told in (each.key, each.name)), None)


def _decision_findings(number: int, item: Proposal, wanted: ItemDecision) -> list[Finding]:
    if wanted.choice != CHANGED and wanted.changes:
        told = f"{item.name} is {wanted.choice} and has changes"
        return [Finding(f"decisions[{number}].changes", told, "say 'changed', or leave them out.")]
    if wanted.choice == CHANGED and not wanted.changes:
        told = f"{item.name} is changed, but in what"
        return [Finding(f"decisions[{number}].changes", told, "say what it is instead.")]
    return check_changes(item, wanted.changes)


def product_draft(
    conn: sqlite3.Connection, capture: str, code: str, title: str
) -> Mapping[str, object]:
    """The document of a product as it was decided; raises NotFound and DocumentError."""
    units = captures.captured_units(conn, capture)
    return draft(_proposed(units), captures.decisions_of(conn, capture), code, title)
