"""A picture as it looks elsewhere than in the dim room that it is graded in: for the eye, never for a LUT.

What surrounds a picture changes its contrast to the eye: in the dark it looks flatter, in light harsher, and light
that falls on a screen lies over its blacks. A simple model, meant for a look in passing: one exponent and one veil.
"""

from __future__ import annotations

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb, as_rgb
from sfumato.core.colour.encodings import Coder, Encoding

# c, how much the surround weighs: CIE 159:2004 (CIECAM02), table 1. Lightness goes with its power.
_AVERAGE, _DIM, _DARK = 0.69, 0.59, 0.525
# 2,000 lx by a window, of which a glass front returns 5 %, are 32 cd/m² over a white of 530: chosen here
# as a usual case, not measured.
_VEIL = 0.06


@frozen
class Surround:
    """Where a picture is looked at: `weight` is c of CIECAM02, `veil` light over the screen, 1 = its white."""

    title: str
    weight: float
    veil: float = 0.0


PHONE = Surround("on a phone by a window", _AVERAGE, _VEIL)
ROOM = Surround("in a dark room", _DARK)


def as_seen(light: Rgb, surround: Surround, weights: tuple[float, float, float]) -> Rgb:
    """Return the light that looks in a dim room as other light does in a surround.

    Args:
        light: float32 (..., 3), linear, 1 = white of the screen.
        weights: of the three in luminance.
    Returns:
        New float32 (..., 3); hue and the ratios of the three stay, but for the veil.

    >>> greys = np.float32([[0, 0, 0], [0.18, 0.18, 0.18], [1, 1, 1]])
    >>> for s in (PHONE, ROOM):
    ...     print(as_seen(greys, s, (0.2, 0.7, 0.1))[:, 0].round(3))
    [0.035 0.176 1.   ]
    [0.    0.217 1.   ]
    """
    veiled = (np.maximum(as_rgb(light), 0) + np.float32(surround.veil)) / np.float32(
        1 + surround.veil
    )
    luminance = np.maximum(veiled @ np.array(weights, np.float32), np.float32(1e-6))[..., None]
    return np.asarray(veiled * luminance ** np.float32(surround.weight / _DIM - 1))


def in_surround(screen: Encoding, surround: Surround) -> Encoding:
    """Return a screen whose pictures look as on that screen in a surround."""
    weights = tuple(float(v) for v in screen.to_xyz[1])
    assert len(weights) == 3
    white = np.float32(screen.reference)

    def encode(light: Rgb) -> Rgb:
        return screen.encode(as_seen(light / white, surround, weights) * white)

    name = f"{screen.name}, {surround.title}"
    return attrs.evolve(screen, name=name, title=name, coder=Coder(screen.decode, encode))
