"""The bending of a lattice as an operator, D'D x, and steps towards the lattice that bends least."""

from __future__ import annotations

import numba
import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.kernels.tetra import add_product


@numba.njit(
    numba.void(numba.float64[::1], numba.float64[::1], numba.int64, numba.int64),
    nogil=True,
    cache=True,
    error_model="numpy",
)
def add_bending(x, out, n, k):  # type: ignore[no-untyped-def]
    """Add D'D x to `out`; both hold n**3 nodes [r, g, b] of k numbers.

    D has rows v[-1] - 2 v[0] + v[1] along each axis, and sqrt(2) times the mixed difference
    v[0, 0] - v[0, 1] - v[1, 0] + v[1, 1] for each pair of axes.
    """
    row = n * k  # numbers in one run of the last axis
    plane = n * row
    v = np.empty(row)
    for r in range(n):
        for g in range(n):
            at = r * plane + g * row
            for s, start, m, there in (
                (plane, at, row, 0 < r < n - 1),
                (row, at, row, 0 < g < n - 1),
                (k, at + k, row - 2 * k, True),
            ):
                if there:
                    before, here, after = x[start - s :], x[start:], x[start + s :]
                    for i in range(m):
                        v[i] = before[i] - 2 * here[i] + after[i]
                    into = out[start - s :]
                    for i in range(m):
                        into[i] += v[i]
                    into = out[start:]
                    for i in range(m):
                        into[i] -= 2 * v[i]
                    into = out[start + s :]
                    for i in range(m):
                        into[i] += v[i]
            both = r < n - 1 and g < n - 1
            for a, b, m, there in (
                (plane, row, row, both),
                (plane, k, row - k, r < n - 1),
                (row, k, row - k, g < n - 1),
            ):
                if there:
                    one, two, three, four = x[at:], x[at + b :], x[at + a :], x[at + a + b :]
                    for i in range(m):
                        v[i] = 2 * (one[i] - two[i] - three[i] + four[i])
                    into = out[at:]
                    for i in range(m):
                        into[i] += v[i]
                    into = out[at + b :]
                    for i in range(m):
                        into[i] -= v[i]
                    into = out[at + a :]
                    for i in range(m):
                        into[i] -= v[i]
                    into = out[at + a + b :]
                    for i in range(m):
                        into[i] += v[i]


def bending(x: Array, n: int) -> Array:
    """Return D'D x for float64 (n**3, k)."""
    out = np.zeros_like(x)
    add_bending(x.reshape(-1), out.reshape(-1), n, x.shape[1])
    return out


_ARRIVED = 1e-24  # of the square of what is left, weighed


@numba.njit(
    "float64(float64[:, ::1], float64[::1], int32[::1], int32[::1], float64, int64, float64[::1], "
    "float64[::1], float64[::1], float64[::1], float64[::1], float64, int64)",
    nogil=True,
    cache=True,
    error_model="numpy",
)
def go_on(half, data, columns, rows, smooth, n, x, residual, p, image, scale, rho, steps):  # type: ignore[no-untyped-def]
    """Go steps of conjugate gradients with the system G + smooth D'D, preconditioned by `scale`.

    G is given by its upper half, (n**3, 8), or where that is empty in sparse rows (CSR), (n**3, n**3).
    `x`, `residual` and the direction `p` are changed, `image` is room for one more. Returns the square of
    what is left, weighed, for the next steps; 0 when the solution is there.
    """
    count = x.size
    for _ in range(steps):
        image[:] = 0
        if smooth > 0:
            add_bending(p, image, n, 1)
            for i in range(count):
                image[i] *= smooth
        if len(half) > 0:
            add_product(half, p, image, n)
        else:
            for i in range(count):
                for j in range(rows[i], rows[i + 1]):
                    image[i] += data[j] * p[columns[j]]
        along = 0.0
        for i in range(count):
            along += p[i] * image[i]
        alpha = rho / along if along > 0 else 0.0
        new = 0.0
        for i in range(count):
            x[i] += alpha * p[i]
            residual[i] -= alpha * image[i]
            new += residual[i] * residual[i] * scale[i]
        if new <= _ARRIVED:
            return 0.0
        beta = new / rho if rho > 0 else 0.0
        for i in range(count):
            p[i] = beta * p[i] + scale[i] * residual[i]
        rho = new
    return rho
