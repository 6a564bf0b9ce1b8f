"""Where a product's leakage currents are measured: from which of its terminals, to which.

Terms as in IEC 60601-1: a patient connection is one terminal of an applied part. `patient` is the
current from connections to earth, `auxiliary` that between one connection and all others,
`total_patient` that of every part of one type tied together. With mains put on an applied part
(`mains_on_part`, `total_mains_on_part`) or on accessible metal that is not earthed
(`mains_on_case`) the current is that which the unit's insulation then lets through.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Literal

from loricate.core.products.families.medical import AppliedPart
from loricate.core.products.left_out import LeftOut
from loricate.core.products.product import Product

Path = Literal[
    "earth",
    "touch",
    "patient",
    "auxiliary",
    "total_patient",
    "mains_on_part",
    "total_mains_on_part",
    "mains_on_case",
]
Connections = Literal["together", "each"]
WITH_MAINS = ("mains_on_part", "total_mains_on_part")  # through the measuring network itself
WITH_DC = ("patient", "auxiliary", "total_patient")  # where standards limit direct current
WORDS = {
    "earth": "earth",
    "touch": "touch",
    "patient": "patient",
    "auxiliary": "auxiliary",
    "total_patient": "total",
    "mains_on_part": "mains on",
    "total_mains_on_part": "mains on all",
    "mains_on_case": "mains on",
}


@dataclass(frozen=True, slots=True)
class Tap:
    """A place of a product where a leakage current is measured.

    ``measured`` are the terminals that it comes from, none where it is the protective conductor's;
    ``returned`` those that it goes to, none where that is earth; ``driven`` those that mains is put
    on. ``applied_part`` is the type by which it is limited, ``is_earthed`` says that it is
    accessible metal which the unit itself earths.
    """

    path: Path
    name: str = ""
    measured: tuple[str, ...] = ()
    returned: tuple[str, ...] = ()
    driven: tuple[str, ...] = ()
    applied_part: str = ""
    is_earthed: bool = False

    @property
    def terminals(self) -> tuple[str, ...]:
        """Every terminal that it needs a lead to."""
        return (*self.measured, *self.returned, *self.driven)


def taps_of(
    paths: Iterable[Path], product: Product, connections: tuple[Connections, ...], part: str = ""
) -> tuple[tuple[Tap, ...], tuple[LeftOut, ...]]:
    """Every tap of some paths, in their order, and what there is none for.

    ``part`` is the one terminal that is measured at by `touch` and `patient`, where that is set.
    """
    found: list[Tap] = []
    left: list[LeftOut] = []
    for path in paths:
        own = list(_of_path(path, product, connections, part))
        found += [each for each in own if isinstance(each, Tap)]
        left += [each for each in own if isinstance(each, LeftOut)]
        if not own:
            left.append(LeftOut(_told(path), _why_none(path, product)))
    return tuple(found), tuple(left)


def _of_path(
    path: Path, product: Product, connections: tuple[Connections, ...], part: str
) -> Iterator[Tap | LeftOut]:
    parts = product.applied_parts
    match path:
        case "earth":
            yield Tap(path)
        case "touch" | "patient" if part:
            types = [each.type for each in parts if part in each.terminals]
            kind = types[0] if types and path == "patient" else ""
            yield Tap(path, "", (part,), applied_part=kind)
        case "touch":
            for touched in product.accessible_parts:
                yield Tap(path, touched.terminal, (touched.terminal,), is_earthed=touched.earthed)
        case "patient":
            for each in parts:
                yield from _patient(each, connections)
        case "auxiliary":
            yield from _auxiliary(parts)
        case "total_patient":
            yield from _total(path, parts)
        case "mains_on_part":
            for each in parts:
                if each.is_floating:
                    yield Tap(path, each.id, each.terminals, applied_part=each.type)
                else:
                    yield LeftOut(_told(path, each.id), "is of type B: not isolated from earth")
        case "total_mains_on_part":
            yield from _total(path, [each for each in parts if each.is_floating])
        case "mains_on_case":
            yield from _mains_on_case(product)


def _why_none(path: Path, product: Product) -> str:
    if path == "touch":
        return "the product describes no accessible part"
    if not product.applied_parts:
        return "the product describes no applied part"
    return "no applied part is of an F-type"


def _told(path: Path, name: str = "") -> str:
    return f"{WORDS[path]} {name}".strip()


def _patient(part: AppliedPart, connections: tuple[Connections, ...]) -> Iterator[Tap]:
    """A part as a whole, and each of its connections where it has several."""
    is_whole = "together" in connections or len(part.terminals) == 1
    if is_whole:
        yield Tap("patient", part.id, part.terminals, applied_part=part.type)
    if "each" in connections and len(part.terminals) > 1:
        for terminal in part.terminals:
            name = f"{part.id} {terminal}"
            yield Tap("patient", name, (terminal,), applied_part=part.type)


def _auxiliary(parts: Iterable[AppliedPart]) -> Iterator[Tap | LeftOut]:
    """Each connection against all others of every part."""
    owned = [(terminal, part) for part in parts for terminal in part.terminals]
    if len(owned) == 1:
        yield LeftOut("auxiliary", "there is one patient connection, and no current between it")
        return
    for terminal, part in owned:
        others = tuple(other for other, _ in owned if other != terminal)
        name = part.id if len(part.terminals) == 1 else f"{part.id} {terminal}"
        yield Tap("auxiliary", name, (terminal,), others, applied_part=part.type)


def _total(path: Path, parts: Iterable[AppliedPart]) -> Iterator[Tap | LeftOut]:
    """All parts of one type tied together."""
    by_type: dict[str, list[AppliedPart]] = {}
    for part in parts:
        by_type.setdefault(part.type, []).append(part)
    for kind, same in by_type.items():
        if len(same) == 1:
            why = f"{same[0].id} is the only part of type {kind}: its own reading is the total"
            yield LeftOut(_told(path, kind), why)
            continue
        tied = tuple(terminal for part in same for terminal in part.terminals)
        yield Tap(path, kind, tied, applied_part=kind)


def _mains_on_case(product: Product) -> Iterator[Tap | LeftOut]:
    unearthed = [each.terminal for each in product.accessible_parts if not each.earthed]
    if not unearthed:
        why = "no accessible metal is described that is not earthed"
        yield LeftOut("mains on the case", why)
    for terminal in unearthed:
        for part in product.applied_parts:
            name = f"{terminal} to {part.id}"
            yield Tap(
                "mains_on_case", name, part.terminals, driven=(terminal,), applied_part=part.type
            )
