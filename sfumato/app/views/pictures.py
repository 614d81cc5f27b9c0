"""The heat scale of differences."""

from __future__ import annotations

import numpy as np

from sfumato.core.arrays import Array

# Dark grey, azurite, yellow, cinnabar, near white: lightness rises all the way, so that the scale
# reads without colour vision too.
_STOPS = np.array(
    [[34, 34, 34], [62, 86, 120], [110, 149, 196], [221, 187, 74], [232, 120, 90], [255, 236, 226]],
    np.float32,
)
HEAT = np.stack(
    [np.interp(np.linspace(0, 5, 256), np.arange(6), _STOPS[:, c]) for c in range(3)], axis=1
).astype(np.uint8)
SCALES = (0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0)


def heat_scale(worst: float) -> float:
    """Return the round top of the scale for a worst difference."""
    return next((s for s in SCALES if worst <= s), SCALES[-1])


def heat_of(delta: Array, top: float) -> Array:
    """Return a heat picture, uint8 (h, w, 3), of differences from 0 to `top`."""
    return HEAT[np.clip(delta * (255 / top), 0, 255).astype(np.uint8)]
