"""Hue kept as it is seen, and undone: `core/colour/hue.py` says what, here it is done in one pass.

The forms there in NumPy give the same to rounding; the names are the same.
"""

from __future__ import annotations

import math
from typing import Any

import numba
import numpy as np

from sfumato.core.arrays import Array, Rgb
from sfumato.core.kernels.powers import power as _power

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


@_inline
def _planes_placed(roots, at, low, high, n):  # type: ignore[no-untyped-def]
    """`_placed` for the first n colours of three planes; without branches, so that it vectorises."""
    for i in range(n):
        r, g, b = roots[0, i], roots[1, i], roots[2, i]
        least, most = min(r, min(g, b)), max(r, max(g, b))
        room = most - least
        along = max(min(r, g), min(max(r, g), b)) - least
        along /= room if room > _F(1e-9) else _F(1e-9)
        if_red = along if b <= least else _F(6) - along
        if_green = _F(2) - along if b <= least else _F(2) + along
        if_blue = _F(4) - along if r <= least else _F(4) + along
        other = if_green if g >= most else if_blue
        at[i] = if_red if r >= most else other
        low[i], high[i] = least, most


@_inline
def _entries(position, last, entry, share, n):  # type: ignore[no-untyped-def]
    """Split positions 0..last into the entry before and the share of the way to the next."""
    for i in range(n):
        k = np.uint32(min(max(position[i], _F(0)), last - _F(1)))
        entry[i], share[i] = k, position[i] - _F(k)


@_inline
def _entry(table, top, y, left, x):  # type: ignore[no-untyped-def]
    """`_looked_up` where the entries are known."""
    under, right = top + np.uint32(1), left + np.uint32(1)
    upper = table[top, left] + x * (table[top, right] - table[top, left])
    lower = table[under, left] + x * (table[under, right] - table[under, left])
    return upper + y * (lower - upper)


@_jit(
    "void(float32[::1], float32[::1], float32[::1], float32[:, ::1], float32[:, ::1], "
    "float32[:, ::1], float32, float32)"
)
def _seen(before, after, out, hue, light, place, amount, white):  # type: ignore[no-untyped-def]
    """In steps of one kind over planes of a chunk: a third of the time that colour by colour takes."""
    scene_roots, roots = np.empty((3, _C), np.float32), np.empty((3, _C), np.float32)
    top, left = np.empty(_C, np.uint32), np.empty(_C, np.uint32)
    at, low, high = np.empty(_C, np.float32), np.empty(_C, np.float32), np.empty(_C, np.float32)
    x, y, scene = np.empty(_C, np.float32), np.empty(_C, np.float32), np.empty(_C, np.float32)
    own, level, moved = np.empty(_C, np.float32), np.empty(_C, np.float32), np.empty(_C, np.float32)
    rows, columns, turn = _F(hue.shape[0] - 1), _F(hue.shape[1] - 1), _F(1 / _TURN)
    for start in range(0, before.size, 3 * _C):
        n = min(3 * _C, before.size - start) // 3
        for i in range(n):
            for c in range(3):
                scene_roots[c, i], roots[c, i] = before[start + 3 * i + c], after[start + 3 * i + c]
        for c in range(3):
            for i in range(n):
                v, w = scene_roots[c, i], roots[c, i]
                scene_roots[c, i] = _power(v if v > _F(0) else _F(0), _F(1 / 3), _F(126))
                roots[c, i] = _power(w if w > _F(0) else _F(0), _F(1 / 3), _F(126))
        for of_scene in range(2):
            _planes_placed(roots if of_scene else scene_roots, at, low, high, n)
            for i in range(n):
                moved[i] = low[i] / (high[i] if high[i] > _F(1e-9) else _F(1e-9)) * rows
                own[i] = at[i] * (columns / _F(6))
            _entries(moved, rows, top, y, n)
            _entries(own, columns, left, x, n)
            if not of_scene:
                for i in range(n):
                    scene[i] = _entry(hue, top[i], y[i], left[i], x[i])
        for i in range(n):
            level[i] = _entry(light, top[i], y[i], left[i], x[i])
            own[i] = _entry(hue, top[i], y[i], left[i], x[i])
            moved[i] = hue[top[i], 0] + y[i] * (hue[top[i] + np.uint32(1), 0] - hue[top[i], 0])
        for i in range(n):
            t = (high[i] * level[i] * white - _F(0.6)) / _F(0.4)
            t = min(max(t, _F(0)), _F(1))
            share = amount * (_F(1) - t * t * (_F(3) - _F(2) * t))
            away = (scene[i] - own[i]) * turn
            v = (own[i] - moved[i]) * turn
            w = v + share * (away - np.floor(away + _F(0.5)))
            own[i], moved[i] = v * columns, (w - np.floor(w)) * columns
        _entries(own, columns, left, x, n)
        for i in range(n):
            own[i] = _entry(place, top[i], y[i], left[i], x[i])
        _entries(moved, columns, left, x, n)
        for i in range(n):
            v = at[i] + _entry(place, top[i], y[i], left[i], x[i]) - own[i]
            v -= _F(6) * np.floor(v * _F(1 / 6))
            roots[0, i] = abs(v - _F(3)) - _F(1)
            roots[1, i] = _F(2) - abs(v - _F(2))
            roots[2, i] = _F(2) - abs(v - _F(4))
        for i in range(n):
            k = start + 3 * i
            r, g, b = after[k], after[k + 1], after[k + 2]
            most, least = max(r, max(g, b)), min(r, min(g, b))
            for c in range(3):
                share = roots[c, i]
                v = low[i] + (high[i] - low[i]) * share
                v = most if share >= _F(1) else v * v * v
                out[k + c] = least if share <= _F(0) else v


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
    "void(float32[::1], float32[::1], float64[::1], float64[::1], float32[:, ::1], float32[:, ::1], "
    "float32[:, ::1], float64, float64, int64)"
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
    """`tables` are hue, light and place of a loop, float32; `white` is the cube root of 1 / peak."""
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
