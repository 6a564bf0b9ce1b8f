"""Logs: one JSON object a line in a file, and lines for people on a terminal."""

import json
import logging
import sys
import time
import uuid
from pathlib import Path
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


class PeopleLines(logging.Formatter):
    """Formats a record as a line to be read on a terminal."""

    def format(self, record: logging.LogRecord) -> str:
        moment = time.strftime("%H:%M:%S", time.localtime(record.created))
        more = [f"{key}: {value}" for key, value in vars(record).items() if key not in _PLAIN]
        told = "; ".join([record.getMessage(), *more])
        line = f"{moment} {record.levelname.lower()}: {told}"
        return line if not record.exc_info else f"{line}\n{self.formatException(record.exc_info)}"


def set_up_logs(file: Path | None, level: int = logging.INFO) -> None:
    """Send everything to a file as JSON lines, and warnings to standard error.

    Without a file everything goes to standard error: for people where that is a terminal, else as
    JSON lines.
    """
    shown = logging.StreamHandler()
    is_read = file is not None or sys.stderr.isatty()
    shown.setFormatter(PeopleLines() if is_read else JsonLines())
    handlers: list[logging.Handler] = [shown]
    if file is not None:
        shown.setLevel(logging.WARNING)
        file.parent.mkdir(parents=True, exist_ok=True)
        kept = logging.FileHandler(file, encoding="utf-8")
        kept.setFormatter(JsonLines())
        handlers.append(kept)
    logging.basicConfig(level=level, handlers=handlers, force=True)


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
                    *message.get("headers", []),
                    (b"x-request-id", request_id.encode()),
                ]
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
