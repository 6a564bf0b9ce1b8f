"""Loading kinds that do not ship: modules that register their own on import."""

import importlib
from collections.abc import Iterable

from loricate.core.errors import CoreError


class KindsNotLoaded(CoreError):
    """A module of kinds cannot be imported."""

    def __init__(self, module: str, reason: str) -> None:
        super().__init__(module, reason)
        self.module, self.reason = module, reason

    def __str__(self) -> str:
        return (
            f"The kinds of module '{self.module}' cannot be loaded: {self.reason}. Give the name "
            "of a module that Python finds here."
        )


def load_kinds(modules: Iterable[str]) -> None:
    """Import each module, which registers its kinds and roles; raises KindsNotLoaded."""
    for module in modules:
        try:
            importlib.import_module(module)
        except ImportError as error:
            raise KindsNotLoaded(module, str(error)) from error
