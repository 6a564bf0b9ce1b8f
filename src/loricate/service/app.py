"""The application: settings in, FastAPI application out."""

import gc
import re
from collections.abc import AsyncIterator, Mapping
from contextlib import asynccontextmanager
from functools import partial

from fastapi import FastAPI
from starlette.exceptions import HTTPException
from starlette.routing import Route
from starlette.types import Receive, Scope, Send

from loricate import __version__
from loricate.bench.plan import read_bench_plan
from loricate.core.kinds.loading import load_kinds
from loricate.records.store import migrate
from loricate.service.console_files import ConsoleFiles, no_console
from loricate.service.contract import describe
from loricate.service.desk import Desk, claim_data
from loricate.service.doorkeeper import API, Doorkeeper
from loricate.service.keyring import check_keys
from loricate.service.logs import AccessLog
from loricate.service.paper_look import read_look
from loricate.service.problems import add_problem_handlers
from loricate.service.routers import (
    ambient,
    assets,
    bench,
    captures,
    carrying,
    certificates,
    health,
    items,
    keeping,
    keys,
    limit_sets,
    lots,
    metrics,
    oneself,
    orders,
    people,
    pictures,
    products,
    rehearsals,
    reports,
    runs,
    schemas,
    searches,
    sequences,
    series,
    session,
    site,
    trends,
    trying,
    units,
    upkeep,
)
from loricate.service.settings import Settings
from loricate.service.verify_page import verify_page

# A full collection holds up every thread: with what is there at the start left out of it, it may be
# rarer than usual.
COLLECT_AT = (5_000, 10, 1_000)


def check_start(settings: Settings) -> None:
    """Update the records and read the bench file, so that a fault is told in one sentence.

    Raises RecordsError (a newer database), SealError (the site key), DocumentError (the bench
    file), KindsNotLoaded, and Claimed while another service has the folder.
    """
    load_kinds(settings.kinds)
    settings.data_folder.mkdir(parents=True, exist_ok=True)
    claim_data(settings).let_go()
    migrate(settings.database)
    check_keys(settings.database, settings.key_files)
    read_bench_plan(settings.bench_file)
    read_look(settings.site.papers, settings.site_folder)


class _NothingHere:
    """An address, or a method at one, that the API does not have; a class, to take every method."""

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if allowed := _methods_at(scope["app"], scope["path"]):
            headers = {"Allow": ", ".join(allowed)}
            raise HTTPException(405, "there is no such method here", headers)
        raise HTTPException(404, f"there is nothing at this address; see {API}/openapi.json")


def _methods_at(app: FastAPI, path: str) -> list[str]:
    paths: Mapping[str, Mapping[str, object]] = app.openapi()["paths"]
    for template, operations in sorted(paths.items(), key=lambda each: each[0].count("{")):
        if re.fullmatch(re.sub(r"\{[^}]+\}", "[^/]+", template), path):
            return sorted(name.upper() for name in operations)
    return []


def create_app(settings: Settings) -> FastAPI:
    """Make the application; the lifespan opens the records and the bench."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        desk = Desk(settings)
        app.state.desk = desk
        try:
            await desk.open()
        except BaseException:
            await desk.close()
            raise
        gc.collect()
        gc.freeze()
        gc.set_threshold(*COLLECT_AT)
        try:
            yield
        finally:
            await desk.close()

    app = FastAPI(
        title="Loricate",
        version=__version__,
        summary="Production electrical safety testing: sequences, runs, readings, certificates",
        lifespan=lifespan,
        openapi_url=f"{API}/openapi.json",
        docs_url=None,
        redoc_url=None,
    )
    app.openapi = partial(describe, app)  # type: ignore[method-assign]
    add_problem_handlers(app)
    app.add_middleware(Doorkeeper, reached=settings.reached)
    app.add_middleware(AccessLog)
    parts = (
        health,
        metrics,
        session,
        oneself,
        people,
        keeping,
        carrying,
        schemas,
        site,
        bench,
        upkeep,
        captures,
        products,
        limit_sets,
        trying,
        sequences,
        lots,
        orders,
        rehearsals,
        runs,
        series,
        units,
        trends,
        items,
        searches,
        reports,
        assets,
        pictures,
        certificates,
        keys,
        ambient,
    )
    for part in parts:
        app.router.routes.extend(part.router.routes)

    app.add_route("/verify/{number}", verify_page, include_in_schema=False)
    # Every method: what is not the API's must not be answered with the console's page.
    app.router.routes.append(Route("/api/{rest:path}", _NothingHere(), include_in_schema=False))

    if settings.console_folder is not None and (settings.console_folder / "index.html").is_file():
        app.mount("/", ConsoleFiles(directory=settings.console_folder, html=True))
    else:
        app.add_route("/", no_console)
    return app
