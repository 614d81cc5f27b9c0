"""The press profiles that ship: "Saltglass press", made up, in version 2 and 4."""

from __future__ import annotations

from importlib import resources

VERSIONS = (2, 4)


def file_name(version: int) -> str:
    return f"saltglass_press_v{version}.icc"


def shipped(version: int = 4) -> bytes:
    """Return the profile of the press that ships."""
    return resources.files("sfumato.press").joinpath(file_name(version)).read_bytes()
