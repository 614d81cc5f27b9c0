"""Nodes without marks inside a larger picture: a strip in a screenshot, a HALD cut out by hand.

Where runs of nodes end, red (or green) jumps from one to nought, whatever the look: seams at equal
distances over the whole height of the block. The place where they stand out most is tried first.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.breath import breathe
from sfumato.core.carrier import arrange

USUAL = tuple(
    (layout, n) for layout in (arrange.ROW, arrange.SQUARE) for n in (16, 32, 33, 64, 17, 25, 48)
) + tuple((arrange.HALD, level**2) for level in (8, 6, 12, 4, 5))
COMMON = (
    (arrange.ROW, 16),
    (arrange.ROW, 32),
    (arrange.ROW, 33),
    (arrange.SQUARE, 32),
    (arrange.HALD, 64),
)
_LARGE = 6e6  # pixels beyond which only these are looked for: each takes a second and more
LOST = 2  # pixels that may be cut off at each side
_SCALES = (1, 2, 3)
_TRIED = 8  # places of each arrangement
_ALIKE, _GOES_ON = 0.3, 0.5  # of what seams jump by inside
_BAND = 128  # rows that are looked at together
_STANDS_OUT = 2.0  # seams against what lies between them, to be tried at all


@frozen
class Place:
    """A block of nodes in a picture: pixels of its upper left corner (below 0: cut off), and of a node."""

    layout: str
    points: int
    left: int
    top: int
    scale: int = 1

    @property
    def cells(self) -> tuple[int, int]:
        return cells_of(self.layout, self.points)


def cells_of(layout: str, points: int) -> tuple[int, int]:
    """Return how many nodes lie side by side, and one above the other.

    >>> cells_of("row", 16), cells_of("HALD", 64), cells_of("square", 32)
    ((256, 16), (512, 512), (256, 128))
    """
    if layout == arrange.HALD:
        side = math.isqrt(points) ** 3
        return side, side
    shape = layout.partition(",")[0]
    across = {arrange.ROW: points, arrange.COLUMN: 1}.get(shape) or arrange.columns_of(points)
    return across * points, -(-points // across) * points


def lattice(block: Array, layout: str, points: int) -> Array:
    """Return the nodes [r, g, b, 3] of a block of one value a node, as they are arranged in it."""
    shape, comma, turn = layout.partition(", ")
    across = cells_of(layout, points)[0] // points
    return arrange.lattice_of(block, shape, points, across, comma + turn or arrange.DOWN)


def places(pixels: Rgb, wanted: Sequence[tuple[str, int]] = ()) -> Iterator[Place]:
    """Yield where nodes may lie in a picture (h, w, 3), the likeliest of each arrangement first.

    Args:
        wanted: arrangements and points; () for the usual ones.
    """
    height, width = (side + 2 * LOST for side in pixels.shape[:2])
    along: Array | None = None
    likely = USUAL if height * width <= _LARGE else COMMON
    for layout, points in wanted or likely:
        for scale in _SCALES:
            across, down = (side * scale for side in cells_of(layout, points))
            if across > width or down > height:
                continue
            if along is None:
                along, upright = _jumps(pixels, 1), _jumps(pixels, 0)
            score = _score(along, upright, layout, points, scale)
            if score is None:
                continue
            for x, y in _peaks(score, points * scale // 4):
                yield Place(layout, points, x - LOST, y - LOST, scale)
            del score  # before the next, as large as the picture


def nodes_at(pixels: Rgb, place: Place) -> Array:
    """Return the block of nodes (rows, columns, 3) of a place, float64; what is cut off is NaN.

    Of nodes of several pixels the middle one is read.
    """
    across, down = place.cells
    x = place.left + np.arange(across) * place.scale + place.scale // 2
    y = place.top + np.arange(down) * place.scale + place.scale // 2
    height, width = pixels.shape[:2]
    found = pixels[np.clip(y, 0, height - 1)][:, np.clip(x, 0, width - 1)].astype(np.float64)
    found[(y < 0) | (y >= height)] = np.nan
    found[:, (x < 0) | (x >= width)] = np.nan
    return np.asarray(found)


def stands_alone(pixels: Rgb, place: Place) -> bool:
    """Whether a place has seams of its own: all of them jump, and they do not go on beyond it.

    Else it is a part of a larger block, or of one of other runs.
    """
    sides = tuple(side * place.scale for side in place.cells)
    starts = (place.left, place.top)
    for axis in (1, 0):
        start, length = starts[1 - axis], sides[1 - axis]
        first, size = starts[axis], sides[axis]
        run = place.points * place.scale
        if place.layout == arrange.HALD and axis == 0:
            run = math.isqrt(place.points) * run // place.points
        across = slice(max(first, 0), first + size)
        band = pixels[across] if axis == 1 else pixels[:, across]

        def jumps(lines: Iterable[int], band: Rgb = band, axis: int = axis) -> list[float]:
            return [_jump(band, axis, at) for at in lines if 1 <= at < band.shape[axis]]

        inside = jumps(range(start + run, start + length, run))
        if not inside:
            continue
        low, high = np.percentile(inside, (20, 100))
        if low < _ALIKE * high:
            return False
        beyond = jumps((start - run, start + length + run))
        if beyond and max(beyond) > _GOES_ON * float(np.mean(inside)):
            return False
    return True


def _jump(band: Rgb, axis: int, at: int) -> float:
    one, two = (band.take(i, axis=axis) for i in (at - 1, at))
    return float(np.abs(two - one).max(-1).mean())


def _jumps(pixels: Rgb, axis: int) -> Array:
    """Return how much each pixel differs from the one before it, summed up along the other axis.

    The picture goes on at each side by `LOST` pixels like those at its edge. Of a large picture one
    channel at a time is looked at: all at once take a hundred megabytes.
    """
    steps = np.zeros([n - (i == axis) for i, n in enumerate(pixels.shape[:2])], np.float32)
    for c in range(3):
        step = np.diff(pixels[..., c], axis=axis)
        np.maximum(steps, np.abs(step, out=step), out=steps)
    before, none = (LOST + 1, LOST), (0, 0)  # along the axis nothing changes out there
    steps = np.pad(steps, (before, none) if axis == 0 else (none, before))
    aside = (LOST, LOST)
    steps = np.pad(steps, (none, aside) if axis == 0 else (aside, none), mode="edge")
    summed = np.cumsum(steps, axis=1 - axis, dtype=np.float32)
    return np.pad(summed, ((0, 0), (1, 0)) if axis == 0 else ((1, 0), (0, 0)))


def _score(along: Array, upright: Array, layout: str, points: int, scale: int) -> Array | None:
    """Return how much the seams of a block stand out from the rest of it, at each place (y, x)."""
    across, down = (side * scale for side in cells_of(layout, points))
    rows, columns = along.shape[0] - down, upright.shape[1] - across
    run = points * scale
    # Of a HALD green starts anew after as many rows as the level.
    fall = math.isqrt(points) * run // points if layout == arrange.HALD else run
    count = len(range(run, across, run)) * down + len(range(fall, down, fall)) * across
    if not count:
        return None
    score = np.empty((rows, columns), np.float32)
    for top in range(0, rows, _BAND):  # whole, the steps between would take as much as the picture
        breathe()
        band = slice(top, min(top + _BAND, rows))
        high = band.stop - top
        seams = np.zeros((high, columns), np.float32)
        # Inside of runs the look changes by a step from node to node; between two seams is the rest.
        between = np.zeros_like(seams)
        lines = along[top + down : band.stop + down] - along[band]
        for x in range(run, across, run):
            seams += lines[:, x : x + columns]
            between += lines[:, x - run // 2 : x - run // 2 + columns]
        part = upright[top : band.stop + down]
        lines = part[:, across:] - part[:, :-across]
        for y in range(fall, down, fall):
            seams += lines[y : y + high, :columns]
            between += lines[y - fall // 2 : y - fall // 2 + high, :columns]
        score[band] = seams / count
        score[band][seams < _STANDS_OUT * between] = 0
    return score


def _peaks(score: Array, apart: int) -> Iterator[tuple[int, int]]:
    """Yield the highest places (x, y), each so many pixels from those before it; the score is used up."""
    for _ in range(_TRIED):
        at = int(score.argmax())
        y, x = divmod(at, score.shape[1])
        if score[y, x] <= 0.02:
            return
        yield x, y
        score[max(y - apart, 0) : y + apart + 1, max(x - apart, 0) : x + apart + 1] = 0
