"""The contract: valid, whole, kept by each operation for each role, enough to generate from.

The service is tried by schemathesis over its own OpenAPI document; a client generated from that
document runs a load.
"""

import importlib
import json
import os
import re
import subprocess
import sys
import tomllib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
from jsonschema import Draft202012Validator
from openapi_spec_validator import OpenAPIV31SpecValidator

from loricate.client import Client
from loricate.commands import demo_site
from loricate.commands.published import published
from loricate.service.contract import ANSWERS, operations
from tests.conftest import copy_site
from tests.rig import DEMO, PATIENCE_S

HERE = Path(__file__).parent
SPEC: dict[str, Any] = json.loads(published()["openapi.json"])
OPERATIONS = list(operations(SPEC))
TRY_S = 7
# What ends the session that tries, or never ends; tried by strangers and in tests of their own.
ENDING = ("sign_out", "sign_out_everywhere", "end_session", "follow_danger")
ROLES = ("operator", "quality", "engineer", "administrator")


def test_the_document_is_valid_openapi() -> None:
    assert list(OpenAPIV31SpecValidator(SPEC).iter_errors()) == []


def test_operations_have_short_names_of_their_own() -> None:
    names = [operation["operationId"] for _, _, operation in OPERATIONS]
    assert len(set(names)) == len(names)
    assert all(re.fullmatch(r"[a-z]+(_[a-z]+){0,3}", name) for name in names), names


def test_every_operation_says_who_must_sign_in_and_every_answer() -> None:
    for path, method, operation in OPERATIONS:
        for scheme in (name for each in operation["security"] for name in each):
            assert scheme in SPEC["components"]["securitySchemes"]
        answers = operation["responses"]
        for status in ("401", "403", "404", "421", "422", "429", "500", "502", "503", "507"):
            assert answers[status]["$ref"].startswith("#/components/responses/"), (path, method)
        for status in ("400", "408", "413"):
            assert (status in answers) == ("requestBody" in operation), (path, method, status)
    changing = {path for path, _, each in OPERATIONS if "412" in each["responses"]}
    assert changing == {"/api/v1/products", "/api/v1/limit-sets", "/api/v1/sequences"}
    for name, _ in ANSWERS.values():
        content = SPEC["components"]["responses"][name]["content"]
        assert list(content) == ["application/problem+json"]


def test_nothing_of_the_framework_is_promised() -> None:
    assert "HTTPValidationError" not in SPEC["components"]["schemas"]
    assert "itemSchema" not in json.dumps(SPEC)


@pytest.fixture(scope="module")
def tried(tmp_path_factory: pytest.TempPathFactory, fit_folder: Path) -> Iterator[dict[str, Any]]:
    """A demo site of its own, to be tried hard, and a token of each role."""
    folder = tmp_path_factory.mktemp("tried")
    copy_site(fit_folder, folder)
    with demo_site.running_site(folder, 20.0) as site, Client(site["url"]) as client:
        client.sign_in(site["name"], site["password"])
        tokens = {"engineer": client.token}
        for role in ("operator", "quality", "administrator"):
            once = client.add_account(f"a-{role}", role, role).password
            with Client(site["url"]) as other:
                other.sign_in(f"a-{role}", once)
                other.change_password(once, f"{role} chooses 1")
                tokens[role] = other.token
        yield {**site, "tokens": tokens, "folder": folder}


def test_a_generated_client_signs_in_and_runs_a_load(
    tried: dict[str, Any], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """By names that the document gives alone: whoever generates a client can do the job."""
    (tmp_path / "openapi.json").write_text(json.dumps(SPEC), encoding="utf-8")
    (tmp_path / "config.json").write_text(
        json.dumps(
            {
                "post_hooks": [],
                "content_type_overrides": {"application/pdf": "application/octet-stream"},
            }
        ),
        encoding="utf-8",
    )  # fmt: skip
    made = subprocess.run(
        [sys.executable, "-m", "openapi_python_client", "generate", "--meta", "none",
         "--path", str(tmp_path / "openapi.json"), "--config", str(tmp_path / "config.json"),
         "--output-path", str(tmp_path / "made_client")],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert made.returncode == 0, made.stderr + made.stdout
    monkeypatch.syspath_prepend(str(tmp_path))

    def call(name: str, tag: str, *given: Any, **named: Any) -> Any:
        return importlib.import_module(f"made_client.api.{tag}.{name}").sync(*given, **named)

    module = importlib.import_module("made_client")
    models = importlib.import_module("made_client.models")
    stranger = module.Client(tried["url"])
    signed = call(
        "sign_in", "session", client=stranger,
        body=models.SignIn(name=tried["name"], password=tried["password"]),
    )  # fmt: skip
    client = module.AuthenticatedClient(tried["url"], token=signed.token)
    assert call("show_me", "session", client=client).role == "engineer"
    load = [models.LoadPlace(nest="1", serial="GEN-1")]
    body = models.NewRun(sequence="DC40-FINAL", fixture="FX-A", load=load)
    run = call("create_run", "runs", client=client, body=body)
    call("arm_run", "runs", run.id, client=client)
    call("start_run", "runs", run.id, client=client)
    with Client(tried["url"], token=signed.token) as follower:  # events are no generated call
        for event in follower.events(run.id):
            if event.name == "question":
                answer = models.AnswerIn(nest=event.data["nest"], choice=event.data["choices"][0])
                call("answer_question", "runs", run.id, client=client, body=answer)
        follower.wait_for_papers(run.id)
    done = call("show_run", "runs", run.id, client=client)
    assert done.verdict == "pass" and done.units[0].certificate
    number = done.units[0].certificate
    verified = call("verify_number", "certificates", number, client=stranger)
    assert verified.genuine
    refused = call("show_run", "runs", "nothing", client=client)
    assert refused.status == 404 and refused.detail, "a problem document is a model as well"
    for each in (client, stranger):
        each.get_httpx_client().close()


SCHEMAS = {
    name: json.loads(text) for name, text in published().items() if name.endswith(".schema.json")
}


def test_whatever_is_issued_fits_the_schema_of_certificates(tried: dict[str, Any]) -> None:
    with Client(tried["url"], token=tried["tokens"]["engineer"]) as client:
        run = client.create_run("DC40-FINAL", "FX-A", {"2": "FORM-2", "3": "FORM-3"})
        client.arm_run(run.id)
        client.start_run(run.id)
        for event in client.events(run.id):
            if event.name == "question":
                client.answer(run.id, event.data["nest"], event.data["choices"][-1])
        numbers = [each.certificate for each in client.wait_for_papers(run.id).units]
        sealed = [json.loads(client.certificate(str(number))) for number in numbers if number]
    validator = Draft202012Validator(SCHEMAS["schemas/certificate.schema.json"])
    assert sealed
    for each in sealed:
        assert [error.message for error in validator.iter_errors(each)] == []


def stand_trial(url: str, token: str, *left_out: str) -> subprocess.CompletedProcess[str]:
    """Every operation, with data that fits and data that does not."""
    options = [word for name in left_out for word in ("--exclude-operation-id", name)]
    if token:
        options += ["-H", f"Authorization: Bearer {token}"]
    return subprocess.run(
        [str(Path(sys.executable).with_name("schemathesis")), "--config-file",
         str(HERE / "schemathesis.toml"), "run", f"{url}/api/v1/openapi.json",
         "--phases", "examples,coverage,fuzzing", "-n", "6", "--max-time", str(TRY_S),
         "--continue-on-failure", "--no-shrink", "--request-timeout", "30", *options],
        capture_output=True, text=True, check=False, cwd=HERE,
        env={**os.environ, "SCHEMATHESIS_HOOKS": "contract_hooks"},
    )  # fmt: skip


def statuses(folder: Path, since: int) -> set[int]:
    """With what the service answered, from its own log."""
    text = (folder / "loricate.log").read_text(encoding="utf-8")
    whole = text[: text.rfind("\n")].split("\n")[since:]  # the last may be half written
    told = [json.loads(line) for line in whole if line.startswith("{")]
    return {each["status"] for each in told if each.get("message") == "request"}


def lines_of(folder: Path) -> int:
    return (folder / "loricate.log").read_text(encoding="utf-8").count("\n")


@pytest.mark.parametrize(
    "path",
    [
        f"/runs?count={2**63}", f"/audit?before={2**63}", f"/audit?before={'9' * 4000}",
        f"/sequences/DC40-FINAL?revision={2**64}", "/units?count=1e3", "/units?count=-1",
        f"/products/DC-40/differences?old={2**63}&new=1", f"/runs/{'x' * 4000}",
        f"/runs/1/curves/1/earth/{'9' * 3000}", "/units/%00", "/units/%FF%FE", "/runs/%ED%A0%80",
    ],
)  # fmt: skip
def test_numbers_and_names_beyond_bounds_are_the_callers_fault(
    tried: dict[str, Any], path: str
) -> None:
    headers = {"Authorization": f"Bearer {tried['tokens']['engineer']}"}
    answer = httpx.get(f"{tried['url']}/api/v1{path}", headers=headers, timeout=PATIENCE_S)
    assert 400 <= answer.status_code < 500, answer.text
    assert answer.headers["content-type"] == "application/problem+json"


HEADERS = (
    "Authorization", "If-Match", "Idempotency-Key", "Last-Event-ID", "X-Loricate-CSRF",
    "X-Loricate-Idle", "Content-Length",
)  # fmt: skip


@pytest.mark.parametrize("name", HEADERS)
def test_headers_that_are_no_ascii_are_the_callers_fault(tried: dict[str, Any], name: str) -> None:
    sent = [(b"Authorization", f"Bearer {tried['tokens']['engineer']}".encode())]
    sent = [each for each in sent if each[0] != name.encode()]
    for value in ("é", "€漢", "\x80", "9" * 5000, "-1"):
        header = (name.encode(), value.encode("utf-8"))
        for method, path in (("POST", "/products"), ("POST", "/runs"), ("GET", "/runs/x/events")):
            try:
                answer = httpx.request(
                    method,
                    f"{tried['url']}/api/v1{path}",
                    headers=[*sent, header],
                    json={},
                    timeout=PATIENCE_S,
                )
            except (httpx.RemoteProtocolError, httpx.ReadError, httpx.LocalProtocolError):
                continue  # turned away before there was a request
            assert 400 <= answer.status_code < 500, (name, value[:8], answer.text)


def test_the_console_comes_compressed_as_the_browser_takes_it(tried: dict[str, Any]) -> None:
    page = httpx.get(f"{tried['url']}/", timeout=PATIENCE_S).text
    (main,) = re.findall(r'src="(/assets/index-[^"]+\.js)"', page)
    whole = httpx.get(
        f"{tried['url']}{main}", headers={"Accept-Encoding": "identity"}, timeout=PATIENCE_S
    )
    assert "content-encoding" not in whole.headers
    for accepted, encoding in (("br, gzip", "br"), ("gzip", "gzip"), ("br;q=0, gzip", "gzip")):
        with httpx.stream(
            "GET",
            f"{tried['url']}{main}",
            headers={"Accept-Encoding": accepted},
            timeout=PATIENCE_S,
        ) as answer:
            wire = b"".join(answer.iter_raw())
        assert answer.headers["content-encoding"] == encoding
        assert answer.headers["vary"] == "Accept-Encoding"
        assert answer.headers["content-type"].startswith("text/javascript")
        assert len(wire) <= 160_000, encoding
    assert len(whole.content) > 300_000


@pytest.mark.parametrize("role", ROLES)
def test_every_operation_keeps_the_contract_for_each_role(tried: dict[str, Any], role: str) -> None:
    token = tried["tokens"][role]
    before = lines_of(tried["folder"])
    seen: set[int] = set()
    while not {200, 422} <= seen:  # a machine that is held up gets to little in the time
        done = stand_trial(tried["url"], token, *ENDING)
        assert done.returncode == 0, done.stdout[-6000:]
        seen = statuses(tried["folder"], before)
    if role != "administrator":  # who may end its own sign-in, and finds out how
        headers = {"Authorization": f"Bearer {token}"}
        me = httpx.get(f"{tried['url']}/api/v1/me", headers=headers, timeout=PATIENCE_S)
        assert me.status_code == 200, "it was signed in all the while"
    assert not {each for each in seen if each >= 500}


def test_every_operation_keeps_the_contract_for_strangers(tried: dict[str, Any]) -> None:
    done = stand_trial(tried["url"], "", "follow_danger")
    assert done.returncode == 0, done.stdout[-6000:]


FILES = [
    ("bench", DEMO / "bench" / "bench.toml"),
    ("site", DEMO / "bench" / "site.toml"),
    *(("stand-ins", path) for path in [DEMO / "stand-ins" / "stand-ins.toml"]),
    *(("stand-in-unit", path) for path in sorted((DEMO / "stand-ins").glob("*.toml"))
      if path.name != "stand-ins.toml"),
    *(("product", path) for path in sorted((DEMO / "products").glob("*.toml"))),
    *(("limit-set", path) for path in sorted((DEMO / "limit-sets").glob("*.toml"))),
    *(("sequence", path) for path in sorted((DEMO / "sequences").glob("*.toml"))),
    *(("instrument-profile", path)
      for path in sorted((DEMO.parent / "src/loricate/bench/profiles").glob("*.toml"))),
]  # fmt: skip


@pytest.mark.parametrize(("schema", "path"), FILES, ids=lambda e: str(getattr(e, "stem", e)))
def test_the_demos_files_fit_their_schemas(schema: str, path: Path) -> None:
    data = json.loads(json.dumps(tomllib.loads(path.read_text(encoding="utf-8")), default=str))
    validator = Draft202012Validator(SCHEMAS[f"schemas/{schema}.schema.json"])
    assert [error.message for error in validator.iter_errors(data)] == []
    data["surplus"] = 1
    assert list(validator.iter_errors(data)), "what a file does not have is refused"
