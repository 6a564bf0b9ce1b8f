"""The air about the units: temperature and humidity."""

from loricate.api.ambient import AmbientOut, NewAmbient
from loricate.records import ambient as kept
from loricate.records.ambient import Ambient
from loricate.service.ambient import holds, read_ambient, texts
from loricate.service.desk import Desk
from loricate.service.routers.access import TheDesk, make_router
from loricate.service.sign_in import Reader, Runner

router = make_router("/ambient", "ambient")


def _told(found: Ambient | None, desk: Desk) -> AmbientOut:
    plan = desk.site.ambient
    temperature, humidity = ("", "") if found is None else texts(found)
    return AmbientOut(
        temperature=temperature,
        humidity=humidity,
        by="" if found is None else found.instrument or found.account,
        at="" if found is None else found.at,
        holds=holds(found, plan),
        asked=plan.asked,
        instrument="" if desk.plan.climate is None else desk.plan.climate.id,
    )


@router.get("", response_model=AmbientOut)
async def show_ambient(person: Reader, desk: TheDesk) -> AmbientOut:
    """What was said last of the air, and whether it still holds."""
    return _told(await desk.store.read(kept.newest_ambient), desk)


@router.post("", response_model=AmbientOut, status_code=201)
async def note_ambient(body: NewAmbient, person: Runner, desk: TheDesk) -> AmbientOut:
    """Say what the air is like: it goes onto the certificates of runs that are started now."""
    celsius, share = read_ambient(body.temperature, body.humidity)
    made = await desk.store.write(lambda conn: kept.add_ambient(conn, celsius, share, person.name))
    return _told(made, desk)
