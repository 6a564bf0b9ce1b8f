"""Records that tests of what is found share."""

import random
from collections.abc import Iterator

import pytest

from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import facts_of
from loricate.records import (
    definitions,
    sequences,
)
from loricate.records.store import atomic, migrate, open_connection
from tests.conftest import demo_limit_sets, five_steps, read_demo
from tests.records.searched import Filled, put_in


@pytest.fixture(scope="session")
def filled(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Filled]:
    """Records of eighty units in runs, and what the test knows of each."""
    path = tmp_path_factory.mktemp("searched") / "r.sqlite"
    migrate(path)
    conn = open_connection(path)
    product = Product.model_validate(read_demo("products/dc-40.toml"))
    sequence = prepare(five_steps(), {product.code: product}, demo_limit_sets())
    with atomic(conn):
        definitions.add_document(conn, "product", "DC-40", read_demo("products/dc-40.toml"), "m")
        for name in ("iec-60335-1-annex-a", "iec-60335-1-leakage"):
            document = read_demo(f"limit-sets/{name}.toml")
            definitions.add_document(conn, "limit_set", document["code"], document, "m")
        sequences.store_draft(conn, facts_of(sequence), five_steps(), "mara")
        known = put_in(conn, sequence, random.Random(15))
    yield Filled(conn, known)
    conn.close()
