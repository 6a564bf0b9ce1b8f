"""The page of the kinds: what each one does, its settings and what it grades, as Markdown."""

from pydantic_core import PydanticUndefined

from loricate.core.kinds import KINDS, Kind


def kinds_page() -> str:
    """Every kind in the order of its name."""
    head = (
        "# Kinds of step\n\n"
        "Made by `make openapi` from the kinds themselves; `docs/adding-a-kind.md` says how to add "
        "one.\n"
    )
    return "\n".join([head, *(_section(KINDS[name]) for name in sorted(KINDS))])


def _section(kind: Kind) -> str:
    module = __import__(kind.__module__, fromlist=["_"])
    told = " ".join((module.__doc__ or "").split())
    lines = [f"## {kind.title}: `{kind.name}`", "", told, "", "| setting | what | default |"]
    lines.append("| --- | --- | --- |")
    defaults = _defaults(kind)
    for name, field in kind.model_fields.items():
        what = ". ".join(each for each in (field.title, field.description) if each)
        lines.append(f"| `{name}` | {what} | {defaults[name]} |")
    graded = [
        f"`{name}` ({slot.title.lower()}{', always' if slot.needed else ''})"
        for name, slot in kind.slots.items()
    ]
    lines += ["", f"Grades: {', '.join(graded)}." if graded else "Grades no quantity.", ""]
    return "\n".join(lines)


def _defaults(settings: Kind) -> dict[str, str]:
    """Each default as it would be written in a document."""
    fields = settings.model_fields
    known = {
        name: field.default
        for name, field in fields.items()
        if field.default is not PydanticUndefined
    }
    written = settings.model_construct(**known).model_dump(mode="json", include=set(known))
    return {
        name: "must be given" if name not in known else _shown(written[name]) for name in fields
    }


def _shown(value: object) -> str:
    if value in (None, "", []):
        return "none"
    return ", ".join(map(str, value)) if isinstance(value, list) else str(value)
