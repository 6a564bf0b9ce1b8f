"""Who comes in, with how much, and how many at once: before anything is read or parsed.

Every request to the API passes here first. A body has a most by its route; only some routes answer
whoever has not signed in; requests are counted while they are under way, by person and by address.
An abort is never turned away for want of room.
"""

import asyncio
import re
from collections import Counter
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from starlette.datastructures import Headers
from starlette.requests import Request
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from loricate.core.json_text import JsonRefused, read_json
from loricate.service.errors import (
    NotJson,
    ServiceError,
    TooLarge,
    TooManyAtOnce,
    TooSlow,
    WrongHost,
)
from loricate.service.problems import service_problem
from loricate.service.settings import DIRECTLY, Reached
from loricate.service.sign_in import PERSON, address_of, find_person

API = "/api/v1"
HSTS = (b"strict-transport-security", b"max-age=31536000")
READ_JSON = "loricate.json"  # where a request's scope has its body, read
KIB, MIB = 2**10, 2**20
USUAL_BYTES, SMALL_BYTES, FILE_BYTES = MIB, 16 * KIB, 8 * MIB
CARRIED_BYTES = 8 * 2**30
INLINE_BYTES = 16 * KIB  # parsed at once; what is larger is parsed elsewhere, one after another
BODY_WITHIN_S = 20.0
OURS = re.compile(r"/api/|/(health|metrics)$")
PUBLIC = re.compile(
    rf"/health|/metrics|{API}/(sign-in|first-account|openapi\.json|site-keys?|revocations|(verify|schemas)/[^/]+)"
)
SIGNING_IN = re.compile(rf"{API}/(sign-in|first-account|password|codes(/.+)?)")
ABORT = re.compile(rf"{API}/((runs|rehearsals|upkeep)/[^/]+/abort|series/[^/]+/stop)")
STREAM = re.compile(rf"{API}/.+/events")
CARRIED = re.compile(rf"{API}/carried")  # as large as what it carries
FILES = re.compile(rf"{API}/(pictures|verify)")  # sent as they are


@dataclass(frozen=True, slots=True)
class Room:
    """How many requests of one sort may be under way for one person, or one address."""

    sort: str
    most: int


REQUESTS, STREAMS = Room("requests", 24), Room("event streams", 40)
STRANGERS, SIGN_INS = Room("requests without a sign-in", 16), Room("sign-ins", 4)


def most_bytes(method: str, path: str) -> int:
    """How large a body a route takes."""
    if method in ("GET", "HEAD", "OPTIONS", "DELETE") or SIGNING_IN.fullmatch(path):
        return SMALL_BYTES
    if CARRIED.fullmatch(path):
        return CARRIED_BYTES
    return FILE_BYTES if FILES.fullmatch(path) else USUAL_BYTES


class Doorkeeper:
    """The outermost part of the service that knows HTTP."""

    def __init__(self, app: ASGIApp, reached: Reached = DIRECTLY) -> None:
        self.app, self.reached = app, reached
        self.under_way: Counter[tuple[str, str]] = Counter()
        self._parsing = asyncio.Semaphore(1)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        is_ours = OURS.match(scope["path"]) is not None

        async def send_api(message: Message) -> None:
            if message["type"] == "http.response.start":
                added = list(_added(message)) if is_ours else []
                if self.reached.tls_cert is not None:
                    added.append(HSTS)
                message["headers"] = [*message.get("headers", ()), *added]
            await send(message)

        try:
            self._check_host(scope)
            if is_ours:
                await self._let_in(scope, receive, send_api)
            else:
                await self.app(scope, receive, send_api)
        except ServiceError as error:
            response = service_problem(error)
            if isinstance(error, TooLarge | TooSlow):
                response.headers["Connection"] = "close"  # what is still to come is not read
            await response(scope, receive, send_api)

    def _check_host(self, scope: Scope) -> None:
        if not self.reached.hosts:
            return
        asked = Headers(scope=scope).get("host", "")
        name = asked.rpartition(":")[0] if re.search(r":\d*$", asked) else asked
        if name.casefold() not in {each.casefold() for each in self.reached.hosts}:
            known = ", ".join(self.reached.hosts)
            raise WrongHost(f"This service is not '{name[:64]}'; ask for {known}.")

    async def _let_in(self, scope: Scope, receive: Receive, send: Send) -> None:
        method, path = scope["method"], scope["path"]
        most = most_bytes(method, path)
        headers = Headers(scope=scope)
        told = headers.get("content-length", "0")
        if not told.isdecimal() or len(told) > 15 or int(told) > most:
            raise _too_large(most)
        request = Request(scope)
        is_abort = method == "POST" and ABORT.fullmatch(path) is not None
        if PUBLIC.fullmatch(path):
            is_signing_in = SIGNING_IN.fullmatch(path) is not None
            room, whose = SIGN_INS if is_signing_in else STRANGERS, address_of(request)
        else:
            person = await find_person(request, is_urgent=is_abort)
            scope[PERSON] = person
            room, whose = _room_of(method, path), person.name
        with self.room(room, whose, is_abort):
            if _is_json(method, headers):
                body = await _read(receive, most)
                scope[READ_JSON] = await self._read_json(body)
                receive = _again(body, receive)
            else:
                receive = _at_most(receive, most)
            await self.app(scope, receive, send)

    @contextmanager
    def room(self, room: Room, whose: str, is_abort: bool) -> Iterator[None]:
        """Take up a place of a room while it lasts; raises TooManyAtOnce, but for an abort."""
        key = (room.sort, whose)
        if self.under_way[key] >= room.most and not is_abort:
            raise TooManyAtOnce(f"{room.most} {room.sort} are under way for {whose or 'you'}")
        self.under_way[key] += 1
        try:
            yield
        finally:
            self.under_way[key] -= 1
            if not self.under_way[key]:
                del self.under_way[key]

    async def _read_json(self, body: bytes) -> Any:
        try:
            if len(body) <= INLINE_BYTES:
                return read_json(body) if body else None
            async with self._parsing:
                return await asyncio.to_thread(read_json, body)
        except JsonRefused as error:
            raise NotJson(str(error)) from error


def _room_of(method: str, path: str) -> Room:
    return STREAMS if method == "GET" and STREAM.fullmatch(path) else REQUESTS


def _is_json(method: str, headers: Mapping[str, str]) -> bool:
    """Whether a body would be read as JSON, by what FastAPI goes by."""
    if method in ("GET", "HEAD", "OPTIONS"):
        return False
    kind = headers.get("content-type", "").partition(";")[0].strip().lower()
    return kind == "application/json" or (
        kind.startswith("application/") and kind.endswith("+json")
    )


def _too_large(most: int) -> TooLarge:
    size = f"{most // MIB} MiB" if most >= MIB else f"{most // KIB} KiB"
    return TooLarge(f"This route takes a body of at most {size}; send less.")


async def _read(receive: Receive, most: int) -> bytes:
    data = bytearray()
    try:
        async with asyncio.timeout(BODY_WITHIN_S):
            while True:
                message = await receive()
                if message["type"] == "http.disconnect":
                    raise TooSlow("The body did not come whole.")
                data += message.get("body", b"")
                if len(data) > most:
                    raise _too_large(most)
                if not message.get("more_body", False):
                    return bytes(data)
    except TimeoutError:
        late = f"The body did not come within {BODY_WITHIN_S:g} s; send it again."
        raise TooSlow(late) from None


def _again(body: bytes, receive: Receive) -> Receive:
    """Give a body that was read already, then whatever else comes."""
    given = False

    async def give() -> Message:
        nonlocal given
        if given:
            return await receive()
        given = True
        return {"type": "http.request", "body": body, "more_body": False}

    return give


def _at_most(receive: Receive, most: int) -> Receive:
    """Stop a body that is sent in pieces once it is too large."""
    size = 0

    async def counted() -> Message:
        nonlocal size
        message = await receive()
        size += len(message.get("body", b""))
        if size > most:
            raise _too_large(most)
        return message

    return counted


def _added(message: Message) -> Iterator[tuple[bytes, bytes]]:
    """What every answer of the API says: keep it nowhere, and take it for nothing else."""
    known = {name.lower() for name, _ in message.get("headers", ())}
    if b"cache-control" not in known:
        yield b"cache-control", b"no-store"
    yield b"x-content-type-options", b"nosniff"
