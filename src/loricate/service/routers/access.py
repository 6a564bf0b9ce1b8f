"""How a router reaches the desk, and what several routes are asked with."""

import asyncio
from collections.abc import AsyncIterator, Callable, Coroutine, Sequence
from dataclasses import dataclass
from typing import Annotated, Any, TypeVar

from fastapi import APIRouter, Depends, Path, Query, Request, Response
from fastapi.routing import APIRoute

from loricate.service.contract import operation_name
from loricate.service.desk import Desk
from loricate.service.doorkeeper import API, READ_JSON


def _desk(request: Request) -> Desk:
    desk: Desk = request.app.state.desk
    return desk


TheDesk = Annotated[Desk, Depends(_desk)]


class CheckedRequest(Request):
    """A request whose JSON the doorkeeper has read: read once, strictly, and not on this loop."""

    async def json(self) -> Any:
        return self.scope[READ_JSON]


class CheckedRoute(APIRoute):
    """A route that takes its body as the doorkeeper read it."""

    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        """The handler, given a checked request."""
        handle = super().get_route_handler()

        async def checked(request: Request) -> Response:
            return await handle(CheckedRequest(request.scope, request.receive))

        return checked


def make_router(prefix: str, tag: str, under: str = API) -> APIRouter:
    """A router of the API; each of its routes is checked.

    Its routes are whole as they are: an application takes them over and makes none anew.
    """
    return APIRouter(
        prefix=f"{under}{prefix}",
        tags=[tag],
        route_class=CheckedRoute,
        generate_unique_id_function=operation_name,
    )


MOST_NUMBER = 2**31 - 1  # of revisions, entries and the like; no column holds more
Revision = Annotated[int | None, Query(ge=1, le=MOST_NUMBER)]
Number = Annotated[int, Query(ge=1, le=MOST_NUMBER)]
NumberInPath = Annotated[int, Path(ge=1, le=MOST_NUMBER)]


MOST_ROWS = 500
R = TypeVar("R")


@dataclass(frozen=True, slots=True)
class Page:
    """A page of a list: as many rows as were asked for, and a way to the next (RFC 8288)."""

    request: Request
    response: Response
    count: Annotated[int, Query(ge=1, le=MOST_ROWS, description="Rows of a page")] = MOST_ROWS

    @property
    def look_for(self) -> int:
        """How many rows to look for: one more shows that there is a next page."""
        return self.count + 1

    def cut(self, found: Sequence[R], cursor: str, mark: Callable[[R], str | int]) -> list[R]:
        """The rows of this page; ``mark`` gives what the next one is asked for with."""
        rows = list(found[: self.count])
        if len(found) > self.count:
            url = self.request.url.include_query_params(**{cursor: mark(rows[-1])})
            self.response.headers["Link"] = f'<{url.path}?{url.query}>; rel="next"'
        return rows


APage = Annotated[Page, Depends()]
After = Annotated[str, Query(max_length=64, description="The last one seen, for the next page")]
Before = Annotated[str, Query(max_length=64, description="The last one seen, for the next page")]


async def until_stop(events: AsyncIterator[R], desk: Desk) -> AsyncIterator[R]:
    """What a stream gives, until its end, until its watcher goes, or until the service stops."""
    stopping = asyncio.ensure_future(desk.stopping.wait())
    coming = aiter(events)
    following: asyncio.Future[R] | None = None
    try:
        while True:
            following = asyncio.ensure_future(anext(coming))
            await asyncio.wait({following, stopping}, return_when=asyncio.FIRST_COMPLETED)
            if not following.done():
                return
            try:
                event = following.result()
            except StopAsyncIteration:
                return
            yield event
    finally:
        stopping.cancel()
        if following is not None:
            following.cancel()  # lets go of the log as well
