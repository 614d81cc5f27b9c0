"""How much colour noise a picture has in its darks: the noise floor that glazes fade out above."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import Encoding

_SIDE = 8  # pixels of a block
_MOST = 6000  # blocks that are looked at
_DARK = (0.1, 0.35)  # Oklab L: from seven to two stops under grey
_FLAT = 25  # the percentile of blocks: structure makes more of it, so the lowest are flat
_BIAS = 1.06  # what that percentile of noise alone lies under its middle
_LEAST = 24  # blocks
CLEAN, NOISIEST = 16.0, 6.0  # stops under grey


def noise_floor(pixels: Array, as_code: Callable[[Array], Rgb], space: Encoding) -> float | None:
    """Return the noise floor of a picture, in stops under 18 % grey: see `View.noise`.

    It is chroma noise times L**2 in flat dark parts.

    Noise of light has about one sigma in the dark, and Oklab is as steep as L**-2 there, so the product
    is about one number. It is taken from second differences along rows of blocks of 8 x 8 pixels.

    Args:
        pixels: the picture as it was decoded, (h, w, 3): made smaller it would have lost its noise.
        as_code: turns pixels into code values.
        space: what the codes mean.
    Returns:
        None when too little of the picture is dark.
    """
    high, wide = (side // _SIDE for side in pixels.shape[:2])
    if not high or not wide:
        return None
    step = max(1, int(np.ceil((high * wide / _MOST) ** 0.5)))
    found: list[Array] = []
    for row in range(0, high, step):
        strip = pixels[row * _SIDE : (row + 1) * _SIDE, : wide * _SIDE, :3]
        blocks = strip.reshape(_SIDE, wide, _SIDE, 3)[:, ::step]
        lab = oklab.from_light(space.decode(np.ascontiguousarray(as_code(blocks))), space)
        light = lab[..., 0].mean(axis=(0, 2))
        bend = np.diff(lab[..., 1:], n=2, axis=2) / np.float32(6**0.5)
        sigma = np.sqrt((bend.astype(np.float64) ** 2).mean(axis=(0, 2)).sum(axis=-1))
        dark = (light > _DARK[0]) & (light < _DARK[1]) & np.isfinite(sigma)
        found.append((sigma * light**2)[dark])
    floors = np.concatenate(found)
    if len(floors) < _LEAST:
        return None
    floor = max(_BIAS * float(np.percentile(floors, _FLAT)), 1e-6)
    return float(np.clip(np.log2(0.18 / floor), NOISIEST, CLEAN))
