"""Where the console's files and the demo data are, in a checkout and in an installed wheel."""

from importlib import resources
from pathlib import Path

_PACKAGE = Path(str(resources.files("loricate")))


def console_folder() -> Path:
    """The built console."""
    return _PACKAGE / "_console"


def demo_folder() -> Path:
    """The demo data."""
    packed = _PACKAGE / "_demo"
    return packed if packed.is_dir() else _PACKAGE.parents[1] / "demo"
