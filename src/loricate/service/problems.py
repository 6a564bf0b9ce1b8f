"""Problem documents (RFC 9457): every error of the service in one form, from one table."""

from collections.abc import Sequence
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException

from loricate.api.problems import MEDIA_TYPE, ProblemDocument, ProblemError
from loricate.bench.errors import BenchError, GuardOpen
from loricate.core.errors import CoreError, DocumentError, Finding
from loricate.records.errors import NotFound, PictureRefused, RecordsError, StorageFull
from loricate.records.packing import PackRefused
from loricate.service.errors import (
    Busy,
    NotSignedIn,
    ServiceError,
    TooManyAtOnce,
    TooManyAttempts,
)

# Errors of the other rooms, nearest class first: slug, title, status.
TABLE: dict[type[Exception], tuple[str, str, int]] = {
    DocumentError: ("document-refused", "The document is refused", 422),
    CoreError: ("refused", "The request is refused", 422),
    NotFound: ("not-found", "Not found", 404),
    PictureRefused: ("picture-refused", "The picture is refused", 422),
    StorageFull: ("storage-full", "The disk is full", 507),
    PackRefused: ("file-refused", "The file is refused", 422),
    RecordsError: ("records", "The records cannot do this", 500),
    GuardOpen: ("guard-open", "The guard is open", 409),
    BenchError: ("bench", "The bench does not answer as it should", 502),
}

HTTP_TITLES = {404: ("not-found", "Not found"), 405: ("method", "Method not allowed")}


def problem(
    status: int, slug: str, title: str, detail: str, findings: Sequence[Finding] = ()
) -> JSONResponse:
    """Give a problem document as a response."""
    body = ProblemDocument(
        type=f"urn:loricate:problem:{slug}",
        title=title,
        status=status,
        detail=detail,
        errors=[ProblemError(field=each.path, message=each.message) for each in findings],
    )
    return JSONResponse(body.model_dump(), status_code=status, media_type=MEDIA_TYPE)


def service_problem(error: ServiceError) -> JSONResponse:
    """Give an error of the service itself as a problem document."""
    response = problem(error.status, error.slug, error.title, error.detail, error.findings)
    if isinstance(error, TooManyAttempts):
        response.headers["Retry-After"] = str(error.wait_s)
    if isinstance(error, Busy | TooManyAtOnce):
        response.headers["Retry-After"] = "1"
    if isinstance(error, NotSignedIn):
        response.headers["WWW-Authenticate"] = 'Bearer realm="loricate"'
    return response


def add_problem_handlers(app: FastAPI) -> None:
    """Make every error of every room come out as a problem document."""

    @app.exception_handler(ServiceError)
    async def show_service_error(request: Request, error: ServiceError) -> JSONResponse:
        return service_problem(error)

    async def show_known(request: Request, error: Exception) -> JSONResponse:
        slug, title, status = next(TABLE[kind] for kind in type(error).__mro__ if kind in TABLE)
        findings = error.findings if isinstance(error, DocumentError) else ()
        return problem(status, slug, title, str(error), findings)

    for kind in TABLE:
        app.add_exception_handler(kind, show_known)

    @app.exception_handler(RequestValidationError)
    async def show_invalid(request: Request, error: RequestValidationError) -> JSONResponse:
        found = []
        for each in error.errors():
            if each["type"] == "json_invalid":
                detail = (
                    f"The body is not JSON: {each['ctx']['error']} at character {each['loc'][-1]}."
                )
                return problem(400, "not-json", "The body is not JSON", detail)
            # What a document's own check says is a sentence already.
            told = each["msg"].removeprefix("Value error, ").removesuffix(".")
            if each["type"] == "extra_forbidden":
                told = "there is nothing of this name; correct it, or leave it out"
            found.append(Finding(_field(each["loc"][1:]) or str(each["loc"][0]), told))
        detail = "; ".join(f"{each.path}: {each.message}" for each in found) + "."
        return problem(422, "invalid", "The request has invalid fields", detail, found)

    @app.exception_handler(HTTPException)
    async def show_http(request: Request, error: HTTPException) -> JSONResponse:
        slug, title = HTTP_TITLES.get(error.status_code, ("refused", "The request is refused"))
        detail = f"{request.method} {request.url.path}: {error.detail}."
        response = problem(error.status_code, slug, title, detail)
        response.headers.update(error.headers or {})
        return response

    @app.exception_handler(Exception)
    async def show_defect(request: Request, error: Exception) -> JSONResponse:
        # The traceback goes to the log; the caller learns what to do, not how we are built.
        detail = "The service met a defect of its own; nothing half-done was stored. See its log."
        return problem(500, "defect", "A defect in the service", detail)


def _field(location: Sequence[Any]) -> str:
    text = ""
    for part in location:
        text += f"[{part}]" if isinstance(part, int) else f".{part}" if text else str(part)
    return text
