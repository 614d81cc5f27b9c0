"""What a decoder gives, and what it refuses before it asks for memory."""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import Any

import numpy as np
from attrs import field, frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.errors import MediaError

DEPTHS = {"uint8": "8", "uint16": "16", "float16": "16f", "float32": "32f"}

_HALF_MOST = 65504.0  # the largest half float

WORKERS = max(1, min(4, os.cpu_count() or 1))  # parts of a picture that are compressed side by side

SizeRule = Callable[[int, int], None]  # of width and height, before the pixels are decoded


@frozen(eq=False)
class Samples:
    """Pixels (h, w, channels), uint8, uint16, float16 or float32, in the order in which they are stored.

    `is_colour`: the channels are R, G, B and perhaps alpha (not grey, not a palette that was looked
    up); `header` is what the container says besides, by its own names.
    """

    pixels: Array
    is_colour: bool = True
    header: dict[str, Any] = field(factory=dict)

    @property
    def depth(self) -> str:
        """8, 16, 16f or 32f."""
        return DEPTHS[self.pixels.dtype.name]


_ROWS = 1 << 16  # values that are turned into codes at once


def in_codes(values: Rgb, depth: str) -> Array:
    """Return values (h, w, 3), 0..1, as they are stored at a depth: 8, 16, 16f or 32f.

    Whole numbers are rounded half up, in float64 so that none of 16 bit is missed; row by row, since
    a picture of float64 would take eight times what is stored.

    >>> in_codes(np.float32([[[0.0, 0.5, 2.0]]]), "8").tolist()
    [[[0, 128, 255]]]
    """
    if depth == "32f":
        return np.asarray(values, np.float32)
    kind: Any = {"8": np.uint8, "16": np.uint16, "16f": np.float16}[depth]
    out = np.empty(values.shape, kind)
    step = max(1, _ROWS // max(1, values[0].size))
    for top in range(0, len(values), step):
        rows = values[top : top + step]
        if depth == "16f":
            out[top : top + step] = np.clip(rows, -_HALF_MOST, _HALF_MOST)
        else:
            out[top : top + step] = np.clip(rows, 0, 1) * np.float64(np.iinfo(kind).max) + 0.5
    return out


def damaged(kind: str) -> MediaError:
    """Return the refusal of a file that is not what it claims."""
    return MediaError(f"the {kind} is damaged or cut short", hint="copy or export it again")
