"""``drill gate``: sequences not fit for their product, and what keeps them from certifying.

Each must be refused, or leave findings for which a person gives a reason that stands on every
certificate, or meet a shut gate. None may certify a unit without a word.
"""

import copy
import tomllib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from drill.documents import demo_limit_sets, demo_products, read_toml
from drill.ladder import ladder_known
from loricate.bench.profiles import read_profile
from loricate.challenge.bench import OfflineBench
from loricate.commands.places import demo_folder
from loricate.core.errors import DocumentError
from loricate.core.gate import Coverage, expected_requirement, measured_requirement
from loricate.core.measuring.grading import Verdict
from loricate.core.measuring.instruments import Capability
from loricate.core.measuring.roles import Role
from loricate.core.products.expected import Done, asked_by_sets, expected_tests
from loricate.core.products.product import Product
from loricate.core.review import Reviewed, review
from loricate.core.sequences.branching import is_wanted
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence
from loricate.core.sequences.release import Accepted, left_findings, open_findings
from loricate.simulator.units import read_unit_model

FILE = Path(__file__).parent / "tricky.toml"
STAND_INS = (
    "withstand", "bond", "leakage", "impedance", "wiring", "thermometer", "low_resistance",
    "dc_source", "surge", "ratio", "pulse", "gauge", "stimulus",
)  # fmt: skip
REASON = "left as it is by the drill"


@dataclass(frozen=True, slots=True)
class Base:
    """What a tricky sequence is a change of: a product's final test, and a good unit of it."""

    sequence: str
    product: str
    model: str


BASES = {
    "cabinet": Base("dc40-final", "dc-40", "drying-cabinet"),
    "lead": Base("lead-final", "cl-7", "control-lead"),
    "motor": Base("wm3-final", "wm-3", "winch-motor"),
    "transformer": Base("ct14-final", "ct-14", "control-transformer"),
    "repair": Base("lead-repair", "cl-7", "control-lead"),
    "warmer": Base("fw2-final", "fw-2", "fluid-warmer"),
    "device": Base("fw2-whole", "fw-2", "fluid-warmer"),
}


@dataclass(frozen=True, slots=True)
class Tried:
    """What kept a tricky sequence from certifying; ``held_by`` is empty where nothing did."""

    name: str
    held_by: str


def tricky_sequences() -> list[dict[str, Any]]:
    """The entries of the file."""
    found: list[dict[str, Any]] = tomllib.loads(FILE.read_text(encoding="utf-8"))["sequence"]
    return found


def changed(document: dict[str, Any], entry: dict[str, Any]) -> dict[str, Any]:
    """The final test with an entry's changes."""
    made = copy.deepcopy(document)
    steps = {step["id"]: step for step in made["steps"]}
    for path, value in entry.get("set", {}).items():
        place, last = _place(steps, path)
        place[last] = value
    for path in entry.get("remove", ()):
        place, last = _place(steps, path)
        del place[last]
    made["steps"] = [steps[name] for name in entry.get("keep", steps)] + entry.get("add", [])
    known = {step["id"] for step in made["steps"]}
    for step in made["steps"]:
        named = [each["step"] for each in step.get("when", {}).get("all", ())]
        if not set(named) <= known:
            del step["when"]
    return made


def _place(steps: dict[str, Any], path: str) -> tuple[dict[str, Any], str]:
    *parts, last = path.split(".")
    place: dict[str, Any] = steps
    for part in parts:
        place = place.setdefault(part, {})
    return place, last


def bench() -> dict[Role, tuple[Capability, ...]]:
    """What the demo bench can do."""
    return {Role(name): (read_profile(f"stand-in-{name}").capability(name),) for name in STAND_INS}


def try_once(entry: dict[str, Any]) -> Tried:
    """Hold one tricky sequence against model, review and gate."""
    with ladder_known():
        return _try(entry)


def _try(entry: dict[str, Any]) -> Tried:
    name = entry["name"]
    base = BASES[entry.get("of", "cabinet")]
    products, limit_sets = demo_products(), demo_limit_sets()
    own = {**read_toml(f"products/{base.product}.toml"), **entry.get("product", {})}
    products[own["code"]] = Product.model_validate(own)
    document = changed(read_toml(f"sequences/{base.sequence}.toml"), entry)
    try:
        sequence = prepare(document, products, limit_sets)
    except DocumentError as error:
        return Tried(name, f"refused: {error.findings[0].path}: {error.findings[0].message}")
    found = review(Reviewed(sequence, limit_sets, bench()))
    if left := open_findings(found, ()):
        accepted = [Accepted(each.rule, each.step, REASON) for each in found]
        printed = left_findings(found, accepted, "somebody")
        if len(printed) < len(left):
            return Tried(name, "")
        gravest = printed[0]
        return Tried(name, f"{gravest.severity} {gravest.rule}: {gravest.finding}")
    for condition in _gate(sequence, base.model):
        if not condition.met:
            return Tried(name, f"gate: {condition.reason}")
    return Tried(name, "")


def _gate(sequence: ReadySequence, unit: str) -> list[Any]:
    """The gate's conditions on tests for a good unit, with every question passed."""
    model = read_unit_model(demo_folder() / "stand-ins" / f"{unit}.toml")
    offline = OfflineBench(model)
    offline.put_in((), "good")
    done: dict[str, Done] = {}
    for step in sequence.steps:
        verdicts = {name: each.verdict for name, each in done.items()}
        if not is_wanted(step.when, verdicts):
            done[step.id] = Done(step.kind.name, Verdict.NOT_RUN, False)
            continue
        grade = offline.grade(step, sequence.decision)
        measured = any(
            each.reading.instrument and each.grade and each.grade.verdict is Verdict.PASS
            for each in grade.readings
        )
        done[step.id] = Done(step.kind.name, grade.verdict, measured)
    cited = [limit.source.limit_set for step in sequence.steps for limit in step.limits.values()]
    expected = [
        *expected_tests(sequence.product, sequence.occasions),
        *asked_by_sets(sequence.product, cited, demo_limit_sets()),
    ]
    coverage = Coverage(sequence.product.not_tested, expected, done)
    return [expected_requirement(coverage), measured_requirement(coverage)]


def try_all(say: Callable[[str], object]) -> list[Tried]:
    """Every tricky sequence once."""
    found = []
    for entry in tricky_sequences():
        tried = try_once(entry)
        found.append(tried)
        say(f"{tried.name}: {tried.held_by or 'CERTIFIED WITHOUT A WORD'}")
    return found
