"""The JSON Schema of a sequence document, for editors and forms."""

from typing import Any

from loricate.core.kinds import KINDS
from loricate.core.quantities import with_written_defaults
from loricate.core.sequences.steps import Sequence


def sequence_schema() -> dict[str, Any]:
    """The JSON Schema of a sequence document, each kind with its own settings."""
    schema = Sequence.model_json_schema()
    step = schema["$defs"]["Step"]
    variants = []
    for kind in KINDS.values():
        settings = kind.model_json_schema()
        schema["$defs"].update(settings.pop("$defs", {}))
        schema["$defs"][f"{kind.name}_settings"] = settings
        needed = [name for name, slot in kind.slots.items() if slot.needed]
        then: dict[str, Any] = {
            "properties": {
                "settings": {"$ref": f"#/$defs/{kind.name}_settings"},
                "limits": {"propertyNames": {"enum": list(kind.slots)}},
            }
        }
        if needed:
            then["required"] = ["limits"]
            then["properties"]["limits"]["required"] = needed
        variants.append({"if": {"properties": {"kind": {"const": kind.name}}}, "then": then})
    step["properties"]["kind"] = {"enum": list(KINDS), "title": "Kind", "type": "string"}
    step["allOf"] = variants
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    schema["title"] = "Loricate sequence"
    return with_written_defaults(schema)
