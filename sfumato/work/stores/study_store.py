"""Study files: open, save, autosave and recover. Shots are stored relative to the study file."""

from __future__ import annotations

import json
import os
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import attrs
import platformdirs
from attrs import frozen

import sfumato
from sfumato.core.colour.encodings import Encoding, add_encodings, also
from sfumato.core.controls import LutFile
from sfumato.core.errors import (
    DAMAGE,
    FormatError,
    SfumatoError,
    StudyError,
    ValueRefused,
)
from sfumato.core.study import study_json
from sfumato.core.study.journey import Journey
from sfumato.core.study.study import Study
from sfumato.work.files import is_file, json_bytes, make_folder, read_json, write_bytes
from sfumato.work.luts.lut_files import part_of, read_lut
from sfumato.work.stores.ocio_config import BUILT_IN, absolute, encodings_of

SUFFIX = ".sfumato"
_MOST = 64 << 20


@frozen(eq=False)
class Found:
    """A study that was read, and the encodings that it brings: they are not known yet."""

    study: Study
    encodings: tuple[Encoding, ...] = ()

    def opened(self) -> Study:
        """Return the study for use: its encodings are known from here on."""
        add_encodings(self.encodings)
        return self.study


def open_study(path: str | Path) -> Study:
    """Open a study file for use; shot paths come back absolute.

    Raises:
        StudyError: it cannot be read or is not a study.
    """
    return read_study(path).opened()


def read_study(path: str | Path) -> Found:
    """Read a study file, and leave everything else as it is.

    Raises:
        StudyError: it cannot be read or is not a study.
    """
    file = Path(path)
    return loaded(read_json(file, "a study", "choose a .sfumato file", _MOST), file)


def loaded(plain: Any, file: Path) -> Found:
    """Make a study of plain data that stands in a file; its paths may be relative to that.

    Raises:
        StudyError: it is not a study, or its OCIO config cannot be opened.
    """
    folder = file.resolve().parent
    try:
        configs, found = _read(plain, folder)
    except StudyError as error:
        raise error.at(str(file)) from error.__cause__
    study = found.study
    study = attrs.evolve(study, configs=configs)
    study = _with_places(study, lambda path: os.path.normpath(folder / path))
    study = study.with_files(lambda f: lut_file(os.path.normpath(folder / f.path)))
    return Found(study, found.encodings)


def _read(plain: Any, folder: Path) -> tuple[tuple[str, ...], Found]:
    """Make a study of plain data, with the encodings of the OCIO configs that it names."""
    named = plain.get("configs", []) if isinstance(plain, dict) else []
    listed = named[:16] if isinstance(named, list) else []
    configs = tuple(absolute(str(c), folder) for c in listed)
    try:
        spaces = encodings_of(configs)
    except (FormatError, ValueRefused) as error:
        raise StudyError(
            f"its OCIO config cannot be opened: {error.summary}", hint=error.hint
        ) from error
    with also(spaces):
        study = study_json.load(plain)
        own = study_json.brought(plain)[1]
    return configs, Found(study, (*spaces, *own))


def with_luts(study: Study) -> Study:
    """Read the LUT files that glazes of a study refer to."""
    return study.with_files(lambda f: lut_file(f.path))


def lut_file(path: str | Path) -> LutFile:
    """Read a LUT file as a value for a glaze; one that cannot be read comes back without a chain."""
    try:
        return read_lut_file(path)
    except FormatError:
        return LutFile(str(path))


def read_lut_file(path: str | Path) -> LutFile:
    """Read a LUT file as a value for a glaze.

    Raises:
        FormatError: it cannot be read.
    """
    transform = read_lut(path).transform
    facts = os.stat(part_of(path)[0])
    return LutFile(str(path), transform, f"{facts.st_mtime_ns}-{facts.st_size}")


def _with_places(study: Study, place: Callable[[str], str]) -> Study:
    """Return the study with other paths of its shots, carriers, what came back of them, and loans."""

    def one(journey: Journey) -> Journey:
        returns = tuple(attrs.evolve(r, path=place(r.path)) for r in journey.returns)
        path = place(journey.path) if journey.path else ""  # what came back alone has no carrier
        return attrs.evolve(journey, path=path, returns=returns)

    shots = tuple(attrs.evolve(s, path=place(s.path)) for s in study.shots)
    return attrs.evolve(
        study,
        shots=shots,
        journeys=tuple(map(one, study.journeys)),
        loan=study.loan.placed(place),
    )


def _relative(path: str, folder: Path) -> str:
    """Return a path as seen from a folder, or as it is when it lies far away."""
    near = os.path.relpath(path, folder)
    return path if near.startswith("../../..") else near


def as_bytes(study: Study, folder: Path | None = None) -> bytes:
    """Return the study as JSON; shots below or near `folder` become relative to it."""
    if folder is not None:
        study = _with_places(study, lambda path: _relative(path, folder))
        configs = tuple(
            c if c.startswith(BUILT_IN) else _relative(c, folder) for c in study.configs
        )
        study = attrs.evolve(study, configs=configs)
        study = study.with_files(lambda f: attrs.evolve(f, path=_relative(f.path, folder)))
    return json_bytes(study_json.dump(study))


def save_study(study: Study, path: str | Path) -> None:
    """Write a study so that the file is whole, old or new.

    Raises:
        ExportError: the place cannot be written.
    """
    file = Path(path).resolve()  # a link is followed: shots are stored relative to the file itself
    write_bytes(file, as_bytes(study, file.parent))


def demo_study() -> Path | None:
    """Return the demo study: in the installed package, or beside it in a checkout; None without one."""
    package = Path(sfumato.__file__).resolve().parent
    places = (folder / "demo" / "saltglass.sfumato" for folder in (package, package.parent))
    return next((study for study in places if is_file(study)), None)


# --- autosave ----------------------------------------------------------------------------------
def state_folder() -> Path:
    """Return the folder for recovery copies, which may not be there yet."""
    return Path(platformdirs.user_state_dir("sfumato", appauthor=False))


@frozen(eq=False)
class Recovered:
    """An autosave that outlived its program: where the study was saved (None = never), and when."""

    file: Path
    found: Found
    original: str | None
    when: float

    @property
    def study(self) -> Study:
        return self.found.study


def _started(pid: int) -> str:
    """Return when a process was started, in ticks since the computer was; "" when there is none.

    Source: proc(5), /proc/[pid]/stat, field 22; a number alone may be another program's by now.
    """
    try:
        stat = Path(f"/proc/{pid}/stat").read_text(encoding="utf-8", errors="replace")
    except OSError:
        return ""
    return stat.rpartition(")")[2].split()[19]


def _boot() -> str:
    """Return what names the time since the computer was started."""
    try:
        return Path("/proc/sys/kernel/random/boot_id").read_text(encoding="ascii").strip()
    except (OSError, ValueError):
        return ""


def autosave(study: Study, slot: Path, original: str | None) -> None:
    """Write the study into an autosave slot, with the process that owns it."""
    body = {
        "autosave": 1,
        "pid": os.getpid(),
        "started": _started(os.getpid()),
        "boot": _boot(),
        "original": original,
        "when": time.time(),
        "study": study_json.dump(study),
    }
    make_folder(slot.parent)
    write_bytes(slot, json.dumps(body).encode())


def new_slot() -> Path:
    return state_folder() / "autosave" / f"{os.getpid()}-{time.time_ns()}.json"


def _is_owned(body: dict[str, Any]) -> bool:
    """Whether another process that runs now wrote a copy: the same number, start and boot."""
    pid = int(body["pid"])
    started = _started(pid)
    if not started or pid == os.getpid():
        return False
    return (body.get("started", started), body.get("boot", _boot())) == (started, _boot())


def recoverable() -> tuple[list[Recovered], list[Path]]:
    """Return autosaves whose program is gone, newest first, and the files that are damaged."""
    found, damaged = [], []
    for file in sorted((state_folder() / "autosave").glob("*.json")):
        try:
            body = read_json(file, "a recovery copy", "", _MOST)
            if _is_owned(body):
                continue
            kept = _read(body["study"], file.parent)[1]
            original = body["original"]
            if original is not None and not isinstance(original, str):
                raise TypeError("no path")
            when = min(max(float(body["when"]), 0.0), time.time())
            found.append(Recovered(file, kept, original, when))
        except (SfumatoError, OSError, *DAMAGE):
            damaged.append(file)
    return sorted(found, key=lambda r: -r.when), damaged
