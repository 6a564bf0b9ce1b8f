"""The sheet of a certificate or nonconformance report: what its template is told, all in words."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from loricate.core.measuring.headlines import Judged, headlines, kind_of
from loricate.core.quantities import DIMENSIONS, NUMBER, display
from loricate.papers.former import in_current_form
from loricate.papers.look import SIGNATURES, Look
from loricate.papers.plots import curve_words, plot_curve
from loricate.papers.standing import Standing
from loricate.papers.symbols import qr_code
from loricate.papers.typesetting import Attached, typeset
from loricate.papers.wiring_drawing import draw_wiring, faults_of, is_cut, wiring_words
from loricate.papers.wording import (
    begun,
    cause_words,
    digest_words,
    in_zone,
    joined,
    local,
    local_until,
    person_words,
    reading_words,
    tint_of,
    verdict_word,
)

TEMPLATE = "certificate.typ"
FEWEST_POINTS = 3  # that are a table of points; fewer are rows like others
FEW_POINTS = 4  # whose values before a correction are told
MOST_COLUMNS = 5  # of a table of points
HEADS = ("Step and reading", "Measured", "U", "Limit", "Source of the limit", "Verdict")
RULES = {
    "simple": "accepted at the limit (simple acceptance)",
    "guarded": "limits moved in by r·U (guard band), r = {share:g}",
}
# What the paper says of the gate; the JSON has all of it.
EXPECTED = "expected tests passed"  # only what was left out: the table shows the rest
UPKEEP = ("daily check passed", "leads zeroed")


def draw_certificate(
    document: Mapping[str, Any],
    standing: Standing,
    look: Look,
    attached: tuple[Attached, ...] = (),
    digest: str = "",
) -> bytes:
    """The PDF of a certificate's or nonconformance report's document. Raises TemplateFault.

    ``digest`` is the SHA-256 of its signed data, by which a copy in hand is compared.
    """
    sheet = CertificateSheet(in_current_form(dict(document)), standing, look, digest)
    return typeset(
        TEMPLATE, sheet.told(), look, document["issued_at"], sheet.files, attached=attached
    )


def title_of(document: Mapping[str, Any], look: Look) -> str:
    """What a kind of document is called."""
    return look.text("certificate" if document["kind"] == "certificate" else "nonconformance")


@dataclass(frozen=True, slots=True)
class CertificateSheet:
    """A document of today's form, ready for its template."""

    document: dict[str, Any]
    standing: Standing
    look: Look
    digest: str

    @property
    def zone(self) -> str:
        """The zone that its times are shown in: the document's, else the site's."""
        return self.document["zone"] or self.look.zone

    @property
    def files(self) -> dict[str, bytes]:
        """The drawings that the template shows."""
        drawn = {"code.svg": qr_code(self.document["verify_url"])}
        for name, step, curve in self._curves():
            drawn[name] = plot_curve(curve, limits_of(step, curve["point"]))
        if self.document["wiring"] is not None:
            drawn["wiring.svg"] = draw_wiring(self.document["wiring"], faults_of(self.document))
        return drawn

    def _curves(self) -> Iterator[tuple[str, dict[str, Any], dict[str, Any]]]:
        for number, step in enumerate(self.document["steps"]):
            for index, curve in enumerate(each for each in step["curves"] if not is_table(each)):
                yield f"curve-{number}-{index}.svg", step, curve

    def told(self) -> dict[str, Any]:
        """Everything that the template shows."""
        document = self.document
        title = title_of(document, self.look)
        return {
            "title": f"{title} {document['number']}, {document['unit']['serial']}",
            "about": f"{title} of {document['unit']['title']}",
            "site": document["site"],
            "heading": title,
            "number": document["number"],
            "number_line": f"No. {document['number']}",
            "verdict": verdict_word(document["verdict"]),
            "tint": tint_of(document["verdict"]),
            "foot": f"Verify at {document['verify_url']}",
            "warnings": list(standing_words(self.standing, self.zone)),
            "facts": [_fact(*row) for row in self._facts()],
            "above": self.look.text("above"),
            "wiring": self._wiring(),
            "heads": HEADS,
            "groups": list(self._groups()),
            "instruments": list(self._instruments()),
            "grounds": [
                *self._grounds(),
                *filter(None, [self.look.text("below"), digest_words(self.digest)]),
            ],
            "signatures": signature_lines(
                self.look, document["kind"], self.standing, self.zone, self._operator
            ),
            "words": {
                "page": "page",
                "of": "of",
                "readings": "Readings",
                "headlines": "Of each kind what is nearest to its limit",
                "wiring": "Wiring",
                "instruments": "Instruments",
                "grounds": "Grounds",
                "logo": f"Logo of {document['site']}",
                "code": f"QR code of {document['verify_url']}",
            },
        }

    @property
    def _operator(self) -> str:
        run = self.document["run"]
        return person_words(run["operator_name"], run["operator"])

    def _wiring(self) -> dict[str, str]:
        """The drawing of a cable that did not pass; nothing of any other unit."""
        wiring = self.document["wiring"]
        if wiring is None:
            return {}
        told = f"In position {wiring['position']}. " if wiring["position"] else ""
        if is_cut(wiring):
            told += "Only nets that the faults are about are drawn, as far as the page has room."
        alt = wiring_words(wiring, faults_of(self.document))
        return {"file": "wiring.svg", "alt": alt, "told": told.strip()}

    def _facts(self) -> Iterator[tuple[str, ...]]:
        document = self.document
        unit, run, sequence = document["unit"], document["run"], document["sequence"]
        yield "Unit", f"{unit['title']} ({unit['product']} rev. {unit['product_revision']})"
        yield "Serial", unit["serial"], "strong"
        if unit.get("asset"):  # former papers say none
            yield "Asset", f"{unit['asset']}{unit['place'] and ', '}{unit['place']}"
        yield "Protection class", unit["protection_class"] or "not stated"
        yield "Lot", unit["lot"] or "none"
        yield "Sequence", f"{sequence['code']} revision {sequence['revision']}"
        if run.get("occasion"):
            yield "Occasion", run["occasion"].replace("_", " ")
        yield "Tested", local_until(run["started_at"], run["ended_at"], self.zone)
        yield "Issued", local(document["issued_at"], self.zone)
        yield "Place", f"{run['bench']}, fixture {run['fixture']}, nest {run['nest']}"
        yield "Tested by", self._operator
        yield "Ambient", ambient_words(document["ambient"])

    def _groups(self) -> Iterator[dict[str, Any]]:
        """Steps in order: those of a few readings together, each with many points by itself."""
        names = {id(curve): name for name, _, curve in self._curves()}
        listed: list[dict[str, Any]] = []
        for step in self.document["steps"]:
            told = self._step(step, names)
            if "points" not in told:
                listed.append(told)
                continue
            if listed:
                yield {"sort": "readings", "steps": listed}
            listed = []
            yield {"sort": "points", "steps": [told]}
        if listed:
            yield {"sort": "readings", "steps": listed}

    def _step(self, step: dict[str, Any], names: Mapping[int, str]) -> dict[str, Any]:
        rows = [reading for reading in step["readings"] if _is_row(reading)]
        table = None if step["repetitions"] else points_table(rows)
        stated = ", ".join(text for text in (step["conditions"], *_times(step)) if text)
        history = _history(step, table is not None)
        told = " ".join(text for text in (step["note"], *history) if text)
        shown = {
            "title": step["title"] + cause_words(step["cause"]),
            "verdict": verdict_word(step["verdict"]),
            "tint": tint_of(step["verdict"]),
            "told": ". ".join(text for text in (stated, told) if text),
            "curves": [
                {"file": names[id(curve)], "alt": curve_words(curve)}
                for curve in step["curves"]
                if not is_table(curve)
            ],
            "tables": [curve_table(curve) for curve in step["curves"] if is_table(curve)],
        }
        if table is not None:
            shown["headlines"] = list(_headlines(rows))
            rows = [reading for reading in rows if not reading["point"]]
            shown["points"] = table
        return {**shown, "rows": list(_rows(step, rows))}

    def _instruments(self) -> Iterator[str]:
        for instrument in self.document["instruments"]:
            yield (
                f"{instrument['id']}  {instrument['title']}, serial {instrument['serial']}, "
                f"calibrated {instrument['calibrated']}, due {instrument['due']}, certificate "
                f"{instrument['certificate'] or 'not stated'}"
            )
        for name, unseen in self.document.get("unseen", {}).items():
            yield f"Taken on trust, since {name} cannot say: {', '.join(unseen)}"

    def _grounds(self) -> Iterator[str]:
        document, sequence = self.document, self.document["sequence"]
        rule = RULES[sequence["decision_rule"]].format(share=sequence["decision_r"] or 1)
        yield f"Decision rule: {rule}; {document['software']}."
        by_check: dict[str, list[str]] = {}
        for limit_set in document["limit_sets"]:
            named = (
                f"{limit_set['code']} revision {limit_set['revision']} ({limit_set['standard']})"
            )
            by_check.setdefault(limit_set["checked"], []).append(named)
        for checked, sets in by_check.items():
            yield f"Limit set {', '.join(sets)}: {checked}."
        yield (
            "Levels and times at level are as measured at the unit. U is the expanded uncertainty, "
            f"k = {sequence['coverage_factor']:g}."
        )
        if (ambient := document["ambient"]) is not None:
            by = ambient["instrument"] or person_words(ambient["name"], ambient["account"])
            yield f"Ambient conditions: by {by}, {local(ambient['at'], self.zone)}."
        for left in sequence["findings_left"]:
            about = f"{left['step']}: " if left["step"] else ""
            yield (
                f"Released with a finding left ({left['severity']}). {about}{left['finding']} Left "
                f"by {person_words(left['by_name'], left['by'])}: {left['reason']}"
            )
        if document["supersedes"]:
            yield f"This document supersedes {document['supersedes']}, which no longer counts."
        for remark in document["remarks"]:
            about = f" on {remark['step']}" if remark["step"] else ""
            photo = f" (picture {remark['picture'][:12]})" if remark["picture"] else ""
            by = person_words(remark["name"], remark["account"])
            yield f"Remark{about} by {by}: {remark['text']}{photo}"
        yield from self._gate()

    def _gate(self) -> Iterator[str]:
        met = {
            each["name"]: in_zone(each["reason"], self.zone)
            for each in self.document["gate"]
            if each["met"]
        }
        if " left out by " in met.get(EXPECTED, ""):
            yield f"{begun(EXPECTED)}: {met[EXPECTED]}"
        kept = [f"{begun(name)}: {met[name]}" for name in UPKEEP if name in met]
        if kept:
            yield " ".join(kept)
        if self.document["kind"] == "nonconformance":
            for requirement in self.document["gate"]:
                if not requirement["met"]:
                    reason = in_zone(requirement["reason"], self.zone)
                    yield f"Not certified: {requirement['name']}. {reason}"


def is_table(curve: Mapping[str, Any]) -> bool:
    """Whether a curve is shown in figures."""
    return bool(curve.get("drawn") == "table")


def curve_table(curve: Mapping[str, Any]) -> dict[str, Any]:
    """A curve in figures: a row for each place of its x axis."""
    columns = [curve["x"], *curve["columns"]]
    dimensions = [DIMENSIONS[each["dimension"]] for each in columns]
    return {
        "heads": [begun(each["name"].replace("_", " ")) for each in columns],
        "rows": [
            [
                "–" if value is None else display(value, dimension)
                for value, dimension in zip(row, dimensions, strict=True)
            ]
            for row in zip(*(each["values"] for each in columns), strict=True)
        ],
    }


def ambient_words(ambient: Mapping[str, Any] | None) -> str:
    """The air about the unit: temperature and humidity."""
    if not ambient:
        return "not recorded"
    return ", ".join(text for text in (ambient["temperature"], ambient["humidity"]) if text)


def standing_words(standing: Standing, zone: str) -> Iterator[str]:
    """What a document's standing says against it."""
    if standing.revocation is not None:
        revoked = standing.revocation
        by = revoked["revoked_by"]
        yield (
            f"REVOKED on {local(revoked['issued_at'], zone)} by "
            f"{person_words(by['name'], by['account'])} ({revoked['number']}): {revoked['reason']}"
        )
    if standing.superseded_by:
        yield f"SUPERSEDED: {standing.superseded_by} was issued after it and counts in its place."


def approval_words(standing: Standing, zone: str) -> str:
    """Who approved a document, when, and by which approval."""
    return "; ".join(
        f"{person_words(each['approved_by']['name'], each['approved_by']['account'])}, "
        f"{local(each['issued_at'], zone)}, {each['number']}"
        for each in standing.approvals
    )


def signature_lines(
    look: Look, kind: str, standing: Standing, zone: str, tested_by: str
) -> list[dict[str, str]]:
    """The lines to sign on; an approval that was given stands on its line."""
    first, second = SIGNATURES[kind]
    on = "name, signature, date"
    lines = [
        {"title": f"{look.text(first)}: {on}", "signed": tested_by},
        {"title": f"{look.text(second)}: {on}", "signed": approval_words(standing, zone)},
    ]
    return [*lines, *({"title": f"{each}: {on}", "signed": ""} for each in look.signatures)]


def points_table(readings: list[dict[str, Any]]) -> dict[str, Any] | None:
    """The readings of a step's points as a table: a row a point, a column a quantity.

    None where there are too few points for one, or more quantities than a page is wide.
    """
    at_points = [reading for reading in readings if reading["point"]]
    points = list(dict.fromkeys(reading["point"] for reading in at_points))
    quantities = list(dict.fromkeys(reading["quantity"] for reading in at_points))
    by_place = {(each["point"], each["quantity"]): each for each in at_points}
    is_one_each = len(by_place) == len(at_points)  # else one would hide another
    if len(points) < FEWEST_POINTS or not is_one_each or not 0 < len(quantities) <= MOST_COLUMNS:
        return None
    heads, limits, own_limits = [], [], set()
    for quantity in quantities:
        column = [each for each in at_points if each["quantity"] == quantity]
        texts = {each.get("limit", {}).get("text", "") for each in column}
        shared = texts.pop() if len(texts) == 1 else ""
        heads.append(quantity.replace("_", " ") + (f", {shared}" if shared else ""))
        if len(column) and not shared and texts:
            own_limits.add(quantity)
        sources = dict.fromkeys(
            each["limit"]["source"] for each in column if each.get("limit", {}).get("source")
        )
        if sources:
            limits.append(f"{begun(quantity.replace('_', ' '))}: {joined(list(sources))}.")
    rows = []
    for point in points:
        own = [by_place[point, name] for name in quantities if (point, name) in by_place]
        verdict = _worst(own)
        rows.append(
            {
                "name": point,
                "cells": [
                    _cell(by_place.get((point, name)), name in own_limits) for name in quantities
                ],
                "verdict": verdict_word(verdict) if verdict else "",
                "tint": tint_of(verdict) if verdict else "plain",
            }
        )
    return {"first": "Point", "heads": heads, "last": "Verdict", "rows": rows, "limits": limits}


def _headlines(readings: list[dict[str, Any]]) -> Iterator[dict[str, Any]]:
    """Of many points, for each kind of limit the reading that tells most."""
    judged = [
        Judged(
            reading["point"],
            kind_of(reading["quantity"], limit.get("applies", ""), limit["text"]),
            reading["verdict"],
            reading["margin"],
        )
        if (limit := reading.get("limit")) and reading["verdict"]
        else None
        for reading in readings
    ]
    for found in headlines(judged):
        reading = readings[found.place]
        of = f", of {found.count}" if found.count > 1 else ""
        yield {**_row(reading), "name": f"{begun(found.kind)} ({reading['point']}{of})"}


def _worst(readings: list[dict[str, Any]]) -> str:
    verdicts = {reading["verdict"] for reading in readings}
    return next(
        (each for each in ("fail", "inconclusive", "not_run", "pass") if each in verdicts), ""
    )


def _cell(reading: dict[str, Any] | None, with_limit: bool) -> dict[str, str]:
    if reading is None:
        return {"text": "–", "tint": "plain"}
    limit = reading.get("limit", {}).get("text", "")
    spread = _spread(reading)
    text = reading["text"] + (f" ± {spread}" if spread else "")
    tint = "plain" if reading["verdict"] in ("", "pass") else tint_of(reading["verdict"])
    return {"text": f"{text} ({limit})" if with_limit and limit else text, "tint": tint}


def _rows(step: dict[str, Any], readings: list[dict[str, Any]]) -> Iterator[dict[str, Any]]:
    """The rows of a step: its readings, under each repetition where it has several."""
    if not step["repetitions"]:
        yield from map(_row, readings)
        return
    for repetition in step["repetitions"]:
        number = repetition["repetition"]
        yield {
            "heading": True,
            "name": f"Repetition {number}{cause_words(repetition['cause'])}",
            "verdict": verdict_word(repetition["verdict"]),
            "tint": tint_of(repetition["verdict"]),
        }
        yield from (_row(reading) for reading in readings if reading["repetition"] == number)


def _row(reading: dict[str, Any]) -> dict[str, Any]:
    limit = reading.get("limit", {"text": "", "source": ""})
    word = verdict_word(reading["verdict"]) if reading["verdict"] else ""
    if reading["guarded"].startswith("conditional"):
        word = reading["guarded"]
    return {
        "heading": False,
        "name": ", ".join(text for text in (reading_words(reading), reading["instrument"]) if text),
        "measured": reading["text"],
        "uncertainty": _spread(reading),
        "limit": limit["text"],
        "source": limit["source"],
        "verdict": word,
        "tint": tint_of(reading["verdict"]) if reading["verdict"] else "plain",
    }


def _is_row(reading: dict[str, Any]) -> bool:
    """Whether a reading has a row: a time that nothing limits is told with the conditions."""
    return reading["quantity"] != "time_at_level" or "limit" in reading


def _times(step: dict[str, Any]) -> Iterator[str]:
    """How long the level stood, as measured, where no limit makes it a row."""
    texts = [each["text"] for each in step["readings"] if not _is_row(each)]
    if texts:
        yield f"at level as measured {', '.join(texts)}"


def _history(step: dict[str, Any], is_table: bool) -> Iterator[str]:
    """What came before the readings shown: values before a correction, earlier attempts and why."""
    yield from _corrections(step, is_table)
    if left := step.get("left_out"):  # former papers say none
        yield f"Left out: {' '.join(begun(each) for each in left)}"
    for fault in step["faults"]:
        if fault["text"]:
            yield fault["text"]
    for reading in step["readings"]:
        if reading["ungraded"]:
            yield f"{begun(reading_words(reading))} is said and not judged: {reading['ungraded']}."
    for attempt in step["earlier"]:
        cause = f", {attempt['cause'].replace('_', ' ')}" if attempt["cause"] else ""
        word = verdict_word(attempt["verdict"]).lower()
        yield f"Attempt {attempt['attempt']}: {word}{cause}."
    if step["reason"]:
        yield f"Attempt {step['attempt']}, shown here: {step['reason']}."


def _corrections(step: dict[str, Any], is_table: bool) -> Iterator[str]:
    """What readings were corrected for, each reason once, with the values before where there is
    room: those of a table of many points are in the attached data."""
    found: dict[tuple[str, str], dict[str, list[str]]] = {}
    for reading in step["readings"]:
        reasons = [each["reason"] for each in reading["corrections"]]
        if not reasons:
            continue
        said = [each for each in dict.fromkeys(reasons) if each]  # former papers say none
        place = reading["quantity"], joined(said) if said else ""
        before = reading["corrections"][0]["text"]
        found.setdefault(place, {}).setdefault(reading["point"], []).append(before)
    by_reason: dict[str, list[str]] = {}
    for (quantity, why), points in found.items():
        name = quantity.replace("_", " ")
        told = "; ".join(f"{point} {', '.join(texts)}".strip() for point, texts in points.items())
        is_long = is_table and len(points) > FEW_POINTS
        by_reason.setdefault(why, []).append(f"{name}" if is_long else f"{name} (was {told})")
    for why, names in by_reason.items():
        verb = "is" if len(names) == 1 else "are"
        reason = f" for {why}" if why else ""
        yield f"{begun(joined(names))} {verb} corrected{reason}."


def limits_of(step: dict[str, Any], point: str) -> list[dict[str, Any]]:
    """The limits that a curve of a point is held against, each once; of no point: every one."""
    found: list[dict[str, Any]] = []
    for reading in step["readings"]:
        if reading.get("limit") and point in ("", reading["point"]):
            limit = {"quantity": reading["quantity"], **reading["limit"]}
            if limit not in found:
                found.append(limit)
    return found


def _fact(name: str, value: str, strong: str = "") -> dict[str, Any]:
    return {"name": name, "value": value, "strong": bool(strong)}


def _spread(reading: dict[str, Any]) -> str:
    if not reading["uncertainty"] or not reading["value"] or reading["bound"] != "exact":
        return ""
    if reading["uncertainty"] > abs(reading["value"]):  # of next to nothing a share says nothing
        dimension = next((d for d in DIMENSIONS.values() if d.unit == reading["unit"]), NUMBER)
        return display(reading["uncertainty"], dimension, 2)
    percent = 100 * reading["uncertainty"] / abs(reading["value"])
    return f"{float(f'{percent:.2g}'):g} %"  # two digits, never with an exponent
