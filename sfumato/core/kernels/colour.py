"""What every colour step is made of, in one pass each: transfer curves, Oklab, powers, curves.

All take float32 and return a new array. Logarithms and powers are polynomials that vectorise; their
relative error is below 4e-7. Comparisons are written so that NaN goes through where the NumPy forms
let it through.
"""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from sfumato.core.arrays import Array, Rgb
from sfumato.core.kernels.powers import FAST as _FAST
from sfumato.core.kernels.powers import exp2 as _exp2
from sfumato.core.kernels.powers import log2 as _log2
from sfumato.core.kernels.powers import power as _power

_C = 512  # pixels in a chunk: scratch stays in the first-level cache
_F = np.float32


def _jit(signature: str) -> Any:
    return numba.njit(signature, nogil=True, cache=True, fastmath=_FAST, error_model="numpy")


@_jit("void(float32[::1], float32[::1], float32[::1])")
def _log_decode(x, out, c):  # type: ignore[no-untyped-def]
    at, offset, per, lin_offset, lin_slope, slope, top = c[0], c[1], c[2], c[3], c[4], c[5], c[6]
    for i in range(x.size):
        y = x[i]
        p = ((y if y > at else at) - offset) / per
        below = y - at
        below = below if below < _F(0) else _F(0)
        value = (_exp2(p if p < top else top) - lin_offset) / lin_slope + below / slope
        out[i] = value if y == y else y


@_jit("void(float32[::1], float32[::1], float32[::1])")
def _log_encode(x, out, c):  # type: ignore[no-untyped-def]
    edge, offset, per, lin_offset, lin_slope, slope = c[0], c[1], c[2], c[3], c[4], c[5]
    for i in range(x.size):
        y = x[i]
        inner = (y if y > edge else edge) * lin_slope + lin_offset
        below = y - edge
        below = below if below < _F(0) else _F(0)
        value = _log2(inner if inner < _F(1e38) else _F(1e38)) * per + (offset + below * slope)
        out[i] = value if y == y else y


@_jit("void(float32[::1], float32[::1], float32[::1])")
def _bend(x, out, c):  # type: ignore[no-untyped-def]
    """sgn(x) ((max(v, edge) + shift) * scale)**power * gain + line min(v, edge) - drop, v = |x|."""
    edge, shift, scale, power, gain, line, drop, top = (
        c[0],
        c[1],
        c[2],
        c[3],
        c[4],
        c[5],
        c[6],
        c[7],
    )
    for i in range(x.size):
        y = x[i]
        v = abs(y)
        v = v if v < top else top
        upper = _power(((v if v > edge else edge) + shift) * scale, power, _F(126)) * gain
        value = upper + ((v if v < edge else edge) * line - drop)
        value = value if y >= _F(0) else -value
        out[i] = value if y == y else y


@_jit("void(float32[::1], float32[::1], float32[::1])")
def _signed_power(x, out, powers):  # type: ignore[no-untyped-def]
    """sgn(x) |x|**p, p by channel, held at 2**60."""
    pattern = np.empty(3 * _C, np.float32)
    for i in range(3 * _C):
        pattern[i] = powers[i % 3]
    for start in range(0, x.size, 3 * _C):
        n = min(3 * _C, x.size - start)
        part, into = x[start : start + n], out[start : start + n]
        for i in range(n):
            into[i] = _power(part[i], pattern[i], _F(60))


@_jit("void(float32[::1], float32[::1], float32[::1], float32[::1])")
def _affine(x, out, scale, shift):  # type: ignore[no-untyped-def]
    """x scale + shift, by channel."""
    factors, steps = np.empty(3 * _C, np.float32), np.empty(3 * _C, np.float32)
    for i in range(3 * _C):
        factors[i], steps[i] = scale[i % 3], shift[i % 3]
    for start in range(0, x.size, 3 * _C):
        n = min(3 * _C, x.size - start)
        part, into = x[start : start + n], out[start : start + n]
        for i in range(n):
            into[i] = part[i] * factors[i] + steps[i]


@_jit("void(float32[::1], float32[::1], float32[:, ::1], float32[:, ::1], boolean)")
def _oklab(x, out, first, second, forward):  # type: ignore[no-untyped-def]
    """Matrix, cube root (forward) or cube (back), matrix."""
    count = x.size // 3
    s = np.empty(3 * _C, np.float32)
    l_, m_, s_ = s[:_C], s[_C : 2 * _C], s[2 * _C :]
    a, b, c = first[0, 0], first[0, 1], first[0, 2]
    d, e, f = first[1, 0], first[1, 1], first[1, 2]
    g, h, k = first[2, 0], first[2, 1], first[2, 2]
    a2, b2, c2 = second[0, 0], second[0, 1], second[0, 2]
    d2, e2, f2 = second[1, 0], second[1, 1], second[1, 2]
    g2, h2, k2 = second[2, 0], second[2, 1], second[2, 2]
    third = _F(1 / 3)
    s[:] = _F(0)
    for start in range(0, count, _C):
        n = min(_C, count - start)
        part, into = x[3 * start : 3 * (start + n)], out[3 * start : 3 * (start + n)]
        for i in range(n):
            u, v, w = part[3 * i], part[3 * i + 1], part[3 * i + 2]
            l_[i] = a * u + b * v + c * w
            m_[i] = d * u + e * v + f * w
            s_[i] = g * u + h * v + k * w
        if forward:
            for i in range(3 * _C):
                s[i] = _power(s[i], third, _F(126))
        else:
            for i in range(3 * _C):
                s[i] = s[i] * s[i] * s[i]
        for i in range(n):
            u, v, w = l_[i], m_[i], s_[i]
            into[3 * i] = a2 * u + b2 * v + c2 * w
            into[3 * i + 1] = d2 * u + e2 * v + f2 * w
            into[3 * i + 2] = g2 * u + h2 * v + k2 * w


@_jit("void(float32[::1], float32[::1], float32[::1], float32[:, ::1])")
def _pieces(x, out, knots, table):  # type: ignore[no-untyped-def]
    """The sum of what each cubic piece adds, chunk by chunk."""
    count = knots.size
    for start in range(0, x.size, 2 * _C):
        n = min(2 * _C, x.size - start)
        part, into = x[start : start + n], out[start : start + n]
        first, last = knots[0], knots[count - 1]
        base, slope, after = table[0, 0], table[0, 1], table[count, 1]
        for i in range(n):
            y = part[i]
            below, above = y - first, y - last
            below = below if below < _F(0) else _F(0)
            above = above if above > _F(0) else _F(0)
            value = base + below * slope + above * after
            into[i] = value if y == y else y
        for j in range(count - 1):
            edge, room = knots[j], knots[j + 1] - knots[j]
            c1, c2, c3 = table[j + 1, 1], table[j + 1, 2], table[j + 1, 3]
            for i in range(n):
                u = part[i] - edge
                u = u if u > _F(0) else _F(0)
                u = u if u < room else room
                into[i] += u * (c1 + u * (c2 + u * c3))


@_jit("void(float32[::1], float32[::1], float32[:, ::1], float32, float32)")
def _gaussians(x, out, pairs, fade, noise):  # type: ignore[no-untyped-def]
    """x + sum of weight 2**-(narrow (da**2 + db**2) + deep dL**2), faded in by chroma.

    A row of `pairs` is L, a, b, narrow, deep and the three weights; with `fade` 1 the sum fades in
    over chroma 0.004 + q to 0.04 + 3 q, with q as `noise_chroma` says.
    """
    count = x.size // 3
    s = np.empty(7 * _C, np.float32)
    l_, a_, b_, share = s[:_C], s[_C : 2 * _C], s[2 * _C : 3 * _C], s[6 * _C :]
    dl, da, db = s[3 * _C : 4 * _C], s[4 * _C : 5 * _C], s[5 * _C : 6 * _C]
    for start in range(0, count, _C):
        n = min(_C, count - start)
        part, into = x[3 * start : 3 * (start + n)], out[3 * start : 3 * (start + n)]
        for i in range(n):
            l_[i], a_[i], b_[i] = part[3 * i], part[3 * i + 1], part[3 * i + 2]
            dl[i] = da[i] = db[i] = _F(0)
        for j in range(pairs.shape[0]):
            at_l, at_a, at_b, narrow, deep = (
                pairs[j, 0],
                pairs[j, 1],
                pairs[j, 2],
                pairs[j, 3],
                pairs[j, 4],
            )
            w_l, w_a, w_b = pairs[j, 5], pairs[j, 6], pairs[j, 7]
            for i in range(n):  # one result a loop: more would not vectorise
                u, v, w = l_[i] - at_l, a_[i] - at_a, b_[i] - at_b
                e = narrow * (v * v + w * w) + deep * (u * u)
                share[i] = _exp2(-(e if e < _F(60) else _F(60)))  # smaller ones would be denormal
            for i in range(n):
                dl[i] += w_l * share[i]
            for i in range(n):
                da[i] += w_a * share[i]
            for i in range(n):
                db[i] += w_b * share[i]
        for i in range(n):
            cube, doubtful = l_[i] * l_[i] * l_[i], _F(4) * noise
            sure = cube - doubtful
            q = noise * l_[i] * (cube - _F(0.4) * doubtful)
            q /= cube * sure if sure > _F(1e-9) else _F(1)
            q = q if sure > _F(1e-9) and q < _F(1000) else _F(1000)
            q = q if noise > _F(0) else _F(0)
            t = (np.sqrt(a_[i] * a_[i] + b_[i] * b_[i]) - _F(0.004) - q) / (_F(0.036) + q + q)
            t = t if t > _F(0) else _F(0)
            t = t if t < _F(1) else _F(1)
            t = _F(1) - fade + fade * (t * t * (_F(3) - _F(2) * t))
            into[3 * i] = l_[i] + t * dl[i]
            into[3 * i + 1] = a_[i] + t * da[i]
            into[3 * i + 2] = b_[i] + t * db[i]


@_jit("void(float32[::1], float32[::1], float32, float32, float32[::1], float32)")
def _fit_gamut(x, out, threshold, amount, scale, power):  # type: ignore[no-untyped-def]
    """Bend the distance from the greatest channel beyond the threshold (see the glaze)."""
    count = x.size // 3
    s = np.empty(4 * _C, np.float32)
    top = s[3 * _C :]
    for start in range(0, count, _C):
        n = min(_C, count - start)
        part, into = x[3 * start : 3 * (start + n)], out[3 * start : 3 * (start + n)]
        for i in range(n):
            r, g, b = part[3 * i], part[3 * i + 1], part[3 * i + 2]
            m = r if r > g else g
            top[i] = m if m > b else b
            s[i], s[_C + i], s[2 * _C + i] = r, g, b
        for c in range(3):
            channel, k = s[c * _C : (c + 1) * _C], scale[c]
            for i in range(n):
                m = top[i]
                size = abs(m) if abs(m) > _F(1e-9) else _F(1e-9)
                distance = (m - channel[i]) / size
                over = distance - threshold
                over = over if over > _F(0) else _F(0)
                over = over if over < _F(1e6) else _F(1e6)
                turned = _F(1) + _power(over * k, power, _F(60))
                bent = over * _power(turned, _F(-1) / power, _F(60))
                inside = (distance if distance < threshold else threshold) + bent
                share = m * _F(1e38)
                share = share if share < _F(1) else _F(1)
                share = share if share > _F(0) else _F(0)
                channel[i] += amount * share * (m - inside * size - channel[i])
        for i in range(n):
            into[3 * i], into[3 * i + 1], into[3 * i + 2] = s[i], s[_C + i], s[2 * _C + i]


def _flat(x: Array) -> Array:
    """Return a writable C-order array as a row: the kernels know that flavour alone."""
    return np.require(x, np.float32, ("C", "W")).reshape(-1)


def _run(kernel: Any, x: Array, *constants: Any) -> Rgb:
    flat = _flat(x)
    out = np.empty_like(flat)
    kernel(flat, out, *constants)
    return out.reshape(x.shape)


def log_decode(x: Array, constants: Array) -> Rgb:
    return _run(_log_decode, x, constants)


def log_encode(x: Array, constants: Array) -> Rgb:
    return _run(_log_encode, x, constants)


def bend(x: Array, constants: Array) -> Rgb:
    return _run(_bend, x, constants)


def affine(x: Array, scale: Array, shift: Array) -> Rgb:
    """`scale` and `shift` are float32 (3,); x is (..., 3)."""
    return _run(_affine, x, scale, shift)


def signed_power(x: Array, powers: Array) -> Rgb:
    """`powers` is float32 (3,); x is (..., 3)."""
    return _run(_signed_power, x, powers)


def oklab(x: Array, first: Array, second: Array, *, forward: bool) -> Rgb:
    """Both matrices are float32 (3, 3), C order."""
    return _run(_oklab, x, first, second, forward)


def gaussians(x: Array, pairs: Array, noise: float, *, fade: bool) -> Rgb:
    """`pairs` is float32 (n, 8); `noise` the noise floor."""
    return _run(_gaussians, x, pairs, np.float32(fade), np.float32(noise))


def fit_gamut(x: Array, threshold: float, amount: float, scale: Array, power: float) -> Rgb:
    """`scale` is float32 (3,)."""
    numbers = (np.float32(threshold), np.float32(amount))
    return _run(_fit_gamut, x, *numbers, scale, np.float32(power))


def pieces(x: Array, knots: Array, table: Array) -> Array:
    """Knots float32 (n,), table float32 (n + 1, 4)."""
    return _run(_pieces, x, knots, table)
