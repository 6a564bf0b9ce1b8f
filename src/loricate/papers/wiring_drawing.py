"""The wiring of a failed cable in SVG: connectors, wires between them, and where the faults are.

An open wire has a gap, a short is a bar between two contacts, crossed wires are drawn to where they
really end, a connector that is not plugged in is dashed. Of a cable with more contacts than a page
shows only those that the faults are about are drawn, and that is said.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from xml.sax.saxutils import escape, quoteattr

from loricate.papers.typesetting import showable
from loricate.papers.wording import PaperWords

LINE, BETWEEN, HEAD, PLUG, WIDTH = 14, 18, 24, 84, 560
MOST_HEIGHT = 800  # of one side, what a page has room for
INK, SOFT, WRONG, EDGE = "#1a1a1a", "#5b5b5b", "#a32b1c", "#9aa6a0"
FONT = "DejaVu Sans"
# Latin with what is usual beside it, Greek, Cyrillic; then dashes and quotes, units.
LETTERS = (("¡", "ˏ"), ("Ͱ", "ҁ"), ("Ḁ", "ỿ"), ("–", "…"), ("Ω", "Ω"))
BRIDGED = ("short", "breakdown", "arc", "under_limit")
Wiring = Mapping[str, Any]
Fault = Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class _Place:
    """Where a contact is drawn, and on which side."""

    x: float
    y: float
    is_left: bool


def faults_of(document: Mapping[str, Any]) -> list[Fault]:
    """The faults of a document's steps that name contacts or a net."""
    return [fault for step in document["steps"] for fault in step["faults"] if fault["text"]]


def wiring_words(wiring: Wiring, faults: Sequence[Fault], words: PaperWords) -> str:
    """What the drawing shows, for who cannot see it."""
    faulty = " ".join(words.fault(fault) for fault in faults)
    told: dict[str, str | int] = {"count": len(wiring["nets"])}
    told["told"] = faulty or words.say("wiring-no-fault")
    if wiring["position"]:
        return words.say("wiring-is-at", **told, position=wiring["position"])
    return words.say("wiring-is", **told)


def is_cut(wiring: Wiring) -> bool:
    """Whether there are more contacts than a page shows."""
    sides = {"left": 0, "right": 0}
    for connector in wiring["connectors"]:
        sides[connector["side"]] += HEAD + BETWEEN + LINE * sum(map(len, connector["rows"]))
    return max(sides.values()) > MOST_HEIGHT


def draw_wiring(wiring: Wiring, faults: Sequence[Fault]) -> bytes:
    """The drawing; ``wiring`` and ``faults`` as a document has them."""
    shown = _shown(wiring, faults) if is_cut(wiring) else None
    places, plugs, height = _laid_out(wiring, shown, faults)
    parts = [
        *plugs,
        *_wires(wiring, faults, places),
        *_parts(wiring, places),
        *_marks(wiring, faults, places),
        *_contacts(places),
    ]
    size = f'width="{WIDTH}" height="{height:g}" viewBox="0 0 {WIDTH} {height:g}"'
    text = f'<svg xmlns="http://www.w3.org/2000/svg" {size} font-family="{FONT}">{"".join(parts)}'
    return f"{text}</svg>".encode()


def _shown(wiring: Wiring, faults: Sequence[Fault]) -> set[str]:
    """The contacts that faults are about, with those of their nets."""
    about = {contact for fault in faults for contact in fault.get("contacts", ())}
    for net in wiring["nets"]:
        if about & set(net["contacts"]) or any(net["name"] in each["point"] for each in faults):
            about |= set(net["contacts"])
    return about


def _laid_out(
    wiring: Wiring, shown: set[str] | None, faults: Sequence[Fault]
) -> tuple[dict[str, _Place], list[str], float]:
    """Where each contact is, the outlines of the connectors, and the height of the whole."""
    unplugged = {
        fault["contacts"][0].partition(":")[0]
        for fault in faults
        if fault["cause"] == "no_contact" and fault.get("contacts")
    }
    places: dict[str, _Place] = {}
    plugs: list[str] = []
    bottom = {"left": 0.0, "right": 0.0}
    for connector in wiring["connectors"]:
        code, side = connector["code"], connector["side"]
        names = [f"{code}:{name}" for row in connector["rows"] for name in row]
        own = [name for name in names if shown is None or name in shown]
        is_left = side == "left"
        x = 0 if is_left else WIDTH - PLUG
        top = bottom[side] + (BETWEEN if bottom[side] else 0)
        y = top + HEAD
        own = own[: max(0, int((MOST_HEIGHT - y) // LINE))]
        if not own:
            continue
        for name in own:
            places[name] = _Place(PLUG if is_left else WIDTH - PLUG, y + LINE / 2, is_left)
            y += LINE
        height = y - top + 4
        bottom[side] = top + height
        is_out = code in unplugged
        looks = f'stroke="{WRONG}" stroke-dasharray="4 3"' if is_out else f'stroke="{EDGE}"'
        box = f'x="{x + 1}" y="{top + 1:g}" width="{PLUG - 2}" height="{height - 2:g}"'
        plugs.append(f'<rect {box} fill="none" stroke-width="1.2" {looks}/>')
        title = f"{code} {connector['title']}".strip()
        plugs.append(_text(x + 6, top + 15, title[:14], INK, bold=True))
    return places, plugs, max(bottom.values(), default=0.0) + 4


def _contacts(places: Mapping[str, _Place]) -> Iterator[str]:
    for contact, at in places.items():
        name = contact.partition(":")[2]
        yield f'<circle cx="{at.x:g}" cy="{at.y:g}" r="2.6" fill="{INK}"/>'
        anchor, dx = ("end", -8) if at.is_left else ("start", 8)
        yield _text(at.x + dx, at.y + 3, name, INK, anchor)


def _wires(wiring: Wiring, faults: Sequence[Fault], places: Mapping[str, _Place]) -> Iterator[str]:
    """Each wire from a net's first contact to each other; those that are crossed are marks."""
    crossed = {c for each in faults if each["cause"] == "swapped" for c in each["contacts"]}
    open_at = {c for each in faults if each["cause"] == "open" for c in each["contacts"][1:]}
    wrong = {c for each in faults for c in each.get("contacts", ())}
    for net in wiring["nets"]:
        first, *others = net["contacts"]
        if crossed & set(net["contacts"]):
            continue
        for other in others:
            if first not in places or other not in places:
                continue
            a, b = places[first], places[other]
            colour = WRONG if wrong & set(net["contacts"]) else SOFT
            dash = ' stroke-dasharray="2 2.5"' if net["is_shield"] else ""
            yield f'<path d="{_path(a, b)}" fill="none" stroke="{colour}"{dash}/>'
            if other in open_at:
                x, y = _middle(a, b)
                yield f'<circle cx="{x:g}" cy="{y:g}" r="9" fill="white"/>'
                bars = f"M{x - 9:g} {y - 6:g}v12M{x + 9:g} {y - 6:g}v12"
                yield f'<path d="{bars}" stroke="{WRONG}" stroke-width="1.6"/>'
                yield _text(x, y - 8, "open", WRONG, "middle")


def _parts(wiring: Wiring, places: Mapping[str, _Place]) -> Iterator[str]:
    for part in wiring["parts"]:
        a, b = (places.get(each) for each in part["between"])
        if a is None or b is None:
            continue
        x, y = _middle(a, b, 30)
        yield f'<path d="{_path(a, b, 30)}" fill="none" stroke="{SOFT}"/>'
        label = f"{part['name']} {part['value']}"
        anchor, dx = ("start", 8) if a.is_left else ("end", -8)
        box = f'x="{x - 4:g}" y="{y - 5:g}" width="8" height="10"'
        yield f'<rect {box} fill="white" stroke="{SOFT}"/>'
        yield _text(x + dx, y + 3, label, SOFT, anchor)


def _marks(wiring: Wiring, faults: Sequence[Fault], places: Mapping[str, _Place]) -> Iterator[str]:
    """Bars of shorts, and crossed wires to where they really end."""
    for fault in faults:
        contacts = fault.get("contacts", ())
        if len(contacts) < 2 or contacts[0] not in places or contacts[1] not in places:
            continue
        first, second = contacts[:2]
        if fault["cause"] in BRIDGED:
            a, b = places[first], places[second]
            x, y = _middle(a, b, 24)
            yield f'<path d="{_path(a, b, 24)}" fill="none" stroke="{WRONG}" stroke-width="2.4"/>'
            yield _text(x + 6, y + 3, fault["cause"].replace("_", " "), WRONG)
        elif fault["cause"] == "swapped":
            turned = {first: second, second: first}
            for net in wiring["nets"]:
                moved = next((each for each in net["contacts"] if each in turned), None)
                other = next((each for each in net["contacts"] if each != moved), None)
                if moved is None or other is None or other not in places:
                    continue
                path = _path(places[other], places[turned[moved]])
                looks = f'stroke="{WRONG}" stroke-width="1.6" stroke-dasharray="7 3"'
                yield f'<path d="{path}" fill="none" {looks}/>'


def _path(a: _Place, b: _Place, reach: float = 50) -> str:
    """Across, or out and back where both are on one side."""
    if a.is_left is not b.is_left:
        bend = (b.x - a.x) / 3
        return f"M{a.x:g} {a.y:g}C{a.x + bend:g} {a.y:g} {b.x - bend:g} {b.y:g} {b.x:g} {b.y:g}"
    out = a.x + (reach if a.is_left else -reach)
    return f"M{a.x:g} {a.y:g}C{out:g} {a.y:g} {out:g} {b.y:g} {b.x:g} {b.y:g}"


def _middle(a: _Place, b: _Place, reach: float = 50) -> tuple[float, float]:
    y = (a.y + b.y) / 2
    if a.is_left is not b.is_left:
        return (a.x + b.x) / 2, y
    return a.x + (reach if a.is_left else -reach) * 0.75, y


def _plain(text: str) -> str:
    """A text of letters that stand by themselves: an image's text is not shaped as the page's is.

    Signs of scripts whose letters join, marks on others and rare signs stand by their numbers.
    """
    return "".join(
        sign
        if sign.isascii() or sign in "‹›" or any(low <= sign <= high for low, high in LETTERS)
        else f"‹U+{ord(sign):04X}›"
        for sign in showable(text)
    )


def _text(
    x: float, y: float, text: str, colour: str, anchor: str = "start", bold: bool = False
) -> str:
    weight = ' font-weight="bold"' if bold else ""
    at = f'x="{x:g}" y="{y:g}" text-anchor={quoteattr(anchor)} font-size="9"{weight}'
    return f'<text {at} fill="{colour}">{escape(_plain(text))}</text>'
