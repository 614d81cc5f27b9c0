"""Sfumato builds 3D lookup tables from colour grades, converts them, and proves what they do."""

from __future__ import annotations

from typing import Any

from sfumato._version import VERSION as __version__

__all__ = [
    "FormatError",
    "MediaError",
    "SfumatoError",
    "StudyError",
    "__version__",
    "encodings",
    "glazes",
    "open_study",
    "proof",
    "read",
    "recover",
    "to_encoding",
    "write",
]


def __getattr__(name: str) -> Any:
    if name not in __all__:
        raise AttributeError(f"module 'sfumato' has no attribute {name!r}")
    from sfumato import api

    return getattr(api, name)
