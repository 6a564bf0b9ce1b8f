"""The site's keys: public halves for anyone; preparing and changing them for who keeps the site."""

from loricate.api.certificates import KeyBegun, KeyOut, KeyPreparing, KeySet
from loricate.certificates.paper_key import subject_of
from loricate.records import site_keys
from loricate.records.site_keys import KnownKey
from loricate.service.routers.access import TheDesk, make_router
from loricate.service.sign_in import Keeper, Reader

router = make_router("", "keys")


@router.get("/site-key", response_model=dict[str, str])
async def show_site_key(desk: TheDesk) -> dict[str, str]:
    """The public half of the key that documents are sealed with, as a JWK; answers anyone."""
    return {name: str(value) for name, value in desk.keys.documents.public_jwk.items()}


@router.get("/site-keys", response_model=KeySet)
async def show_site_keys(desk: TheDesk) -> KeySet:
    """Every public key of the site, the next one included, as a JWK set; answers anyone."""
    return KeySet(**await desk.store.read(site_keys.key_set))


@router.get("/keys", response_model=list[KeyOut])
async def list_keys(person: Reader, desk: TheDesk) -> list[KeyOut]:
    """The site's keys with where they stand, the newest first."""
    return [_told(key) for key in await desk.store.read(site_keys.known_keys)]


@router.post("/keys", response_model=KeyOut, status_code=201)
async def prepare_key(body: KeyPreparing, person: Keeper, desk: TheDesk) -> KeyOut:
    """Make the next key of a purpose, and have it known before anything is signed with it."""
    kid = await desk.keys.prepare(body.purpose, person.name)
    return _told(await desk.store.read(lambda conn: site_keys.find_key(conn, kid)))


@router.post("/keys/{kid}/begin", response_model=KeyBegun)
async def begin_key(kid: str, person: Keeper, desk: TheDesk) -> KeyBegun:
    """Sign with the next key from now on; what the former one signed is verified as before."""
    return KeyBegun(kid=kid, put_away=str(await desk.keys.begin(kid, person.name)))


def _told(key: KnownKey) -> KeyOut:
    state = "in_use" if key.in_use else "former" if key.begun_at else "next"
    return KeyOut(
        kid=key.kid,
        purpose=key.purpose,
        state=state,
        since=key.since,
        begun_at=key.begun_at,
        subject=subject_of(key.jwk),
    )
