"""Oklab: a perceptual space for hue and chroma work."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np

from sfumato.core.arrays import Rgb, as_rgb
from sfumato.core.colour.adapt import Matrix, transformed
from sfumato.core.colour.encodings import Encoding
from sfumato.core.compiled import kernels

# Ottosson 2020, "A perceptual color space for image processing": XYZ (D65) -> LMS, LMS' -> Lab.
_M1 = np.array(
    [
        [0.8189330101, 0.3618667424, -0.1288597137],
        [0.0329845436, 0.9293118715, 0.0361456387],
        [0.0482003018, 0.2643662691, 0.6338517070],
    ]
)
_M2 = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)
_M2_INVERSE = np.linalg.inv(_M2)


@cache
def _lms_matrices(space: Encoding) -> tuple[Matrix, Matrix]:
    """Return RGB -> LMS and back, with rows scaled so that the white of `space` is exactly neutral."""
    forward = _M1 @ space.to_xyz_d65
    forward = forward / forward.sum(axis=1, keepdims=True)
    return forward, np.linalg.inv(forward)


@cache
def _single(space: Encoding) -> tuple[Rgb, Rgb]:
    """Return the same matrices in float32, C order."""
    forward, back = _lms_matrices(space)
    return np.ascontiguousarray(forward, np.float32), np.ascontiguousarray(back, np.float32)


_SECOND, _FIRST = (np.ascontiguousarray(m, np.float32) for m in (_M2, _M2_INVERSE))


def from_light(light: Any, space: Encoding) -> Rgb:
    """Turn linear light of `space` into Oklab (L, a, b), float32 (..., 3).

    L is 1 at light 1.0; greys have a = b = 0 to rounding. Negative light mirrors.

    >>> from sfumato.core.colour.encodings import encoding
    >>> print(abs(from_light(np.float32([[1, 1, 1]]), encoding("Linear BT.709"))).round(4))
    [[1. 0. 0.]]
    """
    fast = kernels(light) if isinstance(light, np.ndarray) else None
    if fast is not None:
        return as_rgb(fast.oklab(light, _single(space)[0], _SECOND, forward=True))
    lms = transformed(light, _lms_matrices(space)[0])
    return transformed(np.cbrt(lms), _M2)


def to_light(lab: Any, space: Encoding) -> Rgb:
    """Turn Oklab into linear light of `space`: the inverse of `from_light`."""
    fast = kernels(lab) if isinstance(lab, np.ndarray) else None
    if fast is not None:
        return as_rgb(fast.oklab(lab, _FIRST, _single(space)[1], forward=False))
    lms = transformed(lab, _M2_INVERSE)
    return transformed(lms * lms * lms, _lms_matrices(space)[1])
