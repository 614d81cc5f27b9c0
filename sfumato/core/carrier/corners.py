"""A block of nodes between four corners: read through a projection, and its corners set right."""

from __future__ import annotations

import itertools
from collections.abc import Callable

import numpy as np

from sfumato.core.arrays import Array, Rgb
from sfumato.core.carrier import arrange
from sfumato.core.errors import ValueRefused
from sfumato.core.luma import luma

Corners = tuple[tuple[float, float], ...]  # x, y of top left, top right, bottom right, bottom left
_INNER = 0.5  # the share of a cell's side that is read
_WHOLE = 0.94  # … while corners are set right
_STEPS = (2.0, 1.0, 0.5, 0.25, 0.12)  # pixels by which corners are moved while they are set right
_ROUNDS = 3
_WAYS = ((1, 0), (-1, 0), (0, 1), (0, -1))


def of_words(words: str) -> Corners:
    """Return corners that are written as "x,y x,y x,y x,y"; none for "".

    >>> of_words("0,0 9.5,0 9.5,4 0,4")[2]
    (9.5, 4.0)

    Raises:
        ValueRefused: they are not.
    """
    try:
        found = [tuple(float(v) for v in each.split(",")) for each in words.split()]
        return tuple((x, y) for x, y in found)
    except ValueError as error:
        raise ValueRefused(
            f"{words!r:.80} are no corners",
            hint="write x,y four times, as 10,20 400,20 400,60 10,60",
        ) from error


def in_words(corners: Corners) -> str:
    """Return corners as text, to a tenth of a pixel."""
    return " ".join(f"{x:.1f},{y:.1f}" for x, y in corners)


def checked(corners: Corners, size: tuple[int, int]) -> Corners:
    """Return corners, when they go round a block once, clockwise, within two widths of the picture.

    Raises:
        ValueRefused: they do not.
    """
    if len(corners) != 4:
        raise ValueRefused("a block has four corners", hint="give x,y four times, clockwise")
    at = np.asarray(corners, np.float64)
    if not np.isfinite(at).all() or (np.abs(at) > 2 * max(size)).any():
        raise ValueRefused("a corner lies far outside of the picture")
    sides = np.roll(at, -1, axis=0) - at
    turns = sides[:, 0] * np.roll(sides[:, 1], -1) - sides[:, 1] * np.roll(sides[:, 0], -1)
    if (turns <= 4).any():
        raise ValueRefused(
            "the corners do not go round a block",
            hint="top left first, then clockwise: top right, bottom right, bottom left",
        )
    return corners


def projection(corners: Corners) -> Array:
    """Return the projection (3, 3) that carries the unit square to four corners.

    Source: Heckbert 1989, Fundamentals of Texture Mapping, section 2.2.3.

    >>> projection(((0, 0), (2, 0), (2, 1), (0, 1))).round(6).tolist()
    [[2.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]]
    """
    rows, right = [], []
    for (u, v), (x, y) in zip(((0, 0), (1, 0), (1, 1), (0, 1)), corners, strict=True):
        rows += [[u, v, 1, 0, 0, 0, -u * x, -v * x], [0, 0, 0, u, v, 1, -u * y, -v * y]]
        right += [x, y]
    found = np.linalg.solve(np.array(rows, np.float64), np.array(right, np.float64))
    return np.append(found, 1.0).reshape(3, 3)


def read(
    pixels: Array, corners: Corners, cells: tuple[int, int], samples: int = 3, inner: float = _INNER
) -> Array:
    """Return the mean colour of each cell of a block, float64 (rows, columns, channels); outside is NaN.

    Args:
        cells: columns, rows.
        samples: a side of each cell's inner part.
        inner: the share of a cell's side that is read.
    """
    from scipy import ndimage

    columns, rows = cells
    within = (np.arange(samples) + 0.5) / samples * inner + (1 - inner) / 2
    u = ((np.arange(columns)[:, None] + within) / columns).ravel()
    v = ((np.arange(rows)[:, None] + within) / rows).ravel()
    grid = np.stack(np.broadcast_arrays(u[None, :], v[:, None], 1.0), -1) @ projection(corners).T
    x, y = grid[..., 0] / grid[..., 2] - 0.5, grid[..., 1] / grid[..., 2] - 0.5
    height, width, channels = pixels.shape
    out = np.empty((rows, columns, channels))
    for c in range(channels):
        found = ndimage.map_coordinates(pixels[..., c], (y, x), order=1, mode="nearest")
        out[..., c] = found.reshape(rows, samples, columns, samples).mean((1, 3))
    outside = (x < -0.5) | (y < -0.5) | (x > width - 0.5) | (y > height - 0.5)
    out[outside.reshape(rows, samples, columns, samples).any((1, 3))] = np.nan
    return out


def snapped(
    pixels: Rgb,
    corners: Corners,
    cells: tuple[int, int],
    nodes_of: Callable[[Array], Array],
) -> Corners:
    """Return corners moved by a few pixels to where the nodes between them are smoothest.

    Whole cells are read for that: beside their place they take in their neighbours over the seams,
    where the look jumps.

    Args:
        nodes_of: makes nodes [r, g, b, 3] of the block's cells (rows, columns, 3).
    """

    tones = luma(pixels)[..., None]

    def rough(at: Corners) -> float:
        block = read(tones, at, cells, samples=3, inner=_WHOLE)
        return arrange.roughness(nodes_of(np.nan_to_num(block, nan=0.5)).astype(np.float32))

    best, least = corners, rough(corners)
    for step in _STEPS:
        for _ in range(_ROUNDS):
            before = least
            for i, (dx, dy) in itertools.product(range(4), _WAYS):
                moved = [*best]
                moved[i] = (best[i][0] + step * dx, best[i][1] + step * dy)
                found = rough(tuple(moved))
                if found < least:
                    best, least = tuple(moved), found
            if least == before:
                break
    return best
