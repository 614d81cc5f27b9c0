"""Export of a study's Look with its proof, and the standing measure of what the grid loses."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import FormatError, MediaError
from sfumato.core.lut.difference import Difference, cube_colours, difference_of
from sfumato.core.lut.fit import fitted, unchecked
from sfumato.core.lut.table import Table3D
from sfumato.core.lut.transform import Transform
from sfumato.core.path import path, span_note
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.formats.contract import WriteOptions
from sfumato.work.cancel import Cancel, Progress, silent
from sfumato.work.files import write_bytes
from sfumato.work.frames import Frames
from sfumato.work.luts import peer
from sfumato.work.luts.lut_files import format_for, read_lut
from sfumato.work.tiles import bake_tiled, run_tiled

MOST_FITTED = 65  # points: beyond that a fit takes minutes and gigabytes
CLOSE = 1.0  # dE that is just seen when two pictures lie side by side


def entry_colours(
    study: Study, frames: Frames, width: int = 240, cancel: Cancel | None = None
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


@frozen
class GridLoss:
    """What a grid loses: over all shots, over the cube, and the shot that suffers most."""

    grid: int
    shots: Difference | None
    cube: Difference
    worst_shot: str = ""
    fitted: bool = False  # whether the nodes were fitted
    sampled: Difference | None = None  # what sampling alone would lose, where fitting was asked for

    @property
    def main(self) -> Difference:
        """The difference that counts: on the shots, or over the cube when there are none."""
        return self.shots or self.cube

    @property
    def is_close(self) -> bool:
        """Whether no colour is off by more than can just be seen."""
        return self.main.worst <= CLOSE

    @property
    def is_tolerable(self) -> bool:
        """Whether 99 colours of 100 are off by less than can just be seen."""
        return self.main.p99 <= CLOSE


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
    found = fitted(
        exact,
        size,
        encoding(study.view.encoding),
        natural=natural_colours(study, frames, cancel),
        seen=lambda code: viewed(study, code),
        check=cancel.check if cancel is not None else unchecked,
    )
    return LookTable(found.table if found.kept else sampled, found.kept, sampled)


def grid_loss(
    study: Study, frames: Frames, table: Table3D, shot: Shot | None, cancel: Cancel | None = None
) -> GridLoss:
    """Measure table against the exact path, in the display's dE, on the shots and over the cube."""
    exact = study.transform(shot=shot.id if shot else None)
    return _loss(study, frames, exact, Transform((table,)).apply, table.size, cancel)


def look_loss(
    study: Study, frames: Frames, made: LookTable, shot: Shot | None, cancel: Cancel | None = None
) -> GridLoss:
    """Measure a Look's table; where fitting was asked for, what sampling would lose stands beside it."""
    loss = grid_loss(study, frames, made.table, shot, cancel)
    if not study.fit:
        return loss
    other = grid_loss(study, frames, made.sampled, shot, cancel) if made.fitted else loss
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
    for i, grid in enumerate(GRIDS):
        progress(i / len(GRIDS), f"{grid} points")
        made = look_table(study, frames, shot, cancel, grid)
        loss = look_loss(study, frames, made, shot, cancel)
        if loss.main.p99 <= tolerance:
            return grid, loss
    return None, loss


def _loss(
    study: Study, frames: Frames, exact: Transform, other: Any, grid: int, cancel: Cancel | None
) -> GridLoss:
    display = encoding(study.view.encoding)

    def compare(inputs: Rgb) -> tuple[Rgb, Rgb]:
        return (
            viewed(study, run_tiled(exact.apply, inputs, cancel)),
            viewed(study, np.asarray(other(inputs), np.float32)),
        )

    each: list[tuple[Shot, Difference, tuple[Array, Array, Array]]] = []
    for shot, inputs in entry_colours(study, frames, cancel=cancel):
        flat = inputs.reshape(-1, 3)
        a, b = compare(flat)
        each.append((shot, difference_of((a, b), flat, display), (a, b, flat)))
    cube = cube_colours()
    over_cube = difference_of(compare(cube), cube, display)
    if not each:
        return GridLoss(grid, None, over_cube)
    a, b, flat = (np.concatenate([e[2][i] for e in each]) for i in range(3))
    worst = max(each, key=lambda e: e[1].worst)
    return GridLoss(grid, difference_of((a, b), flat, display), over_cube, worst[0].name)


@frozen(eq=False)
class Proof:
    """What is known of a written file: read back by us, and by a reader that is not ours.

    `own` compares our reader's table with the one in memory, `grade` the file's effect on the shots
    with the exact grade, `peer` the same as FFmpeg reads the file (None: it cannot judge, see why).
    """

    file: Path
    grid: int
    size_bytes: int
    own_code_difference: float
    grade: GridLoss
    peer: GridLoss | None
    peer_note: str
    transform: Transform

    @property
    def worst(self) -> float:
        return max(each.main.worst for each in (self.grade, self.peer) if each)

    @property
    def proved(self) -> bool:
        """Whether the file holds every node exactly, and every reader's result is tolerable."""
        readers = [each for each in (self.grade, self.peer) if each]
        return self.own_code_difference == 0.0 and all(r.is_tolerable for r in readers)


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
    shot: Shot | None = None,
    title: str = "",
    force: bool = False,
    cancel: Cancel | None = None,
    progress: Progress = silent,
) -> Proof:
    """Bake, write, read back twice and measure.

    Raises:
        ExportError: the place cannot be written, or the file exists and `force` is false.
        Cancelled: before the file was written; afterwards nothing is undone.
    """
    cancel = cancel or Cancel()
    spec = format_for(file)
    progress(0.05, f"baking {study.grid} points")
    exact = study.transform(shot=shot.id if shot else None)
    table = look_table(study, frames, shot, cancel).table
    comments = span_words(study, shot)
    transform = Transform((table,), title or exact.title, comments)
    cancel.check()
    progress(0.35, f"writing {file.name}")
    assert spec.write is not None
    data = spec.write(transform, WriteOptions(transform.title, comments))
    cancel.check()
    write_bytes(file, data, force=force)
    progress(0.55, "reading it back")
    back = read_lut(file).transform
    stored = back.table
    own = np.inf
    if stored is not None and stored.size == table.size:
        own = float(np.abs(stored.values - table.values).max())
    progress(0.65, "proving it on the shots")
    grade = _loss(study, frames, exact, back.apply, table.size, cancel)
    progress(0.85, f"reading it with {peer.NAME}")
    second: GridLoss | None = None
    note = peer.cannot(table.domain)
    if not note:
        try:
            second = _loss(
                study, frames, exact, lambda rgb: peer.apply_file(file, rgb), table.size, cancel
            )
        except FormatError as error:
            note = error.summary
    progress(1.0, "done")
    return Proof(
        file, table.size, len(data), own, grade, second, note, attrs.evolve(back, source=str(file))
    )
