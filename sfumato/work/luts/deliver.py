"""The one way out for LUTs: brought to a format, written, read back, measured.

Export, Convert, the Swatchbook and the command line all come through `deliver`.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.errors import ExportError, FormatError, NameTaken
from sfumato.core.lut.difference import CLOSE, Difference, cube_colours, difference_of
from sfumato.core.lut.fit import Fitted
from sfumato.core.lut.recast import domain_of, over_domain
from sfumato.core.lut.transform import Transform
from sfumato.formats.parts import registry
from sfumato.work.cancel import Cancel, Progress, silent
from sfumato.work.files import MOST_TABLE_BYTES, Sources, exists, read_bytes, write_bytes
from sfumato.work.luts.lut_files import display_of
from sfumato.work.luts.readers import reader_for
from sfumato.work.luts.target import Target, encoded, format_for, held
from sfumato.work.memory import heavy
from sfumato.work.turns import give_way

# What is done when a file is there already.
REFUSE, VERSION, LEAVE, REPLACE = (
    "refuse",
    "add a version number",
    "leave it alone",
    "replace it",
)
NO_SOURCES = Sources()
_CUBE = 20000  # colours on which a LUT is measured where there are no pictures
_AT_ONCE = 1 << 20  # values of two tables that are compared at once

Apply = Callable[[Rgb], Rgb]


@frozen(eq=False, kw_only=True)
class Loss:
    """How far a LUT lies from what was meant: over the cube, and on pictures where there are some."""

    cube: Difference
    shots: Difference | None = None
    worst_shot: str = ""

    @property
    def main(self) -> Difference:
        """The difference that counts: on the shots, or over the cube when there are none."""
        return self.shots or self.cube

    @property
    def is_close(self) -> bool:
        """Whether 99 colours of 100 are off by less than can just be seen: the one measure of a grid."""
        return self.main.p99 <= CLOSE


Judge = Callable[[Apply], Loss]  # of what a reader makes of the file


def cube_judge(meant: Transform) -> Judge:
    """Return a judge that compares with a transform over its own domain, in its display's ΔE."""
    display = display_of(meant)
    colours = over_domain(cube_colours(_CUBE), domain_of(meant))

    def judge(apply: Apply) -> Loss:
        both = (meant.apply(colours), np.asarray(apply(colours), np.float32))
        return Loss(cube=difference_of(both, colours, display))

    return judge


def loss_of(meant: Transform, data: bytes, target: Target, count: int) -> Difference:
    """Measure what the bytes of a target do, without writing them, over the cube."""
    after = registry.read(data, f"x{target.ending}", key=target.key).transform
    colours = over_domain(cube_colours(count), domain_of(meant))
    return difference_of((meant.apply(colours), after.apply(colours)), colours, display_of(meant))


@frozen(eq=False)
class Reading:
    """What a reader makes of the file: how far off that is, or why it does not judge."""

    reader: str
    loss: Loss | None
    note: str = ""


@frozen(eq=False)
class Delivered:
    """A LUT that was written, and what is known of it.

    `off` is the greatest difference between nodes as they were written and as they read back
    (beyond 1 counted in the larger steps of floats there), `own` what our reader makes of the file,
    `second` what another one does (None: not asked).
    """

    place: Path
    target: Target
    transform: Transform  # as it reads back
    said: tuple[str, ...]  # what was done to it, and what the file does not keep
    fit: Fitted | None
    size_bytes: int
    off: float
    own: Loss | None
    second: Reading | None = None

    @property
    def grid(self) -> int:
        """Points a side, 0 where the file holds no lattice."""
        table = self.transform.table
        return table.size if table is not None else 0

    @property
    def is_exact(self) -> bool:
        """Whether every node reads back as it was written, to the depth of the file.

        A file that holds other values than those of the nodes is told by its readers alone.
        """
        if self.target.layout in self.target.spec.converting:
            return True
        return self.off <= self.target.quantum * 1.01

    @property
    def losses(self) -> tuple[Loss, ...]:
        second = self.second.loss if self.second is not None else None
        return tuple(each for each in (self.own, second) if each is not None)

    @property
    def worst(self) -> float:
        return max((each.main.worst for each in self.losses), default=0.0)

    @property
    def proved(self) -> bool:
        """Whether the nodes are exact, and every reader's result is close."""
        return self.is_exact and all(each.is_close for each in self.losses)


def free_place(
    place: Path,
    existing: str,
    taken: set[Path] | None = None,
    sources: Sources = NO_SOURCES,
) -> Path | None:
    """Return where a file goes; None when one is there that is to be left alone.

    Places in `taken` were given in the same run; a version number is put behind the name. `sources`
    are what the run reads: none of them is replaced.

    Raises:
        ExportError: a file is there, and `existing` is REFUSE; or it is a source, and REPLACE.
    """
    given = taken if taken is not None else set()
    if existing == REPLACE:
        sources.check(place)
    if existing == REFUSE and exists(place):
        raise NameTaken(str(place))
    path, version = place, 2
    while path in given or (existing not in (REFUSE, REPLACE) and exists(path)):
        if existing == LEAVE and path not in given:
            return None
        path = place.with_name(f"{place.stem}_{version}{place.suffix}")
        version += 1
    given.add(path)
    return path


def deliver(
    transform: Transform,
    target: Target,
    place: Path | Callable[[Transform], Path],
    existing: str = REFUSE,
    *,
    judge: Judge | None = None,
    second: bool = False,
    title: str | None = None,
    is_look: bool = False,
    taken: set[Path] | None = None,
    sources: Sources = NO_SOURCES,
    most_bytes: int = 0,
    cancel: Cancel | None = None,
    progress: Progress = silent,
) -> Delivered | None:
    """Write a transform as a target, read it back, and measure what the file does.

    Args:
        place: where the file goes, or a function that says so for what the format will hold.
        existing: REFUSE, VERSION, LEAVE or REPLACE; LEAVE returns None where a file is there.
        judge: measures what a reader makes of the file; None leaves that out.
        second: another reader is asked too, where one knows the format.
        is_look: the transform is a grade for a display; its nodes are kept within NODE_RANGE.
        taken: places that this run has given already; the new one is added.
        sources: files that the run reads, which no result may replace.
        most_bytes: what a target takes, 0 for any size.
    Raises:
        ExportError: the place cannot be written, a file is there that must not be replaced, or the
            file would be larger than the target takes.
        ValueRefused: the format cannot hold the transform, the grid, the depth or the shaper.
        Cancelled: before the file was written; afterwards nothing is undone.
    """
    cancel = cancel or Cancel()
    spec = target.spec
    if isinstance(place, Path) and existing in (REFUSE, REPLACE):
        free_place(place, existing, None, sources)  # before the work
    with heavy(cancel.check):
        found = held(transform, target, is_look=is_look, check=cancel.check)
        whole = found.transform
        if title is not None:
            whole = attrs.evolve(whole, title=title)
        wanted = place if isinstance(place, Path) else place(whole)
        path = free_place(wanted, existing, taken, sources)
        if path is None:
            return None
        cancel.check()
        progress(0.35, f"writing {path.name}")
        data, lost = encoded(whole, target)
        cancel.check()
        if most_bytes and len(data) > most_bytes:
            raise ExportError(
                f"the file would have {len(data) / 1e3:,.0f} kB, and the target takes {most_bytes / 1e3:,.0f} kB",
                hint="choose a smaller grid",
                where=str(path),
            )
        write_bytes(path, data, force=existing == REPLACE)
        size = len(data)
        del data  # large ones need not be there twice
        progress(0.55, "reading it back")
        stored = read_bytes(path, FormatError, MOST_TABLE_BYTES)
        give_way()  # what is written cannot be cancelled any more
        back = registry.read(stored, str(path), key=spec.key).transform
        del stored
        own = None
        if judge is not None:
            progress(0.65, "measuring it")
            give_way()
            own = judge(back.apply)
            give_way()
        other = _second(path, spec.key, whole, judge, progress) if second and judge else None
        progress(1.0, "done")
        return Delivered(
            path,
            target,
            attrs.evolve(back, source=str(path)),
            (*found.said, *lost),
            found.fit,
            size,
            _off(whole, back, clips=spec.clips and not target.depth_written.endswith("f")),
            own,
            other,
        )


def _second(path: Path, key: str, whole: Transform, judge: Judge, progress: Progress) -> Reading:
    reader, why = reader_for(key, whole)
    if reader is None:
        return Reading("another program", None, why)
    progress(0.85, f"reading it with {reader.name}")
    try:
        return Reading(reader.name, judge(lambda rgb: reader.apply(path, rgb)))
    except FormatError as error:
        return Reading(reader.name, None, error.summary)


def _off(written: Transform, back: Transform, *, clips: bool) -> float:
    """Return the greatest difference between tables as they were written and as they read back."""
    pairs = list(zip(_tables(written), _tables(back), strict=False))
    if len(_tables(written)) != len(_tables(back)) or any(a.shape != b.shape for a, b in pairs):
        return float("inf")
    if not pairs:
        return 0.0 if len(written.stages) == len(back.stages) else float("inf")

    def off(meant: Rgb, found: Rgb) -> float:
        meant = np.clip(meant, 0, 1) if clips else meant
        # A step of a float grows with the value: count it as it is just below 1.
        return float((np.abs(meant - found) / _steps(meant)).max())

    return max(off(a[part], b[part]) for a, b in pairs for part in _parts(a))


def _parts(values: Array) -> list[slice]:
    """Return slices of a table's first axis, of about a million values each."""
    thick = max(1, _AT_ONCE * len(values) // values.size)
    return [slice(i, i + thick) for i in range(0, len(values), thick)]


def _steps(values: Rgb) -> Rgb:
    """Return by how much steps of floats are larger than just below 1: 1, 2, 4 …"""
    found: Rgb = np.exp2(np.ceil(np.log2(np.maximum(np.abs(values), 1))))
    return found


def _tables(transform: Transform) -> list[Any]:
    found = (getattr(stage, "values", None) for stage in transform.stages)
    return [values for values in found if values is not None]


def write_lut(
    transform: Transform,
    path: str | Path,
    *,
    format: str | None = None,
    grid: int | None = None,
    bits: str | int | None = None,
    layout: str = "",
    shaper: int | None = None,
    fitted: bool = False,
    domain: tuple[float, float] | None = None,
    title: str | None = None,
    force: bool = False,
    is_look: bool = False,
    sources: Sources = NO_SOURCES,
) -> Delivered:
    """Write a transform to a LUT file by plain words, and return what was written.

    Args:
        bits: 8, 10, 12, 16, "16f" (half float) or 32 (float), where the format has that depth.
    Raises:
        ExportError: the file exists and `force` is false, it is one of `sources`, or the place cannot
            be written.
        ValueRefused: the format cannot hold the transform, the grid, the depth or the shaper.
    """
    file = Path(path)
    depth = {"32": "32f", "None": ""}.get(str(bits), str(bits))
    target = Target(
        format_for(file, format).key,
        grid,
        depth,
        layout,
        shaper,
        fitted,
        file.suffix.lower(),
        domain,
    )
    existing = REPLACE if force else REFUSE
    made = deliver(transform, target, file, existing, title=title, is_look=is_look, sources=sources)
    assert made is not None
    return made
