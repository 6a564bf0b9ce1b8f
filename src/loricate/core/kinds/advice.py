"""What a kind advises of its steps in a review, and what it may look at for that."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING

from loricate.core.measuring.instruments import Capability
from loricate.core.measuring.roles import Role
from loricate.core.products.product import Product

if TYPE_CHECKING:
    from loricate.core.limits.limit import Limit
    from loricate.core.measuring.readings import Measurand


class Severity(StrEnum):
    """How much a finding weighs."""

    ERROR = "error"  # a good unit fails, or a bad one passes
    WARNING = "warning"  # it may
    NOTE = "note"  # worth knowing


@dataclass(frozen=True, slots=True)
class Advice:
    """One finding on a step: by which rule, why, and the remedy."""

    rule: str
    severity: Severity
    reason: str
    remedy: str


@dataclass(frozen=True)
class Considered:
    """A step under review: the product, its limits, and what is known of the bench.

    ``units_at_once`` are how many units a source sees in parallel; without a bench ``bench`` is
    None, and what depends on instruments is not looked at.
    """

    product: Product
    limits: "Mapping[Measurand, Limit]"
    units_at_once: int = 1
    is_repeated: bool = False
    is_retried: bool = False
    forgives: bool = False  # it passes although some repetitions fail
    bench: Mapping[Role, Capability] | None = None
    is_wired: bool = False  # an earlier step has found every contact connected
    has_temperature: bool = False  # an earlier step tells the unit's temperature

    @property
    def farads(self) -> float:
        """What the source has to charge: the unit's capacitance, of all that are in parallel."""
        return (self.product.filter_capacitance or 0.0) * self.units_at_once

    def farads_between(self, high: Iterable[str], low: Iterable[str]) -> float:
        """What a source between some terminals charges: a filter leads to no applied part."""
        applied = {each for part in self.product.applied_parts for each in part.terminals}
        is_to_patient = any(set(side) <= applied for side in (high, low))
        return 0.0 if is_to_patient else self.farads

    def instrument(self, role: Role) -> Capability | None:
        """The instrument of a role, if there is a bench and it has one."""
        return None if self.bench is None else self.bench.get(role)

    def limits_of(self, quantity: str) -> "list[Limit]":
        """The limits of a quantity at every point that has one."""
        return [limit for measured, limit in self.limits.items() if measured.quantity == quantity]
