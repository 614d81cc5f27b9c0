"""The colours of the cells of a block, wherever it lies in a picture."""

from __future__ import annotations

import numpy as np

from sfumato.core.arrays import Array, Rgb
from sfumato.core.carrier.locate import Placed, upright

_INNER = 0.5  # the share of a cell's side that is read: its rim is blurred into its neighbours


def read(pixels: Rgb, placed: Placed) -> Array:
    """Return the mean colour of each cell of the carrier's block, float64 (rows, columns, 3)."""
    plan = placed.plan
    width, height = plan.block_size
    picture = upright(pixels, placed.turns, placed.flipped)
    x, y = plan.block
    return means(
        picture,
        placed.scale[0] * (x + np.arange(width // plan.cell + 1) * plan.cell) + placed.shift[0],
        placed.scale[1] * (y + np.arange(height // plan.cell + 1) * plan.cell) + placed.shift[1],
    )


def means(picture: Rgb, across: Array, down: Array) -> Array:
    """Return the means of the inner parts of cells between lines: one more line than cells each way.

    A part is at least a pixel wide; pixels that it covers in part count in part. Cells that lie outside
    the picture are NaN.
    """
    part, down = _around(picture, down)
    rows, across = _around(_summed(part.astype(np.float64), down).transpose(1, 0, 2), across)
    return _summed(rows, across).transpose(1, 0, 2)


def _around(values: Array, lines: Array) -> tuple[Array, Array]:
    """Return the part of the first axis that lines lie in, and the lines as counted from there."""
    first = int(np.clip(np.floor(lines[0]) - 2, 0, max(len(values) - 4, 0)))
    last = int(np.clip(np.ceil(lines[-1]) + 2, first + 4, len(values)))
    return values[first:last], lines - first


def _summed(values: Array, lines: Array) -> Array:
    """Return the means of the inner parts between lines along the first axis."""
    middle = (lines[:-1] + lines[1:]) / 2
    half = np.maximum(np.diff(lines) * _INNER, 1.0) / 2
    first, last = middle - half, middle + half
    sums = np.zeros((len(values) + 1, *values.shape[1:]))
    np.cumsum(values, axis=0, out=sums[1:])

    def until(at: Array) -> Array:
        at = np.clip(at, 0, len(values))
        i = np.minimum(at.astype(int), len(values) - 1)
        return np.asarray(sums[i] + (at - i).reshape(-1, *[1] * (values.ndim - 1)) * values[i])

    found = (until(last) - until(first)) / (last - first).reshape(-1, *[1] * (values.ndim - 1))
    found[(first < -0.5) | (last > len(values) + 0.5)] = np.nan
    return found


def picture_box(pixels: Rgb, placed: Placed) -> tuple[int, int, int, int]:
    """Return where the carrier's picture lies in the upright return: whole pixels, cut to what is there."""
    plan = placed.plan
    height, width = upright(pixels, placed.turns, placed.flipped).shape[:2]
    (sx, sy), (ox, oy) = placed.scale, placed.shift
    x0, y0 = int(np.ceil(max(ox, 0))), int(np.ceil(max(oy, 0)))
    x1, y1 = min(sx * plan.width + ox, width), min(sy * plan.height + oy, height)
    return x0, y0, max(int(x1), x0), max(int(y1), y0)
