"""Planes of a video frame through a 3D lattice into planes, without a picture of RGB in between.

A row is turned into lattice coordinates in chunks that stay in the first-level cache, looked up into
four floats a pixel, and its luma written; chroma is made of the rows that share a sample. RGB to Y, Cb,
Cr is folded into the lattice where no node lies outside 0..1: interpolation is affine, so the result is
the same. Else each colour is clipped and carried over on its own.

Places are counted in unsigned integers: signed ones are asked whether they are negative, which keeps
the loops from being vectorised.
"""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from sfumato.core.kernels.video import chroma_lines

setattr(numba.config, "SLP_VECTORIZE", 1)  # noqa: B010 - not declared in its stubs
_C = 512  # pixels in a chunk: 38 KB of scratch, which the first-level cache holds
_FAST = {"contract", "nsz", "arcp"}


def _jit(*signatures: str) -> Any:
    return numba.njit(list(signatures), nogil=True, cache=True, fastmath=_FAST, error_model="numpy")


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


@_jit("void(float32[::1], float32[::1], int64, int64, int64)")
def _copy(line, s, start, place, m):  # type: ignore[no-untyped-def]
    """Put a part of a line into its place in the scratch."""
    a, b = np.uint64(start), np.uint64(place * _C)
    for k in range(m):
        s[b + np.uint64(k)] = line[a + np.uint64(k)]


@_jit("void(float32[::1], float32[::1], int64, int64)")
def _coordinates(s, c, n, m):  # type: ignore[no-untyped-def]
    """Turn luma and chroma, s[8C..11C), into lattice coordinates s[0..3C)."""
    zero, top = np.float32(0), np.float32(n - 1)
    more_red, more_blue, kr, kb, per_green = c[4], c[5], c[6], c[7], c[8]
    sr, sg, sb, hr, hg, hb = c[9], c[10], c[11], c[12], c[13], c[14]
    for k in range(m):
        luma = s[8 * _C + k]
        r = luma + more_red * s[10 * _C + k]
        b = luma + more_blue * s[9 * _C + k]
        g = (luma - kr * r - kb * b) * per_green
        r = r * sr + hr
        g = g * sg + hg
        b = b * sb + hb
        r = r if r > zero else zero
        g = g if g > zero else zero
        b = b if b > zero else zero
        s[k] = r if r < top else top
        s[_C + k] = g if g < top else top
        s[2 * _C + k] = b if b < top else top


@_jit("void(float32[::1], int32[::1], float32[::1], float32[::1], int64, int64)")
def _mix(s, nodes, lattice, out, start, m):  # type: ignore[no-untyped-def]
    """Mix four nodes a pixel into four floats, from `start` on; the first of them into s[0..C) too."""
    u1, u2, u3, u4 = np.uint64(1), np.uint64(2), np.uint64(3), np.uint64(4)
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
        s[k] = x0
        at += u4


@_jit("void(float32[::1], float32[::1], float32[::1], int64, int64)")
def _carried(mixed, s, d, start, m):  # type: ignore[no-untyped-def]
    """Turn mixed RGB, clipped to 0..1, into luma, s[0..C), and chroma in place."""
    zero, one = np.float32(0), np.float32(1)
    kr, kg, kb, per_blue, per_red = d[4], d[5], d[6], d[7], d[8]
    at = np.uint64(start)
    u1, u2, u4 = np.uint64(1), np.uint64(2), np.uint64(4)
    for k in range(m):
        r, g, b = mixed[at], mixed[at + u1], mixed[at + u2]
        r = r if r > zero else zero
        g = g if g > zero else zero
        b = b if b > zero else zero
        r = r if r < one else one
        g = g if g < one else one
        b = b if b < one else one
        luma = kr * r + kg * g + kb * b
        s[k] = luma
        mixed[at + u1] = (b - luma) * per_blue
        mixed[at + u2] = (r - luma) * per_red
        at += u4


_STORE = "void(float32[::1], {k}[::1], int64, int64, int64, float32, float32, int32, int64)"


@_jit(_STORE.format(k="uint8"), _STORE.format(k="uint16"))
def _store(numbers, out, place, stride, start, size, low, top, m):  # type: ignore[no-untyped-def]
    """Write m codes from `start` on; clamped as integers: that becomes one packing instruction."""
    zero = np.int32(0)
    a, b, c = np.uint64(start), np.uint64(place), np.uint64(stride)
    for k in range(m):
        code = np.int32(numbers[b + c * np.uint64(k)] * size + low)
        code = code if code < top else top
        out[a + np.uint64(k)] = code if code > zero else zero


_PLAIN = "void(float32[::1], {k}[::1], int64, float32, float32, int32, int64)"


@_jit(_PLAIN.format(k="uint8"), _PLAIN.format(k="uint16"))
def _store_plain(numbers, out, start, size, low, top, m):  # type: ignore[no-untyped-def]
    """Do the same for numbers that lie side by side, from the first on."""
    zero, a = np.int32(0), np.uint64(start)
    for k in range(m):
        code = np.int32(numbers[np.uint64(k)] * size + low)
        code = code if code < top else top
        out[a + np.uint64(k)] = code if code > zero else zero


@_jit("float32(float32[::1], uint64, uint64)")
def _weighed(buf, i, k):  # type: ignore[no-untyped-def]
    """Return 1 2 1 of three pixels that lie side by side, from i on and from k on."""
    u4, u8 = np.uint64(4), np.uint64(8)
    middle = buf[i + u4] + buf[k + u4]
    return (buf[i] + buf[i + u8]) + (buf[k] + buf[k + u8]) + (middle + middle)


@_jit("float32(float32[::1], uint64, uint64)")
def _both(buf, i, k):  # type: ignore[no-untyped-def]
    return buf[i] + buf[k]


@_jit("void(float32[::1], float32[::1], int64, int64, int64)")
def _gathered(buf, out, width, rows, count):  # type: ignore[no-untyped-def]
    """Sum the pixels that share a sample of chroma, all four floats at a time, for `count` samples.

    buf: the floats of one row or two, one pixel more before and behind each. Where a sample stands
    for two pixels it weighs its neighbours 1 2 1. The sums stand for eight pixels, or for two.
    """
    u1, u2, u3, u4, u8 = np.uint64(1), np.uint64(2), np.uint64(3), np.uint64(4), np.uint64(8)
    stride = np.uint64(4 * (width + 2))
    for row in range(rows):
        first = np.uint64(row) * stride
        last = first + u4 * np.uint64(width + 1)
        for c in range(4):
            buf[first + np.uint64(c)] = buf[first + u4 + np.uint64(c)]
            buf[last + np.uint64(c)] = buf[last - u4 + np.uint64(c)]
    second = stride if rows == 2 else np.uint64(0)
    if count < width:
        for j in range(count):
            i, o = u8 * np.uint64(j), u4 * np.uint64(j)
            k = i + second
            x0, x1 = _weighed(buf, i, k), _weighed(buf, i + u1, k + u1)
            x2, x3 = _weighed(buf, i + u2, k + u2), _weighed(buf, i + u3, k + u3)
            out[o] = x0
            out[o + u1] = x1
            out[o + u2] = x2
            out[o + u3] = x3
    else:
        for j in range(count):
            o = u4 * np.uint64(j)
            i = o + u4
            k = i + second
            x0, x1 = _both(buf, i, k), _both(buf, i + u1, k + u1)
            x2, x3 = _both(buf, i + u2, k + u2), _both(buf, i + u3, k + u3)
            out[o] = x0
            out[o + u1] = x1
            out[o + u2] = x2
            out[o + u3] = x3


def _looker(kind: str) -> Any:
    planes = ", ".join([f"{kind}[:, ::1]"] * 3)

    @_jit(
        f"void({planes}, int64, int64, float32[::1], float32[::1], int64, boolean, float32[::1], "
        f"{planes}, int64, int64)"
    )
    def look(y, cb, cr, height, cw, c, lattice, n, folded, d, oy, ocb, ocr, first, count):  # type: ignore[no-untyped-def]
        """Fill `count` rows from `first` (even) on of the planes oy, ocb, ocr.

        c: as of `video.unpack`, then scale and shift of lattice coordinates. d: as of `video.pack`.
        """
        width = oy.shape[1]
        step = 2 if ocb.shape[0] < oy.shape[0] else 1
        low, size, top = d[0] + np.float32(0.5), d[1], np.int32(d[9])
        in_low, in_size = c[0], c[1]
        blue, red = np.empty(width + 2, np.float32), np.empty(width + 2, np.float32)
        b_line, r_line = np.empty(cw + 1, np.float32), np.empty(cw + 1, np.float32)
        line = np.empty(width, np.float32)
        buf, sums = np.zeros(8 * (width + 2), np.float32), np.empty(4 * width, np.float32)
        count_c = ocb.shape[1]
        middle = d[2] + np.float32(0.5)
        scale = d[3] * np.float32(0.125 if count_c < width else 0.5)
        s = np.empty(12 * _C, np.float32)
        nodes = np.empty(4 * _C, np.int32)
        for begin in range(0, count, step):
            rows = min(step, count - begin)
            for i in range(rows):
                row = first + begin + i
                chroma_lines(cb, cr, height, cw, c, row, b_line, r_line, blue, red, width)
                for x in range(width):
                    line[x] = (np.float32(y[row, x]) - in_low) * in_size
                for start in range(0, width, _C):
                    m = min(_C, width - start)
                    place = 4 * (i * (width + 2) + start + 1)
                    _copy(line, s, start, 8, m)
                    _copy(blue, s, start, 9, m)
                    _copy(red, s, start, 10, m)
                    _coordinates(s, c, n, m)
                    _tetrahedra(s, nodes, n, m)
                    _mix(s, nodes, lattice, buf, place, m)
                    if not folded:
                        _carried(buf, s, d, place, m)
                    _store_plain(s, oy[row], start, size, low, top, m)
            k = (first + begin) // step
            _gathered(buf, sums, width, rows, count_c)
            _store(sums, ocb[k], 1, 4, 0, scale, middle, top, count_c)
            _store(sums, ocr[k], 2, 4, 0, scale, middle, top, count_c)

    return look


LOOKS: dict[str, Any] = {kind: _looker(kind) for kind in ("uint8", "uint16")}
