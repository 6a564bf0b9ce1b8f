"""The JSON Schemas of the files that people write and get; they answer anyone, editors included."""

from typing import Any, Literal

from pydantic import BaseModel

from loricate.api.definitions import Document
from loricate.api.reports import ReportFile
from loricate.bench.plan import BenchPlan
from loricate.bench.profiles import Profile
from loricate.certificates.form import SealedFile
from loricate.core.limits.limit_sets import LimitSet
from loricate.core.products.product import Product
from loricate.core.quantities import with_written_defaults
from loricate.core.sequences.schema import sequence_schema
from loricate.service.routers.access import make_router
from loricate.service.site_file import SitePlan

router = make_router("/schemas", "schemas")
MODELS: dict[str, type[BaseModel]] = {
    "product": Product,
    "limit-set": LimitSet,
    "bench": BenchPlan,
    "site": SitePlan,
    "instrument-profile": Profile,
    "certificate": SealedFile,
    "report": ReportFile,
}


def document_schemas() -> dict[str, dict[str, Any]]:
    """The schema of each sort of document, by its name."""
    made = {
        name: with_written_defaults(
            {"$schema": "https://json-schema.org/draft/2020-12/schema", **model.model_json_schema()}
        )
        for name, model in MODELS.items()
    }
    return {"sequence": sequence_schema(), **made}


@router.get("/{name}", response_model=Document)
async def show_schema(
    name: Literal[
        "sequence",
        "product",
        "limit-set",
        "bench",
        "site",
        "instrument-profile",
        "certificate",
        "report",
    ],
) -> Document:
    """The JSON Schema of a document; needs no sign-in, so that editors can fetch it."""
    return document_schemas()[name]
