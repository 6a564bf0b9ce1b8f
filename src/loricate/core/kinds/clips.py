"""Clips: each clip on its own post, seen at low voltage before anything is energised.

Of an applied part with several connections the resistance between any two (Ω) must be as the
product says. What belongs to different parts must be apart: each group of posts is measured
against all others tied together. Where it is not so the operator is asked to look, and everything
is measured again. Two clips of one part that are exchanged read alike, and so do two single posts
that both hang free: what the network does not tell is not told.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Annotated

from pydantic import Field

from loricate.core.kinds.kind import Demand, KindSettings, Limits, Point, Points
from loricate.core.limits.limit import Limit, LimitSource
from loricate.core.measuring.actions import Ask, Asking, Procedure, Programme, Scan, Tell, do
from loricate.core.measuring.grading import Measured
from loricate.core.measuring.readings import Measurand, Reading
from loricate.core.measuring.roles import WIRING
from loricate.core.products.product import Product
from loricate.core.quantities import NUMBER, RESISTANCE, TIME, Ohms, Seconds

MOST_TRIES = 5
PUT_RIGHT, IT_IS_SO = "each is on its own post", "the device is so"
FUNCTION: Programme = {"function": "RESISTANCE"}


@dataclass(frozen=True, slots=True)
class Posts:
    """What hangs together in a good device: its name, and its terminals."""

    name: str
    terminals: tuple[str, ...]


class Clips(KindSettings):
    """How far apart posts of different parts must be, and how long each path is measured."""

    name = "clips"
    title = "Clips on their posts"
    meters = ("resistance",)

    apart: Annotated[Ohms, Field(ge=100e3, le=50e6)] = Field(
        default=1e6, title="Apart", description="At least, between posts of different parts"
    )
    slot: Annotated[Seconds, Field(gt=0, le=2)] = Field(default=0.05, title="On each path")

    @classmethod
    def why_not(cls, product: Product) -> str:
        """Only of a device whose posts are described it is known what hangs together."""
        if len(_groups(product)) > 1 or any(_within(product)):
            return ""
        return "The product describes no applied and accessible parts; do so in its section."

    def points(self, product: Product) -> Points:
        """Any two connections of a part, then each group of posts against all others."""
        groups = _groups(product)
        found = list(_within(product))
        for group in groups if len(groups) > 1 else ():
            others = tuple(each for other in groups if other != group for each in other.terminals)
            limit = Limit(
                dimension=RESISTANCE.name,
                minimum=self.apart,
                source=LimitSource(engineer="what counts as apart"),
            )
            name = f"{group.name} to all others"
            found.append(_point(name, group.terminals, others, limit, is_within=False))
        return tuple(found)

    def shares_terminals(self) -> bool:
        return True

    def judged(self, points: Points, limits: Limits) -> Limits:
        """What the product says, and what counts as apart."""
        return {Measurand("resistance", each.name): each.values["limit"] for each in points}

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Measure every path; ask for the clips to be looked at, and measure all again."""
        for _ in range(MOST_TRIES):
            readings = yield from self._read(points)
            off = [pair for pair in zip(points, readings, strict=True) if not _is_right(*pair)]
            if not off:
                return Measured(tuple(readings))
            wrong = [_told(*pair) for pair in off]
            yield from do(Tell(f"{'. '.join(wrong)}.", is_refusal=True))
            question = f"Put each clip on its own post.{_first_to_look_at(off)}"
            answer = yield from do(Ask(question, (PUT_RIGHT, IT_IS_SO), hands_in=True))
            if answer.choice == IT_IS_SO:
                return Measured(tuple(readings), note=f"{answer.account or 'Somebody'} has looked.")
        return Measured(note=f"The clips were not right {MOST_TRIES} times: {'. '.join(wrong)}.")

    def _read(self, points: Points) -> Asking[Sequence[Reading]]:
        paths = tuple({"high": each.values["high"], "low": each.values["low"]} for each in points)
        scanned = yield from do(Scan(WIRING, FUNCTION, paths, self.slot, ("resistance",)))
        made = scanned.readings["resistance"]
        return [each.at(point.name) for each, point in zip(made, points, strict=True)]

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """A meter of low voltage that measures as long as is set."""
        return (Demand(WIRING, "slot_s", self.slot, TIME, "slot"),)

    def demands_at(self, points: Points) -> tuple[Demand, ...]:
        """And that goes through so many paths."""
        return (Demand(WIRING, "points", float(len(points)), NUMBER, "slot"),)

    def programmed_s(self, points: Points) -> float:
        return self.slot * len(points)

    def fails_when_empty(self, limits: Limits) -> bool:
        return any(limit.maximum is not None for limit in limits.values())


def _groups(product: Product) -> tuple[Posts, ...]:
    """The posts that must be apart: each applied part, what is earthed, other accessible metal."""
    earth = [each for each in ("PE",) if each in product.terminals]
    metal = []
    for part in product.accessible_parts:
        if part.earthed:
            earth.append(part.terminal)
        else:
            metal.append(Posts(part.terminal, (part.terminal,)))
    applied = [Posts(part.id, part.terminals) for part in product.applied_parts]
    earthed = [Posts("earth", tuple(dict.fromkeys(earth)))] if earth else []
    return (*applied, *metal, *earthed)


def _within(product: Product) -> Iterator[Point]:
    """Any two connections of a part, where it is known what is between them."""
    for part in product.applied_parts:
        if part.between is None:
            continue
        limit = Limit(
            dimension=RESISTANCE.name,
            minimum=part.between.minimum,
            maximum=part.between.maximum,
            source=LimitSource(engineer=f"{part.id} of the product"),
        )
        for one, other in combinations(part.terminals, 2):  # two on one post read nothing
            yield _point(f"{one} to {other}", (one,), (other,), limit)


def _point(
    name: str, high: tuple[str, ...], low: tuple[str, ...], limit: Limit, is_within: bool = True
) -> Point:
    ends = {"high": high, "low": low, "terminals": (*high, *low)}
    return Point(name, {**ends, "limit": limit, "is_within": is_within})


def _is_right(point: Point, reading: Reading) -> bool:
    """Whether a reading is within its limit; what is no number is not."""
    limit: Limit = point.values["limit"]
    return (
        reading.value >= (limit.minimum or 0.0)  # a NaN is never greater
        and (limit.maximum is None or reading.value <= limit.maximum)
    )


def _first_to_look_at(off: Sequence[tuple[Point, Reading]]) -> str:
    """The one clip that everything wrong within a part has in common, where there is one."""
    pairs = [set(point.values["terminals"]) for point, _ in off if point.values["is_within"]]
    if len(pairs) < 2 or len(common := set.intersection(*pairs)) != 1:
        return ""
    return f" Look at {common.pop()} first."


def _told(point: Point, reading: Reading) -> str:
    limit: Limit = point.values["limit"]
    return f"{point.name} reads {reading.text}, right is {limit.text}"
