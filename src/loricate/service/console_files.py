"""The console's built files: immutable assets, an uncached page, and that page for every route.

The build puts what goes over the wire beside each file (``.br``, ``.gz``), so that nothing is
compressed here.
"""

import re
from pathlib import Path

from fastapi import Request
from fastapi.responses import FileResponse, Response
from starlette.datastructures import Headers
from starlette.exceptions import HTTPException
from starlette.staticfiles import StaticFiles
from starlette.types import Scope

# Emotion adds an empty style element, whose hash is allowed in place of 'unsafe-inline'.
POLICY = (
    "default-src 'self'; img-src 'self' data:; style-src 'self' "
    "'sha256-47DEQpj8HBSa+/TImW+5JCeuQeRkm5NMpJWZG3hSuFU='; frame-ancestors 'none'; "
    "base-uri 'none'; form-action 'self'"
)
ENCODINGS = {"br": ".br", "gzip": ".gz"}  # the best first


class ConsoleFiles(StaticFiles):
    """Serves the console; a path without a file is one of the console's own routes."""

    async def get_response(self, path: str, scope: Scope) -> Response:
        try:
            response = await super().get_response(path, scope)
        except HTTPException as error:
            if error.status_code != 404 or path.startswith("assets/"):
                raise
            response = await super().get_response("index.html", scope)
        if isinstance(response, FileResponse):
            response = _as_wanted(response, Headers(scope=scope).get("accept-encoding", ""))
        immutable = path.startswith("assets/")
        kept = "public, max-age=31536000, immutable" if immutable else "no-cache"
        response.headers["Cache-Control"] = kept
        response.headers["Content-Security-Policy"] = POLICY
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "same-origin"
        return response


def _as_wanted(response: FileResponse, accepted: str) -> FileResponse:
    """The file in the best encoding that is there and that the browser takes (RFC 9110)."""
    offered = {
        each.partition(";")[0].strip().lower()
        for each in accepted.split(",")
        if not re.search(r";\s*q=0(\.0*)?\s*$", each)
    }
    for encoding, suffix in ENCODINGS.items():
        packed = Path(f"{response.path}{suffix}")
        if encoding in offered and packed.is_file():
            made = FileResponse(packed, media_type=response.media_type)
            made.headers["Content-Encoding"] = encoding
            made.headers["Vary"] = "Accept-Encoding"
            return made
    response.headers["Vary"] = "Accept-Encoding"
    return response


async def no_console(request: Request) -> Response:
    """What the root says when the console was not built."""
    text = "The console is not built here; run `make console`. The API is at /api/v1.\n"
    return Response(text, media_type="text/plain", status_code=404)
