"""Named colours to look at a grade by: greys, skin, pure colours, land and sky.

Their numbers are made up here: typical, not measured, and no chart's.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from sfumato.core.arrays import Rgb, as_rgb
from sfumato.core.colour.encodings import Encoding, convert

NAMED: Mapping[str, Mapping[str, tuple[int, int, int]]] = {
    "greys": {
        "3 %": (49, 49, 49),
        "9 %": (85, 85, 85),
        "18 %": (118, 118, 118),
        "36 %": (162, 162, 162),
        "60 %": (203, 203, 203),
        "90 %": (243, 243, 243),
    },
    "skin": {
        "deepest": (66, 40, 30),
        "deep": (106, 68, 50),
        "brown": (145, 99, 74),
        "olive": (182, 134, 102),
        "fair": (215, 169, 141),
        "palest": (237, 206, 186),
    },
    "pure": {
        "red": (190, 42, 46),
        "yellow": (226, 194, 48),
        "green": (56, 142, 70),
        "cyan": (46, 150, 166),
        "blue": (44, 70, 152),
        "magenta": (170, 60, 130),
    },
    "land, sky": {
        "dark leaf": (46, 70, 38),
        "leaf": (92, 120, 52),
        "straw": (172, 150, 92),
        "earth": (110, 80, 56),
        "sky": (112, 156, 206),
        "deep sky": (62, 100, 166),
    },
}
"""By group and name: how each looks on an sRGB display, 0..255. 18 % of the light is code 118."""


def in_working(working: Encoding) -> Rgb:
    """Return the named colours as a camera of a working encoding would have them, (groups, names, 3).

    White of the display, 1.0, is taken for a surface that returns all light; no tone scale comes between.

    >>> from sfumato.core.colour.encodings import encoding
    >>> print(in_working(encoding("Linear BT.709"))[0, 2].round(2))
    [0.18 0.18 0.18]
    """
    codes = as_rgb(np.array([list(group.values()) for group in NAMED.values()]) / 255)
    return convert(codes, "sRGB", working)
