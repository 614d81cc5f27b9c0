"""LUT files in: read from a path, which can name one of several looks in a file.

A part of a file is written as in a URL: `shots.ccc#A012%2FC003` is the correction A012/C003 of shots.ccc.
"""

from __future__ import annotations

from pathlib import Path
from urllib.parse import quote, unquote

from sfumato.core.colour import span_note
from sfumato.core.colour.encodings import Encoding, Family, encoding
from sfumato.core.errors import FormatError
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts import registry
from sfumato.formats.parts.contract import Read
from sfumato.work.files import MOST_TABLE_BYTES, read_bytes


def read_lut(path: str | Path, reading: str = "", key: str = "") -> Read:
    """Read a LUT file, the way that `reading` names or as the format `key` when they are given.

    Raises:
        FormatError: it cannot be read, with the line.
    """
    file, part = part_of(path)
    data = read_bytes(file, FormatError, MOST_TABLE_BYTES)
    return registry.read(data, str(file), reading or part, key)


def part_of(path: str | Path) -> tuple[Path, str]:
    """Return the file of a path, and the name of its part, "" for the whole.

    >>> part_of("shots.ccc#A012%2FC003")
    (PosixPath('shots.ccc'), 'A012/C003')
    """
    file = Path(path)
    name, mark, part = file.name.rpartition("#")
    is_whole = not mark or registry.by_suffix(file.name) is not None
    spec = None if is_whole else registry.by_suffix(name)
    if spec is None or spec.names is None:
        return file, ""
    return file.with_name(name), unquote(part)


def stem_of(path: str | Path) -> str:
    """Return what a look is called after its file: the name of the part, or that of the file."""
    file, part = part_of(path)
    return part or file.stem


def parts_in(file: Path) -> tuple[Path, ...]:
    """Return a path for each look in a file that holds several; none for any other.

    Raises:
        FormatError: it cannot be read.
    """
    spec = registry.by_suffix(file.name)
    if spec is None or spec.names is None:
        return ()
    found = spec.names(read_bytes(file, FormatError, MOST_TABLE_BYTES))
    if len(found) < 2:
        return ()
    parts = (quote(name, safe="").replace(".", "%2E") for name in found)  # no suffix of their own
    return tuple(file.with_name(f"{file.name}#{part}") for part in parts)


def display_of(transform: Transform) -> Encoding:
    """Return the display in which a LUT's errors are measured: what it says it gives, else BT.1886."""
    gives = span_note.read(transform.comments)[1]
    if gives and encoding(gives).family is Family.DISPLAY:
        return encoding(gives)
    return encoding("BT.1886")
