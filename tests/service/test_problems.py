"""Every error is a problem document that names what is wrong and what to do."""

import json
from typing import Any

import httpx
import pytest

from loricate.client import Client
from loricate.commands.published import published
from loricate.service.app import create_app
from loricate.service.settings import Settings
from tests.conftest import release
from tests.rig import DEMO, PATIENCE_S

LOAD = [{"nest": "1", "serial": "A1"}]
RUN = {"sequence": "DC40-FINAL", "fixture": "FX-A", "load": LOAD}


@pytest.fixture
def wire(site: dict[str, Any], client: Client) -> httpx.Client:
    """Plain HTTP with the engineer's token."""
    headers = {"Authorization": f"Bearer {client.token}"}
    return httpx.Client(base_url=site["url"], headers=headers, timeout=PATIENCE_S)


def problem_of(response: httpx.Response, status: int, slug: str) -> dict[str, Any]:
    """Check that a response is a problem document of this type."""
    assert response.headers["content-type"] == "application/problem+json"
    found: dict[str, Any] = response.json()
    assert (response.status_code, found["status"]) == (status, status), found
    assert found["type"] == f"urn:loricate:problem:{slug}"
    assert found["detail"].endswith((".", "?"))
    return found


def test_malformed_json(wire: httpx.Client) -> None:
    with wire:
        body = '{"sequence": '
        answer = wire.post(
            "/api/v1/runs", content=body, headers={"content-type": "application/json"}
        )
        assert "character" in problem_of(answer, 400, "not-json")["detail"]


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"load": []}, "load"),
        ({"load": [{"nest": "1", "serial": "../../etc"}]}, "load[0].serial"),
        ({"load": [{"nest": "1", "serial": "A", "extra": 1}]}, "load[0].extra"),
        ({"sequence": 5}, "sequence"),
        ({"colour": "red"}, "colour"),
    ],
)
def test_a_field_that_is_wrong_is_named(
    wire: httpx.Client, change: dict[str, Any], field: str
) -> None:
    with wire:
        found = problem_of(wire.post("/api/v1/runs", json={**RUN, **change}), 422, "invalid")
    assert [each["field"] for each in found["errors"]] == [field]


@pytest.mark.parametrize(
    ("change", "status", "slug", "says"),
    [
        ({"sequence": "NONE"}, 404, "not-found", "no sequence 'NONE'"),
        ({"fixture": "FX-Z"}, 422, "not-ready", "no fixture 'FX-Z'; it has FX-A, FX-B, FX-C"),
        ({"load": [{"nest": "7", "serial": "A"}]}, 422, "not-ready", "no nest '7'"),
        ({"load": [*LOAD, {"nest": "2", "serial": "a1"}]}, 422, "not-ready", "in nest 1 already"),
    ],
)
def test_a_run_that_cannot_be_is_refused_and_not_stored(
    wire: httpx.Client, client: Client, change: dict[str, Any], status: int, slug: str, says: str
) -> None:
    before = [run.id for run in client.runs()]
    with wire:
        found = problem_of(wire.post("/api/v1/runs", json={**RUN, **change}), status, slug)
    assert says in found["detail"]
    assert [run.id for run in client.runs()] == before


@pytest.mark.parametrize("path", ["/api/v1/nowhere", "/api/v1/runs/x", "/api/v1/units/never-seen"])
def test_what_is_not_there(wire: httpx.Client, path: str) -> None:
    with wire:
        problem_of(wire.get(path), 404, "not-found")


def test_a_method_that_is_not_there(wire: httpx.Client) -> None:
    with wire:
        for method in ("PATCH", "DELETE", "HEAD", "OPTIONS", "TRACE", "PROPFIND"):
            answer = wire.request(method, "/api/v1/runs")
            assert (answer.status_code, answer.headers["allow"]) == (405, "GET, POST"), method
        answer = wire.request("PATCH", "/api/v1/nowhere")
        problem_of(answer, 404, "not-found")


def test_what_has_no_sign_in(site: dict[str, Any]) -> None:
    answer = httpx.get(f"{site['url']}/api/v1/runs", timeout=PATIENCE_S)
    problem_of(answer, 401, "not-signed-in")
    assert answer.headers["www-authenticate"].startswith("Bearer")
    stale = {"Authorization": "Bearer nonsense"}
    answer = httpx.get(f"{site['url']}/api/v1/runs", headers=stale, timeout=PATIENCE_S)
    assert "expired" in problem_of(answer, 401, "not-signed-in")["detail"]


def test_a_faulty_sequence_lists_every_finding(
    wire: httpx.Client, sequence_document: dict[str, Any]
) -> None:
    sequence_document["steps"][3]["settings"]["level"] = "1 kΩ"
    sequence_document["steps"][4]["limits"]["current"] = {"maximum": "500 mΩ"}
    with wire:
        answer = wire.post("/api/v1/sequences", json=sequence_document)
    found = problem_of(answer, 422, "document-refused")
    assert {each["field"] for each in found["errors"]} == {
        "steps[3].settings.level", "steps[4].limits.current",
    }  # fmt: skip


def test_a_level_above_the_bench_is_refused_before_anything_is_energised(
    client: Client, wire: httpx.Client, sequence_document: dict[str, Any]
) -> None:
    sequence_document["code"] = "TOO-HIGH"
    sequence_document["steps"][3]["settings"]["level"] = "6 kV"
    release(client, sequence_document)
    with wire:
        answer = wire.post("/api/v1/runs", json={**RUN, "sequence": "TOO-HIGH"})
    (error,) = problem_of(answer, 422, "not-ready")["errors"]
    assert error["field"] == "steps[3].settings.level" and "5.000 kV" in error["message"]


def test_a_defect_tells_nothing_of_its_insides(tmp_path: Any) -> None:
    app = create_app(Settings(DEMO / "bench" / "bench.toml", tmp_path, "http://x"))

    @app.get("/broken")
    def broken() -> None:
        raise RuntimeError("secret")

    import asyncio

    async def call() -> httpx.Response:
        transport = httpx.ASGITransport(app, raise_app_exceptions=False)
        async with httpx.AsyncClient(transport=transport, base_url="http://x") as wire:
            return await wire.get("/broken")

    # Without a console folder, "/" is not mounted, so the added route is reached.
    answer = asyncio.run(call())
    found = problem_of(answer, 500, "defect")
    assert "secret" not in str(found)


def test_the_published_api_and_schemas_are_current() -> None:
    """Run `make openapi` when this fails."""
    docs = DEMO.parent / "docs"
    for name, content in published().items():
        assert (docs / name).read_text(encoding="utf-8") == content, name


def test_every_route_is_documented_and_bodies_have_examples() -> None:
    api = json.loads(published()["openapi.json"])
    for path, methods in api["paths"].items():
        for method, route in methods.items():
            assert route.get("description"), f"{method} {path} says nothing of itself"
    for name in ("NewRun", "AnswerIn", "SignIn"):
        assert api["components"]["schemas"][name]["examples"]
