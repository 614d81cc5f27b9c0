"""Tables of three or four channels as profiles hold them, and Lab of light; float32 rows in and out.

A table of four channels goes straight between two tetrahedra: the first channel is the one that is straight.
A node has four values, whether three or four of them are wanted, so that the innermost loops unroll.
"""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

_FAST = {"contract", "nsz", "arcp"}


def _jit(signature: str) -> Any:
    return numba.njit(signature, nogil=True, cache=True, fastmath=_FAST, error_model="numpy")


@_jit("void(float32[:,::1], float32[:,::1], float32[:,::1])")
def through_curves(x, curves, out):  # type: ignore[no-untyped-def]
    """Look each channel up in a row of `curves` (c, size), straight between its values; 0..1, held beyond."""
    top = np.float32(curves.shape[1] - 1)
    last = curves.shape[1] - 2
    for k in range(x.shape[0]):
        for c in range(curves.shape[0]):
            v = x[k, c]
            v = v if v > 0 else np.float32(0)
            v = (v if v < 1 else np.float32(1)) * top
            i = int(v)
            i = i if i < last else last
            f = v - np.float32(i)
            low = curves[c, i]
            out[k, c] = low + f * (curves[c, i + 1] - low)


@_jit("void(float32[:,::1], float32[::1], float32[::1], float32)")
def scale(x, by, plus, codes):  # type: ignore[no-untyped-def]
    """Turn x into by * x + plus in place; where `codes` is not 0, then hold it in 0..1 and round to so many steps."""
    for k in range(x.shape[0]):
        for c in range(by.shape[0]):
            v = x[k, c] * by[c] + plus[c]
            if codes > 0:
                v = v if v > 0 else np.float32(0)
                v = np.rint((v if v < 1 else np.float32(1)) * codes) / codes
            x[k, c] = v


@numba.njit(inline="always", error_model="numpy")
def _place(x, k, c, top):  # type: ignore[no-untyped-def]
    v = x[k, c]
    v = v if v > 0 else np.float32(0)
    return (v if v < 1 else np.float32(1)) * top


@numba.njit(inline="always", error_model="numpy")
def _cell(v, last):  # type: ignore[no-untyped-def]
    i = np.int64(v)
    return i if i < last else last


@numba.njit(inline="always", error_model="numpy")
def _tetrahedron(table, at, n, r, g, b, k, out, share):  # type: ignore[no-untyped-def]
    """Add `share` of the interpolation of three channels, coordinates 0..n-1, to out[k]."""
    last = n - 2
    i, j, h = _cell(r, last), _cell(g, last), _cell(b, last)
    fr, fg, fb = r - np.float32(i), g - np.float32(j), b - np.float32(h)
    dr, dg, db = 4 * n * n, 4 * n, 4
    a = at + i * dr + j * dg + h * db
    far = a + dr + dg + db
    if fr >= fg:
        if fg >= fb:
            one, two, f, s, t = a + dr, a + dr + dg, fr, fg, fb
        elif fr >= fb:
            one, two, f, s, t = a + dr, a + dr + db, fr, fb, fg
        else:
            one, two, f, s, t = a + db, a + db + dr, fb, fr, fg
    elif fr >= fb:
        one, two, f, s, t = a + dg, a + dg + dr, fg, fr, fb
    elif fg >= fb:
        one, two, f, s, t = a + dg, a + dg + db, fg, fb, fr
    else:
        one, two, f, s, t = a + db, a + db + dg, fb, fg, fr
    w0, w1 = share * (np.float32(1) - f), share * (f - s)
    w2, w3 = share * (s - t), share * t
    for c in range(4):
        out[k, c] += (
            w0 * table[a + c] + w1 * table[one + c] + w2 * table[two + c] + w3 * table[far + c]
        )


@_jit("void(float32[:,::1], float32[::1], int64, boolean, float32[:,::1])")
def through_three(x, table, n, trilinear, out):  # type: ignore[no-untyped-def]
    """Interpolate in n**3 nodes of four values, the first channel slowest; x 0..1, held beyond; out (k, 4)."""
    top, one = np.float32(n - 1), np.float32(1)
    last = n - 2
    for k in range(x.shape[0]):
        r, g, b = _place(x, k, 0, top), _place(x, k, 1, top), _place(x, k, 2, top)
        if not trilinear:
            for c in range(4):
                out[k, c] = 0
            _tetrahedron(table, 0, n, r, g, b, k, out, one)
            continue
        i, j, h = _cell(r, last), _cell(g, last), _cell(b, last)
        fr, fg, fb = r - np.float32(i), g - np.float32(j), b - np.float32(h)
        a0 = ((i * n + j) * n + h) * 4
        a1, a2, a3 = a0 + n * 4, a0 + n * n * 4, a0 + n * n * 4 + n * 4
        w0, w1 = (one - fr) * (one - fg), (one - fr) * fg
        w2, w3 = fr * (one - fg), fr * fg
        for c in range(4):
            low = w0 * table[a0 + c] + w1 * table[a1 + c] + w2 * table[a2 + c] + w3 * table[a3 + c]
            d = c + 4
            high = w0 * table[a0 + d] + w1 * table[a1 + d] + w2 * table[a2 + d] + w3 * table[a3 + d]
            out[k, c] = low + fb * (high - low)


@_jit("void(float32[:,::1], float32[::1], int64, float32[:,::1])")
def through_four(x, table, n, out):  # type: ignore[no-untyped-def]
    """Interpolate in n**4 nodes of four values, the first channel slowest; x 0..1, held beyond; out (k, 4)."""
    top = np.float32(n - 1)
    block = n * n * n * 4
    for k in range(x.shape[0]):
        p = _place(x, k, 0, top)
        r, g, b = _place(x, k, 1, top), _place(x, k, 2, top), _place(x, k, 3, top)
        e = _cell(p, n - 2)
        f = p - np.float32(e)
        for c in range(4):
            out[k, c] = 0
        _tetrahedron(table, e * block, n, r, g, b, k, out, np.float32(1) - f)
        _tetrahedron(table, (e + 1) * block, n, r, g, b, k, out, f)


def nodes_of(lattice: Any) -> Any:
    """Return nodes (n, ..., 3 or 4) as the loops take them: float32, four values each."""
    out = np.zeros((*lattice.shape[:-1], 4), np.float32)
    out[..., : lattice.shape[-1]] = lattice
    return out.reshape(-1)


@_jit("int64(float32[:,::1], float32[:,::1], float32, boolean[::1])")
def moved(a, b, limit, out):  # type: ignore[no-untyped-def]
    """Mark the rows of three that lie further apart than a limit in one of them; return how many."""
    count = 0
    for k in range(a.shape[0]):
        far = (
            (abs(a[k, 0] - b[k, 0]) > limit)
            | (abs(a[k, 1] - b[k, 1]) > limit)
            | (abs(a[k, 2] - b[k, 2]) > limit)
        )
        out[k] = far
        count += far
    return count
