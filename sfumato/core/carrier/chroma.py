"""Nodes out of a JPEG whose colour was stored at half size, from its own planes."""

from __future__ import annotations

import numpy as np

from sfumato.core.arrays import Array, Rgb
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.carrier.arrange import arranged
from sfumato.core.lut.nodes import Bend, Normal, smoothed_nodes, solved, weights
from sfumato.core.lut.table import Table3D, lattice_colours
from sfumato.core.lut.transform import Transform

_GRID = 33  # of the lattice that colour differences are fitted on
_TONES, _COLOURS = 1e-7, 1e-5
_STEPS = 120

# From Y'CbCr to R'G'B', ITU-T T.871 (JFIF): BT.601 over full range. Y 0, Cb 0.5 - blue: B = 1.772 / 2.
_RED, _GREEN_B, _GREEN_R, _BLUE = 1.402, -0.344136, -0.714136, 1.772


def nodes_of_planes(
    planes: tuple[Array, Array, Array],
    points: int,
    name: str,
    check: StillWanted = always_wanted,
) -> Rgb:
    """Fit nodes [r, g, b, 3] to the planes of a picture of nodes.

    The mean of each block of pixels that shares a colour difference is what the file holds: a smooth
    lattice is sought whose means meet it, so that no colour has to be guessed from its neighbours.

    Args:
        planes: Y (h, w) in 0..1, Cb and Cr (h / 2, w / 2 or w) in -0.5..0.5.
        points: nodes a side.
        name: the arrangement.
    """
    from scipy import sparse

    y, cb, cr = planes
    height, width = y.shape
    place = arranged(lattice_colours(points), name).reshape(-1, 3)
    index = np.rint(place * (points - 1)).astype(int) @ np.array([points * points, points, 1])
    tones = np.zeros(points**3)
    tones[index] = y.reshape(-1)
    tones = smoothed_nodes(
        np.repeat(tones.reshape(points, points, points, 1), 3, -1),
        np.ones((points,) * 3),
        _TONES,
        check,
    )[..., 0]
    across, down = width // cb.shape[1], height // cb.shape[0]
    rows, columns = np.mgrid[:height, :width]
    block = (rows // down) * cb.shape[1] + columns // across
    box = sparse.csr_matrix(
        (np.full(height * width, 1 / (across * down)), (block.ravel(), np.arange(height * width))),
        (cb.size, height * width),
    )
    means = (box @ weights(place, _GRID)).tocsr()
    check()
    target = np.stack([cb.ravel(), cr.ravel()], -1).astype(np.float64)
    density = cb.size / _GRID**3
    smooth = _COLOURS * (_GRID - 1) ** 4 * density
    normal = Normal((means.T @ means).tocsr(), Bend(_GRID), smooth)
    start = np.zeros((_GRID**3, 2))
    found = solved(normal, np.asarray(means.T @ target), start, _STEPS, check)
    both = np.concatenate([found, np.zeros((len(found), 1))], -1).reshape(_GRID, _GRID, _GRID, 3)
    lattice = Transform((Table3D(both.astype(np.float32)),)).apply(lattice_colours(points))
    b, r = lattice[..., 0], lattice[..., 1]
    rgb = np.stack([tones + _RED * r, tones + _GREEN_B * b + _GREEN_R * r, tones + _BLUE * b], -1)
    return np.asarray(np.clip(rgb, 0, 1), np.float32)
