"""Colours in words: `deep red`, `pale greenish grey`."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from sfumato.core.colour.delta_e import lab_of
from sfumato.core.colour.encodings import Encoding

# Where each name begins, in degrees of hue of CIE Lab (D65), from 0 on.
_HUES = (
    (0, "pink"),
    (18, "red"),
    (48, "orange"),
    (72, "yellow"),
    (108, "yellow green"),
    (128, "green"),
    (172, "turquoise"),
    (228, "sky blue"),
    (262, "blue"),
    (306, "violet"),
    (330, "magenta"),
    (352, "pink"),
)
_GREY, _GREYISH = 5.0, 14.0  # chroma below which there is no hue, and where it is but a tinge


def colour_name(code: Any, display: Encoding) -> str:
    """Return a colour of a display in words, from its lightness, chroma and hue in CIE Lab.

    >>> from sfumato.core.colour.encodings import encoding
    >>> [colour_name(c, encoding("sRGB")) for c in ((0.5, 0.05, 0.05), (0.9, 0.9, 0.9), (0.3, 0.5, 0.9))]
    ['deep red', 'pale grey', 'blue']
    """
    lightness, a, b = (float(v) for v in lab_of(np.asarray(code, np.float32), display))
    chroma = math.hypot(a, b)
    if lightness < 6 and chroma < _GREYISH:
        return "black"
    if lightness > 96 and chroma < _GREY:
        return "white"
    level = "deep " if lightness < 35 else "pale " if lightness > 78 else ""
    if chroma < _GREY:
        return f"{level}grey"
    turn = math.degrees(math.atan2(b, a)) % 360
    hue = next(name for start, name in reversed(_HUES) if turn >= start)
    if hue in ("red", "orange", "yellow") and lightness < 45 and chroma < 45:
        hue = "brown"
    return f"{level}{hue} grey" if chroma < _GREYISH else f"{level}{hue}"
