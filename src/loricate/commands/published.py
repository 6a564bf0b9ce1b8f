"""``python -m loricate.commands.published FOLDER``: write what is published from the code.

That is the OpenAPI document, the JSON Schemas and the page of the kinds. They are kept in docs/,
and the console's types are made from them.
"""

import json
import sys
from pathlib import Path
from typing import Any

from loricate.api.messages import Message
from loricate.core.kinds_page import kinds_page
from loricate.papers.unit_tables import xsd
from loricate.service.app import create_app
from loricate.service.routers.schemas import document_schemas
from loricate.service.settings import Settings
from loricate.simulator.standins import StandInBench
from loricate.simulator.units import UnitModel


def published() -> dict[str, str]:
    """Each published file's content by its path under docs/."""
    app = create_app(Settings(Path("bench.toml"), Path("records"), "http://127.0.0.1:8640"))
    schemas = {
        **document_schemas(),
        "message": Message.model_json_schema(),
        "stand-ins": StandInBench.model_json_schema(),
        "stand-in-unit": UnitModel.model_json_schema(),
    }
    documents: dict[str, dict[str, Any]] = {
        "openapi.json": app.openapi(),
        **{f"schemas/{name}.schema.json": each for name, each in schemas.items()},
    }
    written = {
        name: json.dumps(content, ensure_ascii=False, indent=2) + "\n"
        for name, content in documents.items()
    }
    return {**written, "kinds.md": kinds_page(), "schemas/report.xsd": xsd()}


def main() -> None:
    """Write every published file."""
    folder = Path(sys.argv[1])
    for name, content in published().items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(content, encoding="utf-8")


if __name__ == "__main__":
    main()
