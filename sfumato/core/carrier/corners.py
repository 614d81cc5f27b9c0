"""A block of nodes between four corners: read through a projection, and its corners set right."""

from __future__ import annotations

import numpy as np

from sfumato.core.arrays import Array, Rgb
from sfumato.core.carrier import arrange
from sfumato.core.errors import ValueRefused

Corners = tuple[tuple[float, float], ...]  # x, y of top left, top right, bottom right, bottom left
_INNER = 0.5  # the share of a cell's side that is read
_STEPS = (2.0, 1.0, 0.5, 0.25)  # pixels by which corners are moved while they are set right
_ROUNDS = 3


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


def read(pixels: Rgb, corners: Corners, cells: tuple[int, int], samples: int = 3) -> Array:
    """Return the mean colour of each cell of a block, float64 (rows, columns, 3); outside is NaN.

    Args:
        cells: columns, rows.
        samples: a side of each cell's inner half.
    """
    from scipy import ndimage

    columns, rows = cells
    within = (np.arange(samples) + 0.5) / samples * _INNER + (1 - _INNER) / 2
    u = ((np.arange(columns)[:, None] + within) / columns).ravel()
    v = ((np.arange(rows)[:, None] + within) / rows).ravel()
    grid = np.stack(np.broadcast_arrays(u[None, :], v[:, None], 1.0), -1) @ projection(corners).T
    x, y = grid[..., 0] / grid[..., 2] - 0.5, grid[..., 1] / grid[..., 2] - 0.5
    height, width = pixels.shape[:2]
    out = np.empty((rows, columns, 3))
    for c in range(3):
        found = ndimage.map_coordinates(pixels[..., c], (y, x), order=1, mode="nearest")
        out[..., c] = found.reshape(rows, samples, columns, samples).mean((1, 3))
    outside = (x < -0.5) | (y < -0.5) | (x > width - 0.5) | (y > height - 0.5)
    out[outside.reshape(rows, samples, columns, samples).any((1, 3))] = np.nan
    return out


def snapped(pixels: Rgb, corners: Corners, layout: str, points: int) -> Corners:
    """Return corners moved by a few pixels to where the nodes between them are smoothest."""
    from sfumato.core.carrier.bare import cells_of

    cells = cells_of(layout, points)
    shape, comma, turn = layout.partition(", ")
    across = cells[0] // points

    def rough(at: Corners) -> float:
        block = read(pixels, at, cells, samples=1)
        if not np.isfinite(block).all():
            block = np.nan_to_num(block, nan=0.5)
        return arrange.roughness(
            arrange.lattice_of(block, shape, points, across, comma + turn or arrange.DOWN)
        )

    best, least = corners, rough(corners)
    for step in _STEPS:
        for _ in range(_ROUNDS):
            before = least
            for i in range(4):
                for dx, dy in ((step, 0), (-step, 0), (0, step), (0, -step)):
                    moved = [*best]
                    moved[i] = (best[i][0] + dx, best[i][1] + dy)
                    found = rough(tuple(moved))
                    if found < least:
                        best, least = tuple(moved), found
            if least == before:
                break
    return best
