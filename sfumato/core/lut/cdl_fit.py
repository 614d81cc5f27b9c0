"""The ASC CDL that comes nearest to what was done to some colours."""

from __future__ import annotations

import numpy as np

from sfumato.core.arrays import Array, Rgb
from sfumato.core.luma import WEIGHTS
from sfumato.core.lut.cdl import Three
from sfumato.core.lut.stages import CdlStage

_COLOURS = 4000  # on which it is fitted
_DIGITS = 6  # after the point, as files hold them


_LEAST = [1e-3] * 3 + [-1.0] * 3 + [np.log(0.05)] * 3 + [0.0]
_MOST = [20.0] * 3 + [1.0] * 3 + [np.log(20.0)] * 3 + [4.0]
_NOTHING = [1.0] * 3 + [0.0] * 6 + [1.0]
_LUMA = np.array(WEIGHTS, np.float64)


def _run(p: Array, x: Array) -> Array:
    """Apply ten numbers (slope, offset, log of power, saturation) without clamping, float64."""
    lifted = x * p[:3] + p[3:6]
    toned = np.where(lifted > 0, np.maximum(lifted, 1e-12) ** np.exp(p[6:9]), lifted)
    luma = (toned @ _LUMA)[:, None]
    out: Array = luma + (toned - luma) * p[9]
    return out


def fitted_cdl(before: Rgb, after: Rgb) -> CdlStage:
    """Return the CDL whose results lie nearest to `after`, by least squares over code values.

    A change that is a CDL comes back as it was:

    >>> x = np.random.default_rng(1).random((500, 3)).astype(np.float32)
    >>> done = CdlStage((1.2, 1.0, 0.9), (0.02, 0.0, -0.01), (1.1, 1.0, 0.95), 0.8, clamp=False)
    >>> found = fitted_cdl(x, done.apply(x))
    >>> found.slope, found.saturation
    ((1.2, 1.0, 0.9), 0.8)

    Args:
        before, after: the same colours (k, 3); k of 10 or more.
    """
    from scipy.optimize import least_squares

    every = max(1, len(before) // _COLOURS)
    x, y = (np.asarray(v[::every], np.float64) for v in (before, after))

    def off(p: Array) -> Array:
        out: Array = (_run(p, x) - y).ravel()
        return out

    best = least_squares(off, _NOTHING, bounds=(_LEAST, _MOST), x_scale=0.1, max_nfev=200)

    def three(values: Array) -> Three:
        a, b, c = (round(float(v), _DIGITS) for v in values)
        return a, b, c

    p = best.x
    saturation = round(float(p[9]), _DIGITS)
    return CdlStage(three(p[:3]), three(p[3:6]), three(np.exp(p[6:9])), saturation)
