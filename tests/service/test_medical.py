"""A medical device through the service: a step filled from a standard, run, and told in short."""

from typing import Any

import pytest

from loricate.core.measuring.headlines import MANY_POINTS
from tests.conftest import read_demo
from tests.service.live_rig import Live

SET = "IEC-60601-1-8.7"


async def proposed(live: Live, kind: str = "leakage", limit_set: str = SET) -> Any:
    return await live.get(f"/products/FW-2/steps/{kind}?limit_set={limit_set}")


async def test_a_standard_fills_a_step_that_can_be_run_and_is_told_in_short(live: Live) -> None:
    found = await proposed(live)
    assert found["points"] == 208
    assert {"what": "earth, earth open", "reason": "nothing flows in a conductor that is open"} in (
        found["left_out"]
    )
    filled = found["step"]
    assert filled["limits"] == {name: {"source": SET} for name in ("current", "dc_current")}
    # The unit stays on, one polarity: the test has no hands.
    filled["settings"] |= {"switch": ["on"], "polarity": ["normal"], "dwell": "0.3 s"}
    document = {**read_demo("sequences/fw2-final.toml"), "code": "FW2-TABLE", "steps": [filled]}
    await live.release(document)
    live.floor.floor.put_in("FX-W/1", "FW-2", ("wet_catheter",), "W-1")
    body = {"sequence": "FW2-TABLE", "fixture": "FX-W", "load": [{"nest": "1", "serial": "W-1"}]}
    made = await live.post("/runs", body)
    for act in ("arm", "start"):
        await live.post(f"/runs/{made['id']}/{act}")
    run = await live.ended(made["id"])
    (attempt,) = run["units"][0]["attempts"]
    assert (attempt["verdict"], attempt["cause"]) == (
        "fail",
        "over_limit",
    ), (run["note"], attempt["note"])
    readings = attempt["readings"]
    points = {each["point"] for each in readings} - {""}
    assert len(points) == 52 > MANY_POINTS
    told = {each["kind"]: each for each in attempt["headlines"]}
    wet = readings[told["patient leakage, AC, type CF, normal condition"]["reading"]]
    assert (wet["point"], wet["verdict"]) == ("patient CATHETER", "fail")
    judged = [each for each in readings if each["point"] and each["verdict"]]
    assert sum(each["count"] for each in told.values()) == len(judged)
    for each in judged:  # nothing that failed is left out of the headline
        if each["verdict"] == "fail":
            assert any(
                readings[one["reading"]]["verdict"] == "fail"
                and readings[one["reading"]]["limit"] == each["limit"]
                for one in told.values()
            )
    left = run["steps"][0]["left_out"]
    assert any(told.startswith("earth, earth open: nothing flows") for told in left), left


async def test_two_standards_are_compared_for_a_product(live: Live) -> None:
    found = await live.get("/products/FW-2/standards")
    assert "IEC 62353" in found["standards"] and found["rows"] == []
    found = await live.get("/products/FW-2/standards?one=IEC 60601-1&other=IEC 62353")
    differing = [each for each in found["rows"] if each["differs"]]
    assert any(each["what"] == "earth" and each["other"] for each in differing)
    refused = await live.wire.get("/products/FW-2/standards?one=IEC 60601-1&other=IEC 1")
    assert refused.status_code == 422
    assert refused.json()["errors"][0]["field"] == "other"


@pytest.mark.parametrize(
    ("kind", "limit_set", "status", "told"),
    [
        ("withstand", "IEC-60601-1-8.8", 422, "does not decide how a withstand step is set"),
        ("leakage", "IEC-60601-1-8.6", 422, "limits nothing of a leakage step"),
        ("leek", SET, 422, "'leek' is not a kind of step"),
        ("leakage", "NONE", 404, "NONE"),
    ],
)
async def test_what_cannot_be_filled_is_refused_with_its_reason(
    live: Live, kind: str, limit_set: str, status: int, told: str
) -> None:
    answer = await live.wire.get(f"/products/FW-2/steps/{kind}?limit_set={limit_set}")
    assert answer.status_code == status and told in answer.json()["detail"], answer.text
    if status == 422:
        assert answer.json()["errors"][0]["field"] == "limit_set"
