"""What the hand sees while it paints: one region of a still, kept step by step, repaired where it moves.

Every step's input and output are kept as working values; a stamp changes one matte, so only the
rectangle under it is mixed anew. From working values to the screen it is looked up in a table while
the hand moves, and computed exactly when it rests.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.luma import luma
from sfumato.core.lut.sample import Packed, apply_packed, packed
from sfumato.core.lut.table import Table3D, lattice_colours, node_values
from sfumato.core.path import path
from sfumato.core.study import painted
from sfumato.core.study.mask import Rect, Sheet, Stroke, dabs
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work.cancel import Cancel
from sfumato.work.frames import Region
from sfumato.work.preview.asks import Ask
from sfumato.work.preview.preview import Previewer
from sfumato.work.tiles import run_tiled

_GRID = 33
LOOK_STEP = 0  # the index of the Look among the steps; layers follow


@frozen(eq=False)
class CanvasAsk:
    """What is painted on: immutable, made by the window, answered by a worker."""

    study: Study
    shot: Shot
    width: int
    height: int
    region: Region


class Canvas:
    """A region of a still with its masks, in `width` x `height` pixels.

    Attributes:
        picture: uint8 (h, w, 3) in codes of the screen.
        layers: of each step: LOOK_STEP, then the number of its layer + 1; layers that do nothing
            have no step.
    """

    def __init__(self, previewer: Previewer, ask: CanvasAsk, cancel: Cancel) -> None:
        self.ask = ask
        study, shot = ask.study, ask.shot
        before = previewer.working(Ask(study, shot), ask.width, ask.height, ask.region)
        x = run_tiled(lambda code: path.through_ground(shot, study, code), before, cancel)
        steps = painted.steps_of(study, shot)
        acting = [i + 1 for i, layer in enumerate(shot.layers) if layer.coat.acts]
        self.layers = [LOOK_STEP, *acting]
        self._steps = [step for step, _mask in steps]
        self.sheets: list[Sheet] = []
        self._before: list[Rgb] = []
        self._after: list[Rgb] = []
        for step, mask in steps:
            cancel.check()
            sheet = Sheet.of(mask, ask.width, ask.height, ask.region)
            after = run_tiled(step, x, cancel)
            self.sheets.append(sheet)
            self._before.append(x)
            self._after.append(after)
            x = painted.laid(x, after, sheet.pixels)
        leave = painted.leaving(study)
        self._last = x
        self._stamps: dict[int, int] = {}  # how many of each stroke were laid
        self.picture = previewer.screened(study, run_tiled(leave, x, cancel), cancel)
        self._table = _screen_table(previewer, study, leave)

    def step_of(self, layer: int) -> int | None:
        """Return the step of a layer (0 = the Look), None when it does nothing."""
        return self.layers.index(layer) if layer in self.layers else None

    def lay(self, step: int, stroke: Stroke, number: int) -> Rect | None:
        """Lay what is new of a stroke on a step's matte and repair the picture; return what has changed.

        Args:
            number: of the stroke, by which its stamps are known that were laid before.
        """
        sheet = self.sheets[step]
        rect = sheet.lay(stroke, self._stamps.get(number, 0))
        self._stamps[number] = len(dabs(stroke, sheet.width, sheet.height))
        if rect is not None:
            self._repair(step, rect)
        return rect

    def _repair(self, first: int, rect: Rect) -> None:
        left, top, right, bottom = rect
        at = (slice(top, bottom), slice(left, right))
        x = self._before[first][at]
        for k in range(first, len(self._steps)):
            if k > first:
                self._before[k][at] = x
                self._after[k][at] = self._steps[k](np.ascontiguousarray(x))
            x = painted.laid(x, self._after[k][at], self.sheets[k].pixels[at])
        self._last[at] = x
        part = np.ascontiguousarray(x)
        out = np.empty(part.shape, np.uint8)
        apply_packed(self._table, part, out, "tetrahedral")
        self.picture[at] = out

    def shown(self, step: int | None) -> Array:
        """Return the picture greyed where a step's mask lets nothing through, uint8 (h, w, 3)."""
        return self.part((0, 0, self.ask.width, self.ask.height), step)

    def part(self, rect: Rect, step: int | None) -> Array:
        """Return a copy of a part of it; with a step, what its mask does not reach is dark and grey."""
        left, top, right, bottom = rect
        part = self.picture[top:bottom, left:right]
        if step is None:
            return part.copy()
        light = part.astype(np.float32)
        grey = luma(light)
        m = self.sheets[step].pixels[top:bottom, left:right, None]
        return np.asarray(
            light * m + grey[..., None] * (np.float32(0.45) * (1 - m)) + 0.5, np.uint8
        )


def _screen_table(previewer: Previewer, study: Study, leave: Callable[[Rgb], Rgb]) -> Packed:
    """Return working values -> codes of the screen as a table."""
    nodes = run_tiled(leave, lattice_colours(_GRID))
    go_on = previewer.to_screen(study)
    if go_on is not None:
        nodes = run_tiled(go_on, nodes)
    return packed(Table3D(node_values(nodes)))
