"""Cables made for tests, and a meter that measures them without any instrument."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from loricate.core.documents import read_document
from loricate.core.measuring.actions import Ending, OtherCables, Output, Procedure, Scan, Scanned
from loricate.core.measuring.grading import Measured
from loricate.core.measuring.readings import Bound, Reading
from loricate.core.products.product import Product
from loricate.core.quantities import CAPACITANCE, RESISTANCE
from loricate.core.wiring.joining import Joined

OPEN_OHMS, WIRE_OHMS = 100e6, 0.2


def cable(wires: int, spare: int = 0, **section: Any) -> Product:
    """A cable of so many nets from X1 to X2, and spare contacts at each end."""
    names = [str(number) for number in range(1, wires + spare + 1)]
    document = {
        "format": "loricate-product/2",
        "code": "K-1",
        "title": "A cable",
        "family": "cable",
        "cable": {
            "length": "2 m",
            "connectors": [{"code": code, "rows": [names]} for code in ("X1", "X2")],
            "nets": [
                {"name": f"W{name}", "contacts": [f"X1:{name}", f"X2:{name}"]}
                for name in names[:wires]
            ],
            **section,
        },
    }
    return read_document(Product, document, "product")


class Meter:
    """Measures between sets of contacts, by what really hangs together; counts how often."""

    def __init__(self, contacts: Iterable[str], joints: Iterable[tuple[str, str]]) -> None:
        self.hangs = Joined(contacts)
        for a, b in joints:
            self.hangs.join(a, b)
        self.measured = 0

    def ohms(self, path: Mapping[str, Sequence[str]]) -> float:
        """A wire's resistance where any two contacts of the two sides hang together."""
        sides = [{self.hangs.find(each) for each in path[name]} for name in ("high", "low")]
        return WIRE_OHMS if sides[0] & sides[1] else OPEN_OHMS

    def scan(self, action: Scan) -> Scanned:
        """What a meter would give for a list of paths; it can only tell ohms."""
        self.measured += len(action.paths)
        if action.reads != ("resistance",):
            zeroes = tuple(
                Reading(name, 0.0, CAPACITANCE, instrument="M")
                for name in action.reads
                for _ in action.paths
            )
            return Scanned(Output(Ending.FINISHED, {}), {action.reads[0]: zeroes})
        values = [self.ohms(path) for path in action.paths]
        made = tuple(
            Reading(
                "resistance",
                value,
                RESISTANCE,
                bound=Bound.ABOVE if value >= OPEN_OHMS else Bound.EXACT,
                instrument="M",
            )
            for value in values
        )
        return Scanned(Output(Ending.FINISHED, {}), {"resistance": made})

    def drive(self, procedure: Procedure, others: Iterable[Product] = ()) -> Measured:
        """Perform a procedure that only scans; ``others`` are the cables that are known beside."""
        cables = tuple((each.code, wiring) for each in others for wiring in each.wirings)
        action = next(procedure)
        while True:
            try:
                if isinstance(action, Scan):
                    action = procedure.send(self.scan(action))
                else:
                    action = procedure.send(cables if isinstance(action, OtherCables) else None)
            except StopIteration as done:
                measured: Measured = done.value
                return measured
