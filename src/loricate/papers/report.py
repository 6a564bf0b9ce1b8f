"""The report of a unit in a run: drawn from its record when somebody asks, as deep as he asks.

It is no certificate and has no seal. It says which document was issued of the run, and where none
was, why: a report must not pass for what the gate refused.
"""

from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from loricate.core.depths import Depth
from loricate.papers.certificate import HEADS, CertificateSheet
from loricate.papers.look import Look
from loricate.papers.pictures import NoPicture, photo_in_svg
from loricate.papers.sheet import Fact, heads_in, signature_lines, standing_words
from loricate.papers.standing import COUNTS, Standing
from loricate.papers.symbols import qr_code
from loricate.papers.typesetting import typeset
from loricate.papers.wording import PaperWords, in_zone, local, person_words

TEMPLATE = "report.typ"
BARE_HEADS = ("step", "measured", "uncertainty", "verdict")
Picture = Callable[[str], bytes | None]


@dataclass(frozen=True, slots=True)
class Shown:
    """A picture by its digest, with what it is of."""

    digest: str
    caption: str


@dataclass(frozen=True, slots=True)
class Report:
    """What a report is made of: a body as a certificate has it, and what came with the run.

    ``document`` is what was issued of the run, empty for nothing; ``not_certified`` says why none
    that passed was. ``procedure`` and ``pictures`` are by step, those of the whole unit under "".
    """

    body: Mapping[str, Any]
    drawn_at: str
    drawn_by: str
    site: str
    software: str
    document: str = ""
    verify_url: str = ""
    standing: Standing = COUNTS
    not_certified: tuple[str, ...] = ()
    procedure: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    pictures: Mapping[str, tuple[Shown, ...]] = field(default_factory=dict)
    ledger: str = ""  # the document's place in it, where that is wanted
    gone: str = ""  # that its readings and curves went, and when


@dataclass(frozen=True, slots=True)
class Parts:
    """What a report shows beside its readings."""

    curves: bool = True
    instruments: bool = True
    remarks: bool = True
    signatures: bool = True


ALL_PARTS = Parts()


def draw_report(
    report: Report,
    depth: Depth,
    failed_only: bool,
    look: Look,
    picture: Picture,
    parts: Parts = ALL_PARTS,
) -> bytes:
    """The PDF of a report. ``picture`` gives those that are shown; raises TemplateFault."""
    words = look.words
    steps, left = list(report.body["steps"]), words.sentence(report.gone)
    if not parts.curves:
        steps = [{**step, "curves": []} for step in steps]
    if failed_only:
        steps, told = not_passed(steps, words)
        left = f"{left} {told}".strip()
    document = {
        **report.body,
        "kind": "report",
        "number": report.document,
        "issued_at": report.drawn_at,
        "zone": "",
        "site": report.site,
        "software": report.software,
        "supersedes": "",
        "verify_url": report.verify_url,
        "wiring": report.body["wiring"] if depth.has(Depth.LIMITS) else None,
        "steps": [_as_deep(step, depth) for step in steps],
        "remarks": report.body["remarks"] if parts.remarks else [],
    }
    if not parts.instruments:
        document["instruments"] = []
    drawn = dict(_photos(report, picture)) if depth.has(Depth.PHOTOS) else {}
    found = [digest for digest, data in drawn.items() if data]
    photos = {digest: f"photo-{number}.svg" for number, digest in enumerate(found)}
    sheet = ReportSheet(
        document, report.standing, look, "", report, depth, left, photos, parts.signatures
    )
    files = {name: drawn[digest] for digest, name in photos.items()}
    return typeset(TEMPLATE, sheet.told(), look, report.drawn_at, {**sheet.files, **files})


def not_passed(steps: list[dict[str, Any]], words: PaperWords) -> tuple[list[dict[str, Any]], str]:
    """What did not pass of steps, whether in the end or at first, and what is left out for it."""
    kept, gone = [], Counter[str]()
    for step in steps:
        own = [each for each in step["readings"] if each["verdict"] not in ("", "pass")]
        for each in step["readings"]:
            gone[each["verdict"]] += each["verdict"] in ("", "pass")
        stumbled = any(each["verdict"] != "pass" for each in step["earlier"])
        if own or stumbled or step["verdict"] != "pass":
            shown = {each["repetition"] for each in own}
            rounds = [
                each
                for each in step["repetitions"]
                if each["repetition"] in shown or each["verdict"] != "pass"
            ]
            kept.append({**step, "readings": own, "repetitions": rounds})
        else:
            gone["step"] += 1
    counts = {"steps": len(steps), "kept": len(kept), "passed": gone["pass"], "free": gone[""]}
    return kept, words.say("report-left-out", **counts)


def _as_deep(step: dict[str, Any], depth: Depth) -> dict[str, Any]:
    """A step with what a depth tells of it; of what did not pass the limit is always told."""
    if depth.has(Depth.LIMITS):
        return step
    readings = [
        reading
        if reading["verdict"] not in ("", "pass")
        else {name: part for name, part in reading.items() if name != "limit"}
        for reading in step["readings"]
    ]
    if depth is Depth.READINGS:
        return {**step, "readings": readings, "curves": []}
    failed = [each for each in readings if each["verdict"] not in ("", "pass")]
    shown = {each["repetition"] for each in failed}
    rounds = [each for each in step["repetitions"] if each["repetition"] in shown]
    return {
        **step,
        "conditions": "",
        "left_out": (),
        "readings": failed,
        "repetitions": rounds,
        "curves": [],
    }


def _photos(report: Report, picture: Picture) -> Iterator[tuple[str, bytes]]:
    """Every picture once, no larger than paper shows; nothing of one that is gone."""
    shown = [each.digest for own in report.pictures.values() for each in own]
    for digest in dict.fromkeys(shown):
        data = picture(digest)
        try:
            yield digest, photo_in_svg(data or b"")
        except NoPicture:
            yield digest, b""


@dataclass(frozen=True, slots=True)
class ReportSheet(CertificateSheet):
    """A report ready for its template.

    ``left`` says what is not shown of it, ``photos`` the files of its pictures by their digest.
    """

    report: Report
    depth: Depth
    left: str
    photos: Mapping[str, str]
    has_signatures: bool

    @property
    def files(self) -> dict[str, bytes]:
        """The drawings that the template shows; a code to scan where there is a document."""
        drawn = dict(CertificateSheet.drawings(self))
        if self.document["number"]:
            drawn["code.svg"] = qr_code(self.document["verify_url"])
        return drawn

    def told(self) -> dict[str, Any]:
        """Everything that the template shows."""
        document, run = self.document, self.document["run"]
        told = CertificateSheet.told(self)
        title, say, serial = self.look.text("report"), self.words.say, document["unit"]["serial"]
        has_limits = self.depth.has(Depth.LIMITS)
        return {
            **told,
            "title": say("title-serial", title=title, serial=serial),
            "heading": title,
            "number": serial,
            "number_line": serial,
            "foot": say("report-foot", run=run["id"]),
            "has_code": bool(document["number"]),
            "warnings": list(self._warnings()),
            "left": self.left,
            "heads": heads_in(self.words, BARE_HEADS if self.depth is Depth.READINGS else HEADS),
            "instruments": told["instruments"] if has_limits else [],
            "grounds": told["grounds"] if has_limits else [],
            "photos": self._shown(""),
            "remarks": [] if has_limits else list(self._remarks()),
            "signatures": signature_lines(self.look, "report", COUNTS, self.zone, self._operator)
            if self.has_signatures
            else [],
            "words": {
                **told["words"],
                "remarks": say("part-remarks"),
                "photos": say("part-photos"),
            },
        }

    def _warnings(self) -> Iterator[str]:
        yield from standing_words(self.standing, self.zone, self.words)
        if self.report.not_certified:
            reasons = map(self.words.reason, self.report.not_certified)
            yield self.words.say(
                "report-not-certified",
                verdict=self.words.verdict(self.document["verdict"]),
                reasons=" ".join(in_zone(each, self.zone) for each in reasons),
            )

    def _facts(self) -> Iterator[Fact]:
        drawn = f"{local(self.report.drawn_at, self.zone)}, {self.report.drawn_by}"
        for fact in CertificateSheet._facts(self):
            if fact.name != "issued":
                yield fact
                continue
            yield Fact("drawn", drawn)
            yield Fact("document", self.report.document or self.words.say("none"))
            if self.report.ledger:
                yield Fact("ledger", self.words.sentence(self.report.ledger))
            yield Fact("tells", self.words.say(f"depth-{self.depth}"))

    def _steps(self) -> Iterator[dict[str, Any]]:
        shown = CertificateSheet._steps(self)
        for step, told in zip(self.document["steps"], shown, strict=True):
            lines = self.report.procedure.get(step["id"], ())
            if self.depth is Depth.READINGS:
                told = {**told, "rows": [_with_limit(row) for row in told["rows"]]}
            yield {
                **told,
                "procedure": list(map(self.words.line, lines))
                if self.depth.has(Depth.PROCEDURE)
                else [],
                "photos": self._shown(step["id"]),
            }

    def _shown(self, step_id: str) -> list[dict[str, str]]:
        if not self.depth.has(Depth.PHOTOS):
            return []
        return [
            {
                "file": self.photos.get(each.digest, ""),
                "caption": each.caption
                if each.digest in self.photos
                else self.words.say("picture-gone", caption=each.caption, digest=each.digest[:12]),
            }
            for each in self.report.pictures.get(step_id, ())
        ]

    def _remarks(self) -> Iterator[str]:
        for remark in self.document["remarks"]:
            about = f"{remark['step']}: " if remark["step"] else ""
            yield f"{about}{remark['text']} ({person_words(remark['name'], remark['account'])})"


def _with_limit(row: dict[str, Any]) -> dict[str, Any]:
    """A row without a column for its limit: what did not pass has it with the value."""
    return {**row, "measured": f"{row['measured']} ({row['limit']})"} if row.get("limit") else row
