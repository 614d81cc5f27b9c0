"""Pixels of two pictures of the same thing that lie over one another, and which pairs tell nothing."""

from __future__ import annotations

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.borrow.align import Laid, laid_over, shrunk
from sfumato.core.breath import StillWanted, always_wanted
from sfumato.core.errors import ValueRefused

MOST = 1_000_000  # pixels of a pair that are compared
_BAND = 64  # rows that are compared at once
LEAST_SIDE = 16
_ALIKE = 0.25  # of the busy places have to agree
_SIDES = tuple((y, x) for y in (-1, 0, 1) for x in (-1, 0, 1))
_DARK, _SPREAD = 0.01, 0.02  # code values: of a black picture, and of one of one colour
_CUT = 0.5  # share of a side that lies at an end


@frozen(eq=False)
class Matched:
    """Pixels of a pair that lie over one another, (h, w, 3) float32 in the grid of `after`.

    Attributes:
        inside: (h, w) where both are.
        uneven: (h, w) the most that any channel of either differs around a pixel.
    """

    before: Rgb
    after: Rgb
    inside: Array
    uneven: Array
    laid: Laid


def _scale(pixels: Array) -> np.float32:
    kind = pixels.dtype
    return np.float32(1 / np.iinfo(kind).max if kind.kind == "u" else 1)


def _check_side(pixels: Array, which: str) -> None:
    high, wide = pixels.shape[:2]
    if min(high, wide) < LEAST_SIDE:
        raise ValueRefused(
            f"the picture {which} is {wide} × {high} pixels: too small to compare",
            hint=f"choose pictures of {LEAST_SIDE} pixels a side at least",
        )
    every = max(1, int(np.sqrt(high * wide / 100_000)))
    part = pixels[::every, ::every].reshape(-1, 3) * _scale(pixels)
    if not np.isfinite(part).all():
        raise ValueRefused(
            f"the picture {which} holds values that are no numbers", hint="export it again"
        )
    high_ends = np.percentile(part, 99.5, axis=0)
    spread = high_ends - np.percentile(part, 0.5, axis=0)
    if high_ends.max() < _DARK:
        raise ValueRefused(f"the picture {which} is black", hint="choose one with something to see")
    if spread.max() < _SPREAD:
        raise ValueRefused(
            f"the picture {which} is of one colour", hint="choose one with many colours in it"
        )
    at_end = (part >= 1 - 1e-4).all(-1).mean() + (part <= 1e-4).all(-1).mean()
    if at_end > _CUT:
        raise ValueRefused(
            f"{100 * at_end:.0f} % of the picture {which} is plain black or white: what was there is lost",
            hint="choose one that is exposed for what matters, or a part of it",
        )


def matched(
    before: Array,
    after: Array,
    check: StillWanted = always_wanted,
    *,
    near: bool = False,
    most: int = MOST,
) -> Matched:
    """Lay a pair over one another, whatever their sizes.

    Args:
        before, after: (h, w, 3) code values, unsigned integers or floats.
        near: they are shots of one scene, see `laid_over`.
        most: pixels that are taken of them.

    Raises:
        ValueRefused: one of them is too small, black, of one colour or mostly cut off, or they show
            different things.
    """
    _check_side(before, "before")
    _check_side(after, "after")
    laid = laid_over(_small(after), _small(before), check, near=near)
    laid = _of_whole(laid, after, before)
    if laid.agreement < _ALIKE:
        raise ValueRefused(
            f"these two show different things: {100 * laid.agreement:.0f} % of the places agree",
            hint="choose the same picture before and after, or borrow from it as a reference",
        )
    check()
    high, wide = after.shape[:2]
    step = max(1, int(np.ceil(np.sqrt(high * wide / most))))
    rows, columns = np.arange(step // 2, high, step), np.arange(step // 2, wide, step)
    picture = np.rot90(before, laid.turns)
    m = laid.matrix
    shape = len(rows), len(columns)
    one, two = np.empty((*shape, 3), np.float32), np.empty((*shape, 3), np.float32)
    inside, ranges = np.empty(shape, bool), np.empty(shape, np.float32)
    for first in range(0, len(rows), _BAND):  # whole, it takes a hundred bytes a pixel
        check()
        band = slice(first, first + _BAND)
        y, x = np.meshgrid(rows[band], columns, indexing="ij")
        u = m[0, 0] * x + m[0, 1] * y + m[0, 2]
        v = m[1, 0] * x + m[1, 1] * y + m[1, 2]
        inside[band] = (
            (u >= 0) & (v >= 0) & (u <= picture.shape[1] - 1) & (v <= picture.shape[0] - 1)
        )
        one[band] = _soft_at(picture, u, v, laid)
        two[band] = after[y, x] * _scale(after)
        at = np.rint(v).astype(np.intp), np.rint(u).astype(np.intp)
        ranges[band] = np.maximum(_uneven(after, y, x), _uneven(picture, *at))
    finite = np.isfinite(one).all(-1) & np.isfinite(two).all(-1)
    return Matched(np.nan_to_num(one), np.nan_to_num(two), inside & finite, ranges, laid)


def _small(pixels: Array) -> Rgb:
    """Return a picture of at most four million pixels as floats."""
    small, scale = shrunk(pixels, 4_000_000), _scale(pixels)
    return small if scale == 1 else np.multiply(small, scale, dtype=np.float32)


def _of_whole(laid: Laid, after: Array, before: Array) -> Laid:
    """Carry a matrix between shrunk pictures to one between the pictures themselves."""
    steps = [
        max(1, int(np.ceil(np.sqrt(p.shape[0] * p.shape[1] / 4_000_000)))) for p in (after, before)
    ]
    if steps == [1, 1]:
        return laid
    a, b = steps
    linear = laid.matrix[:, :2] * b / a
    offset = b * (laid.matrix[:, :2] @ np.full(2, 0.5 / a - 0.5) + laid.matrix[:, 2] + 0.5) - 0.5
    if laid.whole == (0, 0) and a == b:
        return Laid(np.eye(2, 3), laid.turns, laid.agreement)
    return Laid(np.concatenate([linear, offset[:, None]], 1), laid.turns, laid.agreement)


def _soft_at(picture: Array, u: Array, v: Array, laid: Laid) -> Rgb:
    """Return a picture at places, by a cubic through 4 x 4 pixels; by means where it is made smaller."""
    high, wide = picture.shape[:2]
    if laid.whole is not None:
        rows, columns = (np.clip(t, 0, n - 1).astype(int) for t, n in ((v, high), (u, wide)))
        return np.asarray(picture[rows, columns] * _scale(picture), np.float32)
    out = np.zeros((*u.shape, 3), np.float32)
    spread = max(1.0, laid.scale)
    reach = int(np.ceil(2 * spread))
    left, top = np.floor(u).astype(np.intp), np.floor(v).astype(np.intp)

    def kernel(t: Array) -> Array:
        t = np.abs(t) / spread
        near = (1.5 * t - 2.5) * t * t + 1
        far = ((-0.5 * t + 2.5) * t - 4) * t + 2
        return np.where(t < 1, near, np.where(t < 2, far, 0)).astype(np.float32)

    across = [kernel(u - left - i) for i in range(1 - reach, reach + 1)]
    down = [kernel(v - top - i) for i in range(1 - reach, reach + 1)]
    total_x, total_y = sum(across), sum(down)
    for i, wy in zip(range(1 - reach, reach + 1), down, strict=True):
        rows = np.clip(top + i, 0, high - 1)
        for j, wx in zip(range(1 - reach, reach + 1), across, strict=True):
            share = wy / total_y * (wx / total_x)
            out += picture[rows, np.clip(left + j, 0, wide - 1)] * share[..., None]
    return np.asarray(out * _scale(picture), np.float32)


def _uneven(picture: Array, rows: Array, columns: Array) -> Array:
    high, wide = picture.shape[:2]
    low = high_values = None
    for dy, dx in _SIDES:
        part = picture[np.clip(rows + dy, 0, high - 1), np.clip(columns + dx, 0, wide - 1)]
        low = part if low is None else np.minimum(low, part)
        high_values = part if high_values is None else np.maximum(high_values, part)
    assert low is not None
    assert high_values is not None
    spread = high_values.astype(np.float32) - low.astype(np.float32)
    return np.asarray(spread.max(-1) * _scale(picture))
