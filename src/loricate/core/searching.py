"""What units are looked for by: a search over units in runs, as it is asked, sent and kept."""

import datetime as dt
import re
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationInfo, field_validator

from loricate.core.measuring.grading import Cause, Verdict
from loricate.core.products.families.section import Occasion

MOST_TEXT, MOST_DAYS = 100, 100_000
DAYS_BACK = re.compile(r"(\d{1,6}) ?d(?:ays?)?")
WHEN = "a day (2026-11-26), a moment with its offset (2026-11-26T14:00Z), or days back (7 d)"

Text = Annotated[str, Field(max_length=MOST_TEXT)]
When = Annotated[str, Field(max_length=40)]


@dataclass(frozen=True, slots=True)
class Span:
    """From a moment until before another, in UTC as records are stamped; empty where it is open."""

    since: str = ""
    until: str = ""


class UnitSearch(BaseModel):
    """What units in runs are looked for by; what is left empty is not asked.

    In texts ``*`` stands for anything and ``?`` for one character, and case does not count. All
    that is given must be so; of several verdicts, causes or documents one.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    serial: Text = Field(default="", description="Serial, or the number that its owner gave it")
    product: Text = Field(default="", description="Code of its product")
    lot: Text = ""
    sequence: Text = Field(default="", description="Code of the sequence that tested it")
    revision: int | None = Field(
        default=None, ge=1, le=2**31 - 1, description="Of the sequence, which must be named"
    )
    verdict: list[Verdict] = Field(default=[], description="Of the unit in its run")
    cause: list[Cause] = Field(default=[], description="Why its verdict is no pass")
    failed: Text = Field(default="", description="Id of a step that failed, in any attempt")
    since: When = Field(default="", description=f"Tested on or after {WHEN}")
    until: When = Field(default="", description=f"Tested on or before {WHEN}")
    operator: Text = Field(default="", description="Account that started the run")
    bench: Text = ""
    fixture: Text = ""
    nest: Text = ""
    since_renewal: bool = Field(
        default=False, description="Since the contacts of the fixture, to be named, were renewed"
    )
    instrument: Text = Field(
        default="", description="Id or serial of an instrument that took one of its readings"
    )
    place: Text = Field(default="", description="Where its owner keeps it")
    said: Text = Field(default="", description="Words of a remark, or of a note beside an answer")
    occasion: Occasion | Literal[""] = Field(default="", description="Why it was tested")
    document: list[Literal["certificate", "nonconformance", "revoked", "none"]] = Field(
        default=[], description="What was issued for it, as it stands now"
    )
    limit_set: Text = Field(default="", description="Code of a limit set that its sequence pinned")
    limit_revision: int | None = Field(
        default=None, ge=1, le=2**31 - 1, description="Of the limit set, which must be named"
    )

    @field_validator("*", mode="before")
    @classmethod
    def _without_blanks(cls, given: Any) -> Any:
        return given.strip() if isinstance(given, str) else given

    @field_validator("since", "until")
    @classmethod
    def _is_a_time(cls, text: str) -> str:
        _read_when(text)
        return text

    @field_validator("said")
    @classmethod
    def _has_words(cls, text: str) -> str:
        if text and not words_of(text):
            raise ValueError("has no word in it; give a word, or the beginning of one and *")
        return text

    @field_validator("revision", "limit_revision")
    @classmethod
    def _is_of_something(cls, number: int | None, info: ValidationInfo) -> int | None:
        of = "sequence" if info.field_name == "revision" else "limit_set"
        if number is not None and not info.data.get(of):
            raise ValueError(f"is a revision of a {of}; give {of} as well")
        return number

    @field_validator("since_renewal")
    @classmethod
    def _is_of_a_fixture(cls, given: bool, info: ValidationInfo) -> bool:
        fixture = info.data.get("fixture", "")
        if given and (not fixture or has_wildcard(fixture)):
            raise ValueError("is of one fixture; give fixture as well, without * and ?")
        if given and info.data.get("since"):
            raise ValueError("and since exclude each other; leave one of them out")
        return given

    def asked(self) -> dict[str, Any]:
        """What is asked, without all that is left empty; texts and lists of texts."""
        return self.model_dump(mode="json", exclude_defaults=True)

    def span(self, zone: dt.tzinfo, at: dt.datetime) -> Span:
        """The time that is asked for; days are those of a zone, counted back from a moment."""
        return Span(
            _stamp(self.since, zone, at, dt.timedelta()),
            _stamp(self.until, zone, at, dt.timedelta(days=1)),
        )


def has_wildcard(text: str) -> bool:
    """Whether a text stands for others than itself."""
    return "*" in text or "?" in text


def words_of(text: str) -> tuple[str, ...]:
    """The words of a text that is looked for in what people wrote; ``word*`` is a beginning."""
    return tuple(re.findall(r"\w+\*?", text.lower()))


def _read_when(text: str) -> dt.date | dt.datetime | int | None:
    """A day, a moment, or how many days back; raises ValueError with what to write."""
    if not text:
        return None
    if back := DAYS_BACK.fullmatch(text):
        if int(back[1]) > MOST_DAYS:
            raise ValueError(f"lies too far back; {MOST_DAYS} d is the most")
        return int(back[1])
    try:
        if len(text) <= len("2026-11-26"):
            return dt.date.fromisoformat(text)
        moment = dt.datetime.fromisoformat(text)
        if moment.tzinfo is not None:
            moment.astimezone(dt.UTC)  # within what can be told in UTC
    except (ValueError, OverflowError):
        raise ValueError(f"is no time; write {WHEN}") from None
    if moment.tzinfo is None:
        raise ValueError("has no offset from UTC; write it after the time, such as Z or +01:00")
    return moment


def _stamp(text: str, zone: dt.tzinfo, at: dt.datetime, more: dt.timedelta) -> str:
    """The moment that a time means in UTC; of a day its begin, or the next one's with ``more``.

    A day that was counted back is that many days before the moment ``at``.
    """
    when = _read_when(text)
    if when is None:
        return ""
    try:
        if isinstance(when, int):
            moment = at - dt.timedelta(days=when)
        elif isinstance(when, dt.datetime):
            moment = when
        else:
            moment = dt.datetime.combine(when + more, dt.time(), zone)
        utc = moment.astimezone(dt.UTC)
    except OverflowError:
        return "9999" if more else "0000"
    return utc.isoformat(timespec="milliseconds").replace("+00:00", "Z")
