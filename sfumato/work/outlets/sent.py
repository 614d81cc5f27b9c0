"""What was sent, and whether it is still as it was: versions of looks and their files on disk."""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Sequence
from functools import cache
from pathlib import Path
from typing import Any

import attrs
from attrs import frozen

from sfumato.core.discover import specs
from sfumato.core.errors import SfumatoError
from sfumato.core.study import outlet as outlets
from sfumato.core.study.coat import without_ids
from sfumato.core.study.coat_json import dump_coat
from sfumato.core.study.outlet import CORRECTIONS, Outlet
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.core.study.version import SentFile, Version, version_of
from sfumato.work.files import exists
from sfumato.work.outlets import forms
from sfumato.work.outlets.order import Form, fields_of, place_for, suited

_NUMBERED = re.compile(r"_\d+")
_BLOCK = 1 << 20


@frozen(eq=False)
class Sending:
    """A look that is sent: a study that has it, and the shot whose Ground is in it, if one is."""

    study: Study
    shot: Shot | None = None

    @property
    def name(self) -> str:
        return self.study.look.name


@cache
def known_forms() -> dict[str, Form]:
    """Return the ways of writing, by key."""
    return dict(specs(forms))


def form_digest(outlet: Outlet, study: Study) -> str:
    """Return what tells whether an outlet's file follows from something else than it did.

    SHA-256 of its record; of shots' corrections also of every Ground.
    """
    said: list[Any] = [outlets.dump(outlet)]
    if outlet.form == CORRECTIONS:
        shots = [attrs.evolve(s, ground=tuple(map(without_ids, s.ground))) for s in study.shots]
        said += [[s.path, s.encoding, *map(dump_coat, s.ground)] for s in shots]
    return hashlib.sha256(json.dumps(said).encode()).hexdigest()


def digest_of(files: Sequence[Path]) -> str:
    """Return the SHA-256 of a file, or that of the SHA-256 of several, "" when one cannot be read."""
    each = []
    for file in files:
        found = hashlib.sha256()
        try:
            with file.open("rb") as data:
                while block := data.read(_BLOCK):
                    found.update(block)
        except OSError:
            return ""
        each.append(found.hexdigest())
    return each[0] if len(each) == 1 else hashlib.sha256("".join(each).encode()).hexdigest()


def is_as_sent(there: SentFile) -> bool:
    """Whether a file that was sent is on disk as it was written."""
    return bool(there.digest) and digest_of([Path(f) for f in there.all]) == there.digest


def place_of(there: SentFile, outlet: Outlet) -> Path:
    """Return what an outlet's names stand for: the file, or the folder that was written."""
    return known_forms()[outlet.form].place_of(outlet, Path(there.path))


def version_for(study: Study, shot: Shot | None = None, when: str = "") -> Version:
    """Return the version that a look is now: the newest of its name when it is unchanged, or the next."""
    new = attrs.evolve(version_of(study, shot.id if shot else ""), sent=when)
    last = next((v for v in reversed(study.versions) if v.look.name == study.look.name), None)
    return last if last is not None and last.state == new.state else new


def is_of(path: Path, wanted: Path) -> bool:
    """Whether a path is the one that is wanted, or that with a number behind its name."""
    stem = wanted.name.removesuffix(wanted.suffix)
    number = path.name.removesuffix(wanted.suffix).removeprefix(stem)
    return path.parent == wanted.parent and (path == wanted or bool(_NUMBERED.fullmatch(number)))


def last_place(look: Sending, outlet: Outlet, file: Path) -> Path:
    """Return where the look went at an outlet last time, when that is but the name with a number."""
    for version in reversed(look.study.versions):
        there = version.file_of(outlet.key) if version.look.name == look.name else None
        if there is not None:
            place = place_of(there, outlet)
            return place if is_of(place, file) else file
    return file


def wanted_place(look: Sending, outlet: Outlet, when: str, number: int = 1) -> Path | None:
    """Return where an outlet would write a look, None where it has no such place."""
    try:
        study = suited(look.study, outlet, look.shot)
        version = version_for(look.study, look.shot, when)
        values = fields_of(study, outlet, version.sent or when, version.number, number)
        return place_for(outlet, values, known_forms()[outlet.form].ending(outlet))[0]
    except SfumatoError:
        return None


def foreign(look: Sending, outlet: Outlet) -> list[Path]:
    """Return what lies where an outlet would write a look, and was not sent there from here."""
    file = wanted_place(look, outlet, outlets.today())
    if file is None:
        return []
    file = last_place(look, outlet, file)
    main = known_forms()[outlet.form].main_of(outlet, file)
    known = (f for v in look.study.versions for f in v.files if Path(f.path) == main)
    return [] if not exists(file) or any(map(is_as_sent, known)) else [file]
