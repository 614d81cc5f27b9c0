"""Interpolation in a packed 3D lattice: tetrahedral and trilinear, float32, uint8 and uint16 pixels.

A packed lattice is float32 (n**3 * 4,): four floats a node (R, G, B, 0), red fastest, blue slowest.
Pixels are handled in chunks that stay in the first-level cache, in passes that each vectorise:
scale and clamp; find nodes and weights (in float32: node numbers below 2**24 are exact); mix the
four floats of each node; round. Scratch is one array with fixed offsets, so that the compiler can
prove that reads and writes do not overlap. All flavours come from the factory at the foot.

Comparisons are written `x if x > 0 else 0` because that turns NaN into 0 at no cost.
"""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

setattr(numba.config, "SLP_VECTORIZE", 1)  # noqa: B010 - not declared in its stubs
_C = 512  # pixels in a chunk: 38 KB of scratch, which the first-level cache holds
_FAST = {"contract", "nsz", "arcp"}


def _jit(signature: str) -> Any:
    return numba.njit(signature, nogil=True, cache=True, fastmath=_FAST, error_model="numpy")


def _loader(source: str) -> Any:
    """Make the first pass: pixels -> lattice coordinates 0..n-1 in s[0..3C)."""

    @_jit(f"void({source}[::1], float32[::1], int64, float32[::1], float32[::1], int64, int64)")
    def load(pixels, s, n, scale, shift, start, m):  # type: ignore[no-untyped-def]
        top = np.float32(n - 1)
        zero = np.float32(0.0)
        sr, sg, sb = scale[0], scale[1], scale[2]
        hr, hg, hb = shift[0], shift[1], shift[2]
        at = np.uint64(3 * start)
        u1, u2, u3 = np.uint64(1), np.uint64(2), np.uint64(3)
        for k in range(m):
            i = at + u3 * np.uint64(k)
            r = np.float32(pixels[i]) * sr + hr
            g = np.float32(pixels[i + u1]) * sg + hg
            b = np.float32(pixels[i + u2]) * sb + hb
            r = r if r > zero else zero
            g = g if g > zero else zero
            b = b if b > zero else zero
            s[k] = r if r < top else top
            s[_C + k] = g if g < top else top
            s[2 * _C + k] = b if b < top else top

    return load


@_jit("void(float32[::1], int32[::1], int64, int64)")
def _tetrahedra(s, nodes, n, m):  # type: ignore[no-untyped-def]
    """Turn coordinates s[0..3C) into offsets of four nodes and weights s[4C..8C)."""
    last = np.float32(n - 2)
    dr = np.float32(1.0)
    dg = np.float32(n)
    db = np.float32(n * n)
    far = dr + dg + db
    one = np.float32(1.0)
    four = np.float32(4.0)
    for k in range(m):
        r, g, b = s[k], s[_C + k], s[2 * _C + k]
        fr, fg, fb = np.floor(r), np.floor(g), np.floor(b)
        fr = fr if fr < last else last
        fg = fg if fg < last else last
        fb = fb if fb < last else last
        r -= fr
        g -= fg
        b -= fb
        lo = r if r < g else g
        hi = g if r < g else r
        mx = hi if hi > b else b
        mn = lo if lo < b else b
        rest = hi if hi < b else b
        md = lo if lo > rest else rest
        first = dg if r < g else dr
        first = db if hi < b else first
        least = dg if g <= r else dr
        least = db if b <= lo else least
        o = fr + fg * dg + fb * db
        # Times four is exact in float32, and spares the mixing pass a shift for every node.
        nodes[k] = np.int32(o * four)
        nodes[_C + k] = np.int32((o + first) * four)
        nodes[2 * _C + k] = np.int32((o + far - least) * four)
        nodes[3 * _C + k] = np.int32((o + far) * four)
        s[4 * _C + k] = one - mx
        s[5 * _C + k] = mx - md
        s[6 * _C + k] = md - mn
        s[7 * _C + k] = mn


@_jit("float32(float32[::1], uint64, uint64, uint64, uint64, float32, float32, float32, float32)")
def _four(lattice, a, p, q, z, e, f, g, h):  # type: ignore[no-untyped-def]
    return lattice[a] * e + lattice[p] * f + lattice[q] * g + lattice[z] * h


@_jit("void(float32[::1], int32[::1], float32[::1], float32[::1], int64, int64)")
def _mix_tetrahedra(s, nodes, lattice, out, start, m):  # type: ignore[no-untyped-def]
    """Mix four nodes a pixel; writes four floats every three (the next pixel overwrites the last)."""
    u1, u2, u3 = np.uint64(1), np.uint64(2), np.uint64(3)
    at = np.uint64(start)
    for k in range(m):
        a = np.uint64(nodes[k])
        p = np.uint64(nodes[_C + k])
        q = np.uint64(nodes[2 * _C + k])
        z = np.uint64(nodes[3 * _C + k])
        e, f, g, h = s[4 * _C + k], s[5 * _C + k], s[6 * _C + k], s[7 * _C + k]
        x0 = _four(lattice, a, p, q, z, e, f, g, h)
        x1 = _four(lattice, a + u1, p + u1, q + u1, z + u1, e, f, g, h)
        x2 = _four(lattice, a + u2, p + u2, q + u2, z + u2, e, f, g, h)
        x3 = _four(lattice, a + u3, p + u3, q + u3, z + u3, e, f, g, h)
        out[at] = x0
        out[at + u1] = x1
        out[at + u2] = x2
        out[at + u3] = x3
        at += u3


@_jit("void(float32[::1], int32[::1], int64, int64)")
def _cells(s, nodes, n, m):  # type: ignore[no-untyped-def]
    """Turn coordinates s[0..3C) into the first node of the cell and eight weights s[4C..12C)."""
    last = np.float32(n - 2)
    dg = np.float32(n)
    db = np.float32(n * n)
    one = np.float32(1.0)
    four = np.float32(4.0)
    for k in range(m):
        r, g, b = s[k], s[_C + k], s[2 * _C + k]
        fr, fg, fb = np.floor(r), np.floor(g), np.floor(b)
        fr = fr if fr < last else last
        fg = fg if fg < last else last
        fb = fb if fb < last else last
        nodes[k] = np.int32((fr + fg * dg + fb * db) * four)
        r -= fr
        g -= fg
        b -= fb
        er, eg, eb = one - r, one - g, one - b
        s[4 * _C + k] = er * eg * eb
        s[5 * _C + k] = r * eg * eb
        s[6 * _C + k] = er * g * eb
        s[7 * _C + k] = r * g * eb
        s[8 * _C + k] = er * eg * b
        s[9 * _C + k] = r * eg * b
        s[10 * _C + k] = er * g * b
        s[11 * _C + k] = r * g * b


@_jit("void(float32[::1], int32[::1], float32[::1], float32[::1], int64, int64, int64)")
def _mix_cells(s, nodes, lattice, out, n, start, m):  # type: ignore[no-untyped-def]
    """Mix the eight nodes of a cell; writes as `_mix_tetrahedra` does."""
    u1, u2, u3, u4 = np.uint64(1), np.uint64(2), np.uint64(3), np.uint64(4)
    at = np.uint64(start)
    dg = np.uint64(4 * n)
    db = np.uint64(4 * n * n)
    for k in range(m):
        a = np.uint64(nodes[k])
        p = a + dg
        q = a + db
        z = q + dg
        e, f, g, h = s[4 * _C + k], s[6 * _C + k], s[8 * _C + k], s[10 * _C + k]
        x0 = _four(lattice, a, p, q, z, e, f, g, h)
        x1 = _four(lattice, a + u1, p + u1, q + u1, z + u1, e, f, g, h)
        x2 = _four(lattice, a + u2, p + u2, q + u2, z + u2, e, f, g, h)
        x3 = _four(lattice, a + u3, p + u3, q + u3, z + u3, e, f, g, h)
        a, p, q, z = a + u4, p + u4, q + u4, z + u4
        e, f, g, h = s[5 * _C + k], s[7 * _C + k], s[9 * _C + k], s[11 * _C + k]
        x0 += _four(lattice, a, p, q, z, e, f, g, h)
        x1 += _four(lattice, a + u1, p + u1, q + u1, z + u1, e, f, g, h)
        x2 += _four(lattice, a + u2, p + u2, q + u2, z + u2, e, f, g, h)
        x3 += _four(lattice, a + u3, p + u3, q + u3, z + u3, e, f, g, h)
        out[at] = x0
        out[at + u1] = x1
        out[at + u2] = x2
        out[at + u3] = x3
        at += u3


@_jit("void(float32[::1], int32[::1], int64, boolean, int64)")
def _find(s, nodes, n, tetrahedral, m):  # type: ignore[no-untyped-def]
    if tetrahedral:
        _tetrahedra(s, nodes, n, m)
    else:
        _cells(s, nodes, n, m)


@_jit("void(float32[::1], int32[::1], float32[::1], float32[::1], int64, boolean, int64, int64)")
def _mixed(s, nodes, lattice, out, n, tetrahedral, start, m):  # type: ignore[no-untyped-def]
    """From coordinates to mixed floats, three a pixel (and one more behind the last pixel)."""
    if tetrahedral:
        _mix_tetrahedra(s, nodes, lattice, out, start, m)
    else:
        _mix_cells(s, nodes, lattice, out, n, start, m)


def _storer(target: str, peak_out: float) -> Any:
    """Make the last pass: mixed floats -> rounded codes."""
    peak = np.float32(peak_out)

    @_jit(f"void(float32[::1], {target}[::1], int64, int64)")
    def store(mixed, out, start, m):  # type: ignore[no-untyped-def]
        half = np.float32(0.5)
        low, high = np.int32(0), np.int32(peak)
        at = np.uint64(3 * start)
        for j in range(3 * m):  # clamped as integers: that becomes one packing instruction
            code = np.int32(mixed[j] * peak + half)
            code = code if code < high else high
            out[at + np.uint64(j)] = code if code > low else low

    return store


_load_f32, _load_u8, _load_u16 = _loader("float32"), _loader("uint8"), _loader("uint16")
_store_u8, _store_u16 = _storer("uint8", 255.0), _storer("uint16", 65535.0)


def _arguments(source: str, target: str) -> str:
    return f"void({source}[::1], {target}[::1], float32[::1], int64, float32[::1], float32[::1], boolean)"


@_jit(_arguments("float32", "float32"))
def _apply_f32(pixels, out, lattice, n, scale, shift, tetrahedral):  # type: ignore[no-untyped-def]
    count = pixels.size // 3
    s = np.empty(12 * _C, np.float32)
    nodes = np.empty(4 * _C, np.int32)
    for start in range(0, count, _C):
        m = min(_C, count - start)
        _load_f32(pixels, s, n, scale, shift, start, m)
        _find(s, nodes, n, tetrahedral, m)
        if start + m < count:
            _mixed(s, nodes, lattice, out, n, tetrahedral, 3 * start, m)
        else:  # here the float behind the last pixel would be behind the end of `out`
            tail = np.empty(3 * _C + 1, np.float32)
            _mixed(s, nodes, lattice, tail, n, tetrahedral, 0, m)
            out[3 * start :] = tail[: 3 * m]


@_jit(_arguments("float32", "uint8"))
def _apply_f32_u8(pixels, out, lattice, n, scale, shift, tetrahedral):  # type: ignore[no-untyped-def]
    s = np.empty(12 * _C, np.float32)
    mixed = np.empty(3 * _C + 1, np.float32)
    nodes = np.empty(4 * _C, np.int32)
    count = pixels.size // 3
    for start in range(0, count, _C):
        m = min(_C, count - start)
        _load_f32(pixels, s, n, scale, shift, start, m)
        _find(s, nodes, n, tetrahedral, m)
        _mixed(s, nodes, lattice, mixed, n, tetrahedral, 0, m)
        _store_u8(mixed, out, start, m)


@_jit(_arguments("uint8", "uint8"))
def _apply_u8(pixels, out, lattice, n, scale, shift, tetrahedral):  # type: ignore[no-untyped-def]
    s = np.empty(12 * _C, np.float32)
    mixed = np.empty(3 * _C + 1, np.float32)
    nodes = np.empty(4 * _C, np.int32)
    count = pixels.size // 3
    for start in range(0, count, _C):
        m = min(_C, count - start)
        _load_u8(pixels, s, n, scale, shift, start, m)
        _find(s, nodes, n, tetrahedral, m)
        _mixed(s, nodes, lattice, mixed, n, tetrahedral, 0, m)
        _store_u8(mixed, out, start, m)


@_jit(_arguments("uint16", "uint16"))
def _apply_u16(pixels, out, lattice, n, scale, shift, tetrahedral):  # type: ignore[no-untyped-def]
    s = np.empty(12 * _C, np.float32)
    mixed = np.empty(3 * _C + 1, np.float32)
    nodes = np.empty(4 * _C, np.int32)
    count = pixels.size // 3
    for start in range(0, count, _C):
        m = min(_C, count - start)
        _load_u16(pixels, s, n, scale, shift, start, m)
        _find(s, nodes, n, tetrahedral, m)
        _mixed(s, nodes, lattice, mixed, n, tetrahedral, 0, m)
        _store_u16(mixed, out, start, m)


KERNELS: dict[tuple[str, str], Any] = {
    ("float32", "float32"): _apply_f32,
    ("float32", "uint8"): _apply_f32_u8,
    ("uint8", "uint8"): _apply_u8,
    ("uint16", "uint16"): _apply_u16,
}
