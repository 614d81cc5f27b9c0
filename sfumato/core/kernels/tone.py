"""Scene light to display light in one pass: matrix, easing into the gamut, tone scale.

`core/colour/tone.py` says what each step does; the forms there in NumPy give the same to rounding.
"""

from __future__ import annotations

import math
from typing import Any

import numba
import numpy as np

from sfumato.core.arrays import Array, Rgb
from sfumato.core.kernels.powers import exp2 as _exp2
from sfumato.core.kernels.powers import log2 as _log2

_C = 512  # pixels in a chunk
_F = np.float32


def _jit(signature: str) -> Any:
    fast = {"contract", "nsz", "arcp"}
    return numba.njit(signature, nogil=True, cache=True, fastmath=fast, error_model="numpy")


@_jit(
    "void(float32[::1], float32[::1], float32[::1], float32[:, ::1], float32, boolean, float32[::1])"
)
def _toned(x, light, toned, matrix, threshold, ease, tone):  # type: ignore[no-untyped-def]
    contrast, limit, shoulder, knee = tone[0], tone[1], tone[2], tone[3]
    steeper, at_grey, grey = tone[4], tone[5], tone[6]
    to_grey, per_nat = _F(-math.log2(grey)), _F(1 / math.log(2))
    s = np.empty((3, _C), np.float32)
    top, odd = np.empty(_C, np.float32), np.empty(_C, np.float32)
    for start in range(0, x.size, 3 * _C):
        n = min(3 * _C, x.size - start) // 3
        for i in range(n):
            r, g, b = x[start + 3 * i], x[start + 3 * i + 1], x[start + 3 * i + 2]
            for c in range(3):
                s[c, i] = matrix[c, 0] * r + matrix[c, 1] * g + matrix[c, 2] * b
        if ease:
            for i in range(n):
                m = s[0, i] if s[0, i] > s[1, i] else s[1, i]
                top[i] = m if m > s[2, i] else s[2, i]
            for c in range(3):
                for i in range(n):
                    m, y = top[i], s[c, i]
                    size = m if m > _F(1e-9) else _F(1e-9)
                    d = (m - y) / size
                    over = threshold - d
                    over = over if over < _F(0) else _F(0)
                    bent = _exp2(over * per_nat / (_F(1) - threshold)) * (threshold - _F(1))
                    bent += (d if d < threshold else threshold) + (_F(1) - threshold)
                    s[c, i] = m - bent * size + (y - y)
        for c in range(3):
            for i in range(n):
                light[start + 3 * i + c] = s[c, i]
            for i in range(n):
                y = s[c, i]
                v = abs(y)
                odd[i] = y
                v = v if v < _F(3e38) else _F(3e38)
                stops = _log2(v if v > _F(1e-20) else _F(1e-20)) + to_grey
                up = stops if stops > _F(1e-6) else _F(1e-6)
                up = (up if up < _F(40) else _F(40)) * contrast
                ratio = _exp2((_log2(up) - limit) * shoulder) + _F(1)
                up *= _exp2(_log2(ratio) * (_F(-1) / shoulder))
                under = stops if stops < _F(0) else _F(0)
                below = -(under + knee)
                below = _log2(_exp2(below if below < _F(80) else _F(80)) + _F(1)) - at_grey
                s[c, i] = _exp2(up + under * contrast - below * steeper) * grey
            for i in range(n):
                y = odd[i]
                value = math.copysign(s[c, i], y)
                toned[start + 3 * i + c] = value if y == y else y


def toned(
    x: Rgb, matrix: Array, threshold: float | None, tone: tuple[float, ...]
) -> tuple[Rgb, Rgb]:
    """Return the light of a display and what the tone scale makes of it.

    Args:
        x: light (..., 3), float32.
        matrix: to the light of the display, float32 (3, 3), C order.
        threshold: of the easing, None for none.
        tone: the numbers of `core.colour.tone.numbers`.
    """
    flat = np.require(x, np.float32, ("C", "W")).reshape(-1)
    light, out = np.empty_like(flat), np.empty_like(flat)
    eased = threshold is not None
    values = np.array(tone, np.float32)
    _toned(flat, light, out, matrix, _F(threshold if eased else 0.0), eased, values)
    return light.reshape(x.shape), out.reshape(x.shape)
