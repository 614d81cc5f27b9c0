"""Monotone cubic curves through points (written here: SciPy's package takes a second to import)."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.compiled import kernels

Points = tuple[tuple[float, float], ...]


_GAP, _STEEPEST = 0.004, 8.0  # of bounded curves: between points, and of the straight ends


@lru_cache(maxsize=256)
def _pieces(points: Points, bounded: bool) -> tuple[Array, Array]:
    """Return knots (n,) and cubic coefficients (n + 1, 4), with the two straight ends included."""
    x = np.array([p[0] for p in points], np.float64)
    if bounded:
        steps = np.arange(len(x)) * _GAP
        x = np.maximum.accumulate(x - steps) + steps
    y = np.array([p[1] for p in points], np.float64)
    h = np.diff(x)
    d = np.diff(y) / h
    if len(x) == 2:
        m = np.array([d[0], d[0]])
    else:
        # Fritsch and Butland 1984: weighted harmonic mean of the neighbouring slopes.
        w1, w2 = 2 * h[1:] + h[:-1], h[1:] + 2 * h[:-1]
        left, right = d[:-1], d[1:]
        same = left * right > 0
        safe_l, safe_r = np.where(same, left, 1.0), np.where(same, right, 1.0)
        inner = np.where(same, (w1 + w2) / (w1 / safe_l + w2 / safe_r), 0.0)
        m = np.concatenate(
            [[_end(h[0], h[1], d[0], d[1])], inner, [_end(h[-1], h[-2], d[-1], d[-2])]]
        )
    c2 = (3 * d - 2 * m[:-1] - m[1:]) / h
    c3 = (m[:-1] + m[1:] - 2 * d) / h**2
    table = np.zeros((len(x) + 1, 4))
    table[0, :2] = y[0], m[0]
    table[1:-1] = np.stack([y[:-1], m[:-1], c2, c3], axis=1)
    table[-1, :2] = y[-1], m[-1]
    if bounded:
        table[[0, -1], 1] = np.clip(table[[0, -1], 1], -_STEEPEST, _STEEPEST)
    return x, table


@lru_cache(maxsize=256)
def _single(points: Points, bounded: bool) -> tuple[Array, Array]:
    """Return the same in float32."""
    knots, table = _pieces(points, bounded)
    return knots.astype(np.float32), table.astype(np.float32)


def _end(h0: float, h1: float, d0: float, d1: float) -> float:
    """Three-point end slope that keeps the shape (as in PCHIM, Fritsch and Carlson 1980)."""
    m = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1)
    if m * d0 <= 0:
        return 0.0
    if d0 * d1 < 0 and abs(m) > 3 * abs(d0):
        return 3 * d0
    return float(m)


def evaluate(points: Points, x: Any, *, bounded: bool = False) -> Array:
    """Return the curve at `x` (any shape, float32 or float64; the type is kept).

    Between points the curve is monotone wherever the points are; beyond the ends it goes on
    straight with the slope it has there.

    Args:
        bounded: points count as at least 0.004 apart, and the straight ends have a slope of 8 at most.

    >>> print(evaluate(((0.0, 0.0), (0.5, 0.75), (1.0, 1.0)), np.array([0.5, 2.0])))
    [0.75 1.  ]
    """
    knots, table = _pieces(points, bounded)
    x = np.asarray(x)
    fast = kernels(x)
    if fast is not None:
        return np.asarray(fast.pieces(x, *_single(points, bounded)))
    coefficients = table.astype(x.dtype)
    knots = knots.astype(x.dtype)
    # The sum of what each piece adds: a few passes without masks or gathers.
    total = coefficients[0, 0] + np.minimum(x - knots[0], 0) * coefficients[0, 1]
    for i in range(len(knots) - 1):
        u = np.clip(x - knots[i], 0, knots[i + 1] - knots[i])
        _, slope, c2, c3 = coefficients[i + 1]
        total += u * (slope + u * (c2 + u * c3))
    total += np.maximum(x - knots[-1], 0) * coefficients[-1, 1]
    return np.asarray(total)
