"""The conditions of a step in one line, for certificates and screens: its settings as written."""

from loricate.core.kinds.registry import KindSettings


def conditions_text(settings: KindSettings) -> str:
    """Give every setting that has a value, with its title: ``Test voltage 1 kV, Dwell 1 s``."""
    parts = []
    for name, value in settings.model_dump(mode="json").items():
        if value is None or value in ([], "") or name in ("question", "questions"):
            continue
        title = type(settings).model_fields[name].title or name
        own = getattr(settings, name)
        shown = "+".join(map(str, own)) if isinstance(own, tuple) else str(value)
        parts.append(f"{title} {shown}")
    return ", ".join(parts)
