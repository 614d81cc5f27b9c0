"""Hue kept as it is seen, and undone: `core/colour/hue.py` says what, here it is done in one pass.

The forms there in NumPy give the same to rounding; the names are the same.
"""

from __future__ import annotations

import math
from typing import Any

import numba
import numpy as np

from sfumato.core.arrays import Array, Rgb
from sfumato.core.kernels.colour import _power

_C = 512  # pixels in a chunk
_F = np.float32
_TURN = 2 * math.pi
_inline = numba.njit(error_model="numpy")


def _jit(signature: str) -> Any:
    return numba.njit(signature, nogil=True, cache=True, error_model="numpy")


@_inline
def _placed(r, g, b):  # type: ignore[no-untyped-def]
    """Place, least and greatest of three cube roots."""
    low = min(r, min(g, b))
    high = max(r, max(g, b))
    room = high - low
    along = (r + g + b - low - low - high) / (room if room > 1e-9 else 1e-9)
    if r >= high:
        place = along if b <= low else 6 - along
    elif g >= high:
        place = 2 - along if b <= low else 2 + along
    else:
        place = 4 - along if r <= low else 4 + along
    return place, low, high


@_inline
def _looked_up(table, row, column):  # type: ignore[no-untyped-def]
    """Straight between the entries of a table, row and column 0..1."""
    x = min(max(column, 0.0), 1.0) * (table.shape[1] - 1)
    y = min(max(row, 0.0), 1.0) * (table.shape[0] - 1)
    left, top = min(int(x), table.shape[1] - 2), min(int(y), table.shape[0] - 2)
    x, y = x - left, y - top
    a, b = table[top, left], table[top, left + 1]
    c, d = table[top + 1, left], table[top + 1, left + 1]
    upper, lower = a + x * (b - a), c + x * (d - c)
    return upper + y * (lower - upper)


@_inline
def _place_of(place, hue, row, red):  # type: ignore[no-untyped-def]
    away = (hue - red) / _TURN
    return _looked_up(place, row, away - math.floor(away))


@_inline
def _turned(at, low, high, scene, hue, light, place, amount, white):  # type: ignore[no-untyped-def]
    """Where a colour at a place goes towards the hue `scene`."""
    row = low / (high if high > 1e-9 else 1e-9)
    own = _looked_up(hue, row, at / 6)
    t = (high * _looked_up(light, row, at / 6) * white - 0.6) / 0.4
    t = min(max(t, 0.0), 1.0)
    share = amount * (1 - t * t * (3 - 2 * t))
    away = scene - own
    away -= _TURN * math.floor(away / _TURN + 0.5)
    red = hue[0, 0] if row <= 0 else _looked_up(hue, row, 0.0)
    step = _place_of(place, own + share * away, row, red) - _place_of(place, own, row, red)
    return at + step - 6 * math.floor(step / 6 + 0.5)


@_inline
def _channels(at, low, high):  # type: ignore[no-untyped-def]
    """Which channels are greatest, middle and least at a place, and the cube root of the middle one."""
    at -= 6 * math.floor(at / 6)
    k = min(int(at), 5)
    along = at - k if k % 2 == 0 else 1 + k - at
    if k == 0 or k == 5:
        most = 0
    elif k == 1 or k == 2:
        most = 1
    else:
        most = 2
    if k == 0 or k == 3:
        middle = 1
    elif k == 1 or k == 4:
        middle = 0
    else:
        middle = 2
    return most, middle, 3 - most - middle, low + along * (high - low)


@_jit(
    "void(float32[::1], float32[::1], float32[::1], float64[:, ::1], float64[:, ::1], "
    "float64[:, ::1], float64, float64)"
)
def _seen(before, after, out, hue, light, place, amount, white):  # type: ignore[no-untyped-def]
    s = np.zeros(6 * _C, np.float32)
    third = _F(1 / 3)
    for start in range(0, before.size, 3 * _C):
        n = min(3 * _C, before.size - start)
        for i in range(n):
            v, w = before[start + i], after[start + i]
            s[i] = v if v > _F(0) else _F(0)
            s[3 * _C + i] = w if w > _F(0) else _F(0)
        for i in range(6 * _C):
            s[i] = _power(s[i], third, _F(126))
        for j in range(0, n, 3):
            scene, low, high = _placed(float(s[j]), float(s[j + 1]), float(s[j + 2]))
            scene = _looked_up(hue, low / (high if high > 1e-9 else 1e-9), scene / 6)
            at, low, high = _placed(
                float(s[3 * _C + j]), float(s[3 * _C + j + 1]), float(s[3 * _C + j + 2])
            )
            at = _turned(at, low, high, scene, hue, light, place, amount, white)
            most, middle, least, root = _channels(at, low, high)
            r, g, b = after[start + j], after[start + j + 1], after[start + j + 2]
            out[start + j + most] = max(r, max(g, b))
            out[start + j + least] = min(r, min(g, b))
            out[start + j + middle] = _F(root * root * root)


@_inline
def _undone(display, there, stops):  # type: ignore[no-untyped-def]
    """Scene light of display light: straight between the stops of a tone scale, see `tone_undone`."""
    stop = math.log2(max(abs(display), 1e-30) / 0.18)
    last = there.size - 1
    if stop <= there[0]:
        found = stops[0]
    elif stop >= there[last]:
        found = stops[last]
    else:
        low, high = 0, last
        while high - low > 1:
            at = (low + high) // 2
            if there[at] <= stop:
                low = at
            else:
                high = at
        share = (stop - there[low]) / (there[high] - there[low])
        found = stops[low] + share * (stops[high] - stops[low])
    return math.copysign(0.18 * 2.0**found, display)


@_jit(
    "void(float32[::1], float32[::1], float64[::1], float64[::1], float64[:, ::1], float64[:, ::1], "
    "float64[:, ::1], float64, float64, int64)"
)
def _unseen(given, out, there, stops, hue, light, place, amount, white, steps):  # type: ignore[no-untyped-def]
    v, root, scene = np.empty(3), np.empty(3), np.empty(3)
    for i in range(0, given.size, 3):
        for c in range(3):
            v[c] = given[i + c]
            root[c] = np.cbrt(max(v[c], 0.0))
        wanted, low, high = _placed(root[0], root[1], root[2])
        least_light = _undone(min(v[0], min(v[1], v[2])), there, stops)
        most_light = _undone(max(v[0], max(v[1], v[2])), there, stops)
        scene_low, scene_high = np.cbrt(max(least_light, 0.0)), np.cbrt(max(most_light, 0.0))
        row = scene_low / max(scene_high, 1e-9)
        here, now, before, then = wanted + 0.05, 0.0, wanted, 0.0
        for step in range(steps + 2):
            if step == 1:
                before, then, here = here, now, wanted
            elif step > 1:
                apart = here - before
                rise = (now - then) / apart if abs(apart) > 1e-9 else 1.0
                move = now / min(max(rise, 0.12), 3.0)
                before, then = here, now
                here -= min(max(move, -0.5), 0.5)
            inside = here - 6 * math.floor(here / 6)
            most, middle, least, part = _channels(inside, low, high)
            middle_light = _undone(part * part * part, there, stops)
            scene[most], scene[least], scene[middle] = (
                scene_high,
                scene_low,
                np.cbrt(max(middle_light, 0.0)),
            )
            there_place, _low, _high = _placed(scene[0], scene[1], scene[2])
            at = _turned(
                inside,
                low,
                high,
                _looked_up(hue, row, there_place / 6),
                hue,
                light,
                place,
                amount,
                white,
            )
            now = at - wanted
            now -= 6 * math.floor(now / 6 + 0.5)
            if abs(now) < 1e-8:
                break
        out[i + most], out[i + least], out[i + middle] = (
            _F(most_light),
            _F(least_light),
            _F(middle_light),
        )


def seen(before: Rgb, after: Rgb, tables: tuple[Array, ...], amount: float, white: float) -> Rgb:
    """`tables` are hue, light and place of a loop, float64; `white` is the cube root of 1 / peak."""
    flat = [np.require(v, np.float32, ("C", "W")).reshape(-1) for v in (before, after)]
    out = np.empty_like(flat[1])
    _seen(*flat, out, *tables, amount, white)
    return out.reshape(after.shape)


def unseen(
    light: Rgb,
    tone: tuple[Array, Array],
    tables: tuple[Array, ...],
    amount: float,
    white: float,
    steps: int,
) -> Rgb:
    """`tone` is the way back through a tone scale, as stops of display light and of scene light."""
    flat = np.require(light, np.float32, ("C", "W")).reshape(-1)
    out = np.empty_like(flat)
    _unseen(flat, out, *tone, *tables, amount, white, steps)
    return out.reshape(light.shape)
