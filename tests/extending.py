"""A pytest plugin: what lies in the folder EXTENSION stands in the package of that name as well.

`-p extending` with EXTENSION=folder makes `folder/core/glazes/x.py` importable as
`sfumato.core.glazes.x`, as if it had been put there.
"""

from __future__ import annotations

import importlib
import os
from pathlib import Path


def pytest_configure() -> None:
    root = Path(os.environ["EXTENSION"])
    for folder in (p for p in root.rglob("*") if p.is_dir()):
        name = ".".join(("sfumato", *folder.relative_to(root).parts))
        package = root.parent
        try:
            package = importlib.import_module(name)
        except ModuleNotFoundError:
            continue  # a package of the extension's own
        package.__path__.append(str(folder))
