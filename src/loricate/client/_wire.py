"""The wire to one service: requests, answers, events, and what goes wrong with them."""

import json
import time
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from types import TracebackType
from typing import Any, Self, TypeVar

import httpx
from pydantic import BaseModel, TypeAdapter

from loricate.api.records import BesideIn, PictureOut
from loricate.client._errors import UnreachableError, raise_for

M = TypeVar("M")
API = "/api/v1"
RECONNECTS = 5
NO_ROOM = ("busy", "too-many-at-once")


# Waits (s) before asking again what was turned away for want of room: nothing was done then.
ROOM_WAITS_S = (0.2, 0.5, 1.0)
SAFE_WITHIN_S = 6 * 3600.0  # an hour under voltage takes four, earthed


def _wants_room(response: httpx.Response) -> bool:
    """Whether a request was turned away because too many were under way."""
    if response.status_code not in (429, 503):
        return False
    return any(f"problem:{slug}".encode() in response.content for slug in NO_ROOM)


@dataclass(frozen=True, slots=True)
class RunEvent:
    """An event of a run: its number, its name and what it says."""

    number: int
    name: str
    data: dict[str, Any]


class Wire:
    """A connection to one service; use it as a context manager.

    ``transport`` and ``timeout_s`` go to httpx, so that a test can pass its own wire. A stream of
    events that is lost is taken up again after ``reconnect_wait_s``. Every method raises a
    ``ClientError``.
    """

    def __init__(
        self,
        base_url: str,
        *,
        token: str = "",
        timeout_s: float = 30.0,
        transport: httpx.BaseTransport | None = None,
        reconnect_wait_s: float = 0.5,
    ) -> None:
        self.base_url = base_url.rstrip("/")
        self._http = httpx.Client(base_url=self.base_url, timeout=timeout_s, transport=transport)
        self._reconnect_wait_s = reconnect_wait_s
        self.token = token

    @property
    def token(self) -> str:
        """The bearer token in use; empty when not signed in."""
        return self._token

    @token.setter
    def token(self, token: str) -> None:
        self._token = token
        self._http.headers.pop("Authorization", None)
        if token:
            self._http.headers["Authorization"] = f"Bearer {token}"

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        traceback: TracebackType | None,
    ) -> None:
        self.close()

    def close(self) -> None:
        """Hang up."""
        self._http.close()

    def send(self, method: str, path: str, tries: int = 1, **options: Any) -> httpx.Response:
        """The answer to a request; one that is lost is asked for again, ``tries`` times in all.

        What only reads is asked for once more where the service had just hung up: it does so on
        who was idle, and cannot know that a request is on its way.
        """
        for wait_s in (*ROOM_WAITS_S, None):
            try:
                response = self._http.request(method, path, **options)
            except httpx.TransportError as error:
                had_hung_up = method == "GET" and isinstance(error, httpx.RemoteProtocolError)
                least = 0 if had_hung_up else 1
                if tries > least and not isinstance(error, httpx.ConnectError):
                    return self.send(method, path, tries - 1, **options)
                raise UnreachableError(self.base_url, str(error) or type(error).__name__) from error
            if wait_s is None or not _wants_room(response):
                break
            time.sleep(wait_s)
        raise_for(response)
        return response

    def _get(self, kind: type[M], path: str, **query: Any) -> M:
        found = self.send("GET", path, params={k: v for k, v in query.items() if v is not None})
        return TypeAdapter(kind).validate_json(found.content)

    def _get_all(self, row: type[M], path: str, **query: Any) -> list[M]:
        """Every row of a list, page after page (RFC 8288)."""
        found: list[M] = []
        rows = TypeAdapter(list[row])  # type: ignore[valid-type]
        answer = self.send("GET", path, params=query)
        while True:
            found += rows.validate_json(answer.content)
            if "next" not in answer.links:
                return found
            answer = self.send("GET", answer.links["next"]["url"])

    def _post(
        self,
        kind: type[M],
        path: str,
        body: object = None,
        headers: Mapping[str, str] = {},
        tries: int = 1,
    ) -> M:
        sent = body.model_dump() if isinstance(body, BaseModel) else body
        found = self.send("POST", path, tries, json=sent, headers=headers)
        return TypeAdapter(kind).validate_json(found.content)

    def _end(self, kind: type[M], path: str) -> M:
        """Have something end: outputs fall at once, and the answer comes once all is safe.

        A winding stays earthed for four times as long as it was under voltage; nobody else hangs up
        before.
        """
        usual = self._http.timeout
        patient = httpx.Timeout(
            connect=usual.connect, read=SAFE_WITHIN_S, write=usual.write, pool=usual.pool
        )
        found = self.send("POST", path, timeout=patient)
        return TypeAdapter(kind).validate_json(found.content)

    def _follow(self, path: str, after: int) -> Iterator[RunEvent]:
        failures = 0
        while True:
            try:
                for event in self._event_stream(path, after):
                    after, failures = event.number, 0
                    yield event
                    if event.name == "finished":
                        return
                return
            except httpx.TransportError as error:
                failures += 1
                if failures > RECONNECTS:
                    raise UnreachableError(self.base_url, str(error)) from error
                time.sleep(self._reconnect_wait_s)

    def _event_stream(self, path: str, after: int) -> Iterator[RunEvent]:
        with self._http.stream("GET", path, headers={"Last-Event-ID": str(after)}) as response:
            if not response.is_success:
                response.read()
                raise_for(response)
            fields: dict[str, str] = {}
            for line in response.iter_lines():
                if line and not line.startswith(":"):
                    name, _, value = line.partition(":")
                    fields[name] = value.removeprefix(" ")
                elif not line and "data" in fields:
                    data = json.loads(fields["data"])
                    yield RunEvent(int(fields["id"]), fields["event"], data)
                    fields = {}

    def add_picture(self, data: bytes) -> PictureOut:
        """Keep a PNG, JPEG or WebP; gives the digest that names it."""
        sent = self.send("POST", f"{API}/pictures", content=data)
        return PictureOut.model_validate_json(sent.content)

    def _answer(
        self,
        path: str,
        nest: str,
        choice: str,
        note: str,
        question: int | None,
        picture: bytes | None,
        values: Mapping[str, str],
        beside: Mapping[str, BesideIn] = {},
        photos: Mapping[str, bytes] = {},
    ) -> None:
        with_photos = dict(beside)
        for name, photo in photos.items():
            own = with_photos.get(name, BesideIn())
            digest = self.add_picture(photo).digest
            with_photos[name] = own.model_copy(update={"picture": digest})
        digest = "" if picture is None else self.add_picture(picture).digest
        body = {
            "nest": nest,
            "choice": choice,
            "note": note,
            "question": question,
            "picture": digest,
            "values": dict(values),
            "beside": {name: each.model_dump() for name, each in with_photos.items()},
        }
        self.send("POST", f"{path}/answers", json=body)
