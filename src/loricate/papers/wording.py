"""Words for people, in the site's language: verdicts, causes, quantities, times in its zone."""

import datetime as dt
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from loricate.texts import said_again
from loricate.texts.catalogue import Language, catalogue

_UTC = re.compile(r"(\d{4}-\d\d-\d\d) (\d\d:\d\d) UTC")
TINTS = {"pass": "good", "fail": "bad"}


def tint_of(verdict: str) -> str:
    """The name of a verdict's colour; its word always stands with it."""
    return TINTS.get(verdict, "unsure")


def begun(text: str) -> str:
    """A text with its first letter large, and no other one changed."""
    return text[:1].upper() + text[1:]


def person_words(name: str, account: str) -> str:
    """A person by full name and account: ``Mara Lind (mara)``."""
    return f"{name} ({account})" if name and name != account else account


@lru_cache(maxsize=16)
def zone_of(name: str) -> dt.tzinfo:
    """A zone of the IANA database; raises ValueError for none."""
    if name == "UTC":
        return dt.UTC
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError) as error:
        raise ValueError(f"'{name}' is no time zone; give one such as Europe/Vienna.") from error


def local(moment: str, zone: str) -> str:
    """An RFC 3339 time in a zone, to the second: ``2026-11-25 09:30:00 +01:00``."""
    if not moment:
        return ""
    there = dt.datetime.fromisoformat(moment).astimezone(zone_of(zone))
    offset = there.strftime("%z")
    return f"{there:%Y-%m-%d %H:%M:%S} {offset[:3]}:{offset[3:5]}"


def revoked_words(number: str, at: str, reason: str, zone: str) -> str:
    """By which revocation a document counts no longer, since when, and why."""
    return f"Revoked on {local(at, zone)} ({number}): {reason}"


def in_zone(text: str, zone: str) -> str:
    """A sentence whose times in UTC (``2026-11-25 08:30 UTC``) are in a zone."""
    return _UTC.sub(lambda found: local(f"{found[1]}T{found[2]}:00Z", zone), text)


def digest_groups(digest: str) -> str:
    """A digest in groups of eight, as people compare them."""
    return " ".join(digest[at : at + 8] for at in range(0, len(digest), 8))


@dataclass(frozen=True, slots=True)
class Words:
    """What a paper says, in its language.

    ``say`` are the paper's own texts. What comes from the record is English there, and is said
    again; what people wrote stays as they wrote it.
    """

    language: Language = "en"

    def say(self, name: str, /, **told: str | int) -> str:
        """A text of the catalogue."""
        return catalogue(self.language).say(name, told)

    def _term(self, group: str, word: str) -> str:
        return catalogue(self.language).term(group, word)

    def verdict(self, verdict: str) -> str:
        """A verdict as the paper shows it."""
        known = catalogue(self.language).has(f"verdict-{verdict}")
        word = self._term("verdict", verdict)
        return word if known else word.upper()

    def outcome(self, verdict: str) -> str:
        """A verdict within a sentence."""
        return self._term("outcome", verdict)

    def cause(self, cause: str) -> str:
        """Why a verdict is no pass."""
        return self._term("cause", cause)

    def cause_after(self, cause: str) -> str:
        """A cause in brackets; nothing without one."""
        return f" ({self.cause(cause)})" if cause else ""

    def quantity(self, name: str) -> str:
        """What is measured."""
        return self._term("quantity", name)

    def state(self, name: str) -> str:
        """A state, or an occasion."""
        return self._term("state", name)

    def reading(self, reading: Mapping[str, Any]) -> str:
        """What a reading is of: ``resistance A1 to B1``."""
        point = self.point(reading["point"])
        return f"{self.quantity(reading['quantity'])} {point}".strip()

    def figure(self, text: str) -> str:
        """A figure with its unit, with the decimal sign of the language."""
        return said_again.figure(text, self.language)

    def point(self, name: str) -> str:
        """The name of a point."""
        return said_again.point(name, self.language)

    def sentence(self, text: str) -> str:
        """Sentences of the record."""
        return said_again.sentence(text, self.language)

    def conditions(self, text: str) -> str:
        """The conditions of a step."""
        return said_again.conditions(text, self.language)

    def left_out(self, text: str) -> str:
        """What a step leaves out, and why."""
        return said_again.left_out(text, self.language)

    def source(self, text: str) -> str:
        """Where a limit is from."""
        return said_again.limit_source(text, self.language)

    def correction(self, reason: str) -> str:
        """For what a reading was corrected."""
        return said_again.correction(reason, self.language)

    def requirement(self, name: str) -> str:
        """A requirement of the gate."""
        return said_again.requirement(name, self.language)

    def reason(self, text: str) -> str:
        """Why a unit is not certified."""
        return said_again.reason(text, self.language)

    def fault(self, fault: Mapping[str, Any]) -> str:
        """What was found wrong."""
        return said_again.fault(fault["cause"], fault["point"], fault["text"], self.language)

    def line(self, text: str) -> str:
        """A line of a procedure."""
        return said_again.line(text, self.language)

    def scope(self, text: str) -> str:
        """Of what a report is."""
        return said_again.scope(text, self.language)

    def mark(self, text: str) -> str:
        """What is marked in a curve."""
        return said_again.mark(text, self.language)

    def listed(self, texts: Sequence[str]) -> str:
        """Texts as one sentence's list: ``a, b and c``."""
        if len(texts) == 1:
            return texts[0]
        return f"{', '.join(texts[:-1])} {self.say('list-and')} {texts[-1]}"

    def until(self, begin: str, end: str, zone: str) -> str:
        """A span of time in a zone; the day once, where it is one."""
        first, last = local(begin, zone), local(end, zone)
        if not last:
            return first
        if first[:10] == last[:10] and first[-6:] == last[-6:]:
            first, last = first[:19], last[11:]
        return self.say("from-to", begin=first, end=last)

    def digest(self, digest: str) -> str:
        """By what a copy on paper is compared with what the service holds."""
        return self.say("digest", digest=digest_groups(digest)) if digest else ""


ENGLISH = Words()
