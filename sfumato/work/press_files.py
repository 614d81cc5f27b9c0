"""The profiles of presses as files: the one that ships, or one of the user's."""

from __future__ import annotations

from pathlib import Path

from sfumato.core.errors import MediaError
from sfumato.core.study.study import Study
from sfumato.raster.icc.engine import Press, press_of
from sfumato.raster.icc.shipped import shipped
from sfumato.work.files import read_bytes

_MOST = 64 << 20


def press_bytes(path: str) -> bytes:
    """Return the profile of a press from its file, "" = the press that ships.

    Raises:
        MediaError: it cannot be read, or is none of a press.
    """
    if not path:
        return shipped()
    data = read_bytes(Path(path), most=_MOST)
    try:
        press_of(data)
    except MediaError as error:
        raise error.at(path) from error
    return data


def press_of_study(study: Study) -> Press:
    """Return the press that a study is printed by.

    Raises:
        MediaError: its profile cannot be read, or is none of a press.
    """
    return press_of(press_bytes(study.printing.press))


def press_stamp(path: str) -> int:
    """Return what changes when the file of a profile does, 0 where there is none."""
    try:
        return Path(path).stat().st_mtime_ns if path else 0
    except OSError:
        return 0
