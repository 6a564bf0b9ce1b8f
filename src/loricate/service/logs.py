"""Structured logs: one JSON object a line on standard error."""

import json
import logging
import time
import uuid
from typing import Any

from starlette.types import ASGIApp, Message, Receive, Scope, Send

_PLAIN = set(vars(logging.makeLogRecord({}))) | {"message", "asctime", "taskName", "color_message"}
access = logging.getLogger("loricate.access")


class JsonLines(logging.Formatter):
    """Formats a record and its extra fields as JSON."""

    def format(self, record: logging.LogRecord) -> str:
        moment = time.strftime("%Y-%m-%dT%H:%M:%S", time.gmtime(record.created))
        line: dict[str, Any] = {
            "at": f"{moment}.{int(record.msecs):03}Z",
            "level": record.levelname.lower(),
            "source": record.name,
            "message": record.getMessage(),
        }
        line |= {key: value for key, value in vars(record).items() if key not in _PLAIN}
        if record.exc_info:
            line["traceback"] = self.formatException(record.exc_info)
        return json.dumps(line, default=str, ensure_ascii=False)


def set_up_logs(level: int = logging.INFO) -> None:
    """Send everything to standard error as JSON lines."""
    handler = logging.StreamHandler()
    handler.setFormatter(JsonLines())
    logging.basicConfig(level=level, handlers=[handler], force=True)


class AccessLog:
    """Logs each request with its status and time, and gives it an id."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        started, request_id, status = time.perf_counter(), uuid.uuid4().hex[:12], 0

        async def watch(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                message["headers"] = [
                    *message.get("headers", []), (b"x-request-id", request_id.encode())
                ]  # fmt: skip
            await send(message)

        try:
            await self.app(scope, receive, watch)
        finally:
            access.info(
                "request",
                extra={
                    "request": request_id,
                    "method": scope["method"],
                    "path": scope["path"],
                    "status": status,
                    "took_ms": round((time.perf_counter() - started) * 1000, 1),
                },
            )
