"""Preparing: a sequence document checked in full and made ready, or refused with every reason."""

from collections import defaultdict
from collections.abc import Iterator, Mapping
from collections.abc import Sequence as Steps
from typing import Any

from pydantic import ValidationError

from loricate.core.documents import findings_of, read_document, read_strictly
from loricate.core.errors import DocumentError, Finding
from loricate.core.kinds import KINDS, Kind, KindSettings, find_kind
from loricate.core.kinds.kind import Limits, LimitSlot, Point, Points
from loricate.core.limits.facts import Facts
from loricate.core.limits.limit import Limit, LimitSource
from loricate.core.limits.limit_sets import LimitSets
from loricate.core.limits.resolving import Asked, demanding_items, least_for, resolve, source_in
from loricate.core.measuring.readings import Bound, Measurand
from loricate.core.planning.scheduling import Across
from loricate.core.products.left_out import left_out_texts
from loricate.core.products.product import Product
from loricate.core.sequences.branching import when_findings
from loricate.core.sequences.ordering import group_findings
from loricate.core.sequences.ready import ReadySequence, ReadyStep
from loricate.core.sequences.steps import Sequence, Step


def prepare(
    data: object,
    products: Mapping[str, Product],
    limit_sets: LimitSets,
    *,
    is_rehearsal: bool = False,
) -> ReadySequence:
    """Check a sequence document in full and make it ready to run.

    For a rehearsal, a step may lack a limit unless its output is programmed from it.

    Raises:
        DocumentError: with a finding for every fault, each naming its path and the remedy.
    """
    sequence = read_document(Sequence, data, "sequence")
    findings: list[Finding] = []
    product = products.get(sequence.product)
    if product is None:
        findings.append(
            Finding("product", f"there is no product '{sequence.product}'", "add it first.")
        )
    seen: dict[str, int] = {}
    steps = []
    for index, step in enumerate(sequence.steps):
        path = f"steps[{index}]"
        if step.id in seen:
            findings.append(
                Finding(
                    f"{path}.id",
                    f"'{step.id}' is the id of steps[{seen[step.id]}] already",
                    "choose another.",
                )
            )
        earlier = _surely_before(sequence.steps, index)
        findings += when_findings(path, step.when, earlier)
        seen.setdefault(step.id, index)
        ready = _prepare_step(step, path, product, limit_sets, findings, is_rehearsal)
        if ready is not None and not step.off:
            steps.append(ready)
    findings += group_findings(
        [
            (index, step.id, step.order, step.across)
            for index, step in enumerate(sequence.steps)
            if not step.off
        ]
    )
    if all(step.off for step in sequence.steps):
        findings.append(Finding("steps", "are all switched off", "switch one on."))
    if findings or product is None:
        raise DocumentError(f"sequence '{sequence.code}'", tuple(findings))
    return ReadySequence(
        sequence.code,
        sequence.title,
        product,
        sequence.decision,
        tuple(steps),
        sequence.line,
        sequence.occasions,
    )


def _surely_before(steps: Steps[Step], index: int) -> list[str]:
    """The ids of the steps that come before one in whatever order those of its group are done."""
    before = [step for step in steps[:index] if not step.off]
    while steps[index].order == "any" and before and before[-1].order == "any":
        before.pop()
    return [step.id for step in before]


def _prepare_step(
    entry: Step,
    path: str,
    product: Product | None,
    limit_sets: LimitSets,
    findings: list[Finding],
    is_rehearsal: bool,
) -> ReadyStep | None:
    kind = find_kind(entry.kind)
    if kind is None:
        known = ", ".join(sorted(KINDS))
        findings.append(
            Finding(
                f"{path}.kind", f"'{entry.kind}' is not a kind of step", f"choose one of {known}."
            )
        )
        return None
    try:
        settings = read_strictly(kind, entry.settings)
    except ValidationError as error:
        findings.extend(findings_of(error, f"{path}.settings"))
        return None
    points: Points = () if product is None else settings.points(product)
    limiting = _Limiting(entry, settings, path, limit_sets, product)
    limits = limiting.limits(points)
    findings += limiting.findings
    findings += _lacking_limits(entry, kind, settings.slots_here(), path, is_rehearsal)
    if product is not None:
        findings += _point_findings(settings, points, path, product)
    ready = ReadyStep(
        entry.id,
        entry.title or kind.title,
        entry.on_fail,
        entry.across,
        settings,
        points,
        limits,
        entry.cues,
        entry.attempts,
        entry.answer_within,
        entry.when,
        entry.when is None if entry.required is None else entry.required,
        entry.retry,
        entry.repeat,
        entry.lead_in,
        entry.discharge_within,
        entry.earthed,
        entry.curves_on_paper,
        () if product is None else left_out_texts(settings.left_out(product)),
        entry.order,
    )
    if any(finding.path.startswith(f"{path}.limits") for finding in findings):
        return None  # what it asks of instruments may depend on the limit that is lacking
    if entry.lead_in and not ready.roles:
        message = f"a {kind.name} step connects nothing", "leave it out, or add a wait step."
        findings.append(Finding(f"{path}.lead_in", *message))
    if problem := _across_problem(ready):
        findings.append(Finding(f"{path}.across", problem))
    return ready


def _point_findings(
    settings: KindSettings, points: Points, path: str, product: Product
) -> Iterator[Finding]:
    """A step must have something to measure, each point once, by terminals that there are."""
    if not points:
        message = (
            f"product '{product.code}' has nothing that a step of kind {settings.name}, as it is "
            "set, measures"
        )
        why = [f"{each.what}: {each.reason}" for each in settings.left_out(product)]
        told = f"{message} ({'; '.join(why)})" if why else message
        yield Finding(f"{path}.settings", told, "name one, or describe it in the product.")
    names = [point.name for point in points]
    if len(set(names)) < len(names):
        yield Finding(f"{path}.settings", "measures one point twice", "each needs its own name.")
    for name, reason, remedy in settings.unfit(product):
        yield Finding(f"{path}.settings.{name}", reason, remedy)
    for name, used in settings.terminals_used().items():
        for terminal in used:
            if terminal not in product.terminals:
                yield Finding(
                    f"{path}.settings.{name}",
                    f"product '{product.code}' has no terminal '{terminal}'",
                    f"it has {', '.join(product.terminals)}.",
                )


def _across_problem(step: ReadyStep) -> str:
    """Why a step cannot treat the nests of a load as written, or nothing."""
    kind = step.kind
    if step.across is Across.ONCE and step.terminals_used:
        return f"a {kind.name} step measures each unit; only what a person answers is done once."
    if step.across is not Across.TOGETHER:
        return ""
    if reason := step.why_not_together:
        return reason
    if not kind.ganged:
        return f"a {kind.name} step cannot be done to units in parallel; write each."
    for measurand, limit in step.limits.items():
        if limit.minimum is not None and kind.ganged.get(measurand.quantity) is Bound.BELOW:
            return (
                f"the sum of several units proves no minimum {measurand} of one; write each, or "
                "prove the contact in another step."
            )
    return ""


class _Limiting:
    """The limits of one step: what is written, resolved once a point, and what standards ask."""

    def __init__(
        self,
        step: Step,
        settings: KindSettings,
        path: str,
        limit_sets: LimitSets,
        product: Product | None,
    ) -> None:
        self.step, self.path, self.limit_sets = step, path, limit_sets
        self.settings = settings
        self.kind, self.slots = type(settings), settings.slots_here()
        self.facts = None if product is None else product.facts
        self.written = settings.model_dump(mode="json")
        self._found: dict[Finding, None] = {}

    @property
    def findings(self) -> tuple[Finding, ...]:
        """What is wrong with what is written, each said once however many points it is wrong at."""
        return tuple(self._found)

    def limits(self, points: Points) -> Limits:
        """The limit of each measurand of the step."""
        for name in self.step.limits:
            self._check_slot(name)
        resolved = dict(self._resolved(points))
        judged = self.settings.judged(points, resolved)
        demanded = {} if self.facts is None else self._demanded(points, self.facts, resolved)
        return {**judged, **demanded}

    def _say(self, where: str, message: str) -> None:
        self._found[Finding(f"{self.path}.limits.{where}", message)] = None

    def _check_slot(self, name: str) -> None:
        slot = self.slots.get(name)
        if slot is None or slot.dimension is None:
            known = ", ".join(self.slots) or "none"
            self._say(name, f"a {self.kind.name} step grades no '{name}'; it can grade: {known}.")

    def _resolved(self, points: Points) -> Iterator[tuple[Measurand, Limit]]:
        for name, entry in self.step.limits.items():
            slot = self.slots.get(name)
            if slot is None or slot.dimension is None:
                continue
            setting = next((key for key, read in self.kind.measured_as.items() if read == name), "")
            for point in self._places(name, slot, points):
                values = self._values(point)
                asked = Asked(self.kind.name, name, slot.dimension, values, setting)
                facts = None if self.facts is None else self.facts.at(point.values)
                try:
                    limit = resolve(entry, asked, self.limit_sets, facts)
                except ValueError as error:
                    self._say(name, str(error))
                    continue
                if slot.programs and limit.maximum is None:
                    given = f"Give one, or the {self.kind.name} a trip."
                    self._say(f"{name}.maximum", f"is missing; the output is cut at it. {given}")
                yield Measurand(name, point.name), limit

    def _places(self, name: str, slot: LimitSlot, points: Points) -> Points:
        """Where a quantity is measured; of an unknown product, as a whole."""
        if slot.of_whole or self.facts is None:
            return (Point(),)
        return [point for point in points if self.settings.is_measured(name, point)]

    def _values(self, point: Point) -> dict[str, Any]:
        """The settings as written, with the point's own in their place."""
        own = {name: value for name, value in point.values.items() if name in self.written}
        return {**self.written, **own}

    def _demanded(self, points: Points, facts: Facts, resolved: Limits) -> dict[Measurand, Limit]:
        """What the cited standards ask of the test itself at least, as limits on what was measured.

        A figure of the step's own that asks for more stays.
        """
        demanded: dict[Measurand, Limit] = {}
        cited: defaultdict[str, list[LimitSource]] = defaultdict(list)  # by point
        for measurand, limit in resolved.items():
            cited[measurand.point].append(limit.source)
        for point in points:
            here, values = facts.at(point.values), self._values(point)
            sources = cited[""] + (cited[point.name] if point.name else [])
            items = demanding_items(self.kind.name, values, sources, self.limit_sets, here)
            for limit_set, revision, item in items.values():
                try:
                    asked = least_for(item, here, values)
                except ValueError as error:  # of a set that was stored before that was looked at
                    self._say(item.id, str(error))
                    continue
                for setting, (least, dimension) in asked.items():
                    quantity = self.kind.measured_as.get(setting)
                    if quantity is None:
                        continue
                    is_of_whole = quantity in self.slots and self.slots[quantity].of_whole
                    measurand = Measurand(quantity, "" if is_of_whole else point.name)
                    own = demanded.get(measurand) or resolved.get(measurand)
                    if own is not None and own.minimum is not None and own.minimum >= least:
                        continue
                    demanded[measurand] = Limit(
                        dimension=dimension.name,
                        minimum=least,
                        maximum=own.maximum if own is not None else None,
                        source=source_in(limit_set, revision, item, setting, values),
                    )
        return demanded


def _lacking_limits(
    step: Step, kind: Kind, slots: Mapping[str, LimitSlot], path: str, is_rehearsal: bool
) -> Iterator[Finding]:
    """The limits that a step lacks; a rehearsal can do without those that only judge."""
    judged_by = tuple(slots) if kind.judged_by is None else kind.judged_by
    is_needed = judged_by and not any(slot.needed for slot in slots.values())
    if is_needed and not is_rehearsal and not set(judged_by) & set(step.limits):
        known = ", ".join(judged_by)
        message = "is missing", f"a {kind.name} step is judged by at least one of {known}."
        yield Finding(f"{path}.limits", *message)
    for name, slot in slots.items():
        if slot.needed and name not in step.limits and (slot.programs or not is_rehearsal):
            message = "is missing", f"a {kind.name} step is judged by its {name}."
            yield Finding(f"{path}.limits.{name}", *message)
