"""The heat scale of differences, and stripes over a picture."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PySide6.QtGui import QColor

from sfumato.core.arrays import Array

# Dark grey, azurite, yellow, cinnabar, near white: lightness rises all the way, so that the scale
# reads without colour vision too.
_STOPS = np.array(
    [[34, 34, 34], [62, 86, 120], [110, 149, 196], [221, 187, 74], [232, 120, 90], [255, 236, 226]],
    np.float32,
)
HEAT = np.stack(
    [np.interp(np.linspace(0, 5, 256), np.arange(6), _STOPS[:, c]) for c in range(3)], axis=1
).astype(np.uint8)
_BYTES = np.ascontiguousarray(np.pad(HEAT, ((0, 0), (0, 1)), constant_values=255)).view(np.uint32)[
    :, 0
]
_APART, _WIDE = 6, 2  # px from stripe to stripe, and of each
SCALES = (0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0)


def heat_scale(worst: float) -> float:
    """Return the round top of the scale for a worst difference."""
    return next((s for s in SCALES if worst <= s), SCALES[-1])


def heat_of(delta: Array, top: float) -> Array:
    """Return a heat picture, uint8 (h, w, 4) with 255 last, of differences from 0 to `top`."""
    levels = np.clip(delta * np.float32(255 / top), 0, 255).astype(np.uint8)
    return _BYTES[levels].view(np.uint8).reshape(*delta.shape, 4)


Layer = tuple[Array, QColor, tuple[int, int]]


def striped(layers: Sequence[Layer], shape: tuple[int, int]) -> Array:
    """Return marks to lie over a picture, uint8 (h, w, 4): red, green, blue and how much they hide.

    Of each layer: where it is, bool (h, w), its colour, and the slope of its stripes in x and y. A layer
    hides what is marked by those before it.
    """
    marks = np.zeros(shape, np.uint32)
    for where, tone, (across, down) in layers:
        thin, full = np.array(
            [[tone.red(), tone.green(), tone.blue(), hides] for hides in (90, 255)], np.uint8
        ).view(np.uint32)[:, 0]
        np.copyto(marks, thin, where=where)
        for y in range(_APART):  # every so many lines are alike
            stripes = (across * np.arange(shape[1]) + down * y) % _APART < _WIDE
            np.copyto(marks[y::_APART], full, where=where[y::_APART] & stripes)
    return marks.view(np.uint8).reshape(*shape, 4)
