"""Transfer functions in pairs: `encode` (light -> code) and `decode` (code -> light).

Pieces are joined as f(max(x, edge)) + g(min(x, edge)) rather than chosen by a mask, which costs
more than the curve itself. All take and give float32 or float64 arrays of any shape and keep the
type. Display curves mirror about zero, log curves go on along their tangent, so that every
finite input gives a finite output;
light is held within +-2**60 where a curve would overflow. Scales are stated at each curve.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from attrs import field, frozen

from sfumato.core.compiled import kernels

Curve1 = Callable[[Any], Any]
_TOP = 60.0  # light beyond 2**60 is held there


@frozen
class Transfer:
    """A pair of curves; `log` marks scene-referred log curves.

    `form` names the compiled form of both ("log" or "bend") with its constants for encoding and
    decoding.
    """

    name: str
    encode: Curve1
    decode: Curve1
    log: bool = False
    form: tuple[str, Any, Any] | None = field(default=None, eq=False, repr=False)

    def encoded(self, light: Any) -> Any:
        """Encode, by the compiled form where there is one."""
        fast = kernels(light) if self.form is not None else None
        if fast is None or self.form is None:
            return self.encode(light)
        return (fast.log_encode if self.log else fast.bend)(light, self.form[1])

    def decoded(self, code: Any) -> Any:
        """Decode, by the compiled form where there is one."""
        fast = kernels(code) if self.form is not None else None
        if fast is None or self.form is None:
            return self.decode(code)
        return (fast.log_decode if self.log else fast.bend)(code, self.form[2])


def _constants(*values: float) -> Any:
    return np.array(values, np.float32)


_MOST = 3e38


def _mirrored(positive: Curve1) -> Curve1:
    def curve(x: Any) -> Any:
        return np.copysign(positive(np.abs(x)), x)

    return curve


def power(name: str, exponent: float) -> Transfer:
    inverse = 1.0 / exponent

    def decode(x: Any) -> Any:
        return np.minimum(x, 2.0**20) ** exponent

    def encode(x: Any) -> Any:
        return x**inverse

    form = (
        "bend",
        _constants(0, 0, 1, inverse, 1, 0, 0, _MOST),
        _constants(0, 0, 1, exponent, 1, 0, 0, 2.0**20),
    )
    return Transfer(name, _mirrored(encode), _mirrored(decode), form=form)


def _srgb() -> Transfer:
    """IEC 61966-2-1:1999. 0.5 -> 0.21404 light."""

    def decode(x: Any) -> Any:
        x = np.minimum(x, 2.0**20)
        upper = ((np.maximum(x, 0.04045) + 0.055) / 1.055) ** 2.4
        return upper + (np.minimum(x, 0.04045) / 12.92 - ((0.04045 + 0.055) / 1.055) ** 2.4)

    def encode(x: Any) -> Any:
        upper = 1.055 * np.maximum(x, 0.0031308) ** (1 / 2.4)
        return upper + (np.minimum(x, 0.0031308) * 12.92 - 1.055 * 0.0031308 ** (1 / 2.4))

    low, dark = 0.0031308, 0.04045
    form = (
        "bend",
        _constants(low, 0, 1, 1 / 2.4, 1.055, 12.92, 1.055 * low ** (1 / 2.4), _MOST),
        _constants(
            dark, 0.055, 1 / 1.055, 2.4, 1, 1 / 12.92, ((dark + 0.055) / 1.055) ** 2.4, 2.0**20
        ),
    )
    return Transfer("sRGB", _mirrored(encode), _mirrored(decode), form=form)


def _pq() -> Transfer:
    """SMPTE ST 2084 / BT.2100-2 table 4; light 1.0 = 10 000 cd/m2. 0.5081 -> 100 cd/m2."""
    m1, m2 = 2610 / 16384, 2523 / 4096 * 128
    c1, c2, c3 = 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32
    # Above code 1.0 the curve has a pole: go on along the slope at 1.0 instead.
    slope = 1.0 / (m1 * m2 * (c2 - c1 * c3) / (1 + c3) ** 2 / ((c1 + c2) / (1 + c3)))

    # In float64: to the power of 79, float32 would leave errors of 5e-5.
    def decode(x: Any) -> Any:
        code = np.asarray(x, np.float64)
        p = np.minimum(code, 1.0) ** (1 / m2)
        light = (np.maximum(p - c1, 0) / (c2 - c3 * p)) ** (1 / m1)
        return np.where(code > 1.0, 1.0 + (code - 1.0) * slope, light).astype(np.asarray(x).dtype)

    def encode(x: Any) -> Any:
        light = np.asarray(x, np.float64)
        p = np.minimum(light, 1.0) ** m1
        code = ((c1 + c2 * p) / (1 + c3 * p)) ** m2
        beyond = np.where(light > 1.0, 1.0 + (light - 1.0) / slope, code)
        # The code of black is 7e-7 by the formula: held at 0 so that black stays black.
        return np.where(light > 0, beyond, 0).astype(np.asarray(x).dtype)

    return Transfer("PQ", _mirrored(encode), _mirrored(decode))


def _hlg() -> Transfer:
    """BT.2100-2 table 5 without the OOTF: scene light 0..1, code 0.5 -> 1/12."""
    a = 0.17883277
    b = 1 - 4 * a
    c = 0.5 - a * math.log(4 * a)

    def decode(x: Any) -> Any:
        top = np.minimum(x, 8.0)
        return np.where(x <= 0.5, x * x / 3, (np.exp((top - c) / a) + b) / 12)

    def encode(x: Any) -> Any:
        log = a * np.log(np.maximum(12 * x - b, 1e-9)) + c
        return np.where(x <= 1 / 12, np.sqrt(3 * x), log)

    return Transfer("HLG", _mirrored(encode), _mirrored(decode))


def camera_log(
    name: str,
    *,
    base: float,
    log_side_slope: float,
    log_side_offset: float,
    lin_side_slope: float,
    lin_side_offset: float,
    lin_side_break: float | None = None,
    linear_slope: float | None = None,
) -> Transfer:
    """Make a log curve from the seven camera-log parameters of CLF (SMPTE ST 2136-1, Log node).

    code = log_side_slope * log_base(lin_side_slope * x + lin_side_offset) + log_side_offset above
    `lin_side_break`; below it a line that meets the curve, of slope `linear_slope` (by default the
    tangent). Without a break the curve goes on along its tangent at light 2**-16 of its own scale.
    """
    per_log2 = log_side_slope / math.log2(base)
    edge = lin_side_break
    if edge is None:
        edge = (2.0**-16 - lin_side_offset) / lin_side_slope

    def curve(x: float) -> float:
        return per_log2 * math.log2(lin_side_slope * x + lin_side_offset) + log_side_offset

    slope = linear_slope
    if slope is None:
        slope = (
            per_log2 * lin_side_slope / ((lin_side_slope * edge + lin_side_offset) * math.log(2))
        )
    at = curve(edge)

    def encode(x: Any) -> Any:
        inner = np.maximum(x, edge) * lin_side_slope + lin_side_offset
        return np.log2(inner) * per_log2 + (log_side_offset + np.minimum(x - edge, 0) * slope)

    def decode(y: Any) -> Any:
        power = np.exp2(np.minimum((np.maximum(y, at) - log_side_offset) / per_log2, _TOP))
        return (power - lin_side_offset) / lin_side_slope + np.minimum(y - at, 0) / slope

    offset, inner = log_side_offset, lin_side_offset
    form = (
        "log",
        _constants(edge, offset, per_log2, inner, lin_side_slope, slope),
        _constants(at, offset, per_log2, inner, lin_side_slope, slope, _TOP),
    )
    return Transfer(name, encode, decode, log=True, form=form)


LINEAR = Transfer("linear", np.copy, np.copy)
SRGB = _srgb()
GAMMA_22 = power("gamma 2.2", 2.2)
GAMMA_24 = power("gamma 2.4", 2.4)
GAMMA_26 = power("gamma 2.6", 2.6)
PQ = _pq()
HLG = _hlg()
# Academy S-2014-003 (ACEScc). The tangent at 2**-15 is the standard's line for small values only
# approximately, so the exact piece is written out here: 0.18 -> 0.4136.


def _acescc() -> Transfer:
    low = (math.log2(2.0**-16) + 9.72) / 17.52
    edge = (math.log2(2.0**-15) + 9.72) / 17.52

    def encode(x: Any) -> Any:
        middle = (np.log2(2.0**-16 + np.clip(x, 0, 2.0**-15) * 0.5) + 9.72) / 17.52
        upper = (np.log2(np.maximum(x, 2.0**-15)) + 9.72) / 17.52
        # The standard gives every x < 0 the code of 0; a tangent keeps the curve invertible.
        below = low + x * (2.0**15 / math.log(2) / 17.52)
        return np.where(x < 0, below, np.where(x < 2.0**-15, middle, upper))

    def decode(y: Any) -> Any:
        power = np.exp2(np.clip(y * 17.52 - 9.72, -_TOP, _TOP))
        below = (y - low) / (2.0**15 / math.log(2) / 17.52)
        return np.where(y < low, below, np.where(y < edge, (power - 2.0**-16) * 2, power))

    return Transfer("ACEScc", encode, decode, log=True)


ACESCC = _acescc()
# Academy S-2016-001: 0.18 -> 0.4136, 0 -> 0.0729.
ACESCCT = camera_log(
    "ACEScct",
    base=2,
    log_side_slope=1 / 17.52,
    log_side_offset=9.72 / 17.52,
    lin_side_slope=1,
    lin_side_offset=0,
    lin_side_break=0.0078125,
    linear_slope=10.5402377416545,
)
_BLACK = 10 ** ((95 - 685) * 0.002 / 0.6)
# Kennel 2006, "Color and Mastering for Digital Cinema": 10-bit printing density, reference white
# 685, reference black 95, 0.002 density a code, negative gamma 0.6. 0.18 -> 0.4574.
CINEON = camera_log(
    "Cineon",
    base=10,
    log_side_slope=300 / 1023,
    log_side_offset=685 / 1023,
    lin_side_slope=1 - _BLACK,
    lin_side_offset=_BLACK,
    lin_side_break=0.0,
)
# The demo camera: 0 -> 0.0884, 0.18 -> 0.4000, 40 -> 1.000.
TARN_LOG = camera_log(
    "Tarn Log",
    base=2,
    log_side_slope=0.0779,
    log_side_offset=0.40459,
    lin_side_slope=5,
    lin_side_offset=0.06,
    lin_side_break=0.0,
)
