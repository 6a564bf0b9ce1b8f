"""Getting messages to other systems: by signed posts, or over a broker.

A message has got there when its receiver says so, and it is sent again until then, always under
one id: receivers take each once. Nothing here waits without an end.
"""

import asyncio
import contextlib
import datetime as dt
import json
import ssl
from collections.abc import Callable
from pathlib import Path
from typing import Protocol
from urllib.parse import unquote, urlsplit

import httpx
from paho.mqtt import client as mqtt
from paho.mqtt.enums import CallbackAPIVersion
from paho.mqtt.packettypes import PacketTypes
from paho.mqtt.properties import Properties
from paho.mqtt.reasoncodes import ReasonCode
from standardwebhooks import Webhook

from loricate.core.errors import DocumentError, Finding
from loricate.service.site_file import SendPlan

# What says nothing of the message: the next one would fare alike.
OF_ALL = frozenset({401, 402, 403, 404, 405, 407, 408, 421, 423, 425, 429})
MOST_OF_ANSWER = 2**16
PORTS = {"mqtt": 1883, "mqtts": 8883}


class Down(RuntimeError):
    """A target takes nothing for now; says why."""


class Refused(RuntimeError):
    """A target does not take this one message; says why."""


class Target(Protocol):
    """Where messages go."""

    async def deliver(self, key: str, kind: str, body: bytes) -> None:
        """Bring a message there; raises Down and Refused."""

    async def close(self) -> None:
        """End every connection."""


def target_of(plan: SendPlan, beside: Path) -> Target:
    """The target that a site file names; files are beside it. Raises DocumentError."""
    trust = _trust(plan, beside)
    return Broker(plan, beside, trust) if plan.is_broker else Posts(plan, beside, trust)


def _trust(plan: SendPlan, beside: Path) -> ssl.SSLContext:
    """Whose word is taken for who a target is."""
    if not plan.ca_file:
        return ssl.create_default_context()
    try:
        return ssl.create_default_context(cafile=beside / plan.ca_file)
    except (OSError, ssl.SSLError) as error:
        told = f"of '{plan.name}' names {plan.ca_file}, which holds no certificates ({error})."
        raise DocumentError("site file", (Finding("send.ca_file", told),)) from error


def _first_line(path: Path) -> str:
    """The first line of a file; raises Down, so that what waits goes on once it is there."""
    try:
        line = path.read_text(encoding="utf-8").partition("\n")[0].strip()
    except (OSError, UnicodeDecodeError) as error:
        raise Down(f"{path.name} beside the site file cannot be read ({error}).") from error
    if not line:
        raise Down(f"{path.name} beside the site file is empty; its first line is taken.")
    return line


class Posts:
    """Posts to an address, signed as Standard Webhooks 1.0 has it.

    An answer that names no message may be to another: then each post has a connection of its own,
    and there is nothing that it could be mistaken for.
    """

    def __init__(self, plan: SendPlan, beside: Path, trust: ssl.SSLContext) -> None:
        self.plan, self.beside = plan, beside
        # What a process has in its environment is not what a site chose.
        self._wire = httpx.AsyncClient(
            timeout=plan.within_s,
            verify=trust,
            trust_env=False,
            limits=httpx.Limits(max_keepalive_connections=None if plan.answers == "id" else 0),
        )

    async def close(self) -> None:
        """End every connection."""
        await self._wire.aclose()

    async def deliver(self, key: str, kind: str, body: bytes) -> None:
        """Post a message; raises Down and Refused."""
        headers = {"Content-Type": "application/json", "webhook-id": key, "Idempotency-Key": key}
        if self.plan.secret_file:
            headers |= self._signed(key, body)
        if self.plan.token_file:
            token = _first_line(self.beside / self.plan.token_file)
            headers["Authorization"] = f"Bearer {token}"
        try:
            # One limit for all of it: a byte now and then is no answer either.
            async with asyncio.timeout(self.plan.within_s):
                async with self._wire.stream(
                    "POST", self.plan.to, content=body, headers=headers
                ) as answer:
                    said = await _read(answer)
        except TimeoutError as error:
            raise Down(f"{self._host} does not answer within {self.plan.within_s:g} s.") from error
        except (httpx.HTTPError, httpx.InvalidURL, OSError, ValueError) as error:
            raise Down(f"{self._host}: {error or type(error).__name__}") from error
        self._judge(key, answer, said)

    @property
    def _host(self) -> str:
        return urlsplit(self.plan.to).netloc

    def _signed(self, key: str, body: bytes) -> dict[str, str]:
        secret = _first_line(self.beside / self.plan.secret_file)
        at = dt.datetime.now(dt.UTC)
        try:
            signature = Webhook(secret).sign(key, at, body.decode())
        except Exception as error:  # of a secret that is not base64, of whatever kind
            raise Down(
                f"{self.plan.secret_file} holds no secret: give 24 to 64 bytes in base64."
            ) from error
        return {"webhook-timestamp": str(int(at.timestamp())), "webhook-signature": signature}

    def _judge(self, key: str, answer: httpx.Response, said: bytes) -> None:
        """Whether an answer says that the message was taken."""
        status = answer.status_code
        if answer.is_redirect:
            where = answer.headers.get("location", "elsewhere")
            raise Down(f"{self._host} sends posts on to {where}; name that in the site file.")
        if status >= 500 or status in OF_ALL or status < 200:
            raise Down(f"{self._host} answers {status}{_told(answer, said)}.")
        if not answer.is_success:
            raise Refused(f"{self._host} does not take it: {status}{_told(answer, said)}.")
        if "html" in answer.headers.get("content-type", ""):
            raise Down(f"{self._host} answers with a page, as something in between might.")
        if self.plan.answers == "id" and (named := _id_in(said)) != key:
            raise Down(f"{self._host} answers for {named or 'no message'}, and not for this one.")


async def _read(answer: httpx.Response) -> bytes:
    said = b""
    async for piece in answer.aiter_bytes():
        said += piece
        if len(said) > MOST_OF_ANSWER:
            raise ValueError(f"answers with more than {MOST_OF_ANSWER} bytes")
    return said


def _id_in(said: bytes) -> str | None:
    try:
        found = json.loads(said)
    except ValueError:
        return None
    named = found.get("id") if isinstance(found, dict) else None
    return None if named is None else str(named)


def _told(answer: httpx.Response, said: bytes) -> str:
    """What an answer says beside its status: the detail of a problem (RFC 9457), or a line."""
    with contextlib.suppress(ValueError):
        found = json.loads(said)
        if isinstance(found, dict) and (detail := found.get("detail") or found.get("title")):
            return f" ({detail!s:.200})"
    return f" ({answer.reason_phrase})" if answer.reason_phrase else ""


# What a broker may say of a message, beside that it has it (MQTT 5.0, 3.4.2.1 and 3.14.2.1).
NOBODY_HAS_IT, IS_TOO_LARGE, PAYLOAD_IS_INVALID = 0x10, 0x95, 0x99
ABOUT_BYTES = 256  # more than goes with a message


class Broker:
    """A topic of an MQTT 5 broker; each kind of message has a topic below it.

    A message has got there once the broker has said that it has it for somebody (QoS 1): what it
    keeps for nobody is lost. The id of a message is a user property as well.
    """

    def __init__(self, plan: SendPlan, beside: Path, trust: ssl.SSLContext) -> None:
        self.plan, self.beside = plan, beside
        found = urlsplit(plan.to)
        self.host, self.port = found.hostname or "", found.port or PORTS[found.scheme]
        self.topic = unquote(found.path).strip("/")
        self._trust = trust if found.scheme == "mqtts" else None
        self._one_opens = asyncio.Lock()
        self._link: _BrokerLink | None = None

    async def deliver(self, key: str, kind: str, body: bytes) -> None:
        """Publish a message; raises Down and Refused."""
        topic = f"{self.topic}/{kind}"
        link = None
        try:
            async with asyncio.timeout(self.plan.within_s):
                link = await self._open()
                code = await link.publish(topic, key, body)
        except (OSError, ValueError, TimeoutError) as error:
            if link is not None:
                await self._end(link)  # and none that was opened since
            said = str(error) or f"does not answer within {self.plan.within_s:g} s"
            raise Down(f"{self.host}:{self.port}: {said}") from error
        if code.value == NOBODY_HAS_IT:
            raise Down(f"Nobody has subscribed to {topic} at {self.host}: it would be lost.")
        if code.value in (IS_TOO_LARGE, PAYLOAD_IS_INVALID):
            raise Refused(f"{self.host}:{self.port} does not take it: {code}.")
        if code.is_failure:
            raise Down(f"{self.host}:{self.port} does not take {topic}: {code}.")

    async def _open(self) -> "_BrokerLink":
        async with self._one_opens:
            if self._link is not None and self._link.has_ended:
                await self._end(self._link)
            if self._link is None:
                secret = ""
                if self.plan.secret_file:
                    secret = _first_line(self.beside / self.plan.secret_file)
                link = _BrokerLink(self.plan, secret, self._trust)
                try:
                    await link.open(self.host, self.port)
                except BaseException:
                    await link.close()
                    raise
                self._link = link
            return self._link

    async def close(self) -> None:
        """End the connection, whatever is under way on it."""
        if self._link is not None:
            await self._end(self._link)

    async def _end(self, link: "_BrokerLink") -> None:
        if self._link is link:
            self._link = None
        await link.close()


class _BrokerLink:
    """One connection to a broker.

    The package tells what comes of it on a thread of its own. All that is done with it is done on
    the loop, later: a thread that waited for this one, while this one waits in the package for it,
    would have both wait for ever.
    """

    def __init__(self, plan: SendPlan, secret: str, trust: ssl.SSLContext | None) -> None:
        self._loop = asyncio.get_running_loop()
        self._waiting: dict[int, asyncio.Future[ReasonCode]] = {}
        self._connected: asyncio.Future[ReasonCode] = self._loop.create_future()
        self.has_ended = False
        self._client = mqtt.Client(
            CallbackAPIVersion.VERSION2, protocol=mqtt.MQTTv5, reconnect_on_failure=False
        )
        self._client.connect_timeout = plan.within_s / 2
        if plan.account:
            self._client.username_pw_set(plan.account, secret)
        if trust is not None:
            self._client.tls_set_context(trust)
        self._most_bytes: int | None = None  # that the broker takes at once, with all about it
        self._client.on_connect = lambda _client, _data, _flags, code, about: self._later(
            self._is_connected, code, getattr(about, "MaximumPacketSize", None)
        )
        self._client.on_publish = lambda _client, _data, mid, code, _about: self._later(
            self._is_told, mid, code
        )
        self._client.on_disconnect = lambda _client, _data, _flags, code, _about: self._later(
            self._has_ended, code
        )

    async def open(self, host: str, port: int) -> None:
        """Connect; raises OSError, with what the broker says where it lets nobody in."""
        await asyncio.to_thread(self._client.connect, host, port, 30)
        self._client.loop_start()
        code = await self._connected
        if code.is_failure:
            raise OSError(f"it lets nobody in ({code})")

    async def publish(self, topic: str, key: str, body: bytes) -> ReasonCode:
        """Publish a message; gives what the broker says of it.

        Raises OSError, ValueError, and Refused for one that would have the broker end it all.
        """
        most = self._most_bytes
        if most is not None and len(body) + len(topic) + ABOUT_BYTES > most:
            raise Refused(f"It has {len(body)} bytes, and the broker takes {most} at once.")
        about = Properties(PacketTypes.PUBLISH)  # type: ignore[no-untyped-call]  # the package's
        about.ContentType = "application/json"
        about.UserProperty = [("id", key)]
        info = self._client.publish(topic, body, qos=1, properties=about)
        if info.rc != mqtt.MQTT_ERR_SUCCESS or self.has_ended:
            raise OSError(mqtt.error_string(info.rc))
        told: asyncio.Future[ReasonCode] = self._loop.create_future()
        self._waiting[info.mid] = told
        try:
            return await told
        finally:
            self._waiting.pop(info.mid, None)

    async def close(self) -> None:
        """End it; whoever waits hears of it."""
        self._client.disconnect()
        await asyncio.to_thread(self._client.loop_stop)
        self._has_ended(None)

    def _later(self, do: Callable[..., None], *what: object) -> None:
        if not self._loop.is_closed():
            self._loop.call_soon_threadsafe(do, *what)

    def _is_connected(self, code: ReasonCode, most_bytes: int | None) -> None:
        self._most_bytes = most_bytes
        if not self._connected.done():
            self._connected.set_result(code)

    def _is_told(self, mid: int, code: ReasonCode) -> None:
        told = self._waiting.get(mid)
        if told is not None and not told.done():
            told.set_result(code)

    def _has_ended(self, code: ReasonCode | None) -> None:
        self.has_ended = True
        for each in (*self._waiting.values(), self._connected):
            if each.done():
                continue
            if code is not None and code.value == IS_TOO_LARGE:
                each.set_result(code)
            else:
                each.set_exception(OSError(f"the connection has ended ({code or 'closed'})"))
                each.exception()  # whoever waited may have gone
