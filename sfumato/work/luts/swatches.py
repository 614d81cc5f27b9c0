"""Looks in folders, and shots through them. Not divided: all of it reads one cache of facts."""

from __future__ import annotations

import base64
import contextlib
import io
import json
import os
import shutil
import sqlite3
import threading
import weakref
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

import attrs
import imagecodecs
import numpy as np
import platformdirs
from attrs import frozen
from PIL import Image

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour import span_note
from sfumato.core.colour.encodings import convert, encoding, encodings
from sfumato.core.errors import FormatError, SfumatoError
from sfumato.core.lut.bake import baked
from sfumato.core.lut.table import Table3D
from sfumato.core.lut.transform import Function, Transform
from sfumato.core.measure.assay import kind_of
from sfumato.core.measure.swatch import Character, character
from sfumato.core.path import path
from sfumato.core.study.preset import LOG, Preset, suits
from sfumato.core.study.study import Study
from sfumato.formats.parts.registry import by_suffix
from sfumato.media.parts.registry import by_suffix as picture_suffix
from sfumato.work import memory
from sfumato.work.cancel import Cancel
from sfumato.work.files import exists, json_bytes, make_folder, read_json, refusal, write_bytes
from sfumato.work.luts.ends import Ends, is_log, laid, likely, seen
from sfumato.work.luts.looks import study_of
from sfumato.work.luts.lut_files import part_of, parts_in, read_lut, stem_of
from sfumato.work.memory import Kept
from sfumato.work.stores.presets import SUFFIXES, read_preset
from sfumato.work.tiles import spread

MOST_FILES = 10_000
_KEEP = 48  # loaded looks
_VERSION = 1
_FACTS_VERSION = 2  # of what the cache holds


@frozen
class Swatch:
    """One look: its file, or the part of a file that it is, and a stamp that changes with it."""

    file: Path
    stamp: str
    key: str = attrs.field(init=False, eq=False, repr=False)  # asked for all the time

    def __attrs_post_init__(self) -> None:
        object.__setattr__(self, "key", f"{self.file}|{self.stamp}")

    @property
    def on_disk(self) -> Path:
        """The file that it lies in."""
        return part_of(self.file)[0]


@frozen
class Facts:
    """What is known of a swatch without the shot; `fault` says why it cannot be read.

    `expects` and `gives` are encodings that the file states; `log` whether it seems to expect log
    (None: not clear); `made_for` is what a preset was set in.
    """

    title: str = ""
    kind: str = ""
    grid: int = 0
    expects: str = ""
    gives: str = ""
    log: bool | None = None
    made_for: str = ""
    character: Character | None = None
    fault: str = ""


_LEAST_LEVEL, _LEAST_STRIP = 4, 8
_STEADY = 0.5


def takes(file: Path) -> bool:
    """Whether a file is one that the Swatchbook shows: LUTs, not pictures, and presets."""
    if file.suffix in SUFFIXES:
        return True
    if by_suffix(file.name) is None:
        return False
    return picture_suffix(file.name) is None or _is_laid_out(file)


def is_picture(file: Path) -> bool:
    """Whether a look lies in a picture, which may be a photograph of the same size after all."""
    return picture_suffix(file.name) is not None


def steadiness(transform: Transform) -> float:
    """Return how far the values of a lattice go along its axes, as a share of all their steps: 1 = straight there.

    Of looks, also of one that came back with noise, it is above 0.5 (0.54 to 1.0 on those that ship), of
    photographs that are read as a lattice below it (0.02 to 0.45).
    """
    values = next((s.values for s in transform.stages if isinstance(s, Table3D)), None)
    if values is None:
        return 1.0
    there = steps = 0.0
    for axis in range(3):
        line = np.moveaxis(values, axis, 0)
        there += float(np.abs(line[-1] - line[0]).sum())
        steps += float(np.abs(np.diff(line, axis=0)).sum())
    return there / steps if steps else 1.0


def _is_laid_out(file: Path) -> bool:
    """Whether a picture has the size of a HALD or of a strip."""
    try:
        with Image.open(file) as picture:
            short, long = sorted(picture.size)
    except (OSError, ValueError, Image.DecompressionBombError):
        return False
    level = round(long ** (1 / 3))
    is_hald = short == long == level**3 and level >= _LEAST_LEVEL
    return is_hald or (long == short * short and short >= _LEAST_STRIP)


def _looks_in(file: Path) -> tuple[Path, ...]:
    """Return the looks in a file: itself, a path for each of several, or none when it is something else."""
    if not takes(file):
        return ()
    try:
        return parts_in(file) or (file,)
    except FormatError:
        return (file,)  # why it cannot be read is said at its tile


_SEEN: dict[tuple[str, str, int], tuple[Path, ...]] = {}  # looks by file, stamp and change of it


def scan(folders: Iterable[Path], cancel: Cancel | None = None) -> list[Swatch]:
    """Return all looks in folders and below them, by name; at most ten thousand.

    Files that have not changed since they were scanned are not opened again.
    """
    found: dict[Path, Swatch] = {}
    if len(_SEEN) > 2 * MOST_FILES:
        _SEEN.clear()
    for folder in folders:
        for where, below, names in os.walk(folder):
            if cancel is not None:
                cancel.check()
            below[:] = sorted(d for d in below if not d.startswith("."))
            for name in sorted(names):
                if name.startswith("."):
                    continue
                file = os.path.join(where, name)
                try:
                    facts = os.stat(file)
                except OSError:
                    continue
                stamp = f"{facts.st_mtime_ns}-{facts.st_size}"
                seen = file, stamp, facts.st_ctime_ns
                looks = _SEEN.get(seen)
                if looks is None:
                    looks = _SEEN[seen] = _looks_in(Path(file))
                for look in looks:
                    found[look] = Swatch(look, stamp)
                    if len(found) >= MOST_FILES:
                        return list(found.values())
    return list(found.values())


# --- what is kept on disk --------------------------------------------------------------------------
class Cache:
    """Facts and tiles by key in one database of the user's cache; one that is damaged starts anew."""

    def __init__(self, file: Path | None = None) -> None:
        folder = Path(platformdirs.user_cache_dir("sfumato", appauthor=False))
        self.file = file or folder / "swatches.sqlite"
        self._lock = threading.Lock()
        self._open()
        weakref.finalize(self, self._base.close)

    def _open(self) -> None:
        try:
            self.file.parent.mkdir(parents=True, exist_ok=True)
            self._base = self._made()
        except (sqlite3.DatabaseError, OSError):
            try:
                self.file.unlink(missing_ok=True)
                self._base = self._made()
            except (sqlite3.DatabaseError, OSError):
                self._base = sqlite3.connect(":memory:", check_same_thread=False)
                self._make_tables(self._base)

    def _made(self) -> sqlite3.Connection:
        base = sqlite3.connect(self.file, check_same_thread=False, timeout=2)
        try:
            self._make_tables(base)
        except sqlite3.Error:
            base.close()
            raise
        return base

    @staticmethod
    def _make_tables(base: sqlite3.Connection) -> None:
        base.execute("pragma journal_mode=wal")
        base.execute("pragma synchronous=off")  # losing it costs a second look
        base.execute("create table if not exists facts (key text primary key, plain text)")
        base.execute("create table if not exists tiles (key text primary key, picture blob)")
        base.commit()

    def _all(self, sql: str, keys: list[str]) -> dict[str, Any]:
        found: dict[str, Any] = {}
        # A base that is locked by another window, damaged or closed is as good as an empty one.
        with self._lock, contextlib.suppress(sqlite3.Error):
            for at in range(0, len(keys), 500):
                part = keys[at : at + 500]
                marks = ",".join("?" * len(part))
                found.update(self._base.execute(sql.format(marks), part).fetchall())
        return found

    def facts(self, keys: list[str]) -> dict[str, Facts]:
        """Return what is known of the swatches of these keys."""
        rows = self._all("select key, plain from facts where key in ({})", keys)
        found = {}
        for key, text in rows.items():
            try:
                found[key] = _loaded_facts(json.loads(text))
            except (ValueError, TypeError, KeyError):
                continue
        return found

    def put_facts(self, found: dict[str, Facts]) -> None:
        rows = [(k, json.dumps(_plain_facts(f))) for k, f in found.items()]
        with self._lock, contextlib.suppress(sqlite3.Error):
            self._base.executemany("insert or replace into facts values (?, ?)", rows)
            self._base.commit()

    def tiles(self, keys: list[str]) -> dict[str, Array]:
        """Return the tiles of these keys, uint8 (h, w, 3)."""
        rows = self._all("select key, picture from tiles where key in ({})", keys)
        pictures = spread(_picture, list(rows.values()))
        return {k: p for k, p in zip(rows, pictures, strict=True) if p is not None}

    def put_tiles(self, found: dict[str, Array]) -> None:
        rows = []
        for key, pixels in found.items():
            data = io.BytesIO()
            Image.fromarray(pixels).save(data, "JPEG", quality=92, subsampling=0)
            rows.append((key, data.getvalue()))
        with self._lock, contextlib.suppress(sqlite3.Error):
            self._base.executemany("insert or replace into tiles values (?, ?)", rows)
            count = self._base.execute("select count(*) from tiles").fetchone()[0]
            if count > 40_000:  # the oldest go
                self._base.execute(
                    "delete from tiles where rowid in (select rowid from tiles order by rowid limit 10000)"
                )
            self._base.commit()

    def close(self) -> None:
        with self._lock:
            self._base.close()


def _picture(data: bytes) -> Array | None:
    """Decode a tile; None when it is damaged."""
    try:
        picture = np.asarray(imagecodecs.jpeg8_decode(data))
    except (RuntimeError, ValueError):
        return None
    return picture if picture.ndim == 3 else None


def _plain_facts(facts: Facts) -> dict[str, Any]:
    plain = attrs.asdict(facts, recurse=False)
    c = facts.character
    if c is not None:
        numbers = [c.warmth, c.contrast, c.colourfulness, c.darkness]
        # As bytes: a thousand looks are read before the wall stands.
        places = np.asarray(c.places, np.float32).tobytes()
        plain["character"] = [*numbers, base64.b64encode(places).decode()]
    return {"v": _FACTS_VERSION, **plain}


def _loaded_facts(plain: dict[str, Any]) -> Facts:
    if plain.pop("v") != _FACTS_VERSION:
        raise ValueError("written by another version")
    c = plain.pop("character")
    known = None
    if c is not None:
        warmth, contrast, colourfulness, darkness, places = c
        where = np.frombuffer(base64.b64decode(places), np.float32).reshape(-1, 3)
        known = Character(warmth, contrast, colourfulness, darkness, where)
    return Facts(**plain, character=known)


# --- what a swatch does ----------------------------------------------------------------------------
@frozen(eq=False)
class Loaded:
    """A look that was read: the chain of a LUT file, or a preset."""

    transform: Transform | None = None
    preset: Preset | None = None


def ends_of(facts: Facts, study: Study, own: tuple[str, str] | None = None) -> Ends:
    """Return what a swatch expects and gives: as the person says, as it states, or as it looks."""
    working, shown = study.working, study.view.encoding

    def named(name: str) -> str:
        return "" if name == working or name not in encodings() else name

    if own is not None:
        return Ends(named(own[0]), named(own[1]))
    if facts.kind in ("look", "glaze"):
        return Ends()
    if facts.expects:
        return Ends(named(facts.expects), named(facts.gives or facts.expects))
    return likely("3D" in facts.kind, facts.log, encoding(working), shown)


def misfit(facts: Facts, study: Study, own: tuple[str, str] | None = None) -> str:
    """Return what a swatch expects that the study's working values are not, "" when it fits."""
    if facts.fault:
        return ""
    log = encoding(study.working).is_scene
    if facts.kind in ("look", "glaze"):
        return "" if (facts.made_for == LOG) == log else f"made for {facts.made_for}"
    if own is not None or facts.expects:
        entry = ends_of(facts, study, own).expects
        return f"expects {entry}" if entry else ""
    if facts.log is None or facts.log == log:
        return ""
    return "expects log" if facts.log else "expects display"


class Swatchbook:
    """Reads looks, remembers what they are like, and shows shots through them."""

    def __init__(self, cache: Cache | None = None) -> None:
        self.cache = cache or Cache()
        self._loaded = Kept(memory.LOOKS, _KEEP)

    def load(self, swatch: Swatch) -> Loaded:
        """Read a look, kept while it is among the newest.

        Raises:
            SfumatoError: it cannot be read.
        """

        def make() -> Loaded:
            if swatch.file.suffix in SUFFIXES:
                return Loaded(preset=read_preset(swatch.file))
            return Loaded(transform=read_lut(swatch.file).transform)

        loaded: Loaded = self._loaded.get(swatch.key, make)
        return loaded

    def facts(self, swatch: Swatch) -> Facts:
        """Examine a swatch; one that cannot be read is a Facts with its fault."""
        try:
            loaded = self.load(swatch)
        except SfumatoError as error:
            return Facts(stem_of(swatch.file), fault=error.sentence())
        preset, transform = loaded.preset, loaded.transform
        if preset is not None:
            kind = "look" if swatch.file.suffix == ".look" else "glaze"
            study = study_of(preset)
            run: Callable[[Rgb], Rgb] = study.transform((study.view.encoding,) * 2).apply
            made = suits(preset.working)
            return Facts(preset.name, kind, made_for=made, character=character(run))
        assert transform is not None
        if is_picture(swatch.file) and steadiness(transform) < _STEADY:
            return Facts(swatch.file.stem, fault="it is a picture, and no LUT in one")
        expects, gives = span_note.read(transform.comments)
        kind, grid = kind_of(transform)
        log = encoding(expects).is_scene if expects else is_log(transform)
        run = _as_display(transform, expects, gives) if log else transform.apply
        return Facts(
            transform.title or stem_of(swatch.file),
            kind,
            grid,
            expects or "",
            gives or "",
            log,
            character=character(run),
        )

    def examine(self, swatches: list[Swatch]) -> dict[str, Facts]:
        """Return the facts of swatches: from the cache, else examined and kept there."""
        known = self.cache.facts([s.key for s in swatches])
        fresh = {s.key: self.facts(s) for s in swatches if s.key not in known}
        if fresh:
            self.cache.put_facts(fresh)
        return {**known, **fresh}

    def layer(self, study: Study, swatch: Swatch, ends: Ends) -> Callable[[Rgb], Rgb]:
        """Return what a swatch does to working values, working values out."""
        loaded = self.load(swatch)
        if loaded.preset is not None:
            look = loaded.preset.as_look()
            own = attrs.evolve(study, look=look)
            return lambda code: path.through_look(own, code)
        assert loaded.transform is not None
        return laid(loaded.transform, study, ends)

    def seen(self, study: Study, swatch: Swatch, ends: Ends) -> Callable[[Rgb], Rgb]:
        """Return working values -> display codes of the View through a swatch at full Strength."""
        loaded = self.load(swatch)
        if loaded.transform is not None:
            return seen(loaded.transform, study, ends)
        layer = self.layer(study, swatch, ends)
        return lambda code: path.through_view(study, layer(code))


def _as_display(
    transform: Transform, expects: str | None, gives: str | None
) -> Callable[[Rgb], Rgb]:
    """Return a look for log as it changes display colours, so that it compares with others."""
    working = expects if expects and encoding(expects).is_scene else "ACEScct"
    study = Study().suited_to(working)
    out = encoding(gives) if gives else encoding(study.view.encoding)

    def run(rgb: Rgb) -> Rgb:
        given = transform.apply(path.from_view(study, rgb))
        if out.is_scene:
            return path.through_view(study, convert(given, out, study.working))
        return convert(given, out, study.view.encoding)

    return run


@frozen
class Stacked:
    """A swatch in a stack: what it is taken for, and how much of it."""

    swatch: Swatch
    ends: Ends = Ends()
    strength: float = 1.0


def stacked(book: Swatchbook, study: Study, layers: Iterable[Stacked]) -> Callable[[Rgb], Rgb]:
    """Return several swatches one after the other, each at its Strength, on working values."""
    runs = [(book.layer(study, x.swatch, x.ends), x.strength) for x in layers]

    def run(code: Rgb) -> Rgb:
        for layer, strength in runs:
            graded = layer(code)
            code = graded if strength == 1.0 else path.mixed(code, graded, strength)
        return code

    return run


@frozen
class Build:
    """What side B of the Swatchbook shows: a stack, or one look, perhaps mixed with another."""

    name: str
    layers: tuple[Stacked, ...]
    other: Stacked | None = None
    share: float = 0.0  # of the other in the mix

    @property
    def is_mix(self) -> bool:
        return self.other is not None

    def run(self, book: Swatchbook, study: Study) -> Callable[[Rgb], Rgb]:
        """Return it as a function on working values; the files are read now.

        Raises:
            SfumatoError: one of them cannot be read.
        """
        mine = stacked(book, study, self.layers)
        if self.other is None:
            return mine
        other = stacked(book, study, (self.other,))
        return lambda code: path.mixed(mine(code), other(code), self.share)


def as_lut(run: Callable[[Rgb], Rgb], study: Study, title: str, grid: int = 33) -> Transform:
    """Bake what was built in the Swatchbook into a LUT between working values."""
    found = baked(Transform((Function(title, run),)), grid)
    note = span_note.written(study.working, study.working)
    return Transform(found.stages, title, (note,))


# --- marks and notes -------------------------------------------------------------------------------
KEPT, PASSED = "kept", "passed"


@frozen
class Remark:
    """What the person says of a file: kept or passed, a note, and what it expects and gives."""

    mark: str = ""
    note: str = ""
    ends: tuple[str, str] | None = None


def remarks_file() -> Path:
    folder = Path(platformdirs.user_data_dir("sfumato", appauthor=False))
    return folder / "swatchbook.json"


def read_remarks() -> dict[str, Remark]:
    """Return the remarks by path; none when there are none yet.

    Raises:
        StudyError: the file is damaged.
    """
    file = remarks_file()
    if not exists(file):
        return {}
    plain = read_json(file, "a book of remarks", "move it away to begin anew", 64 << 20)
    found = {}
    for name, each in (plain.get("remarks", {}) if isinstance(plain, dict) else {}).items():
        ends = each.get("ends")
        pair = tuple(ends) if isinstance(ends, list) and len(ends) == 2 else None
        found[name] = Remark(str(each.get("mark", "")), str(each.get("note", "")), pair)
    return found


def write_remarks(remarks: dict[str, Remark]) -> None:
    """Write the remarks, whole or not at all.

    Raises:
        ExportError: the place cannot be written.
    """
    plain = {
        "sfumato_remarks": _VERSION,
        "remarks": {
            name: {"mark": r.mark, "note": r.note, **({"ends": list(r.ends)} if r.ends else {})}
            for name, r in remarks.items()
            if r != Remark()
        },
    }
    file = remarks_file()
    make_folder(file.parent)
    write_bytes(file, json_bytes(plain), force=True)


def moved_file(source: Path, target: Path) -> None:
    """Rename or move a look; nothing is written over.

    Raises:
        FormatError: the target exists, or the place cannot be written.
    """
    if exists(target):
        raise FormatError(
            f"{target.name} exists there already", hint="choose another name", where=str(target)
        )
    try:
        os.link(source, target)  # fails, unlike renaming, when somebody was quicker
        source.unlink()
    except OSError:
        try:
            if exists(target):
                raise FileExistsError(target)
            shutil.move(source, target)  # onto another disk
        except OSError as error:
            raise refusal(error, target, FormatError) from error
