"""Cables captured without any service: their stand-ins on one nest, at once."""

from collections.abc import Callable, Generator
from typing import Any, TypeVar

from loricate.challenge.bench import OfflineBench
from loricate.challenge.cables import cable_stand_in
from loricate.core.capture.cables import capture
from loricate.core.capture.drafting import ACCEPTED, Decision
from loricate.core.capture.proposal import Proposed
from loricate.core.capture.proposing import propose
from loricate.core.capture.seen import SeenCable, SeenWiring
from loricate.core.measuring.actions import Scan
from loricate.core.products.product import Product

R = TypeVar("R")


def scanned(
    bench: OfflineBench,
    procedure: Generator[Any, Any, R],
    meanwhile: Callable[[int], None] = lambda number: None,
) -> R:
    """Perform a procedure that only scans; ``meanwhile`` is told before each scan."""
    number = 0
    action = next(procedure)
    while True:
        assert isinstance(action, Scan)
        meanwhile(number)
        number += 1
        try:
            action = procedure.send(bench.scan(action))
        except StopIteration as done:
            found: R = done.value
            return found


def captured(
    product: Product, serial: str = "U-1", faults: tuple[str, ...] = (), zeroed: bool = True
) -> SeenCable:
    """A stand-in of a product, captured in every position of its switch."""
    bench = OfflineBench(cable_stand_in(product))
    bench.put_in(faults, serial)
    wirings: list[SeenWiring] = []
    for wiring in product.wirings:
        if wiring.position:
            bench.turn(wiring.position)
        wirings.append(scanned(bench, capture(product.terminals, wiring.position, {})))
    return SeenCable(serial, product.terminals, tuple(wirings), "M", zeroed)


def accepted(proposed: Proposed) -> dict[str, Decision]:
    """Everything taken as it is proposed."""
    count = len(proposed.items[0].measured)
    return {each.key: Decision(ACCEPTED, {}, count) for each in proposed.items}


def proposed_of(*units: SeenCable) -> Proposed:
    return propose(units)
