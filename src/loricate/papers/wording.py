"""Words for people, in the site's language: verdicts, causes, quantities, times in its zone."""

import datetime as dt
import re
from collections.abc import Mapping
from functools import lru_cache
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from loricate.texts.catalogue import catalogue
from loricate.texts.said_again import Words

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


class PaperWords(Words):
    """What papers say, in their language."""

    __slots__ = ()

    def verdict(self, verdict: str) -> str:
        """A verdict as the paper shows it."""
        known = catalogue(self.language).has(f"verdict-{verdict}")
        word = self.term("verdict", verdict)
        return word if known else word.upper()

    def cause_after(self, cause: str) -> str:
        """A cause in brackets; nothing without one."""
        return f" ({self.term('cause', cause)})" if cause else ""

    def reading(self, reading: Mapping[str, Any]) -> str:
        """What a reading is of: ``resistance A1 to B1``."""
        quantity = self.term("quantity", reading["quantity"])
        return f"{quantity} {self.point(reading['point'])}".strip()

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


ENGLISH = PaperWords()
