"""Products: list, show, add; what is on offer for one."""

import sqlite3

from fastapi import APIRouter, Response

from loricate.api.definitions import (
    DifferenceOut,
    Document,
    Offer,
    OfferedKindOut,
    OfferedLimitOut,
    RevisionOut,
    Stored,
)
from loricate.core.differences import differences
from loricate.core.offer import OfferedLimit, offered_kinds, offered_limits
from loricate.core.products import Product
from loricate.core.sequences import read_document
from loricate.records import definitions
from loricate.service.routers.access import TheDesk
from loricate.service.routers.changes import IfMatch, refuse_if_changed
from loricate.service.routers.showing import difference
from loricate.service.sign_in import Definer, Reader

router = APIRouter(prefix="/products", tags=["products"])


@router.get("", response_model=list[Document])
async def list_products(person: Reader, desk: TheDesk) -> list[Document]:
    """Every product's newest revision."""
    found = await desk.store.read(lambda conn: definitions.newest_documents(conn, "product"))
    return [{**document, "revision": revision} for document, revision in found.values()]


@router.post("", response_model=Stored, status_code=201)
async def add_product(
    document: Document, person: Definer, desk: TheDesk, if_match: IfMatch = None
) -> Stored:
    """Add a product or a revision of one; with If-Match only if that is still the newest."""
    product = read_document(Product, document, "product")

    def keep(conn: sqlite3.Connection) -> int:
        refuse_if_changed(conn, "product", product.code, if_match)
        return definitions.add_document(conn, "product", product.code, document, person.name)

    return Stored(code=product.code, revision=await desk.store.write(keep))


@router.get("/{code}", response_model=Document)
async def show_product(
    code: str, person: Reader, desk: TheDesk, response: Response, revision: int | None = None
) -> Document:
    """One revision of a product, the newest by default."""
    document, number = await desk.store.read(
        lambda conn: definitions.get_document(conn, "product", code, revision)
    )
    response.headers["ETag"] = f'"{number}"'
    return {**document, "revision": number}


@router.get("/{code}/revisions", response_model=list[RevisionOut])
async def list_product_revisions(code: str, person: Reader, desk: TheDesk) -> list[RevisionOut]:
    """Every revision of a product, newest first; a product has no status."""
    found = await desk.store.read(lambda conn: definitions.list_revisions(conn, "product", code))
    return [RevisionOut(**each) for each in found]


@router.get("/{code}/differences", response_model=list[DifferenceOut])
async def compare_products(
    code: str, old: int, new: int, person: Reader, desk: TheDesk
) -> list[DifferenceOut]:
    """What differs between two revisions of a product."""
    before, _ = await desk.store.read(
        lambda conn: definitions.get_document(conn, "product", code, old)
    )
    after, _ = await desk.store.read(
        lambda conn: definitions.get_document(conn, "product", code, new)
    )
    return [difference(each) for each in differences(before, after)]


@router.get("/{code}/offer", response_model=Offer)
async def show_offer(code: str, person: Reader, desk: TheDesk) -> Offer:
    """The kinds of step and the limits of standards for a product, and why each holds or not."""
    document, _ = await desk.store.read(
        lambda conn: definitions.get_document(conn, "product", code)
    )
    product = Product.model_validate(document)
    limit_sets = await desk.store.read(definitions.known_limit_sets)
    return Offer(
        product=product.code,
        kinds=[
            OfferedKindOut(name=each.name, title=each.title, why_not=each.why_not)
            for each in offered_kinds(product)
        ],
        limits=[_limit(each) for each in offered_limits(product, limit_sets)],
    )


def _limit(offered: OfferedLimit) -> OfferedLimitOut:
    item, limit_set = offered.item, offered.limit_set
    return OfferedLimitOut(
        source=f"{limit_set.code}/{item.id}",
        revision=offered.revision,
        standard=limit_set.standard,
        edition=limit_set.edition,
        clause=item.clause,
        status=limit_set.status,
        checked=limit_set.checked,
        applies=item.applies,
        kind=item.kind,
        reading=item.reading,
        variant=offered.variant,
        figure=offered.figure,
        demands=offered.demands,
        holds=offered.holds,
        reasons=list(offered.reasons),
    )
