"""A starting point for a shot: exposure and balance proposed from its own colours."""

from __future__ import annotations

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.colour.encodings import Encoding
from sfumato.core.glazes.white_balance import WhiteBalance
from sfumato.core.glazes.white_balance import pick as balanced

_GREY = 0.18
_POWER = 6.0  # of the mean that stands for the light: between all colours alike and the brightest
_PART = 0.5  # of the cast that is taken away: a starting point, not a correction to grey
_MOST_STOPS = 3.0


@frozen
class Proposal:
    """Exposure in stops; temperature in mired and tint of the White balance."""

    stops: float
    temperature: float
    tint: float

    def __str__(self) -> str:
        return (
            f"exposure {self.stops:+.2f} stops, temperature {self.temperature:+.0f} mired, "
            f"tint {self.tint:+.0f}"
        )


def proposed(code: Rgb, working: Encoding) -> Proposal:
    """Propose how to bring a picture nearer to an even exposure and a neutral light.

    Args:
        code: working code values (..., 3) of the shot before its Ground.
    Returns:
        Exposure: what carries the geometric mean of luminance to 18 %, 70 % of the way, within 3
        stops. Balance: half of what makes the Minkowski mean of order 6 neutral ("shades of grey",
        Finlayson and Trezzi 2004), over what is neither black nor clipped. Zeros for black pictures.
    """
    light = np.maximum(working.decode(code).reshape(-1, 3).astype(np.float64), 0)
    luminance = light @ working.to_xyz[1]
    lit = luminance > 1e-4
    if lit.sum() < 16:
        return Proposal(0.0, 0.0, 0.0)
    mean = float(np.exp(np.log(luminance[lit]).mean()))
    stops = float(np.clip(0.7 * np.log2(_GREY / mean), -_MOST_STOPS, _MOST_STOPS))
    high = np.percentile(luminance[lit], 98)
    middle = light[lit & (luminance < high) & (luminance > np.percentile(luminance[lit], 5))]
    if len(middle) < 16:
        return Proposal(round(stops, 2), 0.0, 0.0)
    scale = middle.max()
    cast = ((middle / scale) ** _POWER).mean(axis=0) ** (1 / _POWER) * scale
    whole = balanced(WhiteBalance(), working.encode(cast[None].astype(np.float32))[0], working)
    return Proposal(
        round(stops, 2), round(_PART * whole.temperature, 1), round(_PART * whole.tint, 1)
    )
