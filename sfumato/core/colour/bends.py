"""Curves that several glazes share."""

from __future__ import annotations

from typing import Any

import numpy as np

from sfumato.core.arrays import Rgb
from sfumato.core.compiled import kernels


def _three(value: Any) -> Rgb:
    """Return a number or three as a new float32 (3,)."""
    return np.array(np.broadcast_to(np.asarray(value, np.float32), (3,)))


def affine(x: Rgb, scale: Any, shift: Any) -> Rgb:
    """Return x scale + shift, by channel: broadcasting over an axis of three is slow.

    >>> print(affine(np.float32([[1, 2, 3]]), (1, 2, 3), 1))
    [[ 2.  5. 10.]]
    """
    fast = kernels(x)
    if fast is not None:
        result: Rgb = fast.affine(x, _three(scale), _three(shift))
        return result
    return np.asarray(x * _three(scale) + _three(shift), np.float32)


def signed_power(x: Any, power: Any) -> Rgb:
    """Return sgn(x) |x|**power, held at 2**60 so that it stays finite; `power` broadcasts.

    >>> signed_power(np.float32([-4, 0, 4]), np.float32(0.5)).tolist()
    [-2.0, 0.0, 2.0]
    """
    fast = kernels(x) if isinstance(x, np.ndarray) else None
    if fast is not None:
        result: Rgb = fast.signed_power(x, _three(power))
        return result
    most = np.exp2(60 / np.maximum(power, np.float32(0.5))).astype(np.float32)
    size = np.minimum(np.abs(x), most) ** power
    return np.asarray(np.copysign(size, x), np.float32)


def shoulder(x: Rgb, knee: float, ceiling: float) -> Rgb:
    """Bend what lies above a knee into a ceiling: c - (c - k) exp(-(x - k) / (c - k)).

    Value and slope are continuous at the knee; below it nothing changes.

    >>> print(shoulder(np.float32([0.5, 1.0]), 0.7, 1.0).round(4))
    [0.5    0.8896]
    """
    k, room = np.float32(knee), np.float32(ceiling - knee)
    over = np.maximum(x - k, 0)
    bent = room * -np.expm1(-over / room)
    return np.asarray(np.minimum(x, k) + bent, np.float32)
