"""The sheet of a certificate or nonconformance report: what its template is told, all in words."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from loricate.core.gate import EXPECTED
from loricate.papers.former import in_current_form
from loricate.papers.look import SIGNATURES, Look
from loricate.papers.plots import plot_curve
from loricate.papers.standing import Standing
from loricate.papers.steps import is_table, limits_of, step_words
from loricate.papers.symbols import qr_code
from loricate.papers.typesetting import Attached, typeset
from loricate.papers.wiring_drawing import draw_wiring, faults_of, is_cut, wiring_words
from loricate.papers.wording import (
    begun,
    digest_words,
    in_zone,
    local,
    local_until,
    person_words,
    tint_of,
    verdict_word,
)

TEMPLATE = "certificate.typ"
HEADS = ("Step and reading", "Measured", "U", "Limit", "Source of the limit", "Verdict")
RULES = {
    "simple": "accepted at the limit (simple acceptance)",
    "guarded": "limits moved in by r·U (guard band), r = {share:g}",
}
# What the paper says of the gate; the JSON has all of it.
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
        """The drawings that the template shows, and its code to scan."""
        return {"code.svg": qr_code(self.document["verify_url"]), **self.drawings()}

    def drawings(self) -> dict[str, bytes]:
        """Curves, and the wiring of a cable that did not pass."""
        drawn = {}
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
                "judged": HEADS[1:],
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

    def _steps(self) -> Iterator[dict[str, Any]]:
        """What is shown of each step."""
        names = {id(curve): name for name, _, curve in self._curves()}
        for step in self.document["steps"]:
            yield step_words(step, names)

    def _groups(self) -> Iterator[dict[str, Any]]:
        """Steps in order: those of a few readings together, each with many points by itself."""
        listed: list[dict[str, Any]] = []
        for told in self._steps():
            if "points" not in told:
                listed.append(told)
                continue
            if listed:
                yield {"sort": "readings", "steps": listed}
            listed = []
            yield {"sort": "points", "steps": [told]}
        if listed:
            yield {"sort": "readings", "steps": listed}

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
        # Only what was left out: the table shows the rest.
        if " left out by " in met.get(EXPECTED, ""):
            yield f"{begun(EXPECTED)}: {met[EXPECTED]}"
        kept = [f"{begun(name)}: {met[name]}" for name in UPKEEP if name in met]
        if kept:
            yield " ".join(kept)
        if self.document["kind"] != "certificate":
            for requirement in self.document["gate"]:
                if not requirement["met"]:
                    reason = in_zone(requirement["reason"], self.zone)
                    yield f"Not certified: {requirement['name']}. {reason}"


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


def _fact(name: str, value: str, strong: str = "") -> dict[str, Any]:
    return {"name": name, "value": value, "strong": bool(strong)}
