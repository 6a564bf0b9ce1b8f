"""Cables and harnesses: connectors, nets, what lies between them, and the positions of a switch."""

import re
from collections import Counter
from collections.abc import Iterator, Mapping
from functools import cached_property
from typing import Annotated, Any, ClassVar, Literal

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    WithJsonSchema,
    field_validator,
    model_validator,
)

from loricate.core.documents import fault_at, faults_at
from loricate.core.errors import QuantityError
from loricate.core.products.families.section import (
    ACROSS,
    Expectation,
    FamilySection,
    Terminal,
)
from loricate.core.quantities import (
    CAPACITANCE,
    RESISTANCE,
    VOLTAGE,
    Dimension,
    Farads,
    Fraction,
    Metres,
    Ohms,
    SquareMetres,
    as_figure,
    exactly,
    parse,
)
from loricate.core.wiring.copper import copper_ohms
from loricate.core.wiring.description import Net, Part, PartSort, Wiring, connector_of
from loricate.core.wiring.joining import Joined
from loricate.core.wiring.resistors import Resistor, seen_ohms


def _spelled(pattern: str, message: str) -> tuple[Any, ...]:
    """What makes a field of text that follows a pattern, refused in words of its own."""
    wanted = re.compile(pattern)

    def check(text: str) -> str:
        if wanted.fullmatch(text) is None:
            raise ValueError(f"'{text}' {message}")
        return text

    schema = {"type": "string", "pattern": f"^{pattern}$"}
    return AfterValidator(check), WithJsonSchema(schema)


_CODE, _NAME = "[A-Za-z0-9][A-Za-z0-9-]{0,11}", "[A-Za-z0-9+-][A-Za-z0-9+_./-]{0,15}"
_CONTACT_NAME = _spelled(
    _NAME, "is no name of a contact; take letters, digits and + - _ . / up to 16."
)
ContactName = Annotated[str, *_CONTACT_NAME]
_CONNECTOR = _spelled(_CODE, "is no code of a connector; take letters, digits and - up to 12.")
ConnectorCode = Annotated[str, *_CONNECTOR]
_NET = _spelled(
    "[A-Za-z0-9+-][A-Za-z0-9+_./-]{0,23}",
    "is no name; take letters, digits and + - _ . / up to 24.",
)
NetName = Annotated[str, *_NET]
_CONTACT = _spelled(f"{_CODE}:{_NAME}", "is no contact; write connector and contact, such as X1:A.")
Contact = Annotated[str, *_CONTACT]
MOST_CONTACTS, MOST_NETS = 2048, 1024
SORTS: Mapping[str, Dimension] = {
    "resistor": RESISTANCE,
    "capacitor": CAPACITANCE,
    "diode": VOLTAGE,
}
TABLE: dict[str, Any] = {"x-table": True}  # forms have it in a table of its own, not as fields
WIRE_TOLERANCE, PART_TOLERANCE, DIODE_TOLERANCE = 0.25, 0.1, 0.3
CONTACT_OHMS = 0.01
Fault = tuple[str, str, str]


class _Entry(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Connector(_Entry):
    """One connector: which side of the drawing it is on, and its contacts row by row."""

    code: ConnectorCode = Field(title="Code", description="As on the drawing, X1")
    title: str = Field(default="", max_length=80, title="Title")
    side: Literal["left", "right"] = Field(default="left", title="Side of the drawing")
    rows: tuple[tuple[ContactName, ...], ...] = Field(
        min_length=1, title="Contacts", description="Names as printed, row by row"
    )

    @property
    def contacts(self) -> tuple[str, ...]:
        """Its contacts with its own code before each."""
        return tuple(f"{self.code}:{name}" for row in self.rows for name in row)


class NetPlan(_Entry):
    """Contacts that are joined by wire. What it should measure follows from copper, or is given."""

    name: NetName = Field(title="Net")
    contacts: tuple[Contact, ...] = Field(title="Contacts", description="X1:4")
    colour: str = Field(default="", max_length=24, title="Colour")
    cross_section: Annotated[SquareMetres, Field(gt=0)] | None = Field(
        default=None, title="Cross-section"
    )
    length: Annotated[Metres, Field(gt=0)] | None = Field(
        default=None, title="Length", description="The cable's if empty"
    )
    resistance: Annotated[Ohms, Field(gt=0)] | None = Field(
        default=None, title="Resistance", description="Expected; the copper's if empty"
    )
    minimum: Annotated[Ohms, Field(ge=0)] | None = Field(default=None, title="Minimum")
    maximum: Annotated[Ohms, Field(gt=0)] | None = Field(
        default=None, title="Maximum", description="What is expected and the tolerance if empty"
    )

    @model_validator(mode="after")
    def _edges_fit(self) -> "NetPlan":
        if self.maximum is not None and (self.minimum or 0.0) > self.maximum:
            raise fault_at("minimum", "is above the maximum", "swap them.")
        return self


class ShieldPlan(_Entry):
    """A shield: the contacts that it is connected to."""

    name: NetName = Field(title="Shield")
    contacts: tuple[Contact, ...] = Field(title="Contacts")
    maximum: Annotated[Ohms, Field(gt=0)] | None = Field(default=None, title="Maximum")


class PartPlan(_Entry):
    """A component between two contacts: what is measured there, and how far it may be off."""

    name: NetName = Field(title="Component")
    sort: Literal["resistor", "capacitor", "diode"] = Field(title="Sort")
    between: tuple[Contact, Contact] = Field(
        title="Between", description="Of a diode the anode first"
    )
    value: str = Field(
        title="Value", description="Ω, F, or the volts of a diode in its forward direction"
    )
    tolerance: Annotated[Fraction, Field(gt=0, lt=1)] | None = Field(
        default=None, title="Tolerance", description="10 % if empty, 30 % of a diode"
    )

    @property
    def nominal(self) -> float:
        """Its value in SI units."""
        return parse(self.value, SORTS[self.sort])

    @field_validator("value")
    @classmethod
    def _has_no_sign(cls, text: str) -> str:
        if text.strip().startswith("-"):
            raise ValueError("is below zero; give what is measured, such as 560 Ω.")
        return text

    @model_validator(mode="after")
    def _is_of_its_sort(self) -> "PartPlan":
        try:
            nominal = self.nominal
        except QuantityError as error:
            raise fault_at("value", str(error)) from error
        if nominal <= 0:
            raise fault_at("value", "is nothing", "give what is measured there.")
        return self

    def described(self, seen: float) -> Part:
        """What may be measured between its contacts, where ``seen`` is expected there."""
        usual = DIODE_TOLERANCE if self.sort == "diode" else PART_TOLERANCE
        share = exactly(usual if self.tolerance is None else self.tolerance)
        low, high = (as_figure(exactly(seen) * (1 + sign * share)) for sign in (-1, 1))
        return Part(self.name, PartSort(self.sort), self.between, seen, low, high)


class PositionPlan(_Entry):
    """A position of the switch inside a cable, with the nets that it has in it alone."""

    code: NetName = Field(title="Position")
    title: str = Field(default="", max_length=80, title="Title", description="As on the switch")
    nets: tuple[NetPlan, ...] = Field(min_length=1, title="Nets", json_schema_extra=TABLE)


class CableSection(FamilySection):
    """What a cable is made of."""

    expected = (
        Expectation(("wiring", "continuity", "polarity"), "the conductors of a cable"),
        Expectation(ACROSS, "the insulation between the conductors"),
    )
    formerly: ClassVar[Mapping[str, str]] = {"cord_length": "length"}

    length: Annotated[Metres, Field(gt=0)] | None = Field(
        default=None, title="Length", description="From one end to the other"
    )
    tolerance: Annotated[Fraction, Field(gt=0)] = Field(
        default=WIRE_TOLERANCE,
        title="Tolerance of wires",
        description="Of what copper of the length and cross-section has, both ways",
    )
    contact_resistance: Annotated[Ohms, Field(ge=0)] = Field(
        default=CONTACT_OHMS, title="Allowance for a contact", description="For each end of a wire"
    )
    net_capacitance: Annotated[Farads, Field(gt=0)] | None = Field(
        default=None,
        title="Capacitance of a net",
        description="To all others together; reviews reckon with it",
    )
    connectors: tuple[Connector, ...] = Field(default=(), title="Connectors")
    nets: tuple[NetPlan, ...] = Field(
        default=(), max_length=MOST_NETS, title="Nets", json_schema_extra=TABLE
    )
    shields: tuple[ShieldPlan, ...] = Field(default=(), title="Shields", json_schema_extra=TABLE)
    parts: tuple[PartPlan, ...] = Field(default=(), title="Components", json_schema_extra=TABLE)
    pairs: tuple[tuple[NetName, NetName], ...] = Field(default=(), title="Twisted pairs")
    positions: tuple[PositionPlan, ...] = Field(
        default=(), title="Positions of a switch", description="Each with nets of its own"
    )

    def numbers(self) -> Mapping[str, float]:
        """A limit that grows with the cord grows with the cable itself."""
        return {} if self.length is None else {"cord_length": self.length}

    def named_terminals(self) -> tuple[Terminal, ...]:
        """The contacts of its connectors, in their order."""
        return tuple(contact for each in self.connectors for contact in each.contacts)

    @cached_property
    def wirings(self) -> tuple[Wiring, ...]:
        """What should hang together, in each position of its switch; none without connectors."""
        if not self.connectors:
            return ()
        contacts = self.named_terminals()
        always = (
            *(self._net(each) for each in self.nets),
            *(
                Net(each.name, each.contacts, None, each.maximum, None, True)
                for each in self.shields
            ),
        )
        found = []
        plans = self.positions or (None,)
        for plan, net_of in zip(plans, self._nodes(), strict=True):
            nets = always if plan is None else (*always, *(self._net(net) for net in plan.nets))
            code, title = ("", "") if plan is None else (plan.code, plan.title)
            found.append(Wiring(contacts, nets, self._described(net_of), code, title))
        return tuple(found)

    def _net(self, plan: NetPlan) -> Net:
        expected = plan.resistance
        length = plan.length if plan.length is not None else self.length
        if expected is None and length is not None and plan.cross_section is not None:
            expected = copper_ohms(length, plan.cross_section)
        minimum, maximum = plan.minimum, plan.maximum
        if expected is not None:
            share, ends = exactly(self.tolerance), 2 * exactly(self.contact_resistance)
            if maximum is None:
                maximum = as_figure(exactly(expected) * (1 + share) + ends)
            if minimum is None:  # what conducts better is no such wire
                minimum = as_figure(exactly(expected) * max(exactly(0.0), 1 - share))
        return Net(plan.name, plan.contacts, minimum, maximum, expected)

    @model_validator(mode="after")
    def _hangs_together(self) -> "CableSection":
        if faults := list(self._faults()):
            raise faults_at(faults)
        return self

    def _faults(self) -> Iterator[Fault]:
        """Everything that is wrong with the description, wherever it is."""
        codes = Counter(each.code for each in self.connectors)
        for index, each in enumerate(self.connectors):
            if codes[each.code] > 1:
                yield f"connectors[{index}].code", f"{each.code} is there twice", "rename one."
            names = Counter(each.contacts)
            for contact in [name for name, count in names.items() if count > 1]:
                yield f"connectors[{index}].rows", f"has {contact} twice", "each needs its own."
        contacts = self.named_terminals()
        if len(contacts) > MOST_CONTACTS:
            yield "connectors", f"have {len(contacts)} contacts", f"at most {MOST_CONTACTS}."
        known = frozenset(contacts)
        placed = list(self._placed())
        for place, name, own, _ in placed:
            yield from self._contact_faults(place, name, own, known)
        yield from self._name_faults(placed)
        yield from self._twice_faults(placed)
        for index, part in enumerate(self.parts):
            place = f"parts[{index}].between"
            for end, contact in enumerate(part.between):
                yield from self._unknown_faults(f"{place}[{end}]", part.name, contact, known)
            if part.between[0] == part.between[1]:
                yield place, f"{part.name} leads from {part.between[0]} to itself", "name two."
        yield from self._part_faults()
        there = {name for _, name, _, _ in placed}
        for index, pair in enumerate(self.pairs):
            for name in pair:
                if name not in there:
                    yield f"pairs[{index}]", f"there is no net {name}", "name two nets."
        if len(self.positions) == 1:
            yield "positions", "has one position", "a switch has two, or leave it out."
        if known and not placed:
            yield "nets", "is empty", "name the contacts that are joined."

    def _placed(self) -> Iterator[tuple[str, str, tuple[Contact, ...], str]]:
        """Every net and shield: where it is written, its name, its contacts, in which position."""
        for index, net in enumerate(self.nets):
            yield f"nets[{index}]", net.name, net.contacts, ""
        for index, shield in enumerate(self.shields):
            yield f"shields[{index}]", shield.name, shield.contacts, ""
        for place, position in enumerate(self.positions):
            for index, net in enumerate(position.nets):
                where = f"positions[{place}].nets[{index}]"
                yield where, net.name, net.contacts, position.code

    def _contact_faults(
        self, place: str, name: str, own: tuple[Contact, ...], known: frozenset[str]
    ) -> Iterator[Fault]:
        if len(own) < 2:
            told = f"net {name} has {'one contact' if own else 'no contacts'}"
            yield f"{place}.contacts", told, "name all that are joined, or leave the net out."
        for index, contact in enumerate(own):
            yield from self._unknown_faults(f"{place}.contacts[{index}]", name, contact, known)

    def _unknown_faults(
        self, place: str, name: str, contact: str, known: frozenset[str]
    ) -> Iterator[Fault]:
        if contact in known:
            return
        code = connector_of(contact)
        if any(each.code == code for each in self.connectors):
            yield place, f"{name} names {contact}, which {code} does not have", "correct it."
        else:
            there = ", ".join(each.code for each in self.connectors) or "none"
            yield place, f"{name} names connector {code}, and there are {there}", "correct it."

    def _name_faults(
        self, placed: list[tuple[str, str, tuple[Contact, ...], str]]
    ) -> Iterator[Fault]:
        """A name stands for one thing in every position."""
        for position in self._codes():
            first: dict[str, str] = {}
            for place, name, _, where in placed:
                if where in ("", position) and first.setdefault(name, place) != place:
                    told = f"{name} is the name of {first[name]} already"
                    yield f"{place}.name", told, "each needs its own."
        names = Counter(each.code for each in self.positions)
        for index, position_plan in enumerate(self.positions):
            if names[position_plan.code] > 1:
                told = f"{position_plan.code} is there twice"
                yield f"positions[{index}].code", told, "rename one."
        taken = {name for _, name, _, _ in placed}
        for index, part in enumerate(self.parts):
            if part.name in taken:
                yield f"parts[{index}].name", f"{part.name} is taken already", "rename it."
            taken.add(part.name)

    def _twice_faults(
        self, placed: list[tuple[str, str, tuple[Contact, ...], str]]
    ) -> Iterator[Fault]:
        """A contact is in one net, in every position; said once wherever it shows."""
        said = set()
        for position in self._codes():
            first: dict[str, str] = {}
            for place, name, own, where in placed:
                if where not in ("", position):
                    continue
                for index, contact in enumerate(own):
                    spot = f"{place}.contacts[{index}]"
                    if contact in first and spot not in said:
                        said.add(spot)
                        yield spot, f"{contact} is in {first[contact]} already", "take one out."
                    first.setdefault(contact, name)

    def _codes(self) -> tuple[str, ...]:
        return tuple(each.code for each in self.positions) or ("",)

    def _part_faults(self) -> Iterator[Fault]:
        """What lies beside or around a part that is no resistor cannot be told apart from it."""
        said = set()
        for net_of in self._nodes():
            for index, part in enumerate(self.parts):
                a, b = (net_of.get(contact, contact) for contact in part.between)
                place = f"parts[{index}].between"
                if a == b and place not in said:
                    said.add(place)
                    yield place, f"{part.name} has both ends in {a}", "a wire bridges it."
                if a == b or part.sort == "resistor" or place in said:
                    continue
                around = Joined(
                    end for each in self.parts for end in map(net_of.__getitem__, each.between)
                )
                for other in self.parts:
                    if other is not part:
                        around.join(*(net_of[contact] for contact in other.between))
                if around.find(a) == around.find(b):
                    said.add(place)
                    told = f"other components lead from {a} to {b} beside {part.name}"
                    yield place, told, "describe what is measured there as one component."

    def _nodes(self) -> Iterator[Mapping[str, str]]:
        """In each position, the net of each contact; of one without any, the contact itself."""
        named = [contact for part in self.parts for contact in part.between]
        own = {contact: contact for contact in (*self.named_terminals(), *named)}
        for position in self._codes():
            yield own | {
                each: name
                for _, name, contacts, where in self._placed()
                if where in ("", position)
                for each in contacts
            }

    def _described(self, net_of: Mapping[str, str]) -> tuple[Part, ...]:
        """Its parts, with what is measured at each resistor through those around it as well."""
        resistors = [
            Resistor(each.name, net_of[each.between[0]], net_of[each.between[1]], each.nominal)
            for each in self.parts
            if each.sort == "resistor"
        ]
        seen = seen_ohms(resistors) if resistors else {}
        return tuple(
            each.described(
                as_figure(exactly(seen[each.name])) if each.name in seen else each.nominal
            )
            for each in self.parts
        )
