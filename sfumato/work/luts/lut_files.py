"""LUT files in: read from a path."""

from __future__ import annotations

from pathlib import Path

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
    file = Path(path)
    return registry.read(read_bytes(file, FormatError, MOST_TABLE_BYTES), str(file), reading, key)


def display_of(transform: Transform) -> Encoding:
    """Return the display in which a LUT's errors are measured: what it says it gives, else BT.1886."""
    gives = span_note.read(transform.comments)[1]
    if gives and encoding(gives).family is Family.DISPLAY:
        return encoding(gives)
    return encoding("BT.1886")
