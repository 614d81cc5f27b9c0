"""While the hand moves: the path to the display as one table, computed from the step that moves."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import Encoding, convert, encoding
from sfumato.core.colour.screen import code_table, recoded
from sfumato.core.lut.sample import Packed, apply_packed, packed
from sfumato.core.lut.table import Table3D, lattice_colours, node_values
from sfumato.core.path import path
from sfumato.core.study.study import Study
from sfumato.work import memory
from sfumato.work.cancel import Cancel
from sfumato.work.memory import Kept
from sfumato.work.preview.asks import EXACT, GROUND, PRINTED, UNBAKED, Ask, ground_key, look_key
from sfumato.work.preview.prints import PrintTable
from sfumato.work.preview.sides import Sides, unviewed
from sfumato.work.tiles import apply_tiled

DRAG_GRIDS = (33, 25, 17)
DRAG_SECONDS = 0.010


@frozen(eq=False)
class DragTable:
    """A table to drag through, and its packed form.

    `riders` are the swatches of the smears as each coat takes and gives them, working values: they
    ride with the colours of the lattice.
    """

    table: Table3D
    packed: Packed
    riders: tuple[Rgb, ...] = ()

    @classmethod
    def of(cls, table: Table3D, riders: tuple[Rgb, ...] = ()) -> DragTable:
        return cls(table, packed(table), riders)


def _drag_key(ask: Ask, which: str) -> tuple[Any, ...]:
    return "drag", which, ground_key(ask), look_key(ask.study) if which != GROUND else None


class Drags(Sides):
    """Keeps the drag table of the side that does not move, and its picture."""

    def forget(self) -> None:
        super().forget()
        self._pictures = Kept(memory.DRAGGED, 8)
        self._steps_ground = Steps()
        self._steps_look = Steps()

    def _drag_table(self, ask: Ask, which: str, cancel: Cancel) -> DragTable:
        """Return the drag table from working values to the display; A's is kept while B moves."""
        if which == PRINTED:
            return self._printed_table(ask, self._drag_table(ask, EXACT, cancel))

        def make() -> DragTable:
            steps = self._steps_ground if which == GROUND else self._steps_look
            stages = stages_of(ask, which != GROUND)
            nodes, riders = steps.run(stages, partial(swatches_in, ask.study.working), cancel)
            return DragTable.of(Table3D(nodes), riders)

        table: DragTable = self._tables.get(_drag_key(ask, which), make)
        return table

    def _printed_table(self, ask: Ask, table: DragTable, alone: bool = False) -> DragTable:
        """Return a drag table that goes on to what print makes of it; `alone`: where black ink alone stays."""
        print_ = self.print_table(ask)
        look = print_.alone if alone and print_.alone is not None else print_.look

        plated = self.is_plated(ask.shot)

        def make() -> tuple[DragTable, PrintTable, DragTable]:
            nodes = np.ascontiguousarray(table.table.values, np.float32)
            if plated:
                nodes = nodes + self._unviewed(ask.study, len(nodes))
            out = np.empty_like(nodes)
            apply_packed(look, nodes, out)
            return table, print_, DragTable.of(Table3D(out))

        kept: tuple[DragTable, PrintTable, DragTable] = self._tables.get(
            ("printed", plated, id(look), id(table), id(print_)), make
        )
        return kept[2]

    def _unviewed(self, study: Study, grid: int) -> Rgb:
        """Return what takes the View back from the nodes of a drag table."""

        def make() -> Rgb:
            return in_chunks(lambda code: unviewed(study, code), lattice_colours(grid))

        nodes: Rgb = self._tables.get(("unviewed", study.working, study.view, grid), make)
        return nodes

    def _screen_codes(self, study: Study) -> Array | None:
        """Return the screen's codes for those of the View, None where colours mix."""
        display, screen = encoding(study.view.encoding), self.screen
        if screen is None:
            return None
        key = ("codes", id(display), id(screen))
        kept: tuple[Encoding, Encoding, Array | None] = self._tables.get(
            key, lambda: (display, screen, code_table(display, screen))
        )
        return kept[2]

    def _recoded(self, picture: Array, table: Array) -> Array:
        """Return a picture in the screen's codes; that of the side that does not move is kept."""

        def make() -> tuple[Array, Array, Array]:
            return picture, table, recoded(picture, table)

        kept: tuple[Array, Array, Array] = self._pictures.get((id(picture), id(table)), make)
        return kept[2]

    def _screen_table(self, ask: Ask, table: DragTable) -> DragTable:
        """Return a drag table that goes on to the screen."""
        go_on = self.to_screen(ask.study)
        if go_on is None:
            return table

        def make() -> tuple[DragTable, DragTable]:
            return table, DragTable.of(Table3D(in_chunks(go_on, table.table.values)))

        key = ("screen", id(table), id(self.screen), ask.study.view.encoding)
        kept: tuple[DragTable, DragTable] = self._tables.get(key, make)
        return kept[1]

    def _dragged(
        self, ask: Ask, which: str, code: Rgb, cancel: Cancel, *, screen: bool = False
    ) -> Array:
        """Return a side while the hand moves, in the View's codes or the screen's."""
        codes = self._screen_codes(ask.study) if screen else None

        def through(table: DragTable) -> Array:
            if codes is not None:
                return self._recoded(self._looked_up(table, code, cancel), codes)
            on = self._screen_table(ask, table) if screen else table
            return self._looked_up(on, code, cancel)

        picture = through(self._drag_table(ask, which, cancel))
        where = self.black_alone(ask) if which == PRINTED else None
        if where is None:
            return picture
        exact = self._drag_table(ask, EXACT, cancel)
        alone = through(self._printed_table(ask, exact, alone=True))
        return np.where(where[..., None], alone, picture)

    def riders(self, ask: Ask) -> tuple[Rgb, ...]:
        """Return the swatches before and behind each coat of Ground and Look, when a drag has them already."""
        study, found = ask.study, tuple[Rgb, ...]()
        if ask.dragging and study.look.strength == 1.0:
            for which in {ask.a, ask.b} - UNBAKED - {GROUND, PRINTED}:
                kept: DragTable | None = self._tables.peek(_drag_key(ask, which))
                found = found if kept is None else kept.riders
        return found[: 1 + len(ask.shot.ground) + len(study.look.coats)]

    def prepare(self, ask: Ask, cancel: Cancel) -> None:
        """Fill the drag tables of both sides at rest, so that the first step of a drag is quick."""
        plain = self._screen_codes(ask.study) is not None
        for which in {ask.a, ask.b} - UNBAKED:
            table = self._drag_table(ask, which, cancel)
            if not plain:
                self._screen_table(ask, table)

    def _looked_up(self, table: DragTable, code: Rgb, cancel: Cancel) -> Array:
        """Return a picture through a drag table; the side that does not move is kept."""
        key = (id(table), id(code))

        def make() -> tuple[DragTable, Rgb, Array]:
            return table, code, apply_tiled(table.packed, code, np.uint8, cancel=cancel)

        kept: tuple[DragTable, Rgb, Array] = self._pictures.get(key, make)
        return kept[2]


def _swatches() -> Rgb:
    """Return twelve hues (Oklch L 0.66, C 0.13) and five greys, linear BT.709, float32 (17, 3)."""
    space = encoding("Linear BT.709")
    angle = np.radians(np.arange(12) * 30 + 20)
    hues = np.stack([np.full(12, 0.66), 0.13 * np.cos(angle), 0.13 * np.sin(angle)], axis=-1)
    greys = np.repeat(np.array([[0.02], [0.08], [0.18], [0.4], [0.85]]), 3, axis=1)
    return np.concatenate([oklab.to_light(hues.astype(np.float32), space), greys]).astype(
        np.float32
    )


def swatches_in(working: str) -> Rgb:
    """Return the swatches of the smears in working values, float32 (17, 3)."""
    return convert(_swatches(), "Linear BT.709", working)


Stage = tuple[Any, Callable[[Rgb], Rgb]]


def stages_of(ask: Ask, with_look: bool) -> list[Stage]:
    """Return the path from working values to the display, a stage for each thing that can change."""
    study = ask.study
    working = encoding(study.working)
    stages: list[Stage] = [(study.working, lambda code: code)]
    coats = [*ask.shot.ground]
    if with_look and study.look.strength == 1.0:
        coats += study.look.coats
    for coat in coats:
        key = (coat, study.view) if path.knows_view(coat) else coat
        stages.append((key, partial(path.through_coat, coat, working=working, view=study.view)))
    if with_look and study.look.strength != 1.0:
        stages.append(((study.look, study.view), partial(path.through_look, study)))
    stages.append((study.view, partial(path.through_view, study)))
    return stages


@frozen(eq=False)
class _Step:
    key: Any
    values: Rgb
    per_node: float  # seconds


class Steps:
    """The drag lattice after each stage: a drag computes only from the stage that moves onwards.

    The grid is the finest of DRAG_GRIDS that the whole path fills within DRAG_SECONDS here.
    """

    def __init__(self) -> None:
        self._kept: list[_Step] = []
        self._grid = DRAG_GRIDS[0]
        self._lock = threading.Lock()

    def run(
        self, stages: list[Stage], riders: Callable[[], Rgb], cancel: Cancel
    ) -> tuple[Rgb, tuple[Rgb, ...]]:
        """Return the nodes (n, n, n, 3), and what each stage makes of further colours (m, 3)."""
        with self._lock:
            kept, grid = list(self._kept), self._grid
        same = 0
        for (key, _), known in zip(stages, kept, strict=False):
            if key is not known.key and key != known.key:
                break
            same += 1
        kept = kept[:same]
        nodes = grid**3
        value = (
            kept[-1].values
            if kept
            else np.concatenate([lattice_colours(grid).reshape(-1, 3), riders()])
        )
        for key, run in stages[same:]:
            cancel.check()
            start = time.perf_counter()
            value = in_chunks(run, value)
            spent = (time.perf_counter() - start) / nodes
            kept.append(_Step(key, value, spent))
        better = _grid_for(sum(s.per_node for s in kept), grid)
        with self._lock:
            self._kept, self._grid = (kept if better == grid else []), better
        found = value[:nodes].reshape(grid, grid, grid, 3)
        return np.asarray(node_values(found), np.float32), tuple(s.values[nodes:] for s in kept)


def _grid_for(per_node: float, now: int) -> int:
    """Return the drag grid that suits a path's cost; a little slow, so that it does not flicker."""
    if 0.7 * DRAG_SECONDS < per_node * now**3 < 1.3 * DRAG_SECONDS:
        return now
    return next((g for g in DRAG_GRIDS if per_node * g**3 <= DRAG_SECONDS), DRAG_GRIDS[-1])


def in_chunks(run: Callable[[Rgb], Rgb], values: Rgb) -> Rgb:
    flat = values.reshape(-1, 3)
    parts = [run(flat[at : at + path.CHUNK]) for at in range(0, len(flat), path.CHUNK)]
    return np.concatenate(parts).reshape(values.shape)
