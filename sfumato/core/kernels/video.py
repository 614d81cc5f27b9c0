"""Planes of a video frame to RGB and back; chroma sited left, centred between lines."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np


def _jit(*signatures: str) -> Any:
    return numba.njit(list(signatures), nogil=True, cache=True, error_model="numpy")


_LINES = (
    "void({k}[:, ::1], {k}[:, ::1], int64, int64, float32[::1], int64, "
    "float32[::1], float32[::1], float32[::1], float32[::1], int64)"
)
_UNPACK = "void({k}[:, ::1], {k}[:, ::1], {k}[:, ::1], int64, int64, float32[::1], float32[:, :, ::1], int64)"
_PACK = "void(float32[:, :, ::1], float32[::1], {k}[:, ::1], {k}[:, ::1], {k}[:, ::1], int64)"


@_jit(_LINES.format(k="uint8"), _LINES.format(k="uint16"))
def chroma_lines(cb, cr, height, cw, c, row, b_line, r_line, blue, red, width):  # type: ignore[no-untyped-def]
    """Fill blue and red with the chroma of a row, -0.5..0.5; b_line and r_line (cw + 1) are scratch.

    c: as of `unpack`.
    """
    ch = cb.shape[0]
    near, far, half = np.float32(0.75), np.float32(0.25), np.float32(0.5)
    middle, chroma = c[2], c[3]
    k, other = row, row
    if ch < height:
        k = row >> 1
        other = min(k + 1, ch - 1) if row & 1 else max(k - 1, 0)
    for j in range(cw):
        b_line[j] = (near * np.float32(cb[k, j]) + far * np.float32(cb[other, j]) - middle) * chroma
        r_line[j] = (near * np.float32(cr[k, j]) + far * np.float32(cr[other, j]) - middle) * chroma
    b_line[cw], r_line[cw] = b_line[cw - 1], r_line[cw - 1]
    if cw < width:
        for j in range(cw):
            blue[2 * j] = b_line[j]
            blue[2 * j + 1] = (b_line[j] + b_line[j + 1]) * half
            red[2 * j] = r_line[j]
            red[2 * j + 1] = (r_line[j] + r_line[j + 1]) * half
    else:
        for x in range(width):
            blue[x], red[x] = b_line[x], r_line[x]


@_jit(_UNPACK.format(k="uint8"), _UNPACK.format(k="uint16"))
def unpack(y, cb, cr, height, cw, c, out, first):  # type: ignore[no-untyped-def]
    """Fill out (n, w, 3) with the rows from `first` of a frame, full range 0..1, not clipped.

    height: of the frame. cw: chroma samples in a row; the rows of the planes may go on beyond their pictures.
    c: luma offset and scale, chroma middle and scale, then 2(1-kr), 2(1-kb), kr, kb, 1/kg.
    """
    rows, width, _ = out.shape
    low, size = c[0], c[1]
    more_red, more_blue, kr, kb, per_green = c[4], c[5], c[6], c[7], c[8]
    blue, red = np.empty(width + 2, np.float32), np.empty(width + 2, np.float32)
    b_line, r_line = np.empty(cw + 1, np.float32), np.empty(cw + 1, np.float32)
    line = np.empty(width, np.float32)
    for i in range(rows):
        chroma_lines(cb, cr, height, cw, c, first + i, b_line, r_line, blue, red, width)
        for x in range(width):
            line[x] = (np.float32(y[first + i, x]) - low) * size
        for x in range(width):
            r = line[x] + more_red * red[x]
            b = line[x] + more_blue * blue[x]
            out[i, x, 0] = r
            out[i, x, 1] = (line[x] - kr * r - kb * b) * per_green
            out[i, x, 2] = b


@_jit(_PACK.format(k="uint8"), _PACK.format(k="uint16"))
def pack(rgb, c, y, cb, cr, first):  # type: ignore[no-untyped-def]
    """Fill the planes from rgb (n, w, 3), which are the rows from `first` (even) on; clipped to 0..1.

    c: luma offset and scale, chroma middle and scale, kr, kg, kb, 1/(2(1-kb)), 1/(2(1-kr)), top code.
    """
    count, width, _ = rgb.shape
    ch, cw = cb.shape
    half_across, half_down = cw < width, ch < y.shape[0]
    step = 2 if half_down else 1
    zero, one, half = np.float32(0), np.float32(1), np.float32(0.5)
    low, size, middle, chroma = c[0] + half, c[1], c[2] + half, c[3]
    kr, kg, kb, per_blue, per_red, top_code = c[4], c[5], c[6], c[7], c[8], c[9]
    # One place before and one behind, so that the ends need no question.
    blue, red = np.zeros(width + 2, np.float32), np.zeros(width + 2, np.float32)
    line = np.empty(width, np.float32)
    for top in range(0, count, step):
        blue[:] = zero
        red[:] = zero
        rows = min(step, count - top)
        for row in range(top, top + rows):
            for x in range(width):
                r = min(max(rgb[row, x, 0], zero), one)
                g = min(max(rgb[row, x, 1], zero), one)
                b = min(max(rgb[row, x, 2], zero), one)
                luma = kr * r + kg * g + kb * b
                line[x] = luma
                blue[x + 1] += (b - luma) * per_blue
                red[x + 1] += (r - luma) * per_red
            for x in range(width):
                y[first + row, x] = np.int32(min(max(line[x] * size + low, zero), top_code))
        blue[0], red[0] = blue[1], red[1]
        blue[width + 1], red[width + 1] = blue[width], red[width]
        k = (first + top) // step
        scale = chroma / np.float32(rows)
        if half_across:
            quarter = scale * np.float32(0.25)
            for j in range(cw):
                x = 2 * j
                b = (blue[x] + blue[x + 1] + blue[x + 1] + blue[x + 2]) * quarter
                r = (red[x] + red[x + 1] + red[x + 1] + red[x + 2]) * quarter
                cb[k, j] = np.int32(min(max(b + middle, zero), top_code))
                cr[k, j] = np.int32(min(max(r + middle, zero), top_code))
        else:
            for x in range(width):
                cb[k, x] = np.int32(min(max(blue[x + 1] * scale + middle, zero), top_code))
                cr[k, x] = np.int32(min(max(red[x + 1] * scale + middle, zero), top_code))


@_jit("void(float32[::1], uint8[::1], uint8[::1])")
def painted(values, curve, out):  # type: ignore[no-untyped-def]
    """Fill out with the entries of a curve for values; the curve goes from 0 to 1, values are held there."""
    last = curve.size - 1
    top, half, zero = np.float32(last), np.float32(0.5), np.float32(0)
    for i in range(values.size):
        at = values[i] * top + half
        out[i] = curve[np.int32(min(max(at, zero), top + half))]


@_jit(
    "void(uint16[:, ::1], uint16[:, ::1], uint16[:, ::1], int64, float32[::1], uint8[::1], uint8[:, :, ::1])"
)
def unpack_painted(y, cb, cr, cw, c, curve, out):  # type: ignore[no-untyped-def]
    """Fill out (h, w, 3) with a frame of 4:2:2 through a curve, as `unpack` and `painted` do one after the other."""
    height, width, _ = out.shape
    low, size = c[0], c[1]
    more_red, more_blue, kr, kb, per_green = c[4], c[5], c[6], c[7], c[8]
    last = curve.size - 1
    top, half, zero = np.float32(last), np.float32(0.5), np.float32(0)
    end = top + half
    blue, red = np.empty(width + 2, np.float32), np.empty(width + 2, np.float32)
    b_line, r_line = np.empty(cw + 1, np.float32), np.empty(cw + 1, np.float32)
    places = np.empty((3, width), np.int32)
    for i in range(height):
        chroma_lines(cb, cr, height, cw, c, i, b_line, r_line, blue, red, width)
        for x in range(width):
            luma = (np.float32(y[i, x]) - low) * size
            r = luma + more_red * red[x]
            b = luma + more_blue * blue[x]
            g = (luma - kr * r - kb * b) * per_green
            places[0, x] = np.int32(min(max(r * top + half, zero), end))
            places[1, x] = np.int32(min(max(g * top + half, zero), end))
            places[2, x] = np.int32(min(max(b * top + half, zero), end))
        for x in range(width):
            out[i, x, 0] = curve[places[0, x]]
            out[i, x, 1] = curve[places[1, x]]
            out[i, x, 2] = curve[places[2, x]]
