"""Walk a package, collect each module's SPEC, refuse doubled keys, freeze."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Mapping
from types import MappingProxyType, ModuleType
from typing import Any


def specs(package: ModuleType, leaf: str = "") -> Mapping[str, Any]:
    """Return every module's `SPEC` in `package`, by `SPEC.key`, in module-name order.

    With `leaf`, it is packages that count, and that module of each has the SPEC.

    Raises:
        RuntimeError: two modules declare the same key, or a module declares none.
    """
    found: dict[str, Any] = {}
    for info in sorted(pkgutil.iter_modules(package.__path__), key=lambda m: m.name):
        if info.ispkg != bool(leaf):
            continue  # what the modules share stands in a package beside them
        module = importlib.import_module(
            ".".join(filter(None, (package.__name__, info.name, leaf)))
        )
        spec = getattr(module, "SPEC", None)
        if spec is None:
            raise RuntimeError(f"{module.__name__} declares no SPEC")
        if spec.key in found:
            raise RuntimeError(f"two modules declare {spec.key!r}")
        found[spec.key] = spec
    return MappingProxyType(found)
