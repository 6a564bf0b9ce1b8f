"""Devices by asset number: how they stand, and which sequence an occasion asks for."""

import datetime as dt
import sqlite3
from collections.abc import Sequence
from dataclasses import dataclass

from loricate.api.assets import AssetOut, LastTestOut, OccasionOut
from loricate.core.errors import Finding
from loricate.core.planning.occasions import due_on, state_of
from loricate.core.products.product import Product
from loricate.core.sequences.ready import ReadySequence
from loricate.records import assets, definitions, work_orders
from loricate.records.assets import Asset
from loricate.service.errors import NotReady

Load = list[tuple[str, str]]


@dataclass(frozen=True, slots=True)
class Wanted:
    """What a run is to be: its units by serial, the sequence, and the occasion (may be empty)."""

    load: Load
    sequence: str
    occasion: str
    products: tuple[tuple[int, Asset], ...]  # of places that were told by asset number


def wanted_run(conn: sqlite3.Connection, load: Load, sequence: str, occasion: str) -> Wanted:
    """Put serials in the place of asset numbers, and find the sequence of an occasion.

    Without either it is the occasion that the units' open orders are for; then the number of one
    may stand for its unit. Where a sequence is named it does not: it may be the serial of a unit
    that is tested for the first time.

    Raises NotReady for a device that nobody described, devices of several products, and a product
    that names no sequence for the occasion.
    """
    tell = assets.find_by_number if sequence else _told_by
    known = [tell(conn, text) for _, text in load]
    found = [
        (nest, text if asset is None else asset.serial)
        for (nest, text), asset in zip(load, known, strict=True)
    ]
    by_number = tuple((place, each) for place, each in enumerate(known) if each is not None)
    if sequence:
        return Wanted(found, sequence, occasion, by_number)
    occasion = occasion or _ordered_occasion(conn, found)
    products = {}
    for place, (_, text) in enumerate(found):
        either = assets.find_either(conn, text)
        if len(either) != 1:
            why = "nobody has described" if not either else "several products have"
            remedy = "describe it first" if not either else "scan its asset number"
            message = f"'{text}' is one that {why}", f"{remedy}, or name a sequence."
            raise NotReady.because([Finding(f"load[{place}].serial", *message)])
        products[either[0].product] = place
    if len(products) > 1:
        message = f"are {' and '.join(sorted(products))}", "test one product at a time."
        raise NotReady.because([Finding("load", *message)])
    (code,) = products
    product = Products(conn).find(code)
    chosen = product.on_occasion(occasion) if product is not None else None
    if chosen is None:
        named = product.occasions if product is not None else ()
        there = ", ".join(each.occasion for each in named) or "none"
        reason = f"product '{code}' names no sequence for {occasion}"
        raise NotReady.because([Finding("occasion", reason, f"it has {there}.")])
    return Wanted(found, chosen.sequence, occasion, by_number)


def _told_by(conn: sqlite3.Connection, text: str) -> Asset | None:
    """The device of an asset number, or that an open order of this number is for."""
    if assets.find_either(conn, text):
        return assets.find_by_number(conn, text)
    order = work_orders.find_order(conn, text)
    if order is None or order.state != "open":
        return None
    return Asset(order.unit_id, order.asset, order.product, order.serial, order.place)


def _ordered_occasion(conn: sqlite3.Connection, load: Load) -> str:
    """The occasion that every unit of a load has an open order for; raises NotReady."""
    wanted: dict[str, str] = {}
    for place, (_, serial) in enumerate(load):
        orders = [
            order
            for asset in assets.find_either(conn, serial)
            for order in work_orders.open_orders(conn, asset.unit_id)
        ]
        if not orders:
            message = "is missing", "name a sequence, or the occasion, which chooses it."
            if not wanted and len(load) == 1:
                raise NotReady.because([Finding("sequence", *message)])
            reason = f"no order is open for '{serial}'", "name a sequence, or the occasion."
            raise NotReady.because([Finding(f"load[{place}].serial", *reason)])
        for order in orders:
            wanted.setdefault(order.occasion, order.number)
    if len(wanted) > 1:
        told = " and ".join(f"{number} ({each})" for each, number in sorted(wanted.items()))
        raise NotReady.because(
            [Finding("occasion", f"differs between the orders {told}", "name one.")]
        )
    return next(iter(wanted))


def occasion_of(wanted: Wanted, sequence: ReadySequence) -> str:
    """The occasion of a run of a sequence; raises NotReady where it is for none such.

    Also where a device was told by its number and is another product.
    """
    strange = [each for each in wanted.products if each[1].product != sequence.product.code]
    if strange:
        place, asset = strange[0]
        reason = f"{asset.number or asset.serial} is a {asset.product}, and {sequence.code} is for "
        reason += sequence.product.code
        raise NotReady.because([Finding(f"load[{place}].serial", reason)])
    if wanted.occasion and wanted.occasion not in sequence.occasions:
        there = ", ".join(sequence.occasions)
        reason = f"sequence '{sequence.code}' is not for {wanted.occasion}"
        raise NotReady.because([Finding("occasion", reason, f"it is for {there}.")])
    return wanted.occasion or sequence.occasions[0]


class Products:
    """The products of devices, each read once: a list has hundreds of devices of a few."""

    def __init__(self, conn: sqlite3.Connection) -> None:
        self._documents = definitions.newest_documents(conn, "product")
        self._read: dict[str, Product] = {}

    def find(self, code: str) -> Product | None:
        """The newest revision of a product; None where there is none."""
        if code in self._documents and code not in self._read:
            self._read[code] = Product.model_validate(self._documents[code][0])
        return self._read.get(code)


def told_asset(
    conn: sqlite3.Connection, asset: Asset, today: dt.date, products: Products, until: str = ""
) -> AssetOut:
    """A device as it stands, or stood when a test ended (``until``, as the record has it)."""
    product = products.find(asset.product)
    tests = assets.tests_of(conn, asset.unit_id, until)
    past = [each.past for each in tests]
    last = tests[0] if tests else None
    every = product.due_every_months if product is not None else None
    due = due_on(past, every) if every else None
    occasions: Sequence[OccasionOut] = [
        OccasionOut(occasion=each.occasion, sequence=each.sequence, every_months=each.every_months)
        for each in (product.occasions if product is not None else ())
    ]
    return AssetOut(
        number=asset.number,
        product=asset.product,
        serial=asset.serial,
        place=asset.place,
        state=state_of(past),
        last=None
        if last is None
        else LastTestOut(
            run_id=last.run_id,
            occasion=last.past.occasion,
            sequence=last.sequence_code,
            ended_at=last.ended_at,
            verdict=last.past.verdict,
            failed=assets.failed_steps(conn, last.run_unit_id),
            certificate=last.certificate,
        ),
        due=due,
        is_overdue=every is not None and (due is None or due < today),
        occasions=list(occasions),
    )
