"""Block compression of textures: BC1, and BC7 in its mode 6, as graphics chips read them.

Sixteen bytes of colour become eight (BC1) or stay sixteen of four channels (BC7). Encoders choose two ends of a
line through each block of 4 x 4 colours and, for every pixel, a step between them; good ones search
longer than this, none leaves a LUT whole.

Source: Khronos Data Format Specification 1.3, chapters 20 (S3TC) and 22 (BPTC).
"""

from __future__ import annotations

import numpy as np

from sfumato.core.arrays import Array

BC1, BC7 = "BC1", "BC7"
_WEIGHTS = np.array([0, 4, 9, 13, 17, 21, 26, 30, 34, 38, 43, 47, 51, 55, 60, 64], np.int32)
_ROUNDS = 3  # of fitting ends to the steps that were chosen


def as_blocks(pixels: Array) -> Array:
    """Return uint8 (h, w, 3) as blocks (n, 16, 3), row by row; sides are filled up by repeating the edge."""
    h, w = pixels.shape[:2]
    full = np.pad(pixels, ((0, -h % 4), (0, -w % 4), (0, 0)), mode="edge")
    rows, columns = full.shape[0] // 4, full.shape[1] // 4
    return full.reshape(rows, 4, columns, 4, 3).transpose(0, 2, 1, 3, 4).reshape(-1, 16, 3)


def from_blocks(blocks: Array, height: int, width: int) -> Array:
    """Return blocks (n, 16, 3) as a picture (height, width, 3); the way back of `as_blocks`."""
    rows, columns = -(-height // 4), -(-width // 4)
    whole = blocks.reshape(rows, columns, 4, 4, 3).transpose(0, 2, 1, 3, 4)
    return np.ascontiguousarray(whole.reshape(rows * 4, columns * 4, 3)[:height, :width])


def _line(blocks: Array) -> tuple[Array, Array]:
    """Return the ends of a line through the colours of each block, float64 (n, 3) of 0..255."""
    colours = blocks.astype(np.float64)
    middle = colours.mean(1, keepdims=True)
    apart = colours - middle
    spread = np.einsum("nki,nkj->nij", apart, apart)
    way = np.linalg.eigh(spread)[1][..., -1]
    along = np.einsum("nki,ni->nk", apart, way)
    low, high = along.min(1)[:, None], along.max(1)[:, None]
    return middle[:, 0] + low * way, middle[:, 0] + high * way


def _refitted(blocks: Array, share: Array, low: Array, high: Array) -> tuple[Array, Array]:
    """Return ends that fit the colours best by least squares where each pixel lies at `share` (n, 16) between."""
    colours, b = blocks.astype(np.float64), share
    a = 1 - b
    aa, ab, bb = (a * a).sum(1), (a * b).sum(1), (b * b).sum(1)
    ac, bc = np.einsum("nk,nki->ni", a, colours), np.einsum("nk,nki->ni", b, colours)
    scale = aa * bb - ab * ab
    good = scale > 1e-9
    scale = np.where(good, scale, 1)[:, None]
    first = (ac * bb[:, None] - bc * ab[:, None]) / scale
    second = (bc * aa[:, None] - ac * ab[:, None]) / scale
    keep = good[:, None]
    return (
        np.clip(np.where(keep, first, low), 0, 255),
        np.clip(np.where(keep, second, high), 0, 255),
    )


def _nearest(blocks: Array, palette: Array) -> tuple[Array, Array]:
    """Return for each pixel the nearest colour of its block's palette (n, k, 3), and each block's error."""
    apart = blocks[:, :, None].astype(np.int32) - palette[:, None]
    off = np.einsum("nkpi,nkpi->nkp", apart, apart)
    steps = off.argmin(2)
    return steps, np.take_along_axis(off, steps[..., None], 2).sum((1, 2))


# --- BC1 -----------------------------------------------------------------------------------------
def _to_565(ends: Array) -> Array:
    """Return ends (n, 3) of 0..255 as words of 5, 6 and 5 bits."""
    whole = np.rint(ends / 255 * np.array([31, 63, 31])).astype(np.int32)
    return np.asarray((whole[:, 0] << 11) | (whole[:, 1] << 5) | whole[:, 2])


def _from_565(words: Array) -> Array:
    """Return words as colours, (n, 3) of 0..255; not rounded."""
    r, g, b = words >> 11 & 31, words >> 5 & 63, words & 31
    return np.asarray(np.stack([r, g, b], -1) * 255 / np.array([31, 63, 31]))


def _bc1_palette(first: Array, second: Array) -> Array:
    """Return the four colours of blocks whose first word is the greater one, int32 (n, 4, 3)."""
    a, b = _from_565(first), _from_565(second)
    return np.asarray(np.rint(np.stack([a, b, (2 * a + b) / 3, (a + 2 * b) / 3], 1)), np.int32)


def bc1_encoded(pixels: Array) -> bytes:
    """Return a picture, uint8 (h, w, 3), as BC1: eight bytes a block, all of four colours.

    >>> len(bc1_encoded(np.zeros((8, 5, 3), np.uint8)))
    32
    """
    blocks = as_blocks(pixels)
    low, high = _line(blocks)
    best: tuple[Array, Array, Array, Array] | None = None
    order = np.array([0, 2, 3, 1])  # of steps along the line, as the words name them
    for _round in range(_ROUNDS):
        one, two = _to_565(high), _to_565(low)
        first, second = np.maximum(one, two), np.minimum(one, two)
        steps, off = _nearest(blocks, _bc1_palette(first, second))
        if best is None:
            best = first, second, steps, off
        else:
            better = off < best[3]
            best = tuple(  # type: ignore[assignment]
                np.where(better.reshape(-1, *[1] * (new.ndim - 1)), new, old)
                for new, old in zip((first, second, steps, off), best, strict=True)
            )
        share = np.argsort(order)[steps] / 3
        low, high = _refitted(blocks, 1 - share, low, high)
    first, second, steps, _off = best  # type: ignore[misc]
    # Equal words would name another palette: then every pixel takes the first colour.
    steps = np.where((first == second)[:, None], 0, steps)
    bits = (steps.astype(np.uint32) << (2 * np.arange(16, dtype=np.uint32))).sum(1, dtype=np.uint32)
    out = np.empty(len(blocks), np.dtype([("a", "<u2"), ("b", "<u2"), ("steps", "<u4")]))
    out["a"], out["b"], out["steps"] = first, second, bits
    return out.tobytes()


def bc1_decoded(data: bytes, height: int, width: int) -> Array:
    """Return BC1 blocks of four colours as a picture, uint8 (height, width, 3)."""
    words = np.frombuffer(data, np.dtype([("a", "<u2"), ("b", "<u2"), ("steps", "<u4")]))
    palette = _bc1_palette(words["a"].astype(np.int32), words["b"].astype(np.int32))
    steps = words["steps"][:, None] >> (2 * np.arange(16, dtype=np.uint32)) & 3
    blocks = np.take_along_axis(palette, steps.astype(np.int64)[..., None], 1)
    return from_blocks(blocks.astype(np.uint8), height, width)


# --- BC7, mode 6 ---------------------------------------------------------------------------------
def _bc7_palette(first: Array, second: Array) -> Array:
    """Return the sixteen colours between two ends (n, 3) of 8 bits, (n, 16, 3)."""
    w = _WEIGHTS[None, :, None]
    return np.asarray(((64 - w) * first[:, None] + w * second[:, None] + 32) >> 6)


def bc7_encoded(pixels: Array) -> bytes:
    """Return a picture, uint8 (h, w, 3), as BC7 in mode 6, opaque: sixteen bytes a block.

    >>> len(bc7_encoded(np.zeros((4, 8, 3), np.uint8)))
    32
    """
    blocks = as_blocks(pixels)
    low, high = _line(blocks)
    count = len(blocks)
    best_off = np.full(count, np.iinfo(np.int64).max)
    ends = np.zeros((2, count, 3), np.int32)
    low_bits = np.zeros((2, count), np.int32)
    steps = np.zeros((count, 16), np.int64)
    for _round in range(_ROUNDS):
        shares = steps
        for first_bit, second_bit in ((0, 0), (0, 1), (1, 0), (1, 1)):
            tried = [
                np.clip(np.rint((end - bit) / 2), 0, 127).astype(np.int32)
                for end, bit in ((low, first_bit), (high, second_bit))
            ]
            whole = tried[0] << 1 | first_bit, tried[1] << 1 | second_bit
            found, off = _nearest(blocks, _bc7_palette(*whole))
            better = off < best_off
            best_off = np.where(better, off, best_off)
            ends = np.where(better[None, :, None], np.stack(tried), ends)
            low_bits = np.where(better, np.array([[first_bit], [second_bit]]), low_bits)
            steps = np.where(better[:, None], found, steps)
        if np.array_equal(shares, steps) and _round:
            break
        low, high = _refitted(blocks, _WEIGHTS[steps] / 64, low, high)
    swapped = steps[:, 0] > 7  # the first pixel's step has no highest bit
    steps = np.where(swapped[:, None], 15 - steps, steps)
    ends = np.where(swapped[None, :, None], ends[::-1], ends)
    low_bits = np.where(swapped, low_bits[::-1], low_bits)
    fields: list[tuple[Array | int, int]] = [(1 << 6, 7)]
    for channel in range(3):
        fields += [(ends[0, :, channel], 7), (ends[1, :, channel], 7)]
    fields += [(127, 7), (127, 7), (low_bits[0], 1), (low_bits[1], 1), (steps[:, 0], 3)]
    fields += [(steps[:, k], 4) for k in range(1, 16)]
    bits = np.concatenate(
        [
            np.broadcast_to(np.asarray(v), (count,))[:, None] >> np.arange(size)[None] & 1
            for v, size in fields
        ],
        1,
    )
    return np.packbits(bits.astype(np.uint8), axis=1, bitorder="little").tobytes()


def bc7_decoded(data: bytes, height: int, width: int) -> Array:
    """Return BC7 blocks of mode 6 as a picture, uint8 (height, width, 3)."""
    bits = np.unpackbits(
        np.frombuffer(data, np.uint8).reshape(-1, 16), axis=1, bitorder="little"
    ).astype(np.int32)

    def field(start: int, size: int) -> Array:
        return np.asarray((bits[:, start : start + size] << np.arange(size)).sum(1))

    first = np.stack([field(7 + 14 * c, 7) for c in range(3)], -1) << 1 | bits[:, 63:64]
    second = np.stack([field(14 + 14 * c, 7) for c in range(3)], -1) << 1 | bits[:, 64:65]
    steps = np.stack([field(65, 3), *(field(68 + 4 * k, 4) for k in range(15))], 1)
    blocks = np.take_along_axis(_bc7_palette(first, second), steps[..., None], 1)
    return from_blocks(blocks.astype(np.uint8), height, width)


def through_blocks(pixels: Array, kind: str) -> Array:
    """Return a picture, uint8 (h, w, 3), as it comes back from a block compression."""
    height, width = pixels.shape[:2]
    if kind == BC1:
        return bc1_decoded(bc1_encoded(pixels), height, width)
    return bc7_decoded(bc7_encoded(pixels), height, width)
