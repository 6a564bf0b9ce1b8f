"""The sheet of a certificate or nonconformance report: what its template is told, all in words."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any

from loricate.core.gate import EXPECTED
from loricate.papers.former import in_current_form
from loricate.papers.look import Look
from loricate.papers.plots import plot_curve
from loricate.papers.sheet import Fact, heads_in, sheet_words, signature_lines, standing_words
from loricate.papers.standing import Standing
from loricate.papers.steps import is_table, limits_of, step_words, told_of
from loricate.papers.symbols import qr_code
from loricate.papers.typesetting import Attached, typeset
from loricate.papers.wiring_drawing import draw_wiring, faults_of, is_cut, wiring_words
from loricate.papers.wording import PaperWords, begun, in_zone, local, person_words, tint_of

TEMPLATE = "certificate.typ"
HEADS = ("step", "measured", "uncertainty", "limit", "source", "verdict")
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
    def words(self) -> PaperWords:
        """What it says, in the language of its look."""
        return self.look.words

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
            drawn[name] = plot_curve(
                curve, limits_of(step, curve["point"]), told_of(step, self.words)
            )
        if self.document["wiring"] is not None:
            drawn["wiring.svg"] = draw_wiring(self.document["wiring"], faults_of(self.document))
        return drawn

    def _curves(self) -> Iterator[tuple[str, dict[str, Any], dict[str, Any]]]:
        for number, step in enumerate(self.document["steps"]):
            for index, curve in enumerate(each for each in step["curves"] if not is_table(each)):
                yield f"curve-{number}-{index}.svg", step, curve

    def told(self) -> dict[str, Any]:
        """Everything that the template shows."""
        document, say = self.document, self.words.say
        title, serial = title_of(document, self.look), document["unit"]["serial"]
        heads = heads_in(self.words, HEADS)
        return {
            "title": say("title-number", title=title, number=document["number"], serial=serial),
            "about": say("title-of", title=title, about=document["unit"]["title"]),
            "site": document["site"],
            "heading": title,
            "number": document["number"],
            "number_line": say("number", number=document["number"]),
            "verdict": self.words.verdict(document["verdict"]),
            "tint": tint_of(document["verdict"]),
            "foot": say("verify-at", url=document["verify_url"]),
            "warnings": list(standing_words(self.standing, self.zone, self.words)),
            "facts": [each.told(self.words) for each in self._facts()],
            "above": self.look.text("above"),
            "wiring": self._wiring(),
            "heads": heads,
            "groups": list(self._groups()),
            "instruments": list(self._instruments()),
            "grounds": [
                *self._grounds(),
                *filter(None, [self.look.text("below"), self.words.digest(self.digest)]),
            ],
            "signatures": signature_lines(
                self.look, document["kind"], self.standing, self.zone, self._operator
            ),
            "words": {
                **sheet_words(self.words, document["site"], document["verify_url"]),
                "judged": heads[1:],
                **{
                    part: say(f"part-{part}")
                    for part in ("readings", "headlines", "wiring", "instruments", "grounds")
                },
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
        told = []
        if wiring["position"]:
            told.append(self.words.say("wiring-position", position=wiring["position"]))
        if is_cut(wiring):
            told.append(self.words.say("wiring-cut"))
        alt = wiring_words(wiring, faults_of(self.document), self.words)
        return {"file": "wiring.svg", "alt": alt, "told": " ".join(told)}

    def _facts(self) -> Iterator[Fact]:
        document, words = self.document, self.words
        say = words.say
        unit, run, sequence = document["unit"], document["run"], document["sequence"]
        yield Fact(
            "unit",
            say(
                "fact-unit-is",
                title=unit["title"],
                product=unit["product"],
                revision=str(unit["product_revision"]),
            ),
        )
        yield Fact("serial", unit["serial"], is_strong=True)
        if unit.get("asset"):  # former papers say none
            yield Fact("asset", f"{unit['asset']}{unit['place'] and ', '}{unit['place']}")
        yield Fact("class", unit["protection_class"] or say("not-stated"))
        yield Fact("lot", unit["lot"] or say("none"))
        revision = str(sequence["revision"])
        yield Fact("sequence", say("fact-sequence-is", code=sequence["code"], revision=revision))
        if run.get("occasion"):
            yield Fact("occasion", words.term("state", run["occasion"]))
        yield Fact("tested", words.until(run["started_at"], run["ended_at"], self.zone))
        yield Fact("issued", local(document["issued_at"], self.zone))
        place = {name: str(run[name]) for name in ("bench", "fixture", "nest")}
        yield Fact("place", say("fact-place-is", **place))
        yield Fact("tested-by", self._operator)
        yield Fact("ambient", ambient_words(document["ambient"], words))

    def _steps(self) -> Iterator[dict[str, Any]]:
        """What is shown of each step."""
        names = {id(curve): name for name, _, curve in self._curves()}
        for step in self.document["steps"]:
            yield step_words(step, names, self.words)

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
        say = self.words.say
        for each in self.document["instruments"]:
            told = {name: each[name] for name in ("id", "title", "serial", "calibrated", "due")}
            yield say("instrument", **told, certificate=each["certificate"] or say("not-stated"))
        for name, unseen in self.document.get("unseen", {}).items():
            yield say("on-trust", name=name, what=", ".join(unseen))

    def _grounds(self) -> Iterator[str]:
        document, sequence, words = self.document, self.document["sequence"], self.words
        say = words.say
        share = words.figure(f"{sequence['decision_r'] or 1:g}")
        rule = say(f"rule-{sequence['decision_rule']}", share=share)
        yield say("decision", rule=rule, software=document["software"])
        by_check: dict[str, list[str]] = {}
        for each in document["limit_sets"]:
            standard = words.of("source", each["standard"])
            named = say(
                "limit-set", code=each["code"], revision=str(each["revision"]), standard=standard
            )
            by_check.setdefault(each["checked"], []).append(named)
        for checked, sets in by_check.items():
            yield say("limit-sets", sets=", ".join(sets), checked=words.sentence(checked))
        yield say("levels", factor=words.figure(f"{sequence['coverage_factor']:g}"))
        if (ambient := document["ambient"]) is not None:
            by = ambient["instrument"] or person_words(ambient["name"], ambient["account"])
            yield say("ambient-by", by=by, at=local(ambient["at"], self.zone))
        for left in sequence["findings_left"]:
            yield say(
                "finding-left",
                severity=left["severity"],
                about=f"{left['step']}: " if left["step"] else "",
                finding=left["finding"],
                by=person_words(left["by_name"], left["by"]),
                reason=left["reason"],
            )
        if document["supersedes"]:
            yield say("supersedes-certificate", number=document["supersedes"])
        for remark in document["remarks"]:
            by = person_words(remark["name"], remark["account"])
            told = {"by": by, "text": remark["text"], "step": remark["step"]}
            text = say("remark-on" if remark["step"] else "remark", **told)
            picture = remark["picture"][:12]
            yield f"{text} {say('remark-picture', picture=picture)}" if picture else text
        yield from self._gate()
        if words.language != "en":
            yield say("said-in")

    def _gate(self) -> Iterator[str]:
        met = {
            each["name"]: self._reason(each["reason"])
            for each in self.document["gate"]
            if each["met"]
        }
        left_out = (
            " left out by " in each["reason"]
            for each in self.document["gate"]
            if each["name"] == EXPECTED and each["met"]
        )
        requirement = partial(self.words.of, "gate")
        # Only what was left out: the table shows the rest.
        if any(left_out):
            yield f"{begun(requirement(EXPECTED))}: {met[EXPECTED]}"
        kept = [f"{begun(requirement(name))}: {met[name]}" for name in UPKEEP if name in met]
        if kept:
            yield " ".join(kept)
        if self.document["kind"] != "certificate":
            for each in self.document["gate"]:
                if not each["met"]:
                    named = {"name": requirement(each["name"])}
                    yield self.words.say(
                        "not-certified", **named, reason=self._reason(each["reason"])
                    )

    def _reason(self, text: str) -> str:
        return in_zone(self.words.sentence(text), self.zone)


def ambient_words(ambient: Mapping[str, Any] | None, words: PaperWords) -> str:
    """The air about the unit: temperature and humidity."""
    if not ambient:
        return words.say("not-recorded")
    told = (ambient["temperature"], ambient["humidity"])
    return ", ".join(words.figure(text) for text in told if text)
