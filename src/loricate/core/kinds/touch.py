"""Touch: somebody is led through contacts with a probe, in a set order or in any.

The unit is plugged into the fixture at one end, and its free plug is touched. Each contact is asked
for by name; a wrong one is refused at once. It ends when all are touched, or the operator gives up:
then what was not touched fails, with what was touched in its place.
"""

from collections.abc import Iterator
from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field

from loricate.core.kinds.kind import Demand, KindSettings, Limits, LimitSlot, Point, Points
from loricate.core.limits.limit import Limit, LimitSource
from loricate.core.measuring.actions import Procedure
from loricate.core.measuring.grading import Cause, Fault, Measured
from loricate.core.measuring.readings import Measurand
from loricate.core.measuring.roles import WIRING
from loricate.core.products.product import Product
from loricate.core.quantities import NUMBER, RESISTANCE, TIME, Seconds
from loricate.core.wiring.description import Wiring, connector_of
from loricate.core.wiring.probing import JOINED_OHMS, SLOT_S, alike, lead_through, missed_text

USUAL_S = 3.0  # that a contact takes somebody


class Touch(KindSettings):
    """Which contacts, in which order, and how long is waited for each."""

    name = "touch"
    title = "Contacts touched"
    slots = {"resistance": LimitSlot(RESISTANCE, title="From the probe", side="maximum")}
    judged_by = ()
    meters = ("resistance",)

    plugged: tuple[str, ...] = Field(
        min_length=1, title="Plugged in", description="The connectors that are in the fixture"
    )
    contacts: tuple[str, ...] = Field(
        default=(), title="Contacts", description="All that are wired on the others if empty"
    )
    order: Literal["set", "any"] = Field(default="set", title="Order")
    wait: Annotated[Seconds, Field(gt=0, le=600)] = Field(
        default=120.0, title="Wait for a contact", description="At most"
    )

    @classmethod
    def why_not(cls, product: Product) -> str:
        if product.wirings:
            return ""
        return "The product describes no connectors and nets; describe them in its cable section."

    def points(self, product: Product) -> Points:
        """Each contact that is to be touched."""
        if not product.wirings:
            return ()
        wiring = product.wirings[0]
        through = tuple(each for each in product.terminals if connector_of(each) in self.plugged)
        return tuple(
            Point(contact, {"wiring": wiring, "through": through, "contact": contact})
            for contact in self._wanted(wiring)
        )

    def _wanted(self, wiring: Wiring) -> tuple[str, ...]:
        known = self._reachable(wiring)
        return tuple(each for each in self.contacts or known if each in known)

    def _reachable(self, wiring: Wiring) -> tuple[str, ...]:
        """The contacts of free connectors that a wire joins with what is plugged in."""
        return tuple(
            contact
            for contact in wiring.contacts
            if connector_of(contact) not in self.plugged
            and contact in wiring.net_of
            and any(connector_of(each) in self.plugged for each in wiring.net_of[contact].contacts)
        )

    def unfit(self, product: Product) -> Iterator[tuple[str, str, str]]:
        if not product.wirings:
            return
        codes = {connector_of(each) for each in product.terminals}
        for place, code in enumerate(self.plugged):
            if code not in codes:
                told = f"product '{product.code}' has no connector '{code}'"
                yield f"plugged[{place}]", told, f"it has {', '.join(sorted(codes))}."
        wiring = product.wirings[0]
        known = self._reachable(wiring)
        for place, contact in enumerate(self.contacts):
            if contact not in known:
                told = f"no wire leads from {contact} to what is plugged in"
                yield f"contacts[{place}]", told, "name contacts of a free plug that are wired."
        for one, other in alike(wiring, self._wanted(wiring)):
            told = f"{one} and {other} are of one net, and no probe tells them apart"
            yield "contacts", told, "name one of them."

    def shares_terminals(self) -> bool:
        return True

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Ask for contact after contact; a touch counts when the net is the right one."""
        values = points[0].values
        wanted = tuple(point.name for point in points)
        led = yield from lead_through(
            values["through"], values["wiring"], wanted, self.order == "any", self.wait
        )
        readings = tuple(
            replace(reading, quantity="resistance", point=contact)
            for contact, reading in led.right.items()
        )
        faults = tuple(
            Fault(Cause.NOT_SEEN, each, missed_text(each, led.instead), contacts=(each,))
            for each in led.left
        )
        return Measured(readings, faults)

    def judged(self, points: Points, limits: Limits) -> Limits:
        """What counts as touched, where nothing else is written."""
        own = Limit(
            dimension=RESISTANCE.name,
            maximum=JOINED_OHMS,
            source=LimitSource(engineer="what counts as touched"),
        )
        found = dict(limits)
        for point in points:
            found.setdefault(Measurand("resistance", point.name), own)
        return found

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """A meter with a probe, that can wait long enough."""
        return (
            Demand(WIRING, "probes", 1.0, NUMBER, "contacts"),
            Demand(WIRING, "slot_s", SLOT_S, TIME, "wait"),
            Demand(WIRING, "dwell_s", self.wait + 1.0, TIME, "wait"),
        )

    def programmed_s(self, points: Points) -> float:
        return USUAL_S * len(points)

    def fails_when_empty(self, limits: Limits) -> bool:
        return True
