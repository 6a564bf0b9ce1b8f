"""What was started without being armed puts nothing hazardous on, whatever it was taken for."""

from typing import Any

import pytest

from loricate.core.measuring.grading import Verdict
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence
from loricate.execution.engine import Engine
from loricate.execution.load import LoadedUnit
from loricate.simulator.instruments.output import OutputInstrument
from tests.conftest import demo_limit_sets, read_demo
from tests.execution.test_engine import Notebook
from tests.rig import Rig

MODELS = {"dc-40": ("DC-40", "FX-A"), "ref-cable": ("REF-CABLE", "FX-C")}


def without_questions(product: str, sequence: str) -> ReadySequence:
    """A demo sequence less what waits for an answer."""
    known = Product.model_validate(read_demo(f"products/{product}.toml"))
    document: dict[str, Any] = read_demo(f"sequences/{sequence}.toml")
    document["steps"] = [
        {**each, "on_fail": "carry_on", "settings": dict(each.get("settings", {}))}
        for each in document["steps"]
        if each["kind"] not in ("visual", "functional", "power") and "when" not in each
    ]
    for each in document["steps"]:
        each["settings"].pop("seems_off_above", None)
    return prepare(document, {known.code: known}, demo_limit_sets())


@pytest.mark.parametrize(
    ("product", "sequence"), [("dc-40", "dc40-final"), ("ref-cable", "ref-cable")]
)
async def test_no_hazardous_output_starts_unarmed(
    rig: Rig, monkeypatch: pytest.MonkeyPatch, product: str, sequence: str
) -> None:
    """The judgement that nothing is hazardous may be wrong: each output is looked at by itself."""
    model, fixture_code = MODELS[product]
    ready = without_questions(product, sequence)
    assert ready.is_hazardous
    hazardous = {step.id for step in ready.steps if step.hazard.is_hazardous}
    monkeypatch.setattr(ReadySequence, "is_hazardous", False)
    begun: list[str] = []
    for name, each in rig.floor.instruments.items():
        if isinstance(each, OutputInstrument):
            monkeypatch.setattr(each, "begin", _noted(begun, name, each.begin))
    rig.floor.floor.put_in(f"{fixture_code}/1", model, (), "unarmed")
    fixture = rig.bench.plan.find_fixture(fixture_code)
    assert fixture is not None
    notebook = Notebook()
    unit = LoadedUnit("ru1", "1", "UA-1")
    engine = Engine("run", ready, fixture, [unit], rig.bench, notebook)
    engine.start()
    assert not rig.bench.armed_by, "and the band says nothing of high voltage"
    await engine.wait()
    latest = {step: unit.latest(step) for step in hazardous}
    verdicts = {step: each.verdict for step, each in latest.items() if each is not None}
    assert set(verdicts.values()) <= {Verdict.NOT_RUN}
    assert len(verdicts) == len(hazardous) and len(hazardous) >= 2
    sources = {each.id for each in rig.bench.plan.instruments if each.role == "withstand"}
    assert not sources & set(begun)
    assert not rig.bench.outputs.live and not rig.bench.charged


def _noted(begun: list[str], name: str, begin: Any) -> Any:
    def noted() -> None:
        begun.append(name)
        begin()

    return noted
