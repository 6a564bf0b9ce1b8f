"""A winch motor through a service: its temperature, what is kept on the way, what is issued."""

from typing import Any

from loricate.commands.demo_site import demo_sequence
from tests.service.live_rig import PACE, Live

SERIAL = "WM3-26-0901"
UNHURRIED = 4.0  # a busy machine reads no mark seconds late


async def begin(live: Live, sequence: dict[str, Any], retest: str = "") -> str:
    """A run of a sequence on the motor in FX-M, started."""
    known = [each["code"] for each in await live.get("/sequences")]
    if sequence["code"] not in known:
        await live.release(sequence)
    body = {
        "sequence": sequence["code"], "fixture": "FX-M", "retest": retest,
        "load": [{"nest": "1", "serial": SERIAL}],
    }  # fmt: skip
    run_id = str((await live.post("/runs", body))["id"])
    await live.post(f"/runs/{run_id}/arm")
    await live.post(f"/runs/{run_id}/start")
    return run_id


def quick(typed: bool = True) -> dict[str, Any]:
    """Temperature, resistance and a quarter of a minute of volts."""
    document = demo_sequence("WM3-FINAL")
    document["code"] = "WM3-QUICK"
    steps = {step["id"]: step for step in document["steps"]}
    if typed:
        steps["temperature"]["settings"] = {"read": "typed"}
    steps["insulation"]["settings"] |= {
        "lasts": "15 s", "read_at": "15 s", "ratio_from": "5 s", "ratio_to": "15 s",
        "earthed_times": "1",
    }  # fmt: skip
    steps["resistance"]["limits"].pop("corrected_resistance")
    document["steps"] = [
        steps[name] for name in ("temperature", "earth", "resistance", "insulation")
    ]
    return document


async def answered(live: Live, run_id: str, temperature: str) -> Any:
    """The run at its end, once it was told the temperature."""

    async def asked() -> Any:
        run = await live.get(f"/runs/{run_id}")
        return run["questions"] or run["state"] != "running"

    await live.until(asked)
    live.floor.clock.pace = UNHURRIED
    body = {"nest": "1", "choice": temperature}
    await live.post(f"/runs/{run_id}/answers", body)
    return await live.ended(run_id)


def reading(run: Any, step: str, quantity: str, point: str = "") -> Any:
    attempt = next(each for each in run["units"][0]["attempts"] if each["step_id"] == step)
    return next(
        each
        for each in attempt["readings"]
        if (each["quantity"], each["point"]) == (quantity, point)
    )


async def test_a_temperature_in_fahrenheit_is_kept_in_celsius_and_used_by_what_follows(
    live: Live,
) -> None:
    run = await answered(live, await begin(live, quick()), "89.06 °F")
    told = [each["note"] for each in run["units"][0]["attempts"]]
    assert run["units"][0]["verdict"] == "pass", told
    assert reading(run, "temperature", "temperature")["text"] == "31.70 °C"
    measured = reading(run, "resistance", "resistance", "U to V")
    corrected = reading(run, "resistance", "corrected_resistance", "U to V")
    (how,) = corrected["corrections"]
    assert how["text"] == measured["text"] and "(k + 20)/(k + 31.7), k = 235 °C" in how["how"]
    insulation = reading(run, "insulation", "corrected_resistance")
    assert "from 31.7 °C to 40 °C" in insulation["corrections"][0]["how"]
    assert run["units"][0]["kept"] == [], "what came to its end is in its attempt"


async def test_a_temperature_outside_of_the_formula_leaves_the_measured_value(live: Live) -> None:
    run = await answered(live, await begin(live, quick()), "5 °C")
    unit = run["units"][0]
    assert unit["verdict"] == "inconclusive"
    assert reading(run, "insulation", "resistance")["value"] > 1e8
    attempt = unit["attempts"][-1]
    assert "given from 10 to 85 °C" in attempt["note"]
    assert not any(each["quantity"] == "corrected_resistance" for each in attempt["readings"])


async def test_what_was_read_before_an_abort_is_in_the_record(live: Live) -> None:
    """As before a kill: each mark is in the database before the next is waited for."""
    long = quick(typed=False)
    long["code"] = "WM3-LONG"
    steps = {step["id"]: step for step in long["steps"]}
    steps["insulation"]["settings"] |= {"lasts": "600 s"}
    run_id = await begin(live, long)
    live.floor.clock.pace = UNHURRIED

    async def has_marks() -> Any:
        run = await live.get(f"/runs/{run_id}")
        kept = run["units"][0]["kept"]
        return run if len({each["at_s"] for each in kept}) >= 3 else None

    running = await live.until(has_marks)
    assert running["state"] == "running"
    live.floor.clock.pace = PACE
    await live.post(f"/runs/{run_id}/abort")
    run = await live.ended(run_id)
    kept = run["units"][0]["kept"]
    assert [each["at_s"] for each in kept if each["quantity"] == "current"][:3] == [5.0, 15.0, 30.0]
    assert all(each["step_id"] == "insulation" and each["text"] for each in kept)
    (history,) = await live.get(f"/units/{SERIAL}")
    assert history["kept"] == kept
