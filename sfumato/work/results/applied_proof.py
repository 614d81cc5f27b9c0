"""Results decoded again and compared with what was meant; what a codec loses is told from a colour fault.

A codec's loss is noise: it goes either way from one place to the next, and the mean of many places of
one colour stays. A colour fault (a wrong range, matrix or encoding) moves all that have a colour.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour.encodings import Encoding, Family, encoding
from sfumato.core.lut.difference import delta_e
from sfumato.media.clip import Clip
from sfumato.media.parts.contract import MediaSpec, Still
from sfumato.media.parts.printed import SEEN, seen
from sfumato.raster.plates import Plates
from sfumato.work.cancel import Cancel
from sfumato.work.results.stills import rounded
from sfumato.work.tiles import run_tiled

AREAS = 96  # across the picture
_SIDES = 6  # of the cells in which colours count as one, to each channel
_FEW = 12  # areas that a cell must have for its mean to say something
# ΔE by which colours may be off in the mean, and how much more for each ΔE of the codec's own loss:
# strong compression moves colours a little too (measured on the demo's pictures, JPEG 40..95).
_TRUE, _TRUE_MORE = 0.25, 0.15
_FRAMES = 5
_PIXELS = 60_000  # that are measured one by one


@frozen
class AppliedProof:
    """What a decoded result was found to be.

    Attributes:
        exact: every number is the one that was meant, rounded.
        colour_mean, colour_most: CIEDE2000 by which colours are off, each the mean of all small areas
            that have it.
        pixels_mean, pixels_p99: CIEDE2000 of single pixels: colour and codec together.
        frames: how many were compared; 1 for a still.
        length: frames that are missing (-) or too many (+).
    """

    exact: bool
    colour_mean: float
    colour_most: float
    pixels_mean: float
    pixels_p99: float
    frames: int = 1
    length: int = 0

    @property
    def is_true(self) -> bool:
        allowed = _TRUE + _TRUE_MORE * self.pixels_mean
        return self.length == 0 and (self.exact or self.colour_mean <= allowed)

    def words(self) -> str:
        """Return one line: the colour first, then what the codec lost."""
        if self.length:
            return f"not as meant: {abs(self.length)} frames {'too many' if self.length > 0 else 'missing'}"
        if self.exact:
            return "every pixel as meant"
        if not self.is_true:
            return f"colours are off: ΔE {self.colour_mean:.2f}, up to {self.colour_most:.2f}"
        return f"colour true (ΔE {self.colour_mean:.2f}), codec loss ΔE {self.pixels_mean:.2f}"


def _areas(code: Rgb) -> Rgb:
    """Return the means of square areas, (n, 3); edges that fill no area are left out."""
    h, w = code.shape[:2]
    side = max(1, min(w // AREAS, h))
    rows, columns = h // side, w // side
    cut = code[: rows * side, : columns * side].reshape(rows, side, columns * side, 3)
    tall = cut.mean(axis=1, dtype=np.float32).reshape(rows, columns, side, 3)
    return np.asarray(tall.mean(axis=2), np.float32).reshape(-1, 3)


def _shown_in(name: str) -> Encoding:
    """Return the display in which differences are seen; log codes are seen as they are."""
    space = encoding(name) if name else encoding("BT.1886")
    return space if space.family is Family.DISPLAY else encoding("BT.1886")


def _codes(pixels: Rgb, name: str) -> Rgb:
    """Return code values for measuring: linear light as sRGB codes."""
    space = encoding(name) if name else None
    if space is not None and space.family is Family.LINEAR:
        return np.asarray(encoding("sRGB").encode(np.clip(pixels, 0, 1)), np.float32)
    return np.clip(pixels, 0, 1)


def _measured(pairs: list[tuple[Rgb, Rgb]], name: str) -> tuple[float, float, float, float]:
    display = _shown_in(name)
    areas, pixels = [], []
    for meant, found in pairs:
        a, b = _codes(meant, name), _codes(found, name)
        areas.append((_areas(a), _areas(b)))
        step = max(1, a.shape[0] * a.shape[1] * len(pairs) // _PIXELS)
        pixels.append(delta_e(a.reshape(-1, 3)[::step], b.reshape(-1, 3)[::step], display))
    meant_areas, found_areas = (np.concatenate([pair[i] for pair in areas]) for i in (0, 1))
    off, count = _by_colour(meant_areas, found_areas, display)
    pixel = np.concatenate(pixels)
    return (
        float(np.average(off, weights=count)),
        float(off.max()),
        float(pixel.mean()),
        float(np.percentile(pixel, 99)),
    )


def _by_colour(meant: Rgb, found: Rgb, display: Encoding) -> tuple[Array, Array]:
    """Return by how much each colour is off, ΔE (n,), and how many areas (n,) have it.

    Where no colour has enough areas (a tiny picture), all are one.
    """
    cells = np.minimum((meant * _SIDES).astype(int), _SIDES - 1) @ (1, _SIDES, _SIDES**2)
    count = np.bincount(cells, minlength=_SIDES**3)
    if count.max() < _FEW:
        cells, count = np.zeros_like(cells), np.array([len(cells)])
    kept = count >= min(_FEW, len(cells))

    def means(code: Rgb) -> Rgb:
        sums = [np.bincount(cells, code[:, c], minlength=len(count)) for c in range(3)]
        return np.asarray(np.stack(sums, -1)[kept] / count[kept, None], np.float32)

    return delta_e(means(meant), means(found), display), count[kept]


def still_proof(meant: Rgb, found: Still, kind: MediaSpec, bits: int, name: str) -> AppliedProof:
    """Compare a decoded still with the code values that were meant, (h, w, 3)."""
    if found.pixels.shape != meant.shape:
        return AppliedProof(False, 100.0, 100.0, 100.0, 100.0)
    if np.array_equal(found.pixels, np.nan_to_num(_numbers(meant, bits, kind, name))):
        return AppliedProof(True, 0.0, 0.0, 0.0, 0.0)
    space = encoding(name) if name else None
    code = found.as_float()
    if kind.is_linear and space is not None:
        code = space.encode(code)
    return AppliedProof(False, *_measured([(meant, code)], name))


def plates_proof(meant: Plates, found: Still, kind: MediaSpec) -> AppliedProof:
    """Compare a decoded still that is kept in Lab or CMYK with its own numbers as they were meant."""
    own = found.plates
    if own is None or own.values.shape != meant.values.shape:
        return AppliedProof(False, 100.0, 100.0, 100.0, 100.0)
    if np.array_equal(own.values, meant.values):
        return AppliedProof(True, 0.0, 0.0, 0.0, 0.0)
    return still_proof(seen(meant), found, kind, 32, SEEN)


def _numbers(meant: Rgb, bits: int, kind: MediaSpec, name: str) -> Array:
    numbers = rounded(meant, bits, kind, name)
    return numbers.astype(np.float32) if numbers.dtype == np.float16 else numbers


def clip_proof(
    source: str | Path,
    result: str | Path,
    run: Callable[[Rgb], Rgb],
    frames: tuple[int, int | None],
    name: str,
    cancel: Cancel | None = None,
) -> AppliedProof:
    """Compare frames of a written clip, from its beginning to its end, with what was meant.

    Args:
        frames: the first and the last of the source that were to be written, None for its end.
    """
    before, after = Clip(str(source)), Clip(str(result))
    try:
        first, last = frames
        end = before.count - 1 if last is None else min(last, before.count - 1)
        count = end - first + 1
        length = after.count - count
        pairs = []
        wanted = np.linspace(0, count - 1, min(_FRAMES, count)).round().astype(int)
        for frame in wanted:
            if cancel is not None:
                cancel.check()
            meant = run_tiled(run, before.frame(first + int(frame)).as_float(), cancel)
            found = after.frame(min(int(frame), after.count - 1)).as_float()
            if meant.shape != found.shape:
                return AppliedProof(False, 100.0, 100.0, 100.0, 100.0, 0, length)
            pairs.append((meant, found))
        return AppliedProof(False, *_measured(pairs, name), len(pairs), length)
    finally:
        before.close()
        after.close()
