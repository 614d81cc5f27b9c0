"""Many LUT files into many formats. Not divided: one run, of which every part keeps the report."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterable, Iterator, Sequence
from pathlib import Path

import attrs
from attrs import field, frozen

from sfumato.core.carrier.arrange import UP
from sfumato.core.colour.encodings import Encoding
from sfumato.core.errors import ExportError, SfumatoError, ValueRefused
from sfumato.core.lut.difference import Difference
from sfumato.core.lut.invert import InverseMap, inverted
from sfumato.core.lut.recast import (
    blended,
    chained,
    curves_of,
    full_in,
    full_out,
    legal_in,
    legal_out,
    limited,
    split,
)
from sfumato.core.lut.transform import Transform
from sfumato.core.measure.assay import assay, kind_of
from sfumato.core.measure.checks.findings import Stored
from sfumato.core.measure.checks.repairs import REPAIRS, repaired
from sfumato.formats.parts import registry
from sfumato.formats.parts.contract import Read
from sfumato.work.cancel import Cancel
from sfumato.work.files import Sources, cut_name, is_folder, make_folder, refusal
from sfumato.work.luts import made as made_before
from sfumato.work.luts.deliver import LEAVE, REPLACE, VERSION, cube_judge, deliver
from sfumato.work.luts.looks import read_look
from sfumato.work.luts.lut_files import display_of
from sfumato.work.luts.target import Target
from sfumato.work.memory import heavy
from sfumato.work.stores.presets import SUFFIXES as PRESETS

RANGES: dict[str, tuple[str, Callable[[Transform], Transform]]] = {
    "legal in": ("take legal range", legal_in),
    "full in": ("take full range instead of legal", full_in),
    "legal out": ("give legal range", legal_out),
    "full out": ("give full range instead of legal", full_out),
}
PARTS = ("", "tone", "colour", "tone and colour", "curves")
ALONE, CHAIN, BLEND = "", "chain", "blend"
EXISTING = (VERSION, LEAVE, REPLACE)
DEFAULT_NAMES = "{name}"
FIELDS = ("name", "grid", "format", "title", "number", "part")
_MOST_FILES = 10_000


@frozen
class Recipe:
    """What is done to LUTs before they are written, in this order.

    Repairs, chain or blend of all files, Strength, inverse, range, part, limit.
    """

    repairs: tuple[str, ...] = ()
    together: str = ALONE
    share: float = 0.5  # of the second in a blend
    strength: float = 1.0
    invert: bool = False
    range: str = ""
    part: str = ""
    limit: bool = False
    title: str = ""
    grid: int = 33  # of the lattices that an inverse or a split needs

    @property
    def is_plain(self) -> bool:
        """Whether files go through as they are."""
        return self == Recipe(title=self.title, grid=self.grid, share=self.share)


@frozen
class Made:
    """One transform that came out of a recipe, with the part of the name that tells it apart."""

    name: str
    transform: Transform
    part: str = ""
    notes: tuple[str, ...] = ()
    where: InverseMap | None = None  # of an inverse


def stored_of(found: Read) -> Stored:
    is_hald, is_up = found.key == "hald", found.reading.endswith(UP)
    return Stored(found.depth, found.lossy, is_hald, found.columns, is_up)


def check_count(count: int, recipe: Recipe) -> None:
    """Raise ValueRefused when a blend is asked of other than two LUTs."""
    if recipe.together == BLEND and count != 2:
        raise ValueRefused(
            f"a blend takes two LUTs, not {count}", hint="leave two files in the list"
        )


def combined(pairs: Sequence[tuple[str, Transform]], recipe: Recipe) -> list[tuple[str, Transform]]:
    """Chain or blend transforms into one where the recipe says so.

    Raises:
        ValueRefused: a blend of other than two.
    """
    if recipe.together == CHAIN and len(pairs) > 1:
        return [("_then_".join(n for n, _ in pairs)[:120], chained([t for _, t in pairs]))]
    if recipe.together == BLEND:
        check_count(len(pairs), recipe)
        (a, first), (b, second) = pairs
        name = f"{a}_and_{b}"[:120]
        return [(name, blended(first, second, recipe.share))]
    return list(pairs)


def made_by_recipe(
    name: str,
    transform: Transform,
    recipe: Recipe,
    cancel: Cancel | None = None,
    display: Encoding | None = None,
) -> list[Made]:
    """Carry out a recipe on one transform; a split gives two.

    Raises:
        ValueRefused: an inverse or a split that cannot be.
    """
    check = (cancel or Cancel()).check
    shown = display or display_of(transform)
    notes: tuple[str, ...] = ()
    where: InverseMap | None = None
    if recipe.title:
        transform = attrs.evolve(transform, title=recipe.title)
    transform = transform.at_strength(recipe.strength)
    if recipe.invert:
        with heavy(check):
            transform, where = inverted(transform, recipe.grid, shown, check)
        notes += where.words()
    if recipe.range:
        transform = RANGES[recipe.range][1](transform)
    if recipe.limit:
        transform = limited(transform)
    if not recipe.part:
        return [Made(name, transform, "", notes, where)]
    if recipe.part == "curves":
        return [Made(name, curves_of(transform), "curves", notes)]
    tone, colour = split(transform, recipe.grid)
    both = {"tone": tone, "colour": colour}
    wanted = both if recipe.part == "tone and colour" else {recipe.part: both[recipe.part]}
    return [Made(name, t, part, notes) for part, t in wanted.items()]


@frozen
class Found:
    """LUT files, each with the folder that it is relative to; results of earlier runs are left out."""

    files: tuple[tuple[Path, Path], ...]
    left_out: tuple[Path, ...] = ()

    def words(self) -> str:
        """Return what was left out, "" when nothing was."""
        if not self.left_out:
            return ""
        count = len(self.left_out)
        many = "1 file was" if count == 1 else f"{count} files were"
        named = ", ".join(p.name for p in self.left_out[:3]) + (" …" if count > 3 else "")
        return f"{many} left out, made of others here by an earlier run: {named}"


def lut_files(places: Sequence[Path], *, cancel: Cancel | None = None) -> Found:
    """Return every LUT file of files and folders.

    Files that are named are taken whatever their suffix and origin; of folders those of known
    suffixes, sub-folders included, links to folders not followed, what an earlier run made of other
    files in the list left out.
    """
    named = {place for place in places if not is_folder(place)}
    found = list(_walked(places, cancel))
    results = made_before.results_among(file for file, _root in found) - named
    kept = tuple(pair for pair in found if pair[0] not in results)
    return Found(kept, tuple(file for file, _root in found if file in results))


def _walked(places: Iterable[Path], cancel: Cancel | None) -> Iterator[tuple[Path, Path]]:
    known = {s for f in registry.formats().values() for s in f.suffixes} | {
        ".jpg",
        ".jpeg",
        ".xml",
        *PRESETS,
    }
    count = 0
    for place in places:
        if not is_folder(place):
            yield place, place.parent
            continue
        for folder, names, files in os.walk(place):
            names.sort()
            for name in sorted(files):
                if cancel is not None:
                    cancel.check()
                if Path(name).suffix.lower() in known and not name.startswith("."):
                    count += 1
                    if count > _MOST_FILES:
                        raise ExportError(
                            f"there are more than {_MOST_FILES} LUT files in the folder",
                            hint="take it in parts",
                            where=str(place),
                        )
                    yield Path(folder) / name, place


def named(pattern: str, made: Made, target: Target, number: int, grid: int, title: str = "") -> str:
    """Fill a naming pattern; what a file name cannot hold is replaced by a hyphen.

    Raises:
        ValueRefused: the pattern has a field that is not known, or gives no name.
    """
    values = {
        "name": made.name,
        "grid": str(grid) if grid else "1D",
        "format": target.key,
        "title": title or made.name,
        "number": f"{number:03d}",
        "part": made.part,
    }
    unknown = [f for f in re.findall(r"{(.*?)}", pattern) if f not in FIELDS]
    if unknown or pattern.count("{") != pattern.count("}"):
        what = f"{{{unknown[0]}}}" if unknown else pattern
        raise ValueRefused(
            f"the naming pattern has {what!r}, which is not known",
            hint=f"use {', '.join(f'{{{f}}}' for f in FIELDS)}",
        )
    filled = re.sub(r"{(.*?)}", lambda m: values[m[1]], pattern)
    if made.part and "{part}" not in pattern:
        filled = f"{filled}_{made.part}"
    safe = cut_name(re.sub(r'[\x00-\x1f/\\:*?"<>|]+', "-", filled).strip(" .-"), 180)
    if not safe:
        raise ValueRefused("the naming pattern gives an empty name", hint="put {name} in it")
    return safe


@frozen
class Row:
    """How one file fared for one target; `error` says why nothing was written."""

    source: Path
    target: Target | None
    target_file: Path | None = None
    loss: Difference | None = None
    notes: tuple[str, ...] = ()
    error: str = ""
    skipped: bool = False

    @property
    def state(self) -> str:
        return "refused" if self.error else "left alone" if self.skipped else "written"


@frozen
class Batch:
    """Files in, targets out."""

    sources: tuple[tuple[Path, Path], ...]  # file, and the folder it is relative to
    targets: tuple[Target, ...]
    folder: Path
    names: str = DEFAULT_NAMES
    existing: str = VERSION
    recipe: Recipe = Recipe()
    repairs: dict[Path, tuple[str, ...]] = field(factory=dict)
    readings: dict[Path, str] = field(factory=dict)

    @property
    def count(self) -> int:
        files = 1 if self.recipe.together else len(self.sources)
        return files * len(self.targets)


def _place(batch: Batch, source: tuple[Path, Path], stem: str, ending: str) -> Path:
    """Return where a result goes, before versions, and make its folder.

    Raises:
        ExportError: the folder cannot be made.
    """
    file, root = source
    within = file.parent.relative_to(root) if file.is_relative_to(root) else Path()
    path = batch.folder / within / f"{stem}{ending}"
    make_folder(path.parent)
    return path


def repaired_read(
    file: Path, reading: str = "", repairs: tuple[str, ...] = (), cancel: Cancel | None = None
) -> Read:
    """Read a file and carry repairs out on it.

    Raises:
        FormatError: it cannot be read.
        ValueRefused: there is no such repair.
    """
    unknown = [r for r in repairs if r not in REPAIRS]
    if unknown:
        raise ValueRefused(f"there is no repair {unknown[0]!r}", hint=f"use {', '.join(REPAIRS)}")
    found = read_look(file, reading)
    if not repairs:
        return found
    check = (cancel or Cancel()).check
    examined = assay(found.transform, display_of(found.transform), stored_of(found), check)
    mended = repaired(found.transform, examined, repairs, check)
    return attrs.evolve(found, transform=mended)


def _read(batch: Batch, file: Path, cancel: Cancel) -> Transform:
    keys = batch.repairs.get(file, ()) or batch.recipe.repairs
    return repaired_read(file, batch.readings.get(file, ""), keys, cancel).transform


def run(
    batch: Batch,
    cancel: Cancel | None = None,
    progress: Callable[[float, str], None] = lambda _share, _words: None,
    on_row: Callable[[Row], None] = lambda _row: None,
) -> list[Row]:
    """Convert everything; a file that fails is told in its row and does not stop the rest.

    One file is in memory at a time (all of them when they are chained or blended).

    Raises:
        Cancelled: between files; what was written stays, nothing is half written.
        ExportError: the folder cannot be made.
    """
    cancel = cancel or Cancel()
    make_folder(batch.folder)
    rows: list[Row] = []

    def told(row: Row) -> None:
        rows.append(row)
        on_row(row)

    try:
        _run(batch, cancel, progress, told)
    finally:
        made_before.remember({r.target_file: r.source for r in rows if r.target_file is not None})
    return rows


def _run(
    batch: Batch,
    cancel: Cancel,
    progress: Callable[[float, str], None],
    told: Callable[[Row], None],
) -> None:
    taken: set[Path] = set()
    sources = Sources.of(file for file, _root in batch.sources)

    def refused(source: Path, error: SfumatoError) -> None:
        told(Row(source, None, error=error.sentence()))

    if batch.recipe.together:
        try:
            check_count(len(batch.sources), batch.recipe)
        except ValueRefused as error:
            refused(batch.sources[0][0], error)
            return
        pairs = []
        for file, _ in batch.sources:
            cancel.check()
            try:
                pairs.append((file.stem, _read(batch, file, cancel)))
            except SfumatoError as error:
                refused(file, error)
                return
        for name, transform in combined(pairs, batch.recipe):
            _write_all(batch, batch.sources[0], name, transform, 1, cancel, taken, sources, told)
        progress(1.0, "")
        return
    for number, source in enumerate(batch.sources, 1):
        cancel.check()
        file = source[0]
        progress((number - 1) / len(batch.sources), file.name)
        try:
            transform = _read(batch, file, cancel)
        except SfumatoError as error:
            refused(file, error)
            continue
        _write_all(batch, source, file.stem, transform, number, cancel, taken, sources, told)
    progress(1.0, "")


def _write_all(
    batch: Batch,
    source: tuple[Path, Path],
    name: str,
    transform: Transform,
    number: int,
    cancel: Cancel,
    taken: set[Path],
    sources: Sources,
    told: Callable[[Row], None],
) -> None:
    """Write one transform to every target."""
    file = source[0]
    try:
        results = made_by_recipe(name, transform, batch.recipe, cancel)
    except SfumatoError as error:
        told(Row(file, None, error=error.sentence()))
        return
    for target in batch.targets:
        for made in results:
            cancel.check()
            try:
                told(_written(batch, source, made, target, number, cancel, taken, sources))
            except SfumatoError as error:
                told(Row(file, target, error=error.sentence(), notes=made.notes))
            except OSError as error:
                why = refusal(error, file, ExportError)
                told(Row(file, target, error=why.sentence(), notes=made.notes))


def _written(
    batch: Batch,
    source: tuple[Path, Path],
    made: Made,
    target: Target,
    number: int,
    cancel: Cancel,
    taken: set[Path],
    sources: Sources,
) -> Row:
    def place(whole: Transform) -> Path:
        grid = kind_of(whole)[1]
        stem = named(batch.names, made, target, number, grid, made.transform.title)
        return _place(batch, source, stem, target.ending)

    done = deliver(
        made.transform,
        target,
        place,
        batch.existing,
        judge=cube_judge(made.transform),
        taken=taken,
        sources=sources,
        cancel=cancel,
    )
    if done is None:
        return Row(source[0], target, skipped=True)
    difference = done.own.cube if done.own is not None else None
    return Row(source[0], target, done.place, difference, (*made.notes, *done.said))
