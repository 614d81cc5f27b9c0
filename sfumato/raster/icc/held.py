"""Inks for colours where the black is given: the other three are found from what the press shows.

A table over black, L, a and b says where to begin; one step from there by the slopes of the press comes near.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from sfumato.core.arrays import Array
from sfumato.raster.icc.engine import Press

_POINTS = 17  # of the table, along each of its four sides
_AB = 96.0  # a and b that it reaches, either side of grey
_SPAN, _FOOT = np.array([100, 2 * _AB, 2 * _AB], np.float32), np.array([0, _AB, _AB], np.float32)
_TRIES = 16
_STEP = 0.01  # of an ink, by which slopes are measured
_AT_ONCE = 65_536


def _slopes(press: Press, inks: Array, here: Array) -> Array:
    """Return how Lab moves with cyan, magenta and yellow, (k, 3, 3): [Lab, ink]."""
    out = np.empty((len(inks), 3, 3), np.float32)
    for i in range(3):
        way = np.where(inks[:, i] > 0.5, -_STEP, _STEP).astype(np.float32)
        step = inks.copy()
        step[:, i] += way
        out[:, :, i] = (press.seen.lab(step) - here) / way[:, None]
    return out


def _moves(slopes: Array, gap: Array, pull: Array) -> Array:
    """Return steps of three inks towards a gap in Lab, held back by `pull`; (k, 3)."""
    normal = np.einsum("nji,njk->nik", slopes, slopes)
    scale = np.einsum("nii->n", normal) / 3 + 1e-6
    normal += np.eye(3, dtype=np.float32) * (scale * pull)[:, None, None]
    right = np.einsum("nji,nj->ni", slopes, gap)
    return np.asarray(np.linalg.solve(normal, right[..., None])[..., 0])


def _improved(press: Press, inks: Array, lab: Array, tries: int, pull: float) -> Array:
    """Return inks whose first three were moved towards Lab, each step kept where it comes nearer."""
    here = press.seen.lab(inks)
    off = ((here - lab) ** 2).sum(-1)
    held = np.full(len(inks), pull, np.float32)
    for _ in range(tries):
        move = _moves(_slopes(press, inks, here), lab - here, held)
        tried = inks.copy()
        tried[:, :3] = np.clip(tried[:, :3] + np.clip(move, -0.4, 0.4), 0, 1)
        there = press.seen.lab(tried)
        after = ((there - lab) ** 2).sum(-1)
        better = after < off
        inks[better], here[better], off[better] = tried[better], there[better], after[better]
        held = np.where(better, np.maximum(held / 4, 1e-5), np.minimum(held * 8, 1e3))
        held = held.astype(np.float32)
    return inks


@lru_cache(maxsize=2)
def _table(press: Press) -> Array:
    """Return cyan, magenta and yellow over (black, L, a, b), float32 (17**4 * 4,)."""
    axis = np.linspace(0, 1, _POINTS, dtype=np.float32)
    grid = np.stack(np.meshgrid(axis, axis, axis, axis, indexing="ij"), -1).reshape(-1, 4)
    lab = grid[:, 1:] * _SPAN - _FOOT
    inks = np.zeros((len(grid), 4), np.float32)
    inks[:, 3] = grid[:, 0]
    dark = ((100 - lab[:, 0]) / 100 * (1 - grid[:, 0]))[:, None]
    tint = np.stack([-lab[:, 1], lab[:, 1], lab[:, 2]], -1) / 200
    inks[:, :3] = np.clip(dark + tint, 0.02, 0.98)
    return _improved(press, inks, lab, _TRIES, 1e-2).reshape(-1)


def held_inks(press: Press, lab: Array, black: Array) -> Array:
    """Return the inks that come nearest to Lab (k, 3) with the black (k,) as it is, float32 (k, 4)."""
    from sfumato.core.kernels.inks import through_four

    table = _table(press)
    out = np.empty((len(lab), 4), np.float32)
    for start in range(0, len(lab), _AT_ONCE):
        part = slice(start, start + _AT_ONCE)
        wanted = np.asarray(lab[part], np.float32)
        at = np.empty((len(wanted), 4), np.float32)
        at[:, 0] = black[part]
        at[:, 1:] = (wanted + _FOOT) / _SPAN
        inks = np.empty((len(wanted), 4), np.float32)
        through_four(at, table, _POINTS, inks)
        inks[:, 3] = at[:, 0]
        out[part] = _improved(press, inks, wanted, 1, 1e-3)
    return out
