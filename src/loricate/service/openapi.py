"""``python -m loricate.service.openapi FOLDER``: write the OpenAPI document and the JSON Schemas.

They are kept in docs/, and the console's types are made from them.
"""

import json
import sys
from pathlib import Path
from typing import Any

from loricate.core.limit_sets import LimitSet
from loricate.core.products import Product
from loricate.core.sequences import sequence_schema
from loricate.service.app import create_app
from loricate.service.settings import Settings


def published() -> dict[str, dict[str, Any]]:
    """Each published file's content by its path under docs/."""
    app = create_app(Settings(Path("bench.toml"), Path("records"), "http://127.0.0.1:8640"))
    return {
        "openapi.json": app.openapi(),
        "schemas/sequence.schema.json": sequence_schema(),
        "schemas/product.schema.json": Product.model_json_schema(),
        "schemas/limit-set.schema.json": LimitSet.model_json_schema(),
    }


def main() -> None:
    """Write every published file."""
    folder = Path(sys.argv[1])
    for name, content in published().items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(json.dumps(content, ensure_ascii=False, indent=2) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
