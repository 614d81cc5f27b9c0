"""The maths of the ASC CDL 1.2: slope, offset, power and saturation."""

from __future__ import annotations

from typing import Any, Protocol

import numpy as np

from sfumato.core.arrays import Rgb
from sfumato.core.colour.adapt import transformed
from sfumato.core.colour.bends import affine, signed_power
from sfumato.core.luma import WEIGHTS

Three = tuple[float, float, float]


class Numbers(Protocol):
    """The ten numbers of a CDL."""

    @property
    def slope(self) -> Three: ...
    @property
    def offset(self) -> Three: ...
    @property
    def power(self) -> Three: ...
    @property
    def saturation(self) -> float: ...


# ASC CDL 1.2 fixes these luma weights whatever the working encoding is.
_LUMA = np.array(WEIGHTS, np.float32)


def _power(x: Any, power: Any) -> Any:
    """x**power for x > 0, held at 2**60, and x itself below (the no-clamp rule)."""
    return signed_power(np.maximum(x, 0), power) + np.minimum(x, 0)


def _saturated(x: Any, amount: float) -> Any:
    """luma + amount (x - luma), as a matrix."""
    mix = (1 - amount) * np.repeat(_LUMA[None], 3, axis=0) + amount * np.eye(3)
    return transformed(x, mix)


def graded(code: Rgb, numbers: Numbers, *, clamp: bool, inverse: bool) -> Rgb:
    """Apply anything that has slope, offset, power and saturation; the maths of ASC CDL 1.2.

    clamp((in * slope + offset))**power, then saturation; 0.5 with slope 1.2 -> 0.6. The inverse
    divides by a slope and a saturation of at least 0.001 and inverts step by step; what the forward
    direction clipped stays clipped.
    """
    slope, offset, power = (
        np.array(v, np.float32) for v in (numbers.slope, numbers.offset, numbers.power)
    )
    x: Any = code
    if not inverse:
        x = affine(x, slope, offset)
        x = _power(np.clip(x, 0, 1) if clamp else x, power)
        x = _saturated(x, numbers.saturation)
        return np.clip(x, 0, 1) if clamp else np.asarray(x)
    x = np.clip(x, 0, 1) if clamp else x
    x = _saturated(x, 1 / max(numbers.saturation, 1e-3))
    x = _power(np.clip(x, 0, 1) if clamp else x, 1 / power)
    scale = 1 / np.maximum(slope, np.float32(1e-3))
    x = affine(x, scale, -offset * scale)
    return np.clip(x, 0, 1) if clamp else np.asarray(x)
