"""Serving the application over HTTP until a signal says to stop."""

from types import FrameType

import uvicorn
from fastapi import FastAPI

from loricate.service.settings import Reached

GRACE_S = 1  # for answers under way; event streams end by themselves


class Server(uvicorn.Server):
    """A server that has the outputs fall as soon as it is told to stop, before it waits."""

    def __init__(self, config: uvicorn.Config, app: FastAPI) -> None:
        super().__init__(config)
        self._app = app

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        """Take a signal."""
        desk = getattr(self._app.state, "desk", None)
        if desk is not None:
            desk.begin_stop()
        super().handle_exit(sig, frame)


def serve(app: FastAPI, host: str, port: int, reached: Reached) -> None:
    """Serve until SIGINT or SIGTERM; exits with 1 when it cannot start."""
    config = uvicorn.Config(
        app,
        host=host,
        port=port,
        log_config=None,
        access_log=False,
        server_header=False,
        proxy_headers=bool(reached.proxies),
        forwarded_allow_ips=list(reached.proxies),
        ssl_certfile=reached.tls_cert,
        ssl_keyfile=reached.tls_key,
        timeout_graceful_shutdown=GRACE_S,
    )
    server = Server(config, app)
    server.run()
    if not server.started:
        raise SystemExit(1)
