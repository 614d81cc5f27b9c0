"""Compile the kernels, or load them from the cache: `python -m sfumato.work.warm`."""

from __future__ import annotations

import importlib
import linecache
import os
import pkgutil
import sys
import tempfile
from pathlib import Path

import platformdirs


def choose_cache() -> None:
    """Point Numba at a cache folder that can be written; must run before Numba is imported."""
    if os.environ.get("NUMBA_CACHE_DIR"):
        return
    folder = Path(platformdirs.user_cache_dir("sfumato", appauthor=False)) / "kernels"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryFile(dir=folder):
            pass
    except OSError:
        folder = Path(tempfile.gettempdir()) / f"sfumato-kernels-{os.getuid()}"
        try:
            folder.mkdir(mode=0o700, exist_ok=True)
        except OSError:
            return  # nothing is kept; Numba compiles anew
    os.environ["NUMBA_CACHE_DIR"] = str(folder)


def warm() -> None:
    """Load every kernel; until this returns, NumPy does the same work more slowly."""
    choose_cache()
    from sfumato.core import compiled, kernels

    compiled.load_kernels()
    for module in pkgutil.iter_modules(kernels.__path__, f"{kernels.__name__}."):
        importlib.import_module(module.name)
    linecache.clearcache()  # the compiler reads the source of all that it imports: 25 MB


if __name__ == "__main__":
    if "--quiet" not in sys.argv:
        print("compiling kernels", file=sys.stderr)
    warm()
