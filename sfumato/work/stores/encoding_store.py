"""Encoding files: the user's library of encodings, and decoders out of LUT files."""

from __future__ import annotations

import re
from pathlib import Path

import platformdirs

from sfumato.core.colour import user_encoding
from sfumato.core.colour.encodings import add_encodings, drop_encodings, encodings
from sfumato.core.colour.user_encoding import MOST_ENTRIES, Decoder, UserEncoding, decoder_of
from sfumato.core.errors import ExportError, FormatError, StudyError, ValueRefused
from sfumato.core.lut.table import Table1D
from sfumato.work.files import json_bytes, make_folder, read_json, refusal, write_bytes
from sfumato.work.luts.lut_files import read_lut

SUFFIX = ".encoding.json"
_MOST = 8 << 20
_SAMPLES = 4096


def library() -> Path:
    """Return the folder of the user's encodings; it may not exist yet."""
    return Path(platformdirs.user_data_dir("sfumato", appauthor=False)) / "encodings"


def read_encoding(path: str | Path) -> UserEncoding:
    """Read an encoding file.

    Raises:
        StudyError: it cannot be read or is no encoding.
    """
    plain = read_json(path, "an encoding", f"choose a {SUFFIX} file", _MOST)
    try:
        return user_encoding.load(plain)
    except ValueRefused as error:
        raise StudyError(error.summary, hint=error.hint, where=str(path)) from error


def write_encoding(own: UserEncoding, path: str | Path, *, force: bool = False) -> None:
    """Write an encoding so that the file is whole, old or new.

    Raises:
        ExportError: it exists and `force` is false, or the place cannot be written.
    """
    write_bytes(Path(path), json_bytes(user_encoding.dump(own)), force=force)


def _place(name: str) -> Path:
    plain = re.sub(r"[^\w .+-]", "_", name).strip(" .") or "encoding"
    return library() / f"{plain}{SUFFIX}"


def load_library() -> list[StudyError]:
    """Make every encoding of the library known; return what could not be read."""
    faults: list[StudyError] = []
    for file in sorted(library().glob(f"*{SUFFIX}")):
        try:
            add_encodings([read_encoding(file).made()])
        except ValueRefused as error:
            faults.append(StudyError(error.summary, hint=error.hint, where=str(file)))
        except StudyError as error:
            faults.append(error)
    return faults


def keep(own: UserEncoding) -> Path:
    """Make an encoding known and keep it in the library; return its file.

    Raises:
        ValueRefused: its numbers make no encoding, or the name is taken by one that ships.
        ExportError: the library cannot be written.
    """
    add_encodings([own.made()])
    file = _place(own.name)
    make_folder(file.parent)
    write_encoding(own, file, force=True)
    return file


def forget(name: str) -> None:
    """Take an encoding out of the library and out of the menus.

    Raises:
        ExportError: its file cannot be removed.
    """
    try:
        _place(name).unlink(missing_ok=True)
    except OSError as error:
        raise refusal(error, _place(name), ExportError) from error
    drop_encodings([name])


def own_encodings() -> list[UserEncoding]:
    """Return the definitions of all encodings of the user's that are known."""
    return [e.definition for e in encodings().values() if e.definition is not None]


def read_decoder(path: str | Path) -> Decoder:
    """Read a 1D LUT, or another LUT file that is curves and a matrix, as a decoder: code to light.

    Raises:
        FormatError: it cannot be read, or does more than a decoder can.
    """
    file = Path(path)
    transform = read_lut(file).transform
    size, low, high = _SAMPLES, 0.0, 1.0
    if len(transform.stages) == 1 and isinstance(transform.stages[0], Table1D):
        table = transform.stages[0]
        if len(set(table.domain[0])) == 1 and len(set(table.domain[1])) == 1:
            low, high = table.domain[0][0], table.domain[1][0]
            size = min(table.size, MOST_ENTRIES)
    try:
        return decoder_of(transform.apply, size, low, high, file.name)
    except ValueRefused as error:
        raise FormatError(error.summary, hint=error.hint, where=str(file)) from error
