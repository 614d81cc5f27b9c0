"""What runs of conversion made, and of what: so that a folder's results are not taken for its sources.

Kept in the user's state folder as JSON, the last few thousand results. A file counts as a result as
long as its size and time are those that it was given.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from pathlib import Path

import platformdirs

from sfumato.core.errors import SfumatoError
from sfumato.work.files import read_json, write_bytes

_MOST, _MOST_BYTES = 20_000, 32 << 20


def _file() -> Path:
    return Path(platformdirs.user_state_dir("sfumato", appauthor=False)) / "conversions.json"


def _known() -> dict[str, list[object]]:
    try:
        found = read_json(_file(), "a list of results", "it is made anew", _MOST_BYTES)
    except SfumatoError:
        return {}
    return found if isinstance(found, dict) else {}


def _stamp(file: Path) -> list[object]:
    stat = file.stat()
    return [stat.st_size, stat.st_mtime_ns]


def remember(results: Mapping[Path, Path]) -> None:
    """Note results, each with its source; what cannot be written is forgotten, which harms nothing."""
    known = _known()
    try:
        for result, source in results.items():
            place = str(result.resolve())
            known.pop(place, None)
            known[place] = [*_stamp(result), str(source.resolve())]
        _file().parent.mkdir(parents=True, exist_ok=True)
        write_bytes(_file(), json.dumps(dict(list(known.items())[-_MOST:])).encode())
    except (OSError, SfumatoError, UnicodeError):
        return


def results_among(files: Iterable[Path]) -> set[Path]:
    """Return those that an earlier run made of others of these files, and that nobody changed since."""
    places = {str(file.resolve()): file for file in files}
    known, found = _known(), set()
    for place, file in places.items():
        note = known.get(place)
        try:
            if isinstance(note, list) and note[2] in places and note[:2] == _stamp(file):
                found.add(file)
        except (OSError, IndexError, TypeError):
            continue
    return found
