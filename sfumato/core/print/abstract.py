"""Lattices over Lab that do what a look does: how nodes lie, and how they are chosen.

A look works on RGB. On a grid over Lab it is bent between the nodes, most where colours are dark or where the edge
of the gamut runs through a cell. So nodes stand closer round grey, where pictures are, and their values are fitted to
colours rather than taken at the nodes.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.lut.nodes import Bend, Normal, solved

_CLOSER = 2.2  # how much closer nodes stand round grey: the slope of asinh there
_DARKER = 1.0  # the same towards black
_NATURAL = 3.0  # weight of the colours of pictures over that of the whole gamut
_SMOOTH, _STAY = (
    2e-5,
    2e-4,
)  # bending and size of the changes that the fit makes, over the weight of a node
_STEPS = 60
LAB_TOP = np.array([100.0, 127.0, 127.0])
LAB_FOOT = np.array([0.0, -128.0, -128.0])


def _bent(t: Any, slope: float) -> Array:
    return np.asarray(np.arcsinh(slope * np.asarray(t)) / np.arcsinh(slope))


def places(lab: Any) -> Array:
    """Return where Lab colours lie in the lattice, 0..1, (..., 3); inverse of `colours`.

    >>> places([100.0, 0.0, -128.0]).round(3).tolist()
    [1.0, 0.5, 0.0]
    """
    v = np.asarray(lab, np.float64)
    light = _bent(np.clip(v[..., 0] / 100, 0, 1), _DARKER)
    ab = np.clip(v[..., 1:] / 128, -1, 1)
    return np.concatenate([light[..., None], 0.5 + 0.5 * _bent(ab, _CLOSER)], -1)


def colours(at: Any) -> Array:
    """Return the Lab colours of places 0..1 in the lattice, (..., 3)."""
    u = np.asarray(at, np.float64)
    light = 100 * np.sinh(u[..., :1] * np.arcsinh(_DARKER)) / _DARKER
    ab = 128 * np.sinh((2 * u[..., 1:] - 1) * np.arcsinh(_CLOSER)) / _CLOSER
    return np.concatenate([light, ab], -1)


def _weights(at: Array, n: int) -> Any:
    """Return trilinear interpolation as a sparse matrix (m, n**3); `at` (m, 3) of 0..1."""
    from scipy import sparse

    x = np.clip(at, 0, 1) * (n - 1)
    cell = np.minimum(x.astype(np.int64), n - 2)
    f = x - cell
    steps = np.array([n * n, n, 1])
    columns, shares = [], []
    for corner in range(8):
        up = np.array([corner >> 2, corner >> 1 & 1, corner & 1])
        columns.append((cell + up) @ steps)
        shares.append(np.where(up, f, 1 - f).prod(1))
    rows = np.arange(0, 8 * len(x) + 1, 8)
    return sparse.csr_matrix(
        (np.stack(shares, -1).ravel(), np.stack(columns, -1).ravel(), rows), (len(x), n**3)
    )


def fitted_nodes(
    change: Callable[[Array], Array],
    natural: Array,
    gamut: Array,
    n: int,
    check: StillWanted = always_wanted,
) -> Array:
    """Return nodes (n, n, n, 3) in Lab by which trilinear interpolation at `places` comes nearest to a change.

    Args:
        change: Lab (k, 3) -> Lab; is asked for colours that no display has, too.
        natural: Lab (k, 3) of pictures, may be empty; `gamut`: colours all over what the look was made for.
    """
    from scipy import sparse

    grid = np.stack(np.meshgrid(*[np.linspace(0, 1, n)] * 3, indexing="ij"), -1).reshape(-1, 3)
    start = np.asarray(change(colours(grid)), np.float64)
    at = np.concatenate([gamut, natural])
    share = np.ones(len(at))
    if len(natural):
        share[len(gamut) :] = _NATURAL * len(gamut) / len(natural)
    wanted = np.asarray(change(at), np.float64)
    check()
    w = _weights(places(at), n)
    weighed = w.multiply(share[:, None]).tocsr()
    mean = share.sum() / n**3
    gram = (w.T @ weighed + sparse.identity(n**3) * (_STAY * mean)).tocsr()
    right = np.asarray(weighed.T @ (wanted - w @ start))
    normal = Normal(gram, Bend(n), _SMOOTH * mean)
    moved = solved(normal, right, np.zeros_like(start), _STEPS, check)
    return (start + moved).reshape(n, n, n, 3)
