"""The demo's documents as the drills use them, read from files alone."""

import tomllib
from typing import Any

from loricate.commands.places import demo_folder
from loricate.core.limits.limit_sets import LimitSet
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence


def read_toml(name: str) -> dict[str, Any]:
    """A demo document as plain data."""
    return tomllib.loads((demo_folder() / name).read_text(encoding="utf-8"))


def demo_products() -> dict[str, Product]:
    """The demo's products by code."""
    found = [
        Product.model_validate(tomllib.loads(path.read_text(encoding="utf-8")))
        for path in sorted((demo_folder() / "products").glob("*.toml"))
    ]
    return {product.code: product for product in found}


def demo_limit_sets() -> dict[str, tuple[LimitSet, int]]:
    """The demo's limit sets by code, each at revision 1."""
    found = [
        LimitSet.model_validate(tomllib.loads(path.read_text(encoding="utf-8")))
        for path in sorted((demo_folder() / "limit-sets").glob("*.toml"))
    ]
    return {limit_set.code: (limit_set, 1) for limit_set in found}


def demo_sequence(name: str) -> ReadySequence:
    """A demo sequence, ready to run."""
    return prepare(read_toml(f"sequences/{name}.toml"), demo_products(), demo_limit_sets())
