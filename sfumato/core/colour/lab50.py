"""Display codes as Lab under D50, the side on which ICC profiles meet, and back; unclipped.

Source: ICC.1:2022, annex D and F (Lab of the D50 white); adaptation by Bradford, as version 4 asks.
"""

from __future__ import annotations

from functools import cache, lru_cache
from typing import Any

import numpy as np

from sfumato.core.arrays import Array
from sfumato.core.colour.adapt import D65, adaptation
from sfumato.core.colour.encodings import Encoding
from sfumato.core.compiled import KERNELS, WORTH, lab_of_light

D50 = np.array([0.9642, 1.0, 0.8249])  # ICC.1:2022, 7.2.16
_EDGE = 6 / 29
WHITE_D50 = (float(D50[0] / D50.sum()), float(D50[1] / D50.sum()))


@cache
def _to_d50() -> Array:
    return np.asarray(adaptation(D65, WHITE_D50, "Bradford"))


@lru_cache(maxsize=32)
def _to_white(matrix: bytes, reference: float) -> Array:
    to_xyz = np.frombuffer(matrix, np.float64).reshape(3, 3)
    return np.asarray(_to_d50() @ to_xyz / D50[:, None] / reference)


def to_white(display: Encoding) -> Array:
    """Return the matrix from a display's light to XYZ over the white of Lab, float64 (3, 3)."""
    return _to_white(np.asarray(display.to_xyz_d65, np.float64).tobytes(), display.reference)


def from_white(display: Encoding) -> Array:
    """Return the matrix from XYZ over the white of Lab to a display's light, float64 (3, 3)."""
    return np.linalg.inv(to_white(display))


def lab_of_xyz(xyz: Any) -> Array:
    """Return Lab of XYZ, both D50, float64 (..., 3). Source: CIE 15:2018, 8.2.1.

    >>> print(lab_of_xyz(D50) + 0.0)
    [100.   0.   0.]
    """
    t = np.asarray(xyz, np.float64) / D50
    f = np.where(t > _EDGE**3, np.cbrt(np.maximum(t, 0)), t * (841 / 108) + 4 / 29)
    return np.stack(
        [116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], -1
    )


def xyz_of_lab(lab: Any) -> Array:
    """Return XYZ of Lab, both D50, float64 (..., 3); inverse of the other.

    >>> xyz_of_lab([100.0, 0.0, 0.0]).tolist()
    [0.9642, 1.0, 0.8249]
    """
    v = np.asarray(lab, np.float64)
    fy = (v[..., 0] + 16) / 116
    f = np.stack([fy + v[..., 1] / 500, fy, fy - v[..., 2] / 200], -1)
    return np.asarray(np.where(f > _EDGE, f**3, (f - 4 / 29) * (108 / 841)) * D50)


_NOTHING = np.zeros(3, np.float32)


def lab_of_code(code: Any, display: Encoding) -> Array:
    """Return Lab of a display's codes, (..., 3); its white is 100, 0, 0.

    Many codes go through the compiled loops, once they are loaded, in float32; otherwise in float64.

    >>> from sfumato.core.colour.encodings import encoding
    >>> print(lab_of_code([1.0, 1.0, 1.0], encoding("sRGB")).round(2) + 0.0)
    [100.   0.   0.]
    """
    light = display.decode(np.asarray(code, np.float32))
    matrix = to_white(display)
    found = lab_of_light(np.asarray(light), matrix)
    if found is not None:
        return found
    return lab_of_xyz(np.asarray(light, np.float64) @ matrix.T * D50)


def code_of_lab(lab: Any, display: Encoding) -> Array:
    """Return a display's codes of Lab, (..., 3), beyond 0..1 where it does not reach; inverse of the other."""
    matrix = from_white(display)
    if KERNELS.lab is not None and np.size(lab) >= WORTH:
        flat = np.ascontiguousarray(lab, np.float32).reshape(-1, 3)
        light = np.empty_like(flat)
        KERNELS.lab.light_of_lab(flat, matrix.astype(np.float32), _NOTHING, light)
        return np.asarray(display.encode(light.reshape(np.shape(lab))))
    return np.asarray(display.encode(np.asarray(xyz_of_lab(lab) / D50 @ matrix.T, np.float32)))
