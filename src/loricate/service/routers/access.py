"""How a router reaches the desk."""

from typing import Annotated

from fastapi import Depends, Request

from loricate.service.desk import Desk


def _desk(request: Request) -> Desk:
    desk: Desk = request.app.state.desk
    return desk


TheDesk = Annotated[Desk, Depends(_desk)]
