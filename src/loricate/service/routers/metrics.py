"""What to watch from outside."""

import hmac

from fastapi import Request, Response

from loricate.service.metrics import CONTENT_TYPE, exposed
from loricate.service.routers.access import TheDesk, make_router
from loricate.service.sign_in import find_person

router = make_router("", "health", under="")


@router.get(
    "/metrics",
    name="show_metrics",
    response_class=Response,
    responses={200: {"content": {"application/openmetrics-text": {"schema": {"type": "string"}}}}},
)
async def metrics(desk: TheDesk, request: Request) -> Response:
    """OpenMetrics, for whoever is signed in or bears the token that was given at the start."""
    token = desk.settings.metrics_token
    given = request.headers.get("authorization", "").removeprefix("Bearer ").strip()
    if not token or not hmac.compare_digest(given.encode(), token.encode()):
        await find_person(request)
    return Response(await exposed(desk), media_type=CONTENT_TYPE)
