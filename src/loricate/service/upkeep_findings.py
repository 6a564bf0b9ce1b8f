"""What stands in the way of an act of upkeep, at the field of whoever asks for it."""

from collections.abc import Iterator, Sequence

from loricate.bench.plan import FixturePlan
from loricate.core.capture.seen import SeenCable
from loricate.core.errors import Finding, QuantityError
from loricate.core.products.families.winding import NamedWinding
from loricate.core.products.product import Product
from loricate.core.quantities import TEMPERATURE, display, parse
from loricate.core.windings.temperature import LEAST_C, MOST_C
from loricate.core.wiring.description import Wiring
from loricate.core.wiring.probing import alike
from loricate.records import captures


def read_temperature(text: str) -> tuple[float | None, list[Finding]]:
    """A unit's temperature in °C, if one was told, or what is wrong with it."""
    if not text:
        return None, []
    try:
        found_c = parse(text, TEMPERATURE)
    except QuantityError as error:
        return None, [Finding("temperature", str(error), "write it as 23 °C or 73 °F.")]
    if LEAST_C <= found_c <= MOST_C:
        return found_c, []
    edges = f"{display(LEAST_C, TEMPERATURE, 2)} to {display(MOST_C, TEMPERATURE, 3)}"
    remedy = "read the thermometer again."
    return None, [Finding("temperature", f"is outside of {edges}, which a unit can have", remedy)]


def capture_findings(
    fixture: FixturePlan, nest: str, positions: Sequence[str], is_cable: bool, temperature: str
) -> Iterator[Finding]:
    """What stands in the way of capturing in a nest."""
    if nest not in fixture.nests:
        known = ", ".join(fixture.nests)
        yield Finding("nest", f"{fixture.code} has no nest {nest}", f"it has {known}.")
        return
    mixed = [each for each in fixture.nests[nest] if ":" not in each]
    if not is_cable and len(mixed) < len(fixture.nests[nest]):
        told = f"{fixture.code} calls some contacts by connector and some not: {mixed[0]}"
        remedy = "capture where all are named by connector (X1:A), or none is (a transformer's)."
        yield Finding("fixture", told, remedy)
    if is_cable and temperature:
        yield Finding("temperature", "is for windings, and this is a cable", "leave it out.")
    if not is_cable and positions:
        yield Finding("positions", "are of a cable's switch, and this is none", "leave them out.")
    if len(set(positions)) < len(positions):
        yield Finding("positions", "has one twice", "name each position once.")
    if len(positions) == 1:
        yield Finding("positions", "has one position", "a switch has two, or leave it out.")


def touch_findings(
    fixture: FixturePlan,
    nest: str,
    product: str,
    wiring: Wiring | None,
    wanted: Sequence[str],
) -> Iterator[Finding]:
    """Why contacts cannot be named or led through in a nest."""
    if nest not in fixture.nests:
        known = ", ".join(fixture.nests)
        yield Finding("nests", f"{fixture.code} has no nest {nest}", f"it has {known}.")
        return
    if product and wiring is None:
        yield Finding("product", f"{product} describes no nets", "leave it out.")
    known_contacts = set(fixture.nests[nest])
    if wiring is not None:
        known_contacts |= set(wiring.contacts)
    for place, contact in enumerate(wanted):
        if contact not in known_contacts:
            told = f"there is no contact {contact} in {fixture.code}"
            remedy = "correct it, or name the product whose contact it is."
            yield Finding(f"contacts[{place}]", told, remedy)
    if len(set(wanted)) < len(wanted):
        yield Finding("contacts", "has one twice", "name each once.")
    for one, other in alike(wiring, wanted) if wiring is not None else ():
        told = f"{one} and {other} are of one net, and no probe tells them apart"
        yield Finding("contacts", told, "name one of them.")


def named_windings(product: Product) -> tuple[NamedWinding, ...]:
    """The windings of a product by their ends; none of what describes none."""
    return () if product.winding is None else product.winding.windings


def map_findings(fixture: FixturePlan, nest: str, product: Product | None) -> Iterator[Finding]:
    """Why the columns of a nest cannot be found by a part, or by the probe without one."""
    if nest not in fixture.nests:
        known = ", ".join(fixture.nests)
        yield Finding("nests", f"{fixture.code} has no nest {nest}", f"it has {known}.")
        return
    if product is None:
        return
    wiring = next(iter(product.wirings), None)
    if wiring is None and not named_windings(product):
        told = f"{product.code} describes no nets and no windings"
        yield Finding("product", told, "leave it out.")
        return
    contacts = product.terminals if wiring is None else wiring.contacts
    lacking = [each for each in fixture.nests[nest] if each not in contacts]
    if lacking:
        told = f"{product.code} has no contact {', '.join(lacking[:4])}, which the nest has"
        yield Finding("product", told, "take a part for this nest.")
    used = {end for each in named_windings(product) for end in (each.start, each.end)}
    if missing := sorted(used - set(fixture.nests[nest])):
        told = f"{product.code} has windings at {', '.join(missing[:4])}, which the nest has not"
        yield Finding("product", told, "take a part for this nest.")


def beside_findings(
    there: Sequence[captures.CapturedUnit],
    fixture: FixturePlan,
    nest: str,
    serial: str,
    positions: Sequence[str],
) -> Iterator[Finding]:
    """Why a unit cannot be captured beside others."""
    first = there[0].seen
    if any(each.seen.serial == serial for each in there):
        yield Finding("serial", f"{serial} is in the capture already", "take another good unit.")
    if nest in fixture.nests and set(fixture.nests[nest]) != set(first.contacts):
        told = f"{fixture.code} has other contacts than where {first.serial} was captured"
        yield Finding("fixture", told, f"take {there[0].fixture}.")
    wirings = first.wirings if isinstance(first, SeenCable) else ()
    own = tuple(each.position for each in wirings if each.position)
    if tuple(positions) != own:
        named = ", ".join(own) or "none"
        told = f"are not those that {first.serial} was captured in"
        yield Finding("positions", told, f"name {named}.")
