"""Preset files: the user's library and the looks that ship."""

from __future__ import annotations

import os
import re
from importlib import resources
from pathlib import Path

import attrs
import platformdirs
from attrs import frozen

from sfumato.core.errors import StudyError
from sfumato.core.study import preset as presets
from sfumato.core.study.preset import Preset
from sfumato.work.files import cut_name, is_file, json_bytes, make_folder, read_json, write_bytes
from sfumato.work.stores.study_store import lut_file

GLAZE, LOOK = ".glaze", ".look"
SUFFIXES = (GLAZE, LOOK)
_MOST = 4 << 20


def library() -> Path:
    """Return the folder of the user's presets; it may not exist yet."""
    return Path(platformdirs.user_data_dir("sfumato", appauthor=False)) / "presets"


def read_preset(path: str | Path) -> Preset:
    """Read a preset file; LUT files are found beside it.

    Raises:
        StudyError: it cannot be read or is no preset.
    """
    file = Path(path)
    plain = read_json(file, "a preset", "choose a .glaze or .look file", _MOST)
    try:
        found = presets.load(plain)
    except StudyError as error:
        raise error.at(str(file)) from error.__cause__
    folder = file.resolve().parent
    return found.with_files(lambda f: lut_file(os.path.normpath(folder / f.path)))


def write_preset(preset: Preset, path: str | Path, *, force: bool = False) -> None:
    """Write a preset so that the file is whole, old or new.

    Raises:
        ExportError: it exists and `force` is false, or the place cannot be written.
    """
    file = Path(path)
    folder = file.resolve().parent
    make_folder(folder)
    near = preset.with_files(
        lambda f: attrs.evolve(f, path=os.path.relpath(os.path.abspath(f.path), folder))
    )
    write_bytes(file, json_bytes(presets.dump(near)), force=force)


def file_name(name: str, suffix: str) -> str:
    """Return a file name for a preset's name."""
    plain = re.sub(r"[^\w\- ]+", "", name).strip().replace(" ", "_").lower()
    return f"{cut_name(plain) or 'preset'}{suffix}"


@frozen
class Shelved:
    """A preset file: what it holds, or why it cannot be read; `shipped` ones cannot be removed."""

    file: Path
    preset: Preset | None
    fault: StudyError | None = None
    shipped: bool = False


def shipped_folder() -> Path:
    """Return the folder of the looks that come with the program."""
    return Path(str(resources.files("sfumato.looks")))


def is_shipped(place: Path) -> bool:
    """Whether a file or folder is, or lies in, the folder of the looks that come with the program."""
    return place.resolve().is_relative_to(shipped_folder().resolve())


def shelf() -> list[Shelved]:
    """Return the user's presets, newest first, then those that ship, by name."""
    out: list[Shelved] = []
    own = library()
    try:
        files = [f for f in own.iterdir() if f.suffix in SUFFIXES and is_file(f)]
        files.sort(key=lambda f: (-f.stat().st_mtime, f.name))
    except OSError:
        files = []
    shipped = shipped_folder()
    for file in (*files, *sorted(shipped.glob(f"*{LOOK}"))):
        try:
            out.append(Shelved(file, read_preset(file), None, file.parent == shipped))
        except StudyError as error:
            out.append(Shelved(file, None, error))
    return out
