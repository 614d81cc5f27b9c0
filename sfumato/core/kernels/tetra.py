"""Tetrahedral interpolation in a lattice as an operator W: its results, its transpose, and W'SW.

Nodes are (n**3, k), [r, g, b]; places (m, 3) count in nodes, from 0 to n - 1. As a sparse matrix W would take
50 bytes a place, four hundred megabytes for the samples of a fit at 65 points.
"""

from __future__ import annotations

import numba

_EACH = "float64[:, ::1]"


@numba.njit(
    "Tuple((int64, int64, int64, int64, float64, float64, float64, float64))"
    "(float64, float64, float64, int64)",
    nogil=True,
    cache=True,
    inline="always",
)
def corners(r, g, b, n):  # type: ignore[no-untyped-def]
    """Return the first node of a place's cell, the second and third on the way to the last, and four shares.

    The second and third are given as steps from the first, in bits: 4 along red, 2 along green, 1 along blue.
    """
    i, j, k = min(int(r), n - 2), min(int(g), n - 2), min(int(b), n - 2)
    r, g, b = r - i, g - j, b - k
    if r >= g:
        if g >= b:
            one, two, x, y, z = 4, 6, r, g, b
        elif r >= b:
            one, two, x, y, z = 4, 5, r, b, g
        else:
            one, two, x, y, z = 1, 5, b, r, g
    elif r >= b:
        one, two, x, y, z = 2, 6, g, r, b
    elif g >= b:
        one, two, x, y, z = 2, 3, g, b, r
    else:
        one, two, x, y, z = 1, 3, b, g, r
    return (i * n + j) * n + k, one, two, 7, 1 - x, x - y, y - z, z


@numba.njit("int64(int64, int64)", nogil=True, cache=True, inline="always")
def step(bits, n):  # type: ignore[no-untyped-def]
    """Return by how many nodes some bits lead on."""
    return ((bits >> 2) * n + (bits >> 1 & 1)) * n + (bits & 1)


@numba.njit(f"void({_EACH}, {_EACH}, int64, {_EACH})", nogil=True, cache=True, error_model="numpy")
def look_up(at, nodes, n, out):  # type: ignore[no-untyped-def]
    """Put W nodes into `out` (m, k)."""
    for m in range(len(at)):
        base, one, two, last, a, b, c, d = corners(at[m, 0], at[m, 1], at[m, 2], n)
        p, q, s = base + step(one, n), base + step(two, n), base + step(last, n)
        for k in range(out.shape[1]):
            out[m, k] = nodes[base, k] * a + nodes[p, k] * b + nodes[q, k] * c + nodes[s, k] * d


@numba.njit(f"void({_EACH}, {_EACH}, int64, {_EACH})", nogil=True, cache=True, error_model="numpy")
def spread(at, values, n, out):  # type: ignore[no-untyped-def]
    """Add W' values, (m, k), to the nodes `out`."""
    for m in range(len(at)):
        base, one, two, last, a, b, c, d = corners(at[m, 0], at[m, 1], at[m, 2], n)
        p, q, s = base + step(one, n), base + step(two, n), base + step(last, n)
        for k in range(out.shape[1]):
            v = values[m, k]
            out[base, k] += v * a
            out[p, k] += v * b
            out[q, k] += v * c
            out[s, k] += v * d


@numba.njit(
    f"void({_EACH}, float64[::1], int64, {_EACH})", nogil=True, cache=True, error_model="numpy"
)
def add_gram(at, share, n, out):  # type: ignore[no-untyped-def]
    """Add the upper half of W'SW to `out` (n**3, 8): of each node with those that its bits lead to."""
    for m in range(len(at)):
        base, one, two, last, a, b, c, d = corners(at[m, 0], at[m, 1], at[m, 2], n)
        p, q, s = base + step(one, n), base + step(two, n), base + step(last, n)
        w = share[m]
        out[base, 0] += w * a * a
        out[base, one] += w * a * b
        out[base, two] += w * a * c
        out[base, last] += w * a * d
        out[p, 0] += w * b * b
        out[p, two - one] += w * b * c
        out[p, last - one] += w * b * d
        out[q, 0] += w * c * c
        out[q, last - two] += w * c * d
        out[s, 0] += w * d * d


@numba.njit(
    f"int64({_EACH}, int64, int32[::1], int32[::1], float64[::1])",
    nogil=True,
    cache=True,
    error_model="numpy",
)
def as_rows(half, n, rows, columns, data):  # type: ignore[no-untyped-def]
    """Put a matrix of which `add_gram` gives the upper half into rows (CSR); return how many entries it has.

    `columns` and `data` that hold none are left alone: that tells how long they must be.
    """
    count = n * n * n
    there = len(data) > 0
    at = 0
    for i in range(count):
        rows[i] = at
        for k in range(-7, 8):
            bits = abs(k)
            other = i + step(bits, n) if k >= 0 else i - step(bits, n)
            if other < 0 or other >= count:
                continue
            value = half[i, bits] if k >= 0 else half[other, bits]
            if value != 0:
                if there:
                    columns[at] = other
                    data[at] = value
                at += 1
    rows[count] = at
    return at
