"""Glazes as numbers that can be fitted: where they start, their limits, and the way back to a glaze."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour.encodings import Encoding
from sfumato.core.controls import Points
from sfumato.core.glazes import contrast
from sfumato.core.glazes.cdl import NO_CLAMP, Cdl
from sfumato.core.glazes.colourfulness import Colourfulness
from sfumato.core.glazes.contrast import Contrast
from sfumato.core.glazes.curves import Curves
from sfumato.core.glazes.exposure import Exposure
from sfumato.core.glazes.hue_table import HueTable
from sfumato.core.glazes.levels import Levels
from sfumato.core.glazes.tints import Tints
from sfumato.core.glazes.white_balance import WhiteBalance

_HUES = tuple(float(h) for h in range(15, 375, 45))  # degrees
_TONES = (0.12, 0.4, 0.65, 0.9)
_LIMIT = 0.06  # Oklab chroma of a tint


@frozen
class Part:
    """How one kind of glaze is written as numbers: where they start, their limits and the way back."""

    key: str
    start: tuple[float, ...]
    low: tuple[float, ...]
    high: tuple[float, ...]
    scale: tuple[float, ...]
    made: Callable[[Array], Any]


def _three(values: Array, digits: int = 4) -> tuple[float, float, float]:
    r, g, b = (round(float(v), digits) for v in values)
    return r, g, b


def _balance(_code: Rgb, _working: Encoding) -> Part:
    return Part(
        "white_balance", (0, 0), (-300, -45), (130, 45), (30, 8),
        lambda p: WhiteBalance(round(float(p[0]), 1), round(float(p[1]), 1)),
    )  # fmt: skip


def _exposure(_code: Rgb, _working: Encoding) -> Part:
    return Part("exposure", (0,), (-8,), (8,), (0.5,), lambda p: Exposure(round(float(p[0]), 2)))


def _curves(code: Rgb, _working: Encoding) -> Part:
    """A curve for all channels through six tones of the colours, rising everywhere."""
    tones = np.unique(np.round(np.percentile(code, (2, 20, 40, 60, 80, 98)), 3))
    at = [0.0, *(float(t) for t in tones if 0.03 < t < 0.97), 1.0]
    places = [at[0]]
    for t in at[1:]:
        if t - places[-1] >= 0.05 or t == 1.0:
            places.append(t)
    if len(places) > 2 and places[-1] - places[-2] < 0.05:
        del places[-2]
    rises = np.diff([places[0], *places])

    def made(p: Array) -> Curves:
        heights = p[0] + np.concatenate([[0], np.cumsum(p[1:])])
        points: Points = tuple(
            (round(x, 3), round(float(y), 4)) for x, y in zip(places, heights, strict=True)
        )
        return Curves(master=points)

    start = (0.0, *(float(r) for r in rises[1:]))
    n = len(start) - 1
    return Part(
        "curves", start, (-0.4, *[0.002] * n), (0.4, *[1.5] * n), tuple([0.05] * (n + 1)), made
    )


def _cdl(_code: Rgb, _working: Encoding) -> Part:
    def made(p: Array) -> Cdl:
        return Cdl(
            _three(p[:3]), _three(p[3:6]), _three(np.exp(p[6:9])), round(float(p[9]), 3), NO_CLAMP
        )

    return Part(
        "cdl",
        (*[1.0] * 3, *[0.0] * 6, 1.0),
        (*[0.2] * 3, *[-0.6] * 3, *[-1.2] * 3, 0.0),
        (*[4.0] * 3, *[0.6] * 3, *[1.2] * 3, 3.0),
        (*[0.1] * 3, *[0.05] * 3, *[0.1] * 3, 0.1),
        made,
    )


def _colourfulness(_code: Rgb, _working: Encoding) -> Part:
    return Part(
        "colourfulness", (0, 20), (-100, 0), (200, 100), (20, 20),
        lambda p: Colourfulness(round(float(p[0]), 1), round(float(p[1]), 0)),
    )  # fmt: skip


def _hue_table(_code: Rgb, _working: Encoding) -> Part:
    n = len(_HUES)

    def made(p: Array) -> HueTable:
        lines = [
            tuple((h, round(float(v), 3)) for h, v in zip(_HUES, p[i : i + n], strict=True))
            for i in (0, n, 2 * n)
        ]
        return HueTable(*(line if any(v for _, v in line) else () for line in lines))

    return Part("hue_table", (0.0,) * 3 * n, (-0.9,) * 3 * n, (0.9,) * 3 * n, (0.1,) * 3 * n, made)


def _tints(_code: Rgb, _working: Encoding) -> Part:
    n = len(_TONES)

    def made(p: Array) -> Tints:
        stops = []
        for tone, a, b in zip(_TONES, p[:n], p[n:], strict=True):
            chroma = min(float(np.hypot(a, b)), _LIMIT)
            hue = float(np.degrees(np.arctan2(b, a)) % 360)
            stops.append((tone, round(hue, 1) % 360, round(chroma, 4), 0.1))
        return Tints(tuple(stops))

    return Part(
        "tints", (1e-4,) * 2 * n, (-_LIMIT,) * 2 * n, (_LIMIT,) * 2 * n, (0.01,) * 2 * n, made
    )


def _contrast(_code: Rgb, working: Encoding) -> Part:
    usual = contrast.suited(working)
    return Part(
        "contrast", (1.0, usual.pivot), (0.4, 0.1), (2.5, 0.9), (0.1, 0.05),
        lambda p: Contrast(round(float(p[0]), 3), round(float(p[1]), 3)),
    )  # fmt: skip


def _levels(_code: Rgb, _working: Encoding) -> Part:
    """Black and white of all channels, going in."""

    def made(p: Array) -> Levels:
        return Levels(every=(round(float(p[0]), 4), 1.0, round(float(p[1]), 4), 0.0, 1.0))

    return Part("levels", (0.0, 1.0), (-0.2, 0.7), (0.3, 1.4), (0.02, 0.02), made)


PARTS: dict[str, Callable[[Rgb, Encoding], Part]] = {
    "white_balance": _balance,
    "exposure": _exposure,
    "contrast": _contrast,
    "levels": _levels,
    "curves": _curves,
    "cdl": _cdl,
    "colourfulness": _colourfulness,
    "hue_table": _hue_table,
    "tints": _tints,
}
USUAL = ("white_balance", "exposure", "curves", "cdl", "colourfulness", "hue_table", "tints")
PLAIN = ("exposure", "white_balance", "contrast", "levels", "colourfulness")  # for a Ground
