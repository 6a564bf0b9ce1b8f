"""Stand-ins for the systems beside a bench: one that takes messages, and gives work orders.

A manufacturing system takes what is posted to it, once by its id, and answers with that id. A
maintenance system does so as well, and sends its orders to the service that it was told of. Both
may have troubles of their own.
"""

import asyncio
import contextlib
import json
import random
import socket
import ssl
from dataclasses import dataclass, field
from typing import Any

from aiohttp import ClientError, ClientSession, ClientTimeout, web
from standardwebhooks import Webhook, WebhookVerificationError

MOST_BYTES = 64 * 2**20
LATE_S = 5.0
# What may be wrong with it: what it takes is taken, and its answer lost, late or given twice; it
# answers with an error after it took it, and before; it does not know what the message is of; it
# answers for another message, with nonsense, or with a page; it listens and never answers; nothing
# listens at all.
TROUBLES = (
    "LOST",
    "LATE",
    "TWICE",
    "FAILS_AFTER",
    "FAILS",
    "REFUSES",
    "ANOTHER",
    "NONSENSE",
    "PAGE",
    "SILENT",
    "DOWN",
)


@dataclass(slots=True)
class Taken:
    """A message as it came: how often, and whether each time the same."""

    message: dict[str, Any]
    body: bytes
    times: int = 1
    is_the_same: bool = True


@dataclass(slots=True)
class Receiver:
    """Serves ``/messages`` on a loopback port; ``secret`` is what posts are signed with."""

    secret: str
    late_s: float = LATE_S
    taken: dict[str, Taken] = field(default_factory=dict)  # by id, in the order they came first
    unsigned: int = 0
    troubles: tuple[str, ...] = ()
    share: float = 1.0  # of the posts that meet a trouble
    service: dict[str, str] = field(default_factory=dict)
    chance: random.Random = field(default_factory=lambda: random.Random(1))
    _runner: web.AppRunner | None = None
    _listening: socket.socket | None = None
    _host: str = ""
    port: int = 0

    async def serve(self, host: str, port: int, trust: ssl.SSLContext | None = None) -> int:
        """Listen, over TLS where there is a certificate; gives the port."""
        app = web.Application(client_max_size=MOST_BYTES)
        app.router.add_post("/messages", self._take)
        app.router.add_get("/messages", self._list)
        app.router.add_put("/service", self._hear_of_service)
        app.router.add_post("/orders", self._order)
        app.router.add_put("/troubles", self._set_troubles)
        self._runner = web.AppRunner(app, access_log=None, shutdown_timeout=0.1)
        await self._runner.setup()
        self._host = host
        self._listening = socket.create_server((host, port))
        await web.SockSite(self._runner, self._listening, ssl_context=trust).start()
        self.port = int(self._listening.getsockname()[1])
        return self.port

    async def close(self) -> None:
        """Be switched off; what it has taken it keeps."""
        runner, listening = self._runner, self._listening
        self._runner = self._listening = None
        if runner is None or listening is None:
            return
        # Who was let in a moment ago is not known to the server yet, and it would leave their
        # connections open for ever: nobody else is let in, and then those are attended to.
        asyncio.get_running_loop().remove_reader(listening)
        await asyncio.sleep(0)
        await runner.cleanup()

    async def be_down(self, seconds: float) -> None:
        """Have nothing listen for a while."""
        await self.close()
        await asyncio.sleep(seconds)
        await self.serve(self._host, self.port)

    async def _list(self, request: web.Request) -> web.Response:
        return web.json_response([each.message for each in self.taken.values()])

    async def _hear_of_service(self, request: web.Request) -> web.Response:
        self.service = await request.json()
        return web.Response(status=204)

    async def _set_troubles(self, request: web.Request) -> web.Response:
        asked = await request.json()
        self.troubles, self.share = tuple(asked["troubles"]), float(asked.get("share", 1.0))
        return web.Response(status=204)

    async def _take(self, request: web.Request) -> web.StreamResponse:
        body = await request.read()
        trouble = ""
        if self.troubles and self.chance.random() < self.share:
            trouble = self.chance.choice(self.troubles)
        if trouble == "DOWN":
            return self._cut(request)
        if trouble == "FAILS":
            return web.json_response({"detail": "Nothing is taken just now."}, status=503)
        if trouble == "REFUSES":
            return web.json_response({"detail": "This unit is not known here."}, status=422)
        if trouble == "SILENT":
            await asyncio.sleep(self.late_s)
            return self._cut(request)
        try:
            Webhook(self.secret).verify(body, dict(request.headers), json_parse=False)
        except WebhookVerificationError:
            self.unsigned += 1
            return web.json_response({"detail": "It is not signed by who may."}, status=401)
        key = request.headers["webhook-id"]
        self._keep(key, body)
        return await self._answer(request, key, trouble)

    def _keep(self, key: str, body: bytes) -> None:
        if (known := self.taken.get(key)) is None:
            self.taken[key] = Taken(json.loads(body), body)
        else:
            known.times += 1
            known.is_the_same &= known.body == body

    async def _answer(self, request: web.Request, key: str, trouble: str) -> web.StreamResponse:
        if trouble == "LOST":
            return self._cut(request)
        if trouble == "LATE":
            await asyncio.sleep(self.late_s)
        if trouble == "FAILS_AFTER":
            return web.json_response({"detail": "Something went wrong."}, status=500)
        if trouble == "ANOTHER":
            return web.json_response({"id": "another"})
        if trouble == "NONSENSE":
            return web.Response(body=b"?", content_type="application/json", status=599)
        if trouble == "PAGE":
            return web.Response(text="<p>Sign in, please.</p>", content_type="text/html")
        answer = web.json_response({"id": key})
        if trouble == "TWICE":
            await answer.prepare(request)
            await answer.write_eof()
            if request.transport is not None:
                request.transport.write(b"HTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\n{}")
        return answer

    def _cut(self, request: web.Request) -> web.StreamResponse:
        if request.transport is not None:
            request.transport.close()
        return web.Response()

    async def _order(self, request: web.Request) -> web.Response:
        """Send an order to the service, until it says that it has it."""
        asked = await request.json()
        number, url = asked.pop("number"), self.service["url"]
        async with ClientSession(timeout=ClientTimeout(10.0)) as wire:
            who = {"name": self.service["name"], "password": self.service["password"]}
            async with wire.post(f"{url}/api/v1/sign-in", json=who) as answer:
                token = (await answer.json())["token"]
            bearer = {"Authorization": f"Bearer {token}"}
            with contextlib.suppress(ClientError):
                async with wire.put(
                    f"{url}/api/v1/orders/{number}", json=asked, headers=bearer
                ) as answer:
                    return web.Response(
                        body=await answer.read(),
                        status=answer.status,
                        content_type="application/json",
                    )
        return web.json_response({"detail": "The service does not answer."}, status=502)
