"""What sheets of all sorts have: facts, heads, how the document stands, lines to sign on."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from loricate.papers.look import SIGNATURES, Look
from loricate.papers.standing import Standing
from loricate.papers.wording import PaperWords, local, person_words


@dataclass(frozen=True, slots=True)
class Fact:
    """A line of the sheet's head: the text of the catalogue that names it, and what it says."""

    name: str
    value: str
    is_strong: bool = False

    def told(self, words: PaperWords) -> dict[str, Any]:
        """The line for a template."""
        name = words.say(f"fact-{self.name}")
        return {"name": name, "value": self.value, "strong": self.is_strong}


def heads_in(words: PaperWords, names: Sequence[str]) -> tuple[str, ...]:
    """The heads of columns."""
    return tuple(words.say(f"head-{name}") for name in names)


def sheet_words(words: PaperWords, site: str, url: str) -> dict[str, str]:
    """What every sheet says at its edges, and of its pictures."""
    return {
        "page": words.say("page"),
        "of": words.say("page-of"),
        "logo": words.say("logo-of", site=site),
        "code": words.say("code-of", url=url) if url else "",
    }


def standing_words(standing: Standing, zone: str, words: PaperWords) -> Iterator[str]:
    """What a document's standing says against it."""
    if (revoked := standing.revocation) is not None:
        by = revoked["revoked_by"]
        yield words.say(
            "revoked",
            at=local(revoked["issued_at"], zone),
            by=person_words(by["name"], by["account"]),
            number=revoked["number"],
            reason=revoked["reason"],
        )
    if standing.superseded_by:
        yield words.say("superseded", number=standing.superseded_by)


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
    lines = [
        sign_line(look, look.text(first), tested_by),
        sign_line(look, look.text(second), approval_words(standing, zone)),
    ]
    return [*lines, *(sign_line(look, each) for each in look.signatures)]


def sign_line(look: Look, title: str, signed: str = "") -> dict[str, str]:
    """A line to sign on."""
    return {"title": look.words.say("sign-on", title=title), "signed": signed}
