"""The console's built files: immutable assets, an uncached page, and that page for every route."""

from fastapi import Request
from fastapi.responses import Response
from starlette.exceptions import HTTPException
from starlette.staticfiles import StaticFiles
from starlette.types import Scope

# Emotion adds an empty style element, whose hash is allowed in place of 'unsafe-inline'.
POLICY = (
    "default-src 'self'; img-src 'self' data:; style-src 'self' "
    "'sha256-47DEQpj8HBSa+/TImW+5JCeuQeRkm5NMpJWZG3hSuFU='; frame-ancestors 'none'; "
    "base-uri 'none'; form-action 'self'"
)


class ConsoleFiles(StaticFiles):
    """Serves the console; a path without a file is one of the console's own routes."""

    async def get_response(self, path: str, scope: Scope) -> Response:
        try:
            response = await super().get_response(path, scope)
        except HTTPException as error:
            if error.status_code != 404 or path.startswith("assets/"):
                raise
            response = await super().get_response("index.html", scope)
        immutable = path.startswith("assets/")
        kept = "public, max-age=31536000, immutable" if immutable else "no-cache"
        response.headers["Cache-Control"] = kept
        response.headers["Content-Security-Policy"] = POLICY
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "same-origin"
        return response


async def no_console(request: Request) -> Response:
    """What the root says when the console was not built."""
    text = "The console is not built here; run `make console`. The API is at /api/v1.\n"
    return Response(text, media_type="text/plain", status_code=404)
