"""While the hand moves: the path to the display as one table, computed from the step that moves."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import Encoding, convert, encoding
from sfumato.core.colour.screen import code_table, recoded
from sfumato.core.lut.sample import Packed, apply_packed, packed
from sfumato.core.lut.table import NODE_RANGE, Table3D, lattice_colours, node_values
from sfumato.core.path import path
from sfumato.core.study.study import Study
from sfumato.work import memory
from sfumato.work.cancel import Cancel
from sfumato.work.memory import Kept, Lent
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

        key, moves = self._place(ask, which)

        def make() -> DragTable:
            stages = stages_of(ask, which != GROUND)
            riders = partial(swatches_in, ask.study.working)
            nodes, ridden = self._steps(which).run(stages, riders, cancel, moves=moves)
            return DragTable.of(Table3D(nodes), ridden)

        table: DragTable = self._tables.get(key, make)
        return table

    def _steps(self, which: str) -> Steps:
        return self._steps_ground if which == GROUND else self._steps_look

    def _place(self, ask: Ask, which: str) -> tuple[Any, bool]:
        """Return where a drag table lies, and whether it is one of the moving hand: none made at rest is there."""
        key = _drag_key(ask, which)
        moves = ask.dragging and self._tables.peek(key) is None
        return (key, "moves") if moves else key, moves

    def _printed_table(self, ask: Ask, table: DragTable, alone: bool = False) -> DragTable:
        """Return a drag table that goes on to what print makes of it; `alone`: where black ink alone stays."""
        print_ = self.print_table(ask)
        look = print_.alone if alone and print_.alone is not None else print_.look

        plated = self.frames.is_plated(ask.shot)

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

        def make() -> tuple[Lent, Array]:
            return Lent((picture, table)), recoded(picture, table)

        kept: tuple[Lent, Array] = self._pictures.get((id(picture), id(table)), make)
        return kept[1]

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
                kept: DragTable | None = self._tables.peek(self._place(ask, which)[0])
                found = found if kept is None else kept.riders
        return found[: 1 + len(ask.shot.ground) + len(study.look.coats)]

    def prepare(self, ask: Ask, cancel: Cancel) -> None:
        """Fill the drag tables of both sides at rest, so that the first step of a drag is quick."""
        self.working(ask, ask.width, ask.height, ask.region)
        plain = self._screen_codes(ask.study) is not None
        for which in {ask.a, ask.b} - UNBAKED:
            table = self._drag_table(ask, which, cancel)
            if not plain:
                self._screen_table(ask, table)
        coats = (*ask.shot.ground, *ask.study.look.coats)
        chosen = [
            i for i, c in enumerate(coats, 1) if ask.coat in (c.id, *(m.id for m in c.members))
        ]
        if chosen and {ask.a, ask.b} - UNBAKED - {GROUND} and ask.study.look.strength == 1.0:
            riders = partial(swatches_in, ask.study.working)
            self._steps_look.ready(stages_of(ask, True), chosen[0], riders, cancel)

    def _looked_up(self, table: DragTable, code: Rgb, cancel: Cancel) -> Array:
        """Return a picture through a drag table; the side that does not move is kept."""
        key = (id(table), id(code))

        def make() -> tuple[Lent, Array]:
            return Lent((table, code)), apply_tiled(table.packed, code, np.uint8, cancel=cancel)

        kept: tuple[Lent, Array] = self._pictures.get(key, make)
        return kept[1]


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


@frozen(eq=False)
class _Rest:
    """What a long row of stages makes of the colours that reach it, as one table."""

    keys: tuple[Any, ...]
    table: Packed

    def of(self, values: Rgb) -> Rgb:
        code = np.ascontiguousarray(values, np.float32)
        out = np.empty_like(code)
        apply_packed(self.table, code, out)
        return out


class Steps:
    """The drag lattice after each stage: a drag computes only from the stage that moves onwards.

    The grid is the finest of DRAG_GRIDS that the whole path fills within DRAG_SECONDS here. Where what
    follows the moving stage takes much longer than that, as hundreds of glazes do, it is one more table.
    """

    def __init__(self) -> None:
        self._kept: list[_Step] = []
        self._grid = DRAG_GRIDS[0]
        self._rest: _Rest | None = None
        self._lock = threading.Lock()

    def run(
        self,
        stages: list[Stage],
        riders: Callable[[], Rgb],
        cancel: Cancel,
        *,
        moves: bool = False,
    ) -> tuple[Rgb, tuple[Rgb, ...]]:
        """Return the nodes (n, n, n, 3), and what each stage makes of further colours (m, 3).

        Args:
            moves: the hand moves, and what follows the moving stage may be looked up in a table;
                further colours then come from the stages up to the moving one alone.
        """
        with self._lock:
            before, grid = list(self._kept), self._grid
        if not before and len(stages) > _MANY:
            grid = DRAG_GRIDS[-1]
        same = _same(stages, before)
        nodes = grid**3
        value = (
            before[same - 1].values
            if same
            else np.concatenate([lattice_colours(grid).reshape(-1, 3), riders()])
        )
        if moves and same and _is_long(before[same + 1 :], nodes) and len(before) == len(stages):
            rest = self._rest_of(stages, same, before, cancel)
            value = in_chunks(stages[same][1], value)
            was = before[same].values[:nodes]
            # The change alone comes from the table, so that a drag begins with the exact picture.
            found = before[-1].values[:nodes] + rest.of(value[:nodes]) - rest.of(was)
            ridden = (*(s.values[nodes:] for s in before[:same]), value[nodes:])
            return np.asarray(node_values(found), np.float32).reshape(grid, grid, grid, 3), ridden
        kept = before[:same]
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

    def ready(
        self, stages: list[Stage], moving: int, riders: Callable[[], Rgb], cancel: Cancel
    ) -> None:
        """Make what a drag of a stage needs, so that its first step is quick too."""
        if _same(stages, self._kept) < len(stages):
            self.run(stages, riders, cancel)
        with self._lock:
            kept, grid = list(self._kept), self._grid
        if _same(stages, kept) == len(stages) and _is_long(kept[moving + 1 :], grid**3):
            self._rest_of(stages, moving, kept, cancel)

    def _rest_of(
        self, stages: list[Stage], moving: int, kept: list[_Step], cancel: Cancel
    ) -> _Rest:
        """Return all that follows a stage as a table over the colours that it gives, and some beyond."""
        keys = tuple(key for key, _ in stages[moving + 1 :])
        known = self._rest
        if known is not None and known.keys == keys:
            return known
        reached = kept[moving].values
        low = np.clip(reached.min(axis=0), NODE_RANGE[0], 0) - _BEYOND
        high = np.clip(reached.max(axis=0), 1, NODE_RANGE[1]) + _BEYOND
        per_node = sum(s.per_node for s in kept[moving + 1 :])
        grid = next((g for g in DRAG_GRIDS if per_node * g**3 < _READY), DRAG_GRIDS[-1])
        value = lattice_colours(grid) * (high - low) + low
        for _key, run in stages[moving + 1 :]:
            cancel.check()
            value = in_chunks(run, np.asarray(value, np.float32))
        table = Table3D(node_values(value), (low.tolist(), high.tolist()))
        self._rest = rest = _Rest(keys, packed(table))
        return rest


_MANY = 40  # stages of a path that starts on the coarsest grid
_LONG = 3 * DRAG_SECONDS
_READY = 1.0  # seconds that the table of what follows a moving stage may take, at rest
_BEYOND = 0.02  # by which colours may leave the range they had before a table clips them


def _same(stages: list[Stage], kept: Sequence[_Step]) -> int:
    """Return how many stages at the start are as they were."""
    pairs = zip(stages, kept, strict=False)
    return next(
        (
            i
            for i, ((key, _), known) in enumerate(pairs)
            if key is not known.key and key != known.key
        ),
        min(len(stages), len(kept)),
    )


def _is_long(steps: Sequence[_Step], nodes: int) -> bool:
    return sum(s.per_node for s in steps) * nodes > _LONG


def _grid_for(per_node: float, now: int) -> int:
    """Return the drag grid that suits a path's cost; a little slow, so that it does not flicker."""
    if 0.7 * DRAG_SECONDS < per_node * now**3 < 1.3 * DRAG_SECONDS:
        return now
    return next((g for g in DRAG_GRIDS if per_node * g**3 <= DRAG_SECONDS), DRAG_GRIDS[-1])


def in_chunks(run: Callable[[Rgb], Rgb], values: Rgb) -> Rgb:
    flat = values.reshape(-1, 3)
    parts = [run(flat[at : at + path.CHUNK]) for at in range(0, len(flat), path.CHUNK)]
    return np.concatenate(parts).reshape(values.shape)
