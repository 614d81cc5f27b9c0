"""The luma weights of BT.709: what the instruments, guesses and exchanged grades mean by luma.

Encodings of other primaries have weights of their own (`Encoding.to_xyz`); these are for codes that
are looked at as they are. Source: ITU-R BT.709-6, item 3.2.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from sfumato.core.arrays import Array

WEIGHTS = (0.2126, 0.7152, 0.0722)
EIGHT_BIT = (54, 183, 19)  # the same in 1/256, for 8-bit codes in whole numbers
_WEIGHTS = np.array(WEIGHTS, np.float32)


def luma(rgb: Any) -> Array:
    """Return the luma of colours (..., 3), shape (...), float32 for float32.

    >>> float(luma(np.float32([0.0, 1.0, 0.0])).round(4))
    0.7152000069618225
    """
    found: Array = rgb @ _WEIGHTS
    return found
