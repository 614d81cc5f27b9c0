"""The LUT of a study's Look: its table, what the grid loses on the shots, and its export."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.breath import always_wanted
from sfumato.core.colour import span_note
from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import MediaError
from sfumato.core.lut.difference import (
    Difference,
    cube_colours,
    difference_and_place,
    difference_of,
)
from sfumato.core.lut.fit import MOST_FITTED, fitted
from sfumato.core.lut.table import Table3D
from sfumato.core.lut.transform import Transform
from sfumato.core.path import path
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work.cancel import Cancel, Progress, silent
from sfumato.work.frames import Frames
from sfumato.work.luts.deliver import REFUSE, Delivered, Loss, deliver
from sfumato.work.luts.target import Target, format_for
from sfumato.work.memory import heavy
from sfumato.work.tiles import bake_tiled, run_tiled

WIDTH = 240  # of the pictures that a loss is measured on
_FULLY = 64  # shots that are measured at that width; of more, fewer colours each …
_QUICK = 24  # … and of shots through more glazes than these
_NARROWEST = 32


def entry_colours(
    study: Study, frames: Frames, width: int, cancel: Cancel | None = None
) -> list[tuple[Shot, Rgb]]:
    """Return, for every shot that can be read, its colours as they enter the LUT, within 0..1."""
    found = []
    for shot in study.shots:
        if cancel is not None:
            cancel.check()
        try:
            source = frames.sample(shot, width)
        except MediaError:
            continue

        def enter(rgb: Rgb, shot: Shot = shot) -> Rgb:
            code = path.to_working(shot, study, rgb)
            if study.span.with_ground:
                return code if shot.encoding is None else rgb
            return path.into_entry(study, shot, path.through_ground(shot, study, code))

        found.append((shot, np.clip(run_tiled(enter, source, cancel), 0, 1)))
    return found


def viewed(study: Study, code: Rgb) -> Rgb:
    """Return what leaves the LUT as display values of the View."""
    return run_tiled(lambda rgb: path.from_leave(study, rgb), code)


@frozen(eq=False, kw_only=True)
class GridLoss(Loss):
    """What a grid loses: over all shots, over the cube, and the shot that suffers most."""

    grid: int
    fitted: bool = False  # whether the nodes were fitted
    sampled: Difference | None = None  # what sampling alone would lose, where fitting was asked for


@frozen(eq=False)
class LookTable:
    """The table of a Look as it is written: sampled, or fitted where that was asked for and helps."""

    table: Table3D
    fitted: bool
    sampled: Table3D


FIT_WIDTH = 208  # of the pictures whose colours a fit is given: others than the loss is measured on


def natural_colours(study: Study, frames: Frames, cancel: Cancel | None = None) -> Rgb:
    """Return colours of the study's shots as they enter the LUT, (k, 3): what a fit leans on."""
    found = [rgb.reshape(-1, 3) for _s, rgb in entry_colours(study, frames, FIT_WIDTH, cancel)]
    return np.concatenate(found) if found else np.zeros((0, 3), np.float32)


def look_table(
    study: Study,
    frames: Frames,
    shot: Shot | None,
    cancel: Cancel | None = None,
    grid: int | None = None,
) -> LookTable:
    """Bake the study's Span: sampled, or fitted when the study says so and it measures better."""
    exact, size = study.transform(shot=shot.id if shot else None), grid or study.grid
    sampled = bake_tiled(exact, size, cancel)
    if not study.fit or size > MOST_FITTED:
        return LookTable(sampled, False, sampled)
    check = cancel.check if cancel is not None else always_wanted
    natural = natural_colours(study, frames, cancel)
    with heavy(check):
        found = fitted(
            exact,
            size,
            encoding(study.view.encoding),
            natural=natural,
            seen=lambda code: viewed(study, code),
            check=check,
        )
    return LookTable(found.table if found.kept else sampled, found.kept, sampled)


class Yardstick:
    """What a study's Span exactly gives, on its shots and over the cube; LUTs are measured against it.

    Attributes:
        inputs: colours of all shots as they enter the LUT, (k, 3); empty when none can be read.
        exact: what the View shows of them through the exact path.
        shots: names of the shots, and where the colours of each end.
    """

    def __init__(
        self, study: Study, frames: Frames, shot: Shot | None, cancel: Cancel | None = None
    ) -> None:
        self.study, self._cancel = study, cancel
        self.display = encoding(study.view.encoding)
        path_of = study.transform(shot=shot.id if shot else None).apply
        glazes = max(1.0, len(study.look.coats) / _QUICK)
        share = min(1.0, (_FULLY / max(len(study.shots) * glazes, 1)) ** 0.5)
        width = max(_NARROWEST, round(WIDTH * share))
        each = entry_colours(study, frames, width, cancel)
        self.shots = tuple(s.name for s, _colours in each)
        self.sizes = tuple(colours.shape[:2] for _s, colours in each)
        self.ends = np.cumsum([colours.size // 3 for _s, colours in each], dtype=int)
        flat = [colours.reshape(-1, 3) for _s, colours in each]
        self.inputs: Rgb = np.concatenate(flat) if flat else np.zeros((0, 3), np.float32)
        self.exact = viewed(study, run_tiled(path_of, self.inputs, cancel))
        self._tables: dict[tuple[int, bool], Table3D] = {}
        self._cube = cube_colours()
        self._over_cube = viewed(study, run_tiled(path_of, self._cube, cancel))

    def seen(self, apply: Any, inputs: Rgb | None = None) -> Rgb:
        """Return what the View shows of the shots' colours, or of others, through a LUT."""
        colours = self.inputs if inputs is None else inputs
        return viewed(self.study, np.asarray(apply(colours), np.float32))

    def table(self, study: Study, frames: Frames, shot: Shot | None, grid: int) -> Table3D:
        """Return the table of its Span at a grid, sampled or fitted as a study says; made once."""
        key = grid, study.fit
        if key not in self._tables:
            made = look_table(study, frames, shot, self._cancel, grid)
            self._tables[key] = made.table
        return self._tables[key]

    def loss(self, apply: Any, grid: int = 0) -> GridLoss:
        """Measure what a LUT loses."""
        cube = self._cube
        over_cube = difference_of((self._over_cube, self.seen(apply, cube)), cube, self.display)
        if not len(self.inputs):
            return GridLoss(grid=grid, cube=over_cube)
        both = (self.exact, self.seen(apply))
        over_shots, worst = difference_and_place(both, self.inputs, self.display)
        worst_shot = self.shots[int(np.searchsorted(self.ends, worst, side="right"))]
        return GridLoss(grid=grid, cube=over_cube, shots=over_shots, worst_shot=worst_shot)


def of_table(yardstick: Yardstick, table: Table3D) -> GridLoss:
    """Measure a table in a study's Span."""
    return yardstick.loss(lambda rgb: run_tiled(Transform((table,)).apply, rgb), table.size)


def look_loss(
    study: Study,
    frames: Frames,
    made: LookTable,
    shot: Shot | None,
    cancel: Cancel | None = None,
    yardstick: Yardstick | None = None,
) -> GridLoss:
    """Measure a Look's table; where fitting was asked for, what sampling would lose stands beside it."""
    yardstick = yardstick or Yardstick(study, frames, shot, cancel)
    loss = of_table(yardstick, made.table)
    if not study.fit:
        return loss
    other = of_table(yardstick, made.sampled) if made.fitted else loss
    return attrs.evolve(loss, fitted=made.fitted, sampled=other.main)


GRIDS = (9, 13, 17, 21, 25, 33, 41, 49, 65)


def smallest_grid(
    study: Study,
    frames: Frames,
    tolerance: float,
    shot: Shot | None = None,
    cancel: Cancel | None = None,
    progress: Progress = silent,
) -> tuple[int | None, GridLoss]:
    """Return the smallest usual grid with 99 of 100 colours of the shots within a tolerance (dE).

    None with the loss of the finest one when no grid is fine enough.
    """
    yardstick = Yardstick(study, frames, shot, cancel)
    for i, grid in enumerate(GRIDS):
        progress(i / len(GRIDS), f"{grid} points")
        made = look_table(study, frames, shot, cancel, grid)
        loss = look_loss(study, frames, made, shot, cancel, yardstick)
        if loss.main.p99 <= tolerance:
            return grid, loss
    return None, loss


def span_words(study: Study, shot: Shot | None = None) -> tuple[str, ...]:
    """Return the comment lines that say what the LUT expects and gives."""
    lines = [span_note.written(*path.span_names(study, shot))]
    if study.span.with_ground and shot is not None:
        lines.append(f"includes the Ground of shot {shot.name}")
    return tuple(lines)


def export_look(
    study: Study,
    frames: Frames,
    file: Path,
    *,
    target: Target | None = None,
    shot: Shot | None = None,
    title: str = "",
    comments: bool = True,
    existing: str = REFUSE,
    taken: set[Path] | None = None,
    yardstick: Yardstick | None = None,
    most_bytes: int = 0,
    measured: bool = True,
    cancel: Cancel | None = None,
    progress: Progress = silent,
) -> Delivered:
    """Deliver the LUT of a study's Span: baked, written, read back twice and measured on the shots.

    Args:
        target: the format and its choices; None for what the file's suffix says, at the Seal's grid.
            A grid is baked from the exact path, sampled or fitted as the study says; a shaper too.
        comments: whether the file says what it expects and gives.
        existing: what is done with a file that is there, see `deliver`; not LEAVE.
        yardstick: of this study, where it was made for another file already.
        most_bytes: what the target takes, 0 for any size.
        measured: whether it is measured on the shots and read by others.
    Raises:
        ExportError: the place cannot be written, or the file exists and must not be replaced.
        ValueRefused: the format cannot hold the Look so.
        Cancelled: before the file was written; afterwards nothing is undone.
    """
    cancel = cancel or Cancel()
    if target is None:
        target = Target(format_for(file).key, suffix=file.suffix.lower())
    spec = target.spec
    grid = spec.grid_for(target.grid or study.grid)
    exact = study.transform(shot=shot.id if shot else None)
    said = span_words(study, shot) if comments else ()
    transform = attrs.evolve(exact, title=title or exact.title, comments=said)
    if spec.bakes and target.shaper is None and target.domain is None:
        progress(0.05, f"baking {grid} points")
        if yardstick is not None:
            table = yardstick.table(study, frames, shot, grid)
        else:
            table = look_table(study, frames, shot, cancel, grid).table
        transform = attrs.evolve(transform, stages=(table,))
    else:
        target = attrs.evolve(target, grid=grid if spec.bakes else None)
    judge = (yardstick or Yardstick(study, frames, shot, cancel)).loss if measured else None
    made = deliver(
        transform,
        attrs.evolve(target, grid=None) if transform.table is not None else target,
        file,
        existing,
        judge=judge,
        second=measured,
        is_look=True,
        taken=taken,
        most_bytes=most_bytes,
        cancel=cancel,
        progress=progress,
    )
    assert made is not None
    return made
