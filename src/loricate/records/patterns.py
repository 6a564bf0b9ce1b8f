"""Patterns as people write them, in SQL."""


def as_like(pattern: str) -> str:
    """A pattern with ``*`` and ``?`` for LIKE, with a backslash to escape."""
    like = pattern.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
    return like.replace("*", "%").replace("?", "_")
