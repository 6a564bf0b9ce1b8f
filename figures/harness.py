"""A generated harness of 128 nets: how many measurements, applications, and how long they take."""

import asyncio
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import tomlkit

from figures.runs import Nowhere
from loricate.bench.bench import Bench
from loricate.bench.plan import read_bench_plan
from loricate.challenge import challenge
from loricate.challenge.bench import OfflineBench
from loricate.challenge.cables import cable_stand_in
from loricate.commands import demo_site
from loricate.commands.places import demo_folder
from loricate.commands.unit_files import unit_text
from loricate.core.measuring.grading import Verdict
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence
from loricate.core.wiring.description import bound, splits_needed
from loricate.execution.engine import Engine
from loricate.execution.load import LoadedUnit
from loricate.simulator.units import UnitModel

NETS, FAULTS = 128, 400
FIRST_COLUMN = 201


def harness(nets: int = NETS) -> Product:
    """HN-128: two connectors of 128 contacts, wired one to one."""
    names = [str(number) for number in range(1, nets + 1)]
    rows = [names[place : place + 16] for place in range(0, nets, 16)]
    return Product.model_validate(
        {
            "format": "loricate-product/2",
            "code": f"HN-{nets}",
            "title": f"Harness of {nets} nets",
            "family": "cable",
            "cable": {
                "length": "4 m",
                "net_capacitance": "400 pF",
                "connectors": [
                    {"code": "X1", "side": "left", "rows": rows},
                    {"code": "X2", "side": "right", "rows": rows},
                ],
                "nets": [
                    {
                        "name": f"W{name}",
                        "contacts": [f"X1:{name}", f"X2:{name}"],
                        "cross_section": "0.5 mm²",
                    }
                    for name in names
                ],
            },
        }
    )


def proof(product: Product) -> ReadySequence:
    """Wiring, then insulation by groups."""
    steps: list[dict[str, Any]] = [
        {"id": "wiring", "kind": "wiring"},
        {
            "id": "proof",
            "kind": "insulation",
            "settings": {
                "apply": "groups",
                "level": "500 V",
                "ramp": "0.2 s",
                "settle": "0.5 s",
                "dwell": "0.5 s",
            },
            "limits": {"resistance": {"minimum": "100 MΩ", "source": "the figure"}},
        },
    ]
    document = {
        "format": "loricate-sequence/2",
        "code": "HN-PROOF",
        "title": "Wiring and group proof",
        "product": product.code,
        "steps": steps,
    }
    return prepare(document, {product.code: product}, {})


class Counting(OfflineBench):
    """Counts paths that are scanned, and outputs."""

    def __init__(self, model: UnitModel) -> None:
        super().__init__(model)
        self.paths = self.outputs = 0

    def scan(self, action: Any) -> Any:
        self.paths += len(action.paths)
        return super().scan(action)

    def energise(self, action: Any) -> Any:
        self.outputs += 1
        return super().energise(action)


def _counted() -> tuple[Counting, Product]:
    """A good harness gone through once; raises RuntimeError if it did not pass."""
    product = harness()
    bench, sequence = Counting(cable_stand_in(product)), proof(product)
    bench.put_in((), "good")
    for step in sequence.steps:
        grade = bench.grade(step, sequence.decision)
        if grade.verdict is not Verdict.PASS:
            raise RuntimeError(f"The good harness did not pass '{step.id}': {grade.faults}")
    return bench, product


def wiring_measurements() -> float:
    """Measurements of a good harness over nets, the bits of their number, and components."""
    bench, product = _counted()
    (wiring,) = product.wirings
    assert bound(wiring) == NETS + splits_needed(NETS)
    return bench.paths / bound(wiring)


def proof_applications() -> float:
    """Applications of high voltage that prove 128 good nets."""
    return float(_counted()[0].outputs)


def challenge_s(nets: int, faults: int | None) -> Callable[[], float]:
    """Seconds that a challenge of a harness takes, with all its faults or the first so many."""

    def measure() -> float:
        product = harness(nets)
        model = cable_stand_in(product)
        if faults is not None:
            chosen = dict(list(model.fault.items())[:faults])
            model = model.model_copy(update={"fault": chosen})
        begin = time.perf_counter()
        found = challenge(proof(product), model, repetitions=20)
        took_s = time.perf_counter() - begin
        missed = [row.title for row in found.missed if "bad crimp" not in row.title]
        if missed or any(found.false_alarms.values()):
            raise RuntimeError(f"missed {missed[:3]}, false alarms {dict(found.false_alarms)}")
        return took_s

    return measure


def _write_site(folder: Path, product: Product) -> Path:
    source = demo_folder() / "stand-ins"
    floor = tomlkit.parse((source / "stand-ins.toml").read_text(encoding="utf-8")).unwrap()
    floor["units"] = ["harness.toml"]
    columns = {name: FIRST_COLUMN + place for place, name in enumerate(product.terminals)}
    nest = {"nest": "FX-H/1", "columns": columns, "unit": product.code, "serial": "HN-1"}
    floor["nests"] = [nest]
    (folder / "harness.toml").write_text(unit_text(cable_stand_in(product)), encoding="utf-8")
    path = folder / "stand-ins.toml"
    path.write_text(tomlkit.dumps(floor), encoding="utf-8")
    return path


def harness_overhead() -> float:
    """Wall time of HN-128 through wiring and group proof over what the instruments take."""
    product = harness()
    sequence = proof(product)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        with demo_site.stand_ins(1.0, _write_site(folder, product)) as floor:
            path = folder / "bench.toml"
            demo_site.write_bench_file(floor.ports, path)
            bench = tomlkit.parse(path.read_text(encoding="utf-8")).unwrap()
            columns = {name: FIRST_COLUMN + place for place, name in enumerate(product.terminals)}
            fixture = {"code": "FX-H", "title": "Harnesses", "nests": {"1": columns}}
            bench["fixtures"] = [fixture]
            bench.pop("inputs", None)
            path.write_text(tomlkit.dumps(bench), encoding="utf-8")
            wall_s = asyncio.run(_wall_s(path, sequence))
    return wall_s / sum(step.programmed_s for step in sequence.steps)


async def _wall_s(bench_file: Path, sequence: ReadySequence) -> float:
    bench = Bench(read_bench_plan(bench_file))
    await bench.connect()
    unit = LoadedUnit("u", "1", "HN-1")
    engine = Engine("harness", sequence, bench.plan.fixtures[0], [unit], bench, Nowhere())
    begun = time.perf_counter()
    engine.start()
    async for _ in engine.log.follow():
        pass
    wall = time.perf_counter() - begun
    await bench.close()
    if unit.verdict is not Verdict.PASS:
        told = [
            (made.step.id, made.cause, made.note)
            for made in map(unit.latest, ("wiring", "proof"))
            if made
        ]
        raise RuntimeError(f"The harness did not pass: {told}")
    return wall
