"""Pictures: sent once, re-encoded, kept under their digest, shown in remarks and cues."""

import asyncio
from functools import partial

from fastapi import Request, Response

from loricate.api.records import PictureOut
from loricate.records import pictures
from loricate.records.kept_files import place_of
from loricate.service.routers.access import TheDesk, make_router
from loricate.service.sign_in import Reader, Runner

router = make_router("/pictures", "pictures")
BODY = {
    "requestBody": {
        "required": True,
        "content": {
            kind: {"schema": {"type": "string", "format": "binary"}}
            for kind in pictures.MEDIA_TYPES.values()
        },
    }
}


@router.post("", response_model=PictureOut, status_code=201, openapi_extra=BODY)
async def add_picture(request: Request, person: Runner, desk: TheDesk) -> PictureOut:
    """Keep a PNG, JPEG or WebP as the body of the request; gives the digest that names it."""
    data = await request.body()
    picture = await desk.study.do(pictures.reencode, data, field="picture")
    folder = desk.settings.pictures
    await desk.store.write(lambda conn: pictures.keep_picture(conn, folder, picture, person.name))
    return PictureOut(
        digest=picture.digest,
        media_type=picture.media_type,
        width=picture.width,
        height=picture.height,
        bytes=len(picture.data),
    )


@router.get(
    "/{digest}",
    response_class=Response,
    responses={200: {"content": {kind: {} for kind in pictures.MEDIA_TYPES.values()}}},
)
async def show_picture(digest: str, person: Reader, desk: TheDesk) -> Response:
    """A picture by its digest."""
    place, media_type = await desk.places.first(partial(pictures.media_type_of, digest=digest))
    data = await asyncio.to_thread(place_of(place.pictures, digest).read_bytes)
    headers = {"Cache-Control": "private, max-age=31536000, immutable"}
    return Response(data, media_type=media_type, headers=headers)
