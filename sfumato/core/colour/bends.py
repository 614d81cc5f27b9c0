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


def ease(t: Any) -> Any:
    """Return 3 t**2 - 2 t**3 of t held in 0..1: from 0 to 1, level at both ends.

    >>> float(ease(0.25))
    0.15625
    """
    t = np.clip(t, 0, 1)
    return t * t * (3 - 2 * t)


_ALL = 1000.0  # of chroma: no colour has as much
_DOUBTFUL = 4.0  # noise floors of light: what is darker may be noise altogether


def noise_chroma(light: Any, noise: float) -> Any:
    """Return the Oklab chroma that sensor noise has at a lightness L: noise / L**2 (1 - 0.4 u) / (1 - u).

    The light of noise has about one sigma in the dark, and Oklab is as steep as L**-2. Its lightness is
    uncertain too: u is what 4 floors are of its light, L**3, and the last term is near to taking them
    off, (1 - u)**(-2/3), for less time. At u = 1 all may be noise: the chroma is 1000 there.

    >>> round(float(noise_chroma(np.float32(0.5), 0.0004)), 5)
    0.00161
    """
    if noise == 0:
        return np.float32(0)
    cube, doubtful = light * light * light, np.float32(_DOUBTFUL * noise)
    sure = np.maximum(cube - doubtful, np.float32(1e-9))
    chroma = np.float32(noise) * light * (cube - np.float32(0.4) * doubtful)
    chroma = chroma / np.maximum(cube * sure, np.float32(1e-20))
    return np.where(cube > doubtful, np.minimum(chroma, np.float32(_ALL)), np.float32(_ALL))


def faded_in(chroma: Any, light: Any, grey: float, colour: float, noise: float) -> Any:
    """Return 0..1: how far Oklab chroma C at a lightness L is a colour, and neither grey nor noise.

    Eased from 0 at `grey` + q to 1 at `colour` + 3 q, where q is the chroma that sensor noise has there
    (`noise_chroma`). Where light is nothing but noise nothing is a colour, unless `noise` is 0.

    >>> float(faded_in(np.float32(0.03), np.float32(0.1), 0.002, 0.05, 0.0004).round(3))
    0.0
    >>> float(faded_in(np.float32(0.06), np.float32(0.7), 0.002, 0.05, 0.0004).round(3))
    1.0
    """
    q = noise_chroma(light, noise)
    return ease((chroma - (grey + q)) / (colour - grey + 2 * q))


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
