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
def _cell(at, cells):  # type: ignore[no-untyped-def]
    """The entry before a place 0..1 of a table, and the share of the way to the next."""
    x = min(max(at, 0.0), 1.0) * cells
    entry = np.uint32(min(x, cells - 1.0))
    return entry, x - entry


@_inline
def _between(table, top, y, left, x):  # type: ignore[no-untyped-def]
    """Straight between the entries of a table, which are known: `_cell`, `_entries`."""
    under, right = top + np.uint32(1), left + np.uint32(1)
    upper = table[top, left] + x * (table[top, right] - table[top, left])
    lower = table[under, left] + x * (table[under, right] - table[under, left])
    return upper + y * (lower - upper)


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
                    scene[i] = _between(hue, top[i], y[i], left[i], x[i])
        for i in range(n):
            level[i] = _between(light, top[i], y[i], left[i], x[i])
            own[i] = _between(hue, top[i], y[i], left[i], x[i])
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
            own[i] = _between(place, top[i], y[i], left[i], x[i])
        _entries(moved, columns, left, x, n)
        for i in range(n):
            v = at[i] + _between(place, top[i], y[i], left[i], x[i]) - own[i]
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
def _undone(root, knots, first, base):  # type: ignore[no-untyped-def]
    """The cube root of scene light for that of display light, straight between the knots: `roots_back`."""
    last = knots.shape[0] - 1
    if root <= knots[0, 0]:
        return knots[0, 1]
    if root >= knots[last, 0]:
        return knots[last, 1]
    cell = min(max((_F(root).view(np.int32) >> 13) - base, 0), first.size - 2)
    low, high = first[cell], min(first[cell + 1] + 1, last)
    while high - low > 1:
        at = (low + high) // 2
        if knots[at, 0] <= root:
            low = at
        else:
            high = at
    share = (root - knots[low, 0]) / (knots[high, 0] - knots[low, 0])
    return knots[low, 1] + share * (knots[high, 1] - knots[low, 1])


@_jit(
    "void(float32[::1], float32[::1], float64[:, ::1], int32[::1], int64, float32[:, ::1], "
    "float32[:, ::1], float32[:, ::1], float64, float64, int64)"
)
def _unseen(given, out, knots, first, base, hue, light, place, amount, white, steps):  # type: ignore[no-untyped-def]
    rows, columns = hue.shape[0] - 1, hue.shape[1] - 1
    root = np.empty(3)
    for i in range(0, given.size, 3):
        for c in range(3):
            root[c] = np.cbrt(max(float(given[i + c]), 0.0))
        wanted, low, high = _placed(root[0], root[1], root[2])
        scene_low, scene_high = _undone(low, knots, first, base), _undone(high, knots, first, base)
        top, y = _cell(low / max(high, 1e-9), rows)
        scene_top, scene_y = _cell(scene_low / max(scene_high, 1e-9), rows)
        red = hue[top, 0] + y * (hue[top + 1, 0] - hue[top, 0])
        room = max(scene_high - scene_low, 1e-9)
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
            sextant = min(int(inside), 5)
            is_even = sextant % 2 == 0
            along = inside - sextant if is_even else 1 + sextant - inside
            middle = _undone(low + along * (high - low), knots, first, base)
            along = (middle - scene_low) / room
            left, x = _cell((sextant + along if is_even else sextant + 1 - along) / 6, columns)
            scene = _between(hue, scene_top, scene_y, left, x)
            left, x = _cell(inside / 6, columns)
            own = _between(hue, top, y, left, x)
            t = (high * _between(light, top, y, left, x) * white - 0.6) / 0.4
            t = min(max(t, 0.0), 1.0)
            share = amount * (1 - t * t * (3 - 2 * t))
            away = (scene - own) / _TURN
            from_red = (own - red) / _TURN
            to = from_red + share * (away - math.floor(away + 0.5))
            left, x = _cell(to - math.floor(to), columns)
            step_round = _between(place, top, y, left, x)
            left, x = _cell(from_red - math.floor(from_red), columns)
            step_round -= _between(place, top, y, left, x)
            now = inside + step_round - wanted
            now -= 6 * math.floor(now / 6 + 0.5)
            if abs(now) < 1e-8:
                break
        most, least = (sextant + 1) // 2 % 3, (sextant // 2 + 2) % 3
        out[i + most] = _F(scene_high * scene_high * scene_high)
        out[i + 3 - most - least] = _F(middle * middle * middle)
        out[i + least] = _F(scene_low * scene_low * scene_low)
        least_light = min(given[i], min(given[i + 1], given[i + 2]))
        most_light = max(given[i], max(given[i + 1], given[i + 2]))
        if least_light < 0:
            out[i + least] = -(_undone(np.cbrt(-float(least_light)), knots, first, base) ** 3)
        if most_light < 0:
            out[i + most] = -(_undone(np.cbrt(-float(most_light)), knots, first, base) ** 3)


def seen(before: Rgb, after: Rgb, tables: tuple[Array, ...], amount: float, white: float) -> Rgb:
    """`tables` are hue, light and place of a loop, float32; `white` is the cube root of 1 / peak."""
    flat = [np.require(v, np.float32, ("C", "W")).reshape(-1) for v in (before, after)]
    out = np.empty_like(flat[1])
    _seen(*flat, out, *tables, amount, white)
    return out.reshape(after.shape)


def unseen(
    light: Rgb,
    tone: tuple[Array, Array, int],
    tables: tuple[Array, ...],
    amount: float,
    white: float,
    steps: int,
) -> Rgb:
    """`tone` is the way back through a tone scale: `roots_back`."""
    flat = np.require(light, np.float32, ("C", "W")).reshape(-1)
    out = np.empty_like(flat)
    _unseen(flat, out, *tone, *tables, amount, white, steps)
    return out.reshape(light.shape)
