"""Products, and what is on offer for one."""

import sqlite3

from loricate.api.definitions import (
    ComparedOut,
    Comparison,
    FromTo,
    LeftOutOut,
    ListToTake,
    Offer,
    OfferedKindOut,
    OfferedLimitOut,
    ProductDraft,
    ProposedStepOut,
)
from loricate.core.errors import DocumentError, Finding
from loricate.core.limits.limit_sets import LimitSet, LimitSets
from loricate.core.products.comparing import Compared, NoSuchStandard, compared, standards_of
from loricate.core.products.from_to import from_to_text, with_from_to
from loricate.core.products.offer import OfferedLimit, offered_kinds, offered_limits
from loricate.core.products.product import Product
from loricate.core.sequences.proposing import NothingToPropose, proposed_step
from loricate.records import definitions
from loricate.service.routers.access import Revision, TheDesk
from loricate.service.routers.definitions import document_routes
from loricate.service.sign_in import Definer, Reader

router = document_routes("product", Product, "/products", "products")


@router.get("/{code}/offer", response_model=Offer)
async def show_offer(code: str, person: Reader, desk: TheDesk) -> Offer:
    """The kinds of step and the limits of standards for a product, and why each holds or not."""

    def read(conn: sqlite3.Connection) -> Offer:
        document, _ = definitions.get_document(conn, "product", code)
        product = Product.model_validate(document)
        limit_sets = definitions.known_limit_sets(conn)
        return Offer(
            product=product.code,
            kinds=[
                OfferedKindOut(
                    name=each.name,
                    title=each.title,
                    why_not=each.why_not,
                    is_filled=each.is_filled,
                )
                for each in offered_kinds(product)
            ],
            limits=[_limit(each) for each in offered_limits(product, limit_sets)],
        )

    return await desk.store.read(read)


@router.get("/{code}/standards", response_model=Comparison)
async def compare_standards(
    code: str, person: Reader, desk: TheDesk, one: str = "", other: str = ""
) -> Comparison:
    """What two standards ask of a product, side by side; without them, which there are."""

    def read(conn: sqlite3.Connection) -> tuple[Product, LimitSets]:
        document, _ = definitions.get_document(conn, "product", code)
        return Product.model_validate(document), definitions.known_limit_sets(conn)

    product, limit_sets = await desk.store.read(read)
    found: tuple[Compared, ...] = ()
    try:
        if one or other:
            found = compared(product, limit_sets, one, other)
    except NoSuchStandard as error:
        place = "other" if one in standards_of(limit_sets) else "one"
        raise DocumentError("comparison", (Finding(place, str(error)),)) from error
    rows = [
        ComparedOut(
            kind=each.kind,
            reading=each.reading,
            what=each.what,
            one=list(each.one),
            other=list(each.other),
            differs=each.differs,
        )
        for each in found
    ]
    standards = list(standards_of(limit_sets))
    return Comparison(product=product.code, standards=standards, rows=rows)


@router.get("/{code}/steps/{kind}", response_model=ProposedStepOut)
async def propose_step(
    code: str, kind: str, limit_set: str, person: Reader, desk: TheDesk
) -> ProposedStepOut:
    """A step of a kind, filled with all that a limit set limits of the product; stores nothing."""

    def read(conn: sqlite3.Connection) -> tuple[Product, LimitSet]:
        document, _ = definitions.get_document(conn, "product", code)
        known, _ = definitions.get_document(conn, "limit_set", limit_set)
        return Product.model_validate(document), LimitSet.model_validate(known)

    product, known = await desk.store.read(read)
    try:
        found = await desk.study.do(proposed_step, kind, product, known)
    except NothingToPropose as error:
        raise DocumentError("step", (Finding("limit_set", str(error)),)) from error
    left = [LeftOutOut(what=each.what, reason=each.reason) for each in found.left_out]
    return ProposedStepOut(step=found.step, points=found.points, left_out=left)


@router.get("/{code}/from-to", response_model=FromTo)
async def show_from_to(
    code: str, person: Reader, desk: TheDesk, revision: Revision = None
) -> FromTo:
    """A cable's nets, shields and components as a from-to list; the header alone without any."""
    document, _ = await desk.store.read(
        lambda conn: definitions.get_document(conn, "product", code, revision)
    )
    return FromTo(text=from_to_text(Product.model_validate(Product.in_current_form(document))))


@router.post("/drafts/from-to", response_model=ProductDraft)
async def read_from_to(body: ListToTake, person: Definer, desk: TheDesk) -> ProductDraft:
    """A product's document with the nets of a from-to list in place of its own; stores nothing."""
    document = await desk.study.do(with_from_to, body.document, body.text)
    return ProductDraft(document=document)


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
