"""The JSON Schemas of the documents that people write; they answer anyone, editors included."""

from typing import Any, Literal

from loricate.api.definitions import Document
from loricate.core.limit_sets import LimitSet
from loricate.core.products import Product
from loricate.core.sequences import sequence_schema
from loricate.service.routers.access import make_router

router = make_router("/schemas", "schemas")


def document_schemas() -> dict[str, dict[str, Any]]:
    """The schema of each sort of document, by its name."""
    return {
        "sequence": sequence_schema(),
        "product": Product.model_json_schema(),
        "limit-set": LimitSet.model_json_schema(),
    }


@router.get("/{name}", response_model=Document)
async def show_schema(name: Literal["sequence", "product", "limit-set"]) -> Document:
    """The JSON Schema of a document; needs no sign-in, so that editors can fetch it."""
    return document_schemas()[name]
