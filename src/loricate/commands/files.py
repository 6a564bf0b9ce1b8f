"""Work on files alone: a sequence with its product, limit sets and bench, without a service."""

from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

from loricate.commands.definitions import read_toml
from loricate.commands.places import demo_folder

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from loricate.api.definitions import ChallengeOut
    from loricate.core.limits.limit_sets import LimitSet
    from loricate.core.sequences.capability import Instruments
    from loricate.core.sequences.ready import ReadySequence


@dataclass(frozen=True, slots=True)
class Loaded:
    """A sequence made ready from files; ``bench`` is None without a bench file."""

    sequence: "ReadySequence"
    limit_sets: "dict[str, tuple[LimitSet, int]]"
    bench: "Instruments | None"
    earthed: "Mapping[str, Sequence[str]]" = field(default_factory=dict)  # by fixture


def load_sequence(
    sequence: Path, product: Path, limit_folder: Path | None, bench: Path | None
) -> Loaded:
    """Read and check the files; raises DocumentError with every fault.

    Without a folder of limit sets, those that ship are taken. Pictures are not looked for.
    """
    from loricate.bench.plan import read_bench_plan
    from loricate.core.documents import read_document
    from loricate.core.limits.limit_sets import LimitSet
    from loricate.core.products.product import Product
    from loricate.core.sequences.preparing import prepare

    made = read_document(Product, read_toml(product), str(product))
    folder = limit_folder or demo_folder() / "limit-sets"
    sets = [
        read_document(LimitSet, read_toml(path), str(path))
        for path in sorted(folder.glob("*.toml"))
    ]
    limit_sets = {each.code: (each, 1) for each in sets}
    ready = prepare(_without_pictures(read_toml(sequence)), {made.code: made}, limit_sets)
    if bench is None:
        return Loaded(ready, limit_sets, None)
    return Loaded(ready, limit_sets, bench_capabilities(bench), read_bench_plan(bench).earthed)


def challenge_files(
    sequence: Path,
    product: Path,
    bench: Path | None,
    limit_folder: Path | None,
    unit: Path | None,
    *,
    pairs: bool,
    repetitions: int,
    nests: int,
) -> "ChallengeOut":
    """Run a challenge on files; raises DocumentError or NoStandIn."""
    import os

    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # the networks are far too small for more
    from loricate.challenge import challenge, stand_in_for
    from loricate.challenge.request import report
    from loricate.core.documents import read_document
    from loricate.simulator.units import UnitModel

    loaded = load_sequence(sequence, product, limit_folder, bench)
    if unit is not None:
        model = read_document(UnitModel, read_toml(unit), str(unit))
    else:
        model = stand_in_for(loaded.sequence.product)
    found = challenge(
        loaded.sequence,
        model,
        bench=loaded.bench,
        pairs=pairs,
        repetitions=repetitions,
        nests=nests,
    )
    return report(found, loaded.sequence)


def bench_capabilities(path: Path) -> "Instruments":
    """What the instruments of a bench file can do; raises DocumentError."""
    from loricate.bench.plan import read_bench_plan
    from loricate.bench.profiles import read_profile

    plan = read_bench_plan(path)
    return {
        role: tuple(
            read_profile(each.profile, path.parent).capability(each.id)
            for each in plan.of_role(role)
        )
        for role in dict.fromkeys(each.role for each in plan.instruments)
    }


def _without_pictures(document: dict[str, Any]) -> dict[str, Any]:
    """A picture is named by its path in a file and by its digest in the service; neither here."""
    steps = [
        {
            **step,
            "cues": [
                {key: value for key, value in cue.items() if key != "picture"}
                for cue in step.get("cues", [])
            ],
        }
        for step in document.get("steps", [])
    ]
    return {**document, "steps": steps}
