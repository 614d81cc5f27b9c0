"""Codes of pixels: counted for the instruments into int32, from uint8 (h, w, 3), and exchanged."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from sfumato.core.luma import EIGHT_BIT

_RED, _GREEN, _BLUE = (np.int64(w) for w in EIGHT_BIT)


def _jit(signature: str) -> Any:
    return numba.njit(signature, nogil=True, cache=True, error_model="numpy")


@_jit("void(uint8[:, :, ::1], int32[:, ::1])")
def histogram(image, counts):  # type: ignore[no-untyped-def]
    """counts[channel, code]."""
    height, width, _ = image.shape
    for y in range(height):
        for x in range(width):
            counts[0, image[y, x, 0]] += 1
            counts[1, image[y, x, 1]] += 1
            counts[2, image[y, x, 2]] += 1


@_jit("void(uint8[:, :, ::1], int32[:, :, ::1])")
def parade(image, counts):  # type: ignore[no-untyped-def]
    """counts[channel, column, code]; columns share the width evenly."""
    height, width, _ = image.shape
    columns = counts.shape[1]
    place = np.empty(width, np.int64)
    for x in range(width):
        place[x] = x * columns // width
    for y in range(height):
        for x in range(width):
            c = place[x]
            counts[0, c, image[y, x, 0]] += 1
            counts[1, c, image[y, x, 1]] += 1
            counts[2, c, image[y, x, 2]] += 1


@_jit("void(uint8[:, :, ::1], int32[:, ::1])")
def waveform(image, counts):  # type: ignore[no-untyped-def]
    """counts[column, luma code]; luma by BT.709 weights in 1/256."""
    height, width, _ = image.shape
    columns = counts.shape[0]
    for y in range(height):
        for x in range(width):
            luma = (
                _RED * image[y, x, 0] + _GREEN * image[y, x, 1] + _BLUE * image[y, x, 2] + 128
            ) >> 8
            counts[x * columns // width, luma] += 1


@_jit("void(uint8[:, :, ::1], int32[:, ::1])")
def vectorscope(image, counts):  # type: ignore[no-untyped-def]
    """counts[255 - Cr, Cb] of BT.709 colour differences, 128 = none (integers, 1/65536)."""
    height, width, _ = image.shape
    for y in range(height):
        for x in range(width):
            r = np.int64(image[y, x, 0])
            g = np.int64(image[y, x, 1])
            b = np.int64(image[y, x, 2])
            cb = (-7509 * r - 25259 * g + 32768 * b + 8421376) >> 16
            cr = (32768 * r - 29763 * g - 3005 * b + 8421376) >> 16
            counts[255 - cr, cb] += 1


@_jit("void(uint8[:, :, ::1], int32[::1], int64, int32[:, ::1])")
def placed(image, places, bits, counts):  # type: ignore[no-untyped-def]
    """counts.flat[place] of each colour, looked up by the upper `bits` of its channels."""
    height, width, _ = image.shape
    flat = counts.reshape(-1)
    down, twice = 8 - bits, 2 * bits
    for y in range(height):
        for x in range(width):
            r = np.int64(image[y, x, 0]) >> down
            g = np.int64(image[y, x, 1]) >> down
            b = np.int64(image[y, x, 2]) >> down
            flat[places[(r << twice) | (g << bits) | b]] += 1


@_jit("void(uint8[::1], uint8[::1], uint8[::1])")
def exchanged(codes, table, out):  # type: ignore[no-untyped-def]
    """out = table[codes]."""
    for i in range(codes.size):
        out[i] = table[codes[i]]
