"""Every kind of picture by key; opening goes by content, and the suffix only names it."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Mapping
from functools import cache
from pathlib import PurePath
from types import MappingProxyType

from sfumato.core.errors import MediaError
from sfumato.media.contract import MediaSpec, Still

_NOT_KINDS = {"contract", "registry", "icc", "tags", "upright"}


@cache
def media() -> Mapping[str, MediaSpec]:
    """Return every kind of picture or clip by key."""
    import sfumato.media as package

    found: dict[str, MediaSpec] = {}
    for info in sorted(pkgutil.iter_modules(package.__path__), key=lambda m: m.name):
        if info.name not in _NOT_KINDS:
            spec: MediaSpec = importlib.import_module(f"{package.__name__}.{info.name}").SPEC
            found[spec.key] = spec
    return MappingProxyType(found)


def suffixes() -> tuple[str, ...]:
    return tuple(s for spec in media().values() for s in spec.suffixes)


def by_suffix(name: str) -> MediaSpec | None:
    suffix = PurePath(name).suffix.lower()
    return next((m for m in media().values() if suffix in m.suffixes), None)


def read(data: bytes, name: str, frame: int = 0) -> Still:
    """Open a picture or a frame of a clip.

    Raises:
        MediaError: nothing here can read it; `where` is the name.
    """
    if not data:
        raise MediaError("the file is empty", hint="copy it again", where=name)
    own = by_suffix(name)
    for spec in media().values():
        if spec.sniff(data[:64]) and (spec is own or not spec.named):
            try:
                return spec.read(data, frame)
            except MediaError as error:
                raise error.at(name) from error.__cause__
    raise MediaError(
        "this is not a picture or clip that can be opened",
        hint=f"known are {', '.join(suffixes())}",
        where=name,
    )
