"""Means over the areas of a picture: what a smaller copy of it shows."""

from __future__ import annotations

import numba

_MEANS = "void({k}[:, :, :], int64[::1], int64[::1], int64[::1], int64[::1], float64, float32[:, :, ::1])"


@numba.njit(
    [_MEANS.format(k=k) for k in ("uint8", "uint16")],
    nogil=True,
    cache=True,
    error_model="numpy",
)
def means(pixels, left, right, top, bottom, scale, out):  # type: ignore[no-untyped-def]
    """Fill out (h, w, c) with the means of pixels from left to right and from top to bottom, times `scale`.

    The edges are those of each column and row of areas; a right and a bottom one lies behind the last pixel.
    """
    high, wide, channels = out.shape
    for j in range(high):
        for i in range(wide):
            share = scale / ((bottom[j] - top[j]) * (right[i] - left[i]))
            for c in range(channels):
                total = 0
                for y in range(top[j], bottom[j]):
                    for x in range(left[i], right[i]):
                        total += pixels[y, x, c]
                out[j, i, c] = total * share
