"""The client: its public names, its error tree, and how it takes a lost connection."""

import json
import pickle
import runpy
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest

import loricate.client as public
from loricate.client import (
    Client,
    ClientError,
    NotAllowedError,
    NotFoundError,
    NotSignedInError,
    RefusedError,
    ServiceFailedError,
    UnreachableError,
    WrongStateError,
)  # fmt: skip

ROOT = Path(__file__).parents[2]


@pytest.mark.parametrize("name", public.__all__)
def test_public_name_is_real_and_explained(name: str) -> None:
    assert getattr(public, name).__doc__, f"{name} is public, so it needs a docstring"


def answering(response: httpx.Response) -> Client:
    return Client("http://bench", transport=httpx.MockTransport(lambda request: response))


@pytest.mark.parametrize(
    ("status", "kind"),
    [
        (401, NotSignedInError), (403, NotAllowedError), (404, NotFoundError),
        (409, WrongStateError), (422, RefusedError), (507, ServiceFailedError),
    ],
)  # fmt: skip
def test_a_problem_becomes_its_error(status: int, kind: type[RefusedError]) -> None:
    body = {"type": "urn:x", "title": "T", "status": status, "detail": "Do this."}
    with answering(httpx.Response(status, json=body)) as client, pytest.raises(kind) as refused:
        client.runs()
    assert str(refused.value) == "Do this." and isinstance(refused.value, ClientError)
    assert str(pickle.loads(pickle.dumps(refused.value))) == "Do this."


def test_an_answer_that_is_no_problem_document_is_told() -> None:
    with answering(httpx.Response(502, text="<html>")) as client:
        with pytest.raises(ServiceFailedError, match="502 Bad Gateway"):
            client.runs()


def test_nobody_there_is_told() -> None:
    with Client("http://127.0.0.1:1") as client, pytest.raises(UnreachableError, match="start it"):
        client.health()


def test_a_token_is_sent_and_can_be_changed() -> None:
    seen: list[str | None] = []

    def answer(request: httpx.Request) -> httpx.Response:
        seen.append(request.headers.get("authorization"))
        return httpx.Response(200, json=[])

    with Client("http://bench", token="t", transport=httpx.MockTransport(answer)) as client:
        client.runs()
        client.token = ""
        client.runs()
    assert seen == ["Bearer t", None]


@pytest.mark.parametrize(
    ("end", "path"),
    [
        (lambda client: client.abort_run("r"), "runs/r/abort"),
        (lambda client: client.abort_rehearsal("r"), "rehearsals/r/abort"),
        (lambda client: client.abort_upkeep("u"), "upkeep/u/abort"),
        (lambda client: client.stop_series("s"), "series/s/stop"),
    ],
)
def test_what_ends_something_waits_until_a_winding_is_safe(
    end: Callable[[Client], object], path: str
) -> None:
    """It answers then, which may take four times as long as the winding was under voltage."""
    seen: list[tuple[str, dict[str, float]]] = []

    def answer(request: httpx.Request) -> httpx.Response:
        seen.append((request.url.path, request.extensions["timeout"]))
        return httpx.Response(409, json={"title": "T", "status": 409, "detail": "D"})

    with Client("http://bench", transport=httpx.MockTransport(answer)) as client:
        with pytest.raises(WrongStateError):
            end(client)
        with pytest.raises(WrongStateError):
            client.start_run("r")
    (ended, patient), (_, usual) = seen
    assert ended.endswith(path) and patient["read"] >= 4 * 3600
    assert patient["connect"] == usual["connect"] == usual["read"] <= 60


class Broken(httpx.SyncByteStream):
    """A stream that breaks off after some bytes."""

    def __init__(self, data: bytes) -> None:
        self.data = data

    def __iter__(self) -> Iterator[bytes]:
        yield self.data
        raise httpx.ReadError("the wire is cut")


def event_bytes(number: int, name: str) -> bytes:
    data = json.dumps({"n": number})
    return f": keep-alive\n\nid: {number}\nevent: {name}\ndata: {data}\n\n".encode()


def test_a_lost_stream_is_taken_up_where_it_broke_off() -> None:
    asked: list[str] = []

    def answer(request: httpx.Request) -> httpx.Response:
        asked.append(request.headers["last-event-id"])
        if len(asked) == 1:
            return httpx.Response(200, stream=Broken(event_bytes(1, "state")))
        return httpx.Response(200, content=event_bytes(2, "finished"))

    wire = httpx.MockTransport(answer)
    with Client("http://bench", transport=wire, reconnect_wait_s=0.0) as client:
        assert [event.number for event in client.events("r")] == [1, 2]
    assert asked == ["0", "1"]


def test_a_stream_that_stays_lost_is_told() -> None:

    def answer(request: httpx.Request) -> httpx.Response:
        return httpx.Response(200, stream=Broken(b""))

    wire = httpx.MockTransport(answer)
    with Client("http://bench", transport=wire, reconnect_wait_s=0.0) as client:
        with pytest.raises(UnreachableError):
            list(client.events("r"))


def test_the_documented_script_runs(
    site: dict[str, Any], monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str],
    tmp_path: Path,
) -> None:  # fmt: skip
    """docs/client.md shows docs/examples/one_unit.py; here it is run as it stands."""
    script = ROOT / "docs" / "examples" / "one_unit.py"
    assert script.read_text(encoding="utf-8") in (ROOT / "docs" / "client.md").read_text("utf-8")
    monkeypatch.setenv("LORICATE_SERVICE", site["url"])
    monkeypatch.setenv("LORICATE_NAME", site["name"])
    monkeypatch.setenv("LORICATE_PASSWORD", site["password"])
    monkeypatch.chdir(tmp_path)
    runpy.run_path(str(script), run_name="__main__")
    assert "DC40-26-0117: pass" in capsys.readouterr().out
    assert list(tmp_path.glob("C-*.pdf"))


@pytest.mark.parametrize("hangs_up", [1, 5])
def test_what_only_reads_is_asked_for_once_more_where_the_service_had_hung_up(
    hangs_up: int,
) -> None:
    """Once: a service that always hangs up is told; what changes something is not sent again."""
    asked: list[str] = []

    def answer(request: httpx.Request) -> httpx.Response:
        asked.append(request.method)
        if len(asked) <= hangs_up:
            raise httpx.RemoteProtocolError("Server disconnected without sending a response.")
        return httpx.Response(200, json={})

    with Client("http://bench", transport=httpx.MockTransport(answer)) as client:
        with pytest.raises(UnreachableError):
            client.send("POST", "/x")
        assert asked == ["POST"]
        asked.clear()
        if hangs_up == 1:
            assert client.send("GET", "/x").status_code == 200
        else:
            with pytest.raises(UnreachableError):
                client.send("GET", "/x")
        assert asked == ["GET", "GET"]
