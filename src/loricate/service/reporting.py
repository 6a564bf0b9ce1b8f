"""Reports of units: what one is made of, read from the records, and drawn in a worker."""

import json
import sqlite3
from collections.abc import Iterator, Mapping
from functools import partial
from pathlib import Path
from typing import Any

from loricate import __version__
from loricate.certificates.content import certificate_body
from loricate.core.attempts import RunState
from loricate.core.depths import Depth
from loricate.core.gate import READINGS_KEPT
from loricate.core.measuring.grading import Verdict
from loricate.core.sequences.cues import Cue, Moment
from loricate.core.sequences.released import ReleasedSequence
from loricate.papers.look import Look
from loricate.papers.report import ALL_PARTS, Parts, Report, Shown, draw_report
from loricate.papers.standing import COUNTS
from loricate.papers.typesetting import TemplateFault
from loricate.papers.wording import person_words
from loricate.records import ledger, runs
from loricate.records.errors import NotFound
from loricate.records.kept_files import read_file
from loricate.records.stamps import now
from loricate.service.errors import WrongState
from loricate.service.issuing import Grounds, circumstances, is_settled, why_not_issued
from loricate.service.standing import standing_of

OVER = (RunState.FINISHED, RunState.ABORTED, RunState.INTERRUPTED)
SHOWN_ALWAYS = (Moment.BEFORE, Moment.DURING, Moment.AFTER)


def draw(
    report: Report,
    depth: Depth,
    failed_only: bool,
    look: Look,
    pictures: Path,
    parts: Parts = ALL_PARTS,
) -> bytes:
    """Draw a report; in a worker. Templates of the site's that do not go with it are left."""
    picture = partial(read_file, pictures)
    try:
        return draw_report(report, depth, failed_only, look, picture, parts)
    except TemplateFault:
        if not look.templates:
            raise
        return draw_report(report, depth, failed_only, look.with_shipped_templates, picture, parts)


def report_of(serial: str, run_id: str, drawn_by: str, conn: sqlite3.Connection) -> Report:
    """What the report of a unit is made of; of its newest run where ``run_id`` is empty."""
    run, unit = _found(conn, serial, run_id)
    if run["state"] not in OVER:
        raise WrongState(f"The run of {serial} goes on; ask for its report when it has ended.")
    return report_in(conn, run, unit, drawn_by)


def report_in(
    conn: sqlite3.Connection, run: dict[str, Any], unit: dict[str, Any], drawn_by: str
) -> Report:
    """What the report of a unit in a run is made of."""
    grounds = Grounds.of(conn, run)
    # A document that was issued stands, whatever became of the readings afterwards.
    gate = tuple(
        each
        for each in grounds.gate(run, unit)
        if each.name != READINGS_KEPT or not unit["certificate"]
    )
    about = circumstances(conn, run, unit, grounds.record)
    number = unit["certificate"] or ""
    body = certificate_body(run, unit, grounds.sequence, gate, about)
    return Report(
        {**body, "steps": list(_all_steps(body["steps"], grounds.sequence))},
        now(),
        drawn_by,
        "",
        f"Loricate {__version__}",
        number,
        _verify_url(conn, number),
        standing_of(conn, number).opened if number else COUNTS,
        tuple(_not_certified(conn, run, unit)),
        _procedure(unit, grounds.sequence, about.names),
        _pictures(unit, grounds.sequence),
        gone=_gone(unit),
    )


def _gone(unit: Mapping[str, Any]) -> str:
    if not unit["let_go_at"]:
        return ""
    document = f"; {unit['certificate']} has them" if unit["certificate"] else ""
    return (
        f"What was measured was let go on {unit['let_go_at'][:10]} by {unit['let_go_by']}, the "
        f"time for which it is kept being over: no readings or curves are shown{document}."
    )


def _verify_url(conn: sqlite3.Connection, number: str) -> str:
    """Where a document says that it is verified; empty for none."""
    if not number:
        return ""
    sealed = json.loads(ledger.get_numbered(conn, number).sealed)
    return str(sealed["document"].get("verify_url", ""))


def _found(
    conn: sqlite3.Connection, serial: str, run_id: str
) -> tuple[dict[str, Any], dict[str, Any]]:
    """A run and the unit of a serial in it."""
    if not run_id:
        newest = runs.unit_history(conn, serial, 1)
        if not newest:
            raise NotFound("unit", serial)
        run_id = newest[0]["run_id"]
    run = runs.get_run(conn, run_id)
    for unit in run["units"]:
        if unit["serial"].casefold() == serial.casefold():
            return run, unit
    raise NotFound("unit of that run", serial)


def _all_steps(done: list[dict[str, Any]], sequence: ReleasedSequence) -> Iterator[dict[str, Any]]:
    """Every step of the sequence: of one that was never done, that it was not."""
    by_id = {each["id"]: each for each in done}
    for step in sequence.steps:
        yield by_id.get(step.id) or {
            "id": step.id,
            "title": step.title,
            "kind": step.kind,
            "attempt": 0,
            "reason": "",
            "earlier": [],
            "started_at": "",
            "verdict": str(Verdict.NOT_RUN),
            "cause": "",
            "note": "Never done.",
            "conditions": "",
            "left_out": [],
            "readings": [],
            "faults": [],
            "repetitions": [],
            "curves": [],
        }


def _not_certified(
    conn: sqlite3.Connection, run: dict[str, Any], unit: Mapping[str, Any]
) -> Iterator[str]:
    """Why a unit that passed has no certificate of it; nothing of any other unit."""
    if unit["verdict"] != Verdict.PASS:
        return
    if unit["certificate_kind"] == "certificate" and is_settled(unit):
        return
    reasons = why_not_issued(conn, run).get(unit["nest"], [])
    if run["state"] != RunState.FINISHED:
        reasons = [f"Its run was {run['state']}: {run['note'] or 'no reason is kept'}."]
    yield from reasons or ["Its document is still to be issued."]


def _procedure(
    unit: Mapping[str, Any], sequence: ReleasedSequence, names: Mapping[str, str]
) -> dict[str, tuple[str, ...]]:
    """What was told and asked at each step, with the answers."""
    answers: dict[str, list[Mapping[str, Any]]] = {}
    for each in unit["answers"]:
        answers.setdefault(each["step_id"], []).append(each)
    told = {}
    for step in sequence.steps:
        own = answers.get(step.id, [])
        asked = {each["question"] for each in own}
        verdicts = [made.verdict for made in unit["attempts"] if made.step.id == step.id]
        cues = [
            f"{str(cue.at).replace('_', ' ').capitalize()}: {cue.text}"
            for cue in step.cues
            if cue.text not in asked and _is_shown(cue, verdicts)
        ]
        told[step.id] = (*cues, *(_answer_words(each, names) for each in own))
    return told


def _is_shown(cue: Cue, verdicts: list[Verdict]) -> bool:
    if cue.at in SHOWN_ALWAYS:
        return bool(verdicts)
    passed = Verdict.PASS in verdicts
    failed = any(each != Verdict.PASS for each in verdicts)
    return passed if cue.at is Moment.AFTER_PASS else failed


def _answer_words(answer: Mapping[str, Any], names: Mapping[str, str]) -> str:
    note = f" ({answer['note']})" if answer["note"] else ""
    again = f", attempt {answer['attempt']}" if answer["attempt"] > 1 else ""
    who = person_words(names.get(answer["account"], ""), answer["account"])
    choice = answer["choice"] or "a photo"
    return f"{answer['question']} {choice}{note}, {who}{again}"


def _pictures(unit: Mapping[str, Any], sequence: ReleasedSequence) -> dict[str, tuple[Shown, ...]]:
    """Pictures by step, those of the unit as a whole under no step."""
    found: dict[str, list[Shown]] = {}
    for step in sequence.steps:
        found[step.id] = [Shown(cue.picture, cue.text) for cue in step.cues if cue.picture]
    for answer in unit["answers"]:
        own = found.setdefault(answer["step_id"], [])
        if answer["picture"]:
            own.append(Shown(answer["picture"], f"{answer['question']} {answer['choice']}".strip()))
        own += [
            Shown(digest, f"{answer['question']} {name.replace('_', ' ')} ({answer['account']})")
            for name, digest in answer["pictures"].items()
        ]
    for remark in unit["remarks"]:
        if remark["picture"]:
            shown = Shown(remark["picture"], f"{remark['text']} ({remark['account']})")
            found.setdefault(remark["step_id"], []).append(shown)
    return {step: tuple(own) for step, own in found.items() if own}
