"""Logarithms and powers of float32 as polynomials that vectorise: compiled into the kernels that call them.

Their relative error is below 4e-7.
"""

from __future__ import annotations

import math

import numba
import numpy as np

FAST = {"contract", "nsz", "arcp"}
_F, _I = np.float32, np.int32
_TINY = np.float32(1.2e-38)  # the least normal number: logarithms of less are not taken


@numba.njit(fastmath=FAST, error_model="numpy")
def log2(x):  # type: ignore[no-untyped-def]
    """log2 of a positive normal number: exponent, and an odd series in (m - 1) / (m + 1)."""
    bits = _F(x).view(np.int32)
    e = _I(_I(bits - _I(0x3F3504F3)) >> _I(23))  # the mantissa lies in sqrt(1/2)..sqrt(2)
    m = _I(bits - _I(e << _I(23))).view(np.float32)
    t = (m - _F(1)) / (m + _F(1))
    q = t * t
    series = _F(0.577078016) + q * (_F(0.412198583) + q * _F(0.320598898))
    return _F(e) + t * (_F(2.8853900818) + q * (_F(0.961796694) + q * series))


@numba.njit(fastmath=FAST, error_model="numpy")
def exp2(y):  # type: ignore[no-untyped-def]
    """2**y, y held in -126..126: an integer power and the Taylor series of the rest."""
    y = y if y < _F(126) else _F(126)
    y = y if y > _F(-126) else _F(-126)
    n = np.floor(y + _F(0.5))
    f = y - n
    series = _F(0.0096181291) + f * (_F(0.0013333558) + f * _F(0.000154035304))
    p = _F(1) + f * (
        _F(0.6931471806) + f * (_F(0.2402265070) + f * (_F(0.0555041087) + f * series))
    )
    return p * _I(_I(_I(n) + _I(127)) << _I(23)).view(np.float32)


@numba.njit(fastmath=FAST, error_model="numpy")
def power(x, p, top):  # type: ignore[no-untyped-def]
    """sgn(x) |x|**p, held at 2**top; 0 at 0, NaN for NaN. Without branches, so that it vectorises."""
    v = _F(3e38) if x > _F(3e38) else x
    a = abs(v)
    there = a * _F(1e38)
    e = log2(a if a > _TINY else _TINY) * p
    y = exp2(e if e < top else top) * (there if there < _F(1) else _F(1))
    return math.copysign(y, v) + (v - v)
