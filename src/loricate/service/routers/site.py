"""The site: what it chose, and by which id its records are known elsewhere."""

from loricate.api.site import SiteOut, SoundsOut
from loricate.records import sites
from loricate.service.routers.access import TheDesk, make_router
from loricate.service.sign_in import Reader

router = make_router("/site", "site")


@router.get("", response_model=SiteOut)
async def show_site(person: Reader, desk: TheDesk) -> SiteOut:
    """Name, sounds, exports and printer of the site; nothing of it is asked of the bench."""
    chosen = desk.site
    exports = chosen.exports
    return SiteOut(
        id=await desk.store.read(sites.site_id),
        name=desk.plan.site,
        sounds=SoundsOut(voice=chosen.sounds.voice, pitch=chosen.sounds.pitch),
        temperature=chosen.shown.temperature,
        carried=[each.bench for each in desk.places.carried],
        zone=desk.look.zone,
        exports=f"{exports.folder}/{exports.name}" if exports else "",
        printer=chosen.printer.address if chosen.printer else "",
    )
