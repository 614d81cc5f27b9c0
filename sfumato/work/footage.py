"""Folders of footage: pictures and clips that come in together."""

from __future__ import annotations

import os
from collections.abc import Iterable
from itertools import islice
from pathlib import Path

from sfumato.formats.parts.registry import by_suffix as lut_suffix
from sfumato.media.parts.registry import by_suffix
from sfumato.work.files import is_folder

MOST = 500  # files that come in at once
_LOOKED_AT = 400


def holds_footage(folder: Path) -> bool:
    """Whether a folder holds more pictures and clips than files that are LUTs alone."""
    try:
        with os.scandir(folder) as entries:
            names = [e.name for e in islice(entries, _LOOKED_AT)]
    except OSError:
        return False
    media = sum(by_suffix(n) is not None for n in names)
    return media > sum(lut_suffix(n) is not None and by_suffix(n) is None for n in names)


def with_folders(places: Iterable[Path]) -> list[Path]:
    """Return files, with the pictures and clips of folders in their place, by name; hidden ones left out."""
    found: list[Path] = []
    for place in places:
        if not is_folder(place):
            found.append(place)
            continue
        try:
            inside = sorted(p for p in place.iterdir() if not p.name.startswith("."))
        except OSError:
            continue
        found += [p for p in inside if by_suffix(p.name) is not None and not is_folder(p)]
    return found
