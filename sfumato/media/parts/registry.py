"""Every kind of picture by key; opening goes by content, and the suffix only names it."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from pathlib import PurePath

from sfumato.core.discover import specs
from sfumato.core.errors import MediaError
from sfumato.media.parts.contract import MediaSpec, Still


@cache
def media() -> Mapping[str, MediaSpec]:
    """Return every kind of picture or clip by key: the modules of `media/`."""
    import sfumato.media as package

    return specs(package)


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
