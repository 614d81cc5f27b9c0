"""Means over the areas of a picture: what a smaller copy of it shows."""

from __future__ import annotations

from typing import Any

import numba
from numba import types


def _signature(kind: Any) -> Any:
    pixels = types.Array(kind, 3, "A", readonly=True)  # those of some decoders may not be written
    edges = types.int64[::1]
    return types.void(pixels, edges, edges, edges, edges, types.float64, types.float32[:, :, ::1])


@numba.njit(
    [_signature(types.uint8), _signature(types.uint16)],
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
