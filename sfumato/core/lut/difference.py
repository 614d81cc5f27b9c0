"""Measuring: differences of transforms in CIEDE2000 and code values."""

from __future__ import annotations

from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb, as_rgb
from sfumato.core.breath import breathe
from sfumato.core.colour.delta_e import ciede2000, lab_of
from sfumato.core.colour.encodings import Encoding
from sfumato.core.lut.transform import Transform

_AT_ONCE = 1 << 15  # colours: what a comparison needs beside its input stays in the cache
CLOSE = 1.0  # dE that is just seen when two pictures lie side by side


@frozen
class Difference:
    """How far two results lie apart: CIEDE2000 (dE) mean, 99th percentile and worst.

    `worst_at` is the input colour of the worst point; `code_value_worst` the largest difference of
    any channel, 1.0 = full scale, of the results clipped to 0..1; `count` the colours compared.
    """

    mean: float
    p99: float
    worst: float
    worst_at: tuple[float, float, float]
    code_value_worst: float
    count: int

    def words(self) -> str:
        """Return the three figures in words."""
        return f"{self.mean:.3f} ΔE mean, {self.p99:.2f} at 99 %, {self.worst:.2f} at worst"


def clipped(image: Array, low: float = 0.0, high: float = 1.0) -> tuple[Array, Array]:
    """Return where uint8 (h, w, 3) has a channel at its top, and where all lie at the bottom.

    With other limits than 0 and 1: where a channel lies above `high`, and where one lies below `low`.

    >>> high, low = clipped(np.uint8([[[255, 9, 9], [0, 0, 0], [240, 9, 90]]]), 16 / 255, 235 / 255)
    >>> high.tolist(), low.tolist()
    ([[True, False, True]], [[True, True, True]])
    """
    # Channel by channel: NumPy takes ten times as long along an axis of three.
    r, g, b = (image[..., c] for c in range(3))
    if (low, high) == (0.0, 1.0):
        top, bottom = np.maximum(np.maximum(r, g), b), np.bitwise_or(np.bitwise_or(r, g), b)
        return top == 255, bottom == 0
    top, bottom = np.maximum(np.maximum(r, g), b), np.minimum(np.minimum(r, g), b)
    return top > round(high * 255), bottom < round(low * 255)


def cube_colours(count: int = 20000, first: int = 0) -> Rgb:
    """Return a fixed low-discrepancy set that fills the cube, float32 (count, 3), from a number on.

    Source: Roberts 2018, the R3 additive sequence (generalised golden ratio 1.2207440846).

    >>> print(cube_colours(4)[0].round(3))
    [0.319 0.171 0.05 ]
    """
    g = 1.22074408460575947536
    number, out = np.arange(first + 1, first + count + 1), np.empty((count, 3), np.float32)
    for c, step in enumerate((1 / g, 1 / g**2, 1 / g**3)):
        out[:, c] = (0.5 + number * step) % 1.0
    return out


def delta_e(a: Any, b: Any, display: Encoding) -> Array:
    """Return CIEDE2000 of two sets of display code values as the display shows them, shape (...,)."""
    first, second = (np.asarray(each).reshape(-1, 3) for each in (a, b))
    parts = []
    for start in range(0, len(first), _AT_ONCE):
        breathe()
        now = slice(start, start + _AT_ONCE)
        parts.append(ciede2000(lab_of(first[now], display), lab_of(second[now], display)))
    return np.concatenate(parts or [np.zeros(0)]).reshape(np.shape(a)[:-1])


def difference_of(results: tuple[Any, Any], inputs: Any, display: Encoding) -> Difference:
    """Compare two sets of results (..., 3) of the same inputs, as code values of `display`."""
    return difference_and_place(results, inputs, display)[0]


def difference_and_place(
    results: tuple[Any, Any], inputs: Any, display: Encoding
) -> tuple[Difference, int]:
    """Compare as `difference_of` does; return also which of the colours, counted flat, is the worst."""
    a, b = (np.clip(np.nan_to_num(as_rgb(r)), 0, 1).reshape(-1, 3) for r in results)
    points = as_rgb(inputs).reshape(-1, 3)
    apart = delta_e(a, b, display)
    worst = int(apart.argmax())
    at = points[worst]
    found = Difference(
        mean=float(apart.mean()),
        p99=float(np.percentile(apart, 99)),
        worst=float(apart[worst]),
        worst_at=(float(at[0]), float(at[1]), float(at[2])),
        code_value_worst=float(np.abs(a - b).max()),
        count=len(points),
    )
    return found, worst


def difference(
    a: Transform, b: Transform, on: Any, display: Encoding, interp: str = "tetrahedral"
) -> Difference:
    """Compare what two transforms do to the colours `on`, (..., 3)."""
    pixels = as_rgb(on)
    return difference_of((a.apply(pixels, interp), b.apply(pixels, interp)), pixels, display)
