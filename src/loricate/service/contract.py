"""What the API promises, as OpenAPI 3.1: who must sign in, every answer, short names of operations.

The framework describes routes and messages. Who is let in, and with what a request may be turned
away, is decided outside of the routes, by the doorkeeper, and therefore said here, once.
"""

from collections.abc import Iterator
from typing import Any

from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi
from fastapi.routing import APIRoute
from pydantic import BaseModel

from loricate.api.events import RunEvents, UpkeepEvents
from loricate.api.problems import MEDIA_TYPE, ProblemDocument
from loricate.service.doorkeeper import PUBLIC
from loricate.service.sign_in import COOKIE, CSRF_HEADER

Json = dict[str, Any]

# With what any request may be answered, by status: name and sentence.
ANSWERS = {
    400: ("NotJson", "The body is not JSON, or could be read in more than one way"),
    401: ("NotSignedIn", "Nobody is signed in, or name, password or code are wrong"),
    403: ("NotAllowed", "The role does not allow it, or the CSRF secret is missing"),
    404: ("NotFound", "There is no such thing"),
    408: ("TooSlow", "The body did not come in time"),
    409: ("WrongState", "Not possible in this state"),
    412: ("ChangedMeanwhile", "Somebody else changed it meanwhile (If-Match)"),
    413: ("TooLarge", "The body is larger than the route takes"),
    421: ("WrongHost", "The request is for another host"),
    422: ("FieldWrong", "A field is wrong; `errors` names it, with the remedy"),
    429: ("TooMany", "Too many requests or attempts; `Retry-After` says when to ask again"),
    500: ("Defect", "A defect in the service; nothing half-done was stored"),
    502: ("BenchFault", "An instrument does not answer as it should"),
    503: ("Busy", "Too much at once; `Retry-After` says when to ask again"),
    507: ("StorageFull", "The disk is full; nothing was stored"),
}
SCHEMAS = "#/components/schemas/"
STREAMS: dict[str, type[BaseModel]] = {
    "/runs/": RunEvents,
    "/rehearsals/": RunEvents,
    "/upkeep/": UpkeepEvents,
}
BODY_ANSWERS = {400, 408, 413}  # only where there is a body
STREAM = "text/event-stream"
SCHEMES: Json = {
    "token": {
        "type": "http",
        "scheme": "bearer",
        "description": "What POST /api/v1/sign-in gives with `keep: token`.",
    },
    "session": {
        "type": "apiKey",
        "in": "cookie",
        "name": COOKIE,
        "description": "What POST /api/v1/sign-in gives with `keep: cookie`.",
    },
    "csrf": {
        "type": "apiKey",
        "in": "header",
        "name": CSRF_HEADER,
        "description": "`csrf` of the sign-in: goes with the cookie in whatever changes something.",
    },
}


def operation_name(route: APIRoute) -> str:
    """The name of an operation: that of its function, unless the route gives another."""
    return route.name


def describe(app: FastAPI) -> Json:
    """The OpenAPI document of an application."""
    if app.openapi_schema is None:
        found = get_openapi(
            title=app.title, version=app.version, summary=app.summary, routes=app.routes
        )
        _add_shared(found)
        for path, method, operation in operations(found):
            _finish(path, method, operation)
        app.openapi_schema = found
    return app.openapi_schema


def operations(document: Json) -> Iterator[tuple[str, str, Json]]:
    """Every operation with its path and method."""
    for path, methods in document["paths"].items():
        for method, operation in methods.items():
            yield path, method, operation


def _add_shared(document: Json) -> None:
    components = document["components"]
    schemas = components["schemas"]
    for ours in ("HTTPValidationError", "ValidationError"):  # the framework's own, never answered
        schemas.pop(ours, None)
    problem = ProblemDocument.model_json_schema(ref_template=f"{SCHEMAS}{{model}}")
    schemas.update(problem.pop("$defs"))
    schemas["ProblemDocument"] = problem
    for events in (RunEvents, UpkeepEvents):
        told = events.model_json_schema(ref_template=f"{SCHEMAS}{{model}}")
        schemas.update(told.pop("$defs"))
        schemas[events.__name__] = told
    components["securitySchemes"] = SCHEMES
    components["responses"] = {
        name: {
            "description": text,
            "content": {MEDIA_TYPE: {"schema": {"$ref": "#/components/schemas/ProblemDocument"}}},
            **(_retry() if status in (429, 503) else {}),
        }
        for status, (name, text) in ANSWERS.items()
    }


def _retry() -> Json:
    return {"headers": {"Retry-After": {"description": "Seconds", "schema": {"type": "integer"}}}}


def _finish(path: str, method: str, operation: Json) -> None:
    operation["security"] = _security(path, method)
    answers: Json = operation["responses"]
    answers.pop("422", None)
    for answer in answers.values():
        for kind, content in answer.get("content", {}).items():
            event = content.pop("itemSchema", None)  # belongs to OpenAPI 3.2
            if kind == STREAM:
                content["schema"] = _stream(path, event)
            content.setdefault("schema", {"type": "string", "format": "binary"})
    names = {each.get("name", "").lower() for each in operation.get("parameters", ())}
    for status, (name, _) in ANSWERS.items():
        if status in BODY_ANSWERS and "requestBody" not in operation:
            continue
        if status == 412 and "if-match" not in names:
            continue
        answers[str(status)] = {"$ref": f"#/components/responses/{name}"}


def _stream(path: str, event: Json) -> Json:
    """An event of a stream, and what its data is by its name, where its kinds are told."""
    told = next((each for part, each in STREAMS.items() if part in path), None)
    if told is None:
        return event
    names = list(told.model_fields)
    parts = [{"$ref": f"{SCHEMAS}{told.__name__}/properties/{name}"} for name in names]
    event["properties"]["event"]["enum"] = names
    event["properties"]["data"] |= {
        "contentMediaType": "application/json",
        "contentSchema": {"anyOf": parts},
    }
    return event


def _security(path: str, method: str) -> list[Json]:
    if PUBLIC.fullmatch(path.replace("{", "").replace("}", "")) and path != "/metrics":
        return []
    by_cookie: Json = {"session": []} if method == "get" else {"session": [], "csrf": []}
    return [{"token": []}, by_cookie]
