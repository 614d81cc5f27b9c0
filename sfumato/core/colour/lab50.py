"""Display codes as Lab under D50, the side on which ICC profiles meet, and back; float64, unclipped.

Source: ICC.1:2022, annex D and F (Lab of the D50 white); adaptation by Bradford, as version 4 asks.
"""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.colour.adapt import D65, adaptation
from sfumato.core.colour.encodings import Encoding

D50 = np.array([0.9642, 1.0, 0.8249])  # ICC.1:2022, 7.2.16
_EDGE = 6 / 29


@cache
def _to_d50() -> Array:
    white = (float(D50[0] / D50.sum()), float(D50[1] / D50.sum()))
    return np.asarray(adaptation(D65, white, "Bradford"))


def lab_of_code(code: Any, display: Encoding) -> Array:
    """Return Lab of a display's codes, (..., 3); its white is 100, 0, 0.

    >>> from sfumato.core.colour.encodings import encoding
    >>> print(lab_of_code([1.0, 1.0, 1.0], encoding("sRGB")).round(2) + 0.0)
    [100.   0.   0.]
    """
    light = np.asarray(display.decode(np.asarray(code, np.float32)), np.float64) / display.reference
    t = light @ (np.asarray(display.to_xyz_d65).T @ _to_d50().T) / D50
    f = np.where(t > _EDGE**3, np.cbrt(np.maximum(t, 0)), t * (841 / 108) + 4 / 29)
    return np.stack(
        [116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], -1
    )


def code_of_lab(lab: Any, display: Encoding) -> Array:
    """Return a display's codes of Lab, (..., 3), beyond 0..1 where it does not reach; inverse of the other."""
    v = np.asarray(lab, np.float64)
    fy = (v[..., 0] + 16) / 116
    f = np.stack([fy + v[..., 1] / 500, fy, fy - v[..., 2] / 200], -1)
    xyz = np.where(f > _EDGE, f**3, (f - 4 / 29) * (108 / 841)) * D50
    light = xyz @ np.linalg.inv(np.asarray(display.to_xyz_d65).T @ _to_d50().T)
    return np.asarray(display.encode(np.asarray(light * display.reference, np.float32)))
