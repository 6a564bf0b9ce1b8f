"""The kinds of step. Each kind is one module here and registers itself once on import."""

import importlib
import pkgutil

from loricate.core.kinds.registry import KINDS, Kind, KindSettings, find_kind, register

for _module in pkgutil.iter_modules(__path__):
    if _module.name != "registry":
        importlib.import_module(f"{__name__}.{_module.name}")

__all__ = ["KINDS", "Kind", "KindSettings", "find_kind", "register"]
