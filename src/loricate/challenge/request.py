"""A challenge as a request and its report, so that it can run in a process of its own."""

from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from loricate.api.definitions import ChallengeOut, FaultRowOut, StepVerdictOut
from loricate.challenge.challenge import REPETITIONS, Challenge, challenge
from loricate.challenge.families import stand_in_for
from loricate.core.kinds.loading import load_kinds
from loricate.core.limits.limit_sets import LimitSet
from loricate.core.measuring.instruments import Capability
from loricate.core.measuring.roles import Role
from loricate.core.measuring.uncertainty import Accuracy
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence
from loricate.simulator.units import UnitModel


class ChallengeRequest(BaseModel):
    """Documents as plain data, and how much is to be tried."""

    model_config = ConfigDict(extra="forbid")

    sequence: dict[str, Any]
    product: dict[str, Any]
    limit_sets: dict[str, tuple[dict[str, Any], int]]
    accuracy: dict[Role, dict[str, Accuracy]] | None = None
    unit: dict[str, Any] | None = Field(default=None, description="A unit file; else one is made")
    pairs: bool = False
    repetitions: int = Field(default=REPETITIONS, ge=0, le=2_000)
    nests: int = Field(default=4, ge=1, le=64)
    kinds: tuple[str, ...] = Field(default=(), description="Modules with kinds of their own")

    def perform(self) -> ChallengeOut:
        """Run it; raises DocumentError or NoStandIn."""
        load_kinds(self.kinds)
        product = Product.model_validate(self.product)
        limit_sets = {
            code: (LimitSet.model_validate(document), revision)
            for code, (document, revision) in self.limit_sets.items()
        }
        sequence = prepare(self.sequence, {product.code: product}, limit_sets)
        model = stand_in_for(product) if self.unit is None else UnitModel.model_validate(self.unit)
        bench = None
        if self.accuracy is not None:
            bench = {role: (Capability(role, {}, each),) for role, each in self.accuracy.items()}
        found = challenge(
            sequence,
            model,
            bench=bench,
            pairs=self.pairs,
            repetitions=self.repetitions,
            nests=self.nests,
        )
        return report(found, sequence)


def report(found: Challenge, sequence: ReadySequence) -> ChallengeOut:
    """A challenge as the API tells it."""
    return ChallengeOut(
        code=found.code,
        steps=list(found.steps),
        titles={step.id: step.title for step in sequence.steps},
        rows=[
            FaultRowOut(
                faults=list(row.faults),
                title=row.title,
                caught=row.is_caught,
                verdicts={
                    step: StepVerdictOut(verdict=each.verdict, cause=each.cause)
                    for step, each in row.verdicts.items()
                },
            )
            for row in found.rows
        ],
        caught=len(found.rows) - len(found.missed),
        missed=len(found.missed),
        repetitions=found.repetitions,
        false_alarms=dict(found.false_alarms),
        load_s=found.load_s,
        nests=found.nests,
    )
