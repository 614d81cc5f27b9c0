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
    f"void({_EACH}, float64[::1], float64[::1], int64)", nogil=True, cache=True, error_model="numpy"
)
def add_product(half, x, out, n):  # type: ignore[no-untyped-def]
    """Add G x to `out`, (n**3,); `add_gram` gives the upper half of G, one column of it is a diagonal."""
    count = len(half)
    if half.shape[1] == 1:
        for i in range(count):
            out[i] += half[i, 0] * x[i]
        return
    s1, s2, s3, s4 = step(1, n), step(2, n), step(3, n), step(4, n)
    s5, s6, s7 = step(5, n), step(6, n), step(7, n)
    for i in range(s7, count - s7):
        on = half[i, 1] * x[i + s1] + half[i, 2] * x[i + s2] + half[i, 3] * x[i + s3]
        on += half[i, 4] * x[i + s4] + half[i, 5] * x[i + s5] + half[i, 6] * x[i + s6]
        back = half[i - s1, 1] * x[i - s1] + half[i - s2, 2] * x[i - s2]
        back += half[i - s3, 3] * x[i - s3] + half[i - s4, 4] * x[i - s4]
        back += half[i - s5, 5] * x[i - s5] + half[i - s6, 6] * x[i - s6]
        both = half[i, 7] * x[i + s7] + half[i - s7, 7] * x[i - s7]
        out[i] += half[i, 0] * x[i] + both + on + back
    for start, end in ((0, min(s7, count)), (max(s7, count - s7), count)):
        for i in range(start, end):
            out[i] += half[i, 0] * x[i]
            for bits in range(1, 8):
                s = step(bits, n)
                if i + s < count:
                    out[i] += half[i, bits] * x[i + s]
                if i >= s:
                    out[i] += half[i - s, bits] * x[i - s]
