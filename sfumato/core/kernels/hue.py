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
_B = 128  # … where all of them wait for the last to be found
_I = np.int32
_SHIFT = _I(13)  # bits of a float32 below a 1024th of an octave, in which `roots_back` counts
_REST = _I((1 << 13) - 1)
_FOUND = 3e-6  # of 6 round the loop: by how much a place may be missed
_F = np.float32
_TURN = 2 * math.pi
_inline = numba.njit(error_model="numpy")


def _jit(signature: str) -> Any:
    return numba.njit(signature, nogil=True, cache=True, error_model="numpy")


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
def _undone(root, back, first):  # type: ignore[no-untyped-def]
    """The cube root of scene light for that of display light: `roots_back`."""
    last = _I(((back.size - 1) << _SHIFT) - 1)
    at = min(max(_I(_F(root).view(np.int32) - first), _I(0)), last)
    k, share = np.uint32(at >> _SHIFT), _F(_I(at & _REST)) * _F(1 / (_REST + 1))
    return back[k] + share * (back[k + np.uint32(1)] - back[k])


@_inline
def _planes_undone(roots, back, first, result, n):  # type: ignore[no-untyped-def]
    for i in range(n):
        result[i] = _undone(roots[i], back, first)


@_jit(
    "void(float32[::1], float32[::1], float32[::1], int32, float32[:, ::1], float32[:, ::1], "
    "float32[:, ::1], float32, float32, int64)"
)
def _unseen(given, out, back, first, hue, light, place, amount, white, steps):  # type: ignore[no-untyped-def]
    """In steps of one kind over planes of a chunk, as `_seen`, until all of its colours are found."""
    roots = np.empty((3, _B), np.float32)
    wanted, low, high = np.empty(_B, np.float32), np.empty(_B, np.float32), np.empty(_B, np.float32)
    deep, top, middle = np.empty(_B, np.float32), np.empty(_B, np.float32), np.empty(_B, np.float32)
    row, y = np.empty(_B, np.uint32), np.empty(_B, np.float32)
    scene_row, scene_y = np.empty(_B, np.uint32), np.empty(_B, np.float32)
    left, x = np.empty(_B, np.uint32), np.empty(_B, np.float32)
    at, red = np.empty(_B, np.float32), np.empty(_B, np.float32)
    here, now = np.empty(_B, np.float32), np.empty(_B, np.float32)
    before, then = np.empty(_B, np.float32), np.empty(_B, np.float32)
    under, over = np.empty(_B, np.float32), np.empty(_B, np.float32)
    inside, sextant = np.empty(_B, np.float32), np.empty(_B, np.float32)
    scene, own, to = np.empty(_B, np.float32), np.empty(_B, np.float32), np.empty(_B, np.float32)
    rows, columns, turn = _F(hue.shape[0] - 1), _F(hue.shape[1] - 1), _F(1 / _TURN)
    for start in range(0, given.size, 3 * _B):
        n = min(3 * _B, given.size - start) // 3
        for i in range(n):
            for c in range(3):
                roots[c, i] = given[start + 3 * i + c]
        for c in range(3):
            for i in range(n):
                v = roots[c, i]
                roots[c, i] = _power(v if v > _F(0) else _F(0), _F(1 / 3), _F(126))
        _planes_placed(roots, wanted, low, high, n)
        _planes_undone(low, back, first, deep, n)
        _planes_undone(high, back, first, top, n)
        for i in range(n):
            at[i] = low[i] / (high[i] if high[i] > _F(1e-9) else _F(1e-9)) * rows
            to[i] = deep[i] / (top[i] if top[i] > _F(1e-9) else _F(1e-9)) * rows
        _entries(at, rows, row, y, n)
        _entries(to, rows, scene_row, scene_y, n)
        for i in range(n):
            red[i] = hue[row[i], 0] + y[i] * (hue[row[i] + np.uint32(1), 0] - hue[row[i], 0])
            here[i], before[i], then[i] = wanted[i], wanted[i] - _F(1), _F(-1)
            under[i], over[i] = _F(-1e9), _F(1e9)
        for step in range(steps + 1):
            if step > 0:
                for i in range(n):
                    apart = here[i] - before[i]
                    rise = (now[i] - then[i]) / apart if abs(apart) > _F(1e-6) else _F(1)
                    move = now[i] / min(max(rise, _F(0.12)), _F(3))
                    before[i], then[i] = here[i], now[i]
                    under[i] = max(under[i], here[i]) if now[i] < _F(0) else under[i]
                    over[i] = min(over[i], here[i]) if now[i] > _F(0) else over[i]
                    to_there = here[i] - min(max(move, _F(-0.5)), _F(0.5))
                    is_between = (to_there >= under[i]) & (to_there <= over[i])
                    here[i] = to_there if is_between else _F(0.5) * (under[i] + over[i])
            for i in range(n):
                inside[i] = here[i] - _F(6) * np.floor(here[i] * _F(1 / 6))
                sextant[i] = min(np.floor(inside[i]), _F(5))
                half = sextant[i] * _F(0.5)
                is_even = half == np.floor(half)
                along = inside[i] - sextant[i]
                along = along if is_even else _F(1) - along
                middle[i] = low[i] + along * (high[i] - low[i])
            _planes_undone(middle, back, first, at, n)
            for i in range(n):
                middle[i] = at[i]
                room = top[i] - deep[i]
                along = (at[i] - deep[i]) / (room if room > _F(1e-9) else _F(1e-9))
                half = sextant[i] * _F(0.5)
                is_even = half == np.floor(half)
                to[i] = (sextant[i] + (along if is_even else _F(1) - along)) * (columns / _F(6))
                at[i] = inside[i] * (columns / _F(6))
            _entries(to, columns, left, x, n)
            for i in range(n):
                scene[i] = _between(hue, scene_row[i], scene_y[i], left[i], x[i])
            _entries(at, columns, left, x, n)
            for i in range(n):
                own[i] = _between(hue, row[i], y[i], left[i], x[i])
                at[i] = _between(light, row[i], y[i], left[i], x[i])
            for i in range(n):
                t = (high[i] * at[i] * white - _F(0.6)) / _F(0.4)
                t = min(max(t, _F(0)), _F(1))
                share = amount * (_F(1) - t * t * (_F(3) - _F(2) * t))
                away = (scene[i] - own[i]) * turn
                v = (own[i] - red[i]) * turn
                w = v + share * (away - np.floor(away + _F(0.5)))
                at[i], to[i] = (v - np.floor(v)) * columns, (w - np.floor(w)) * columns
            _entries(to, columns, left, x, n)
            for i in range(n):
                scene[i] = _between(place, row[i], y[i], left[i], x[i])
            _entries(at, columns, left, x, n)
            most = _F(0)
            for i in range(n):
                v = (
                    scene[i]
                    - _between(place, row[i], y[i], left[i], x[i])
                    + (inside[i] - wanted[i])
                )
                v -= _F(6) * np.floor(v * _F(1 / 6) + _F(0.5))
                now[i] = v
                most = max(most, abs(v))
            if most < _F(_FOUND):
                break
        for i in range(n):
            k, which = start + 3 * i, int(sextant[i])
            most_at, least_at = (which + 1) // 2 % 3, (which // 2 + 2) % 3
            out[k + most_at] = top[i] * top[i] * top[i]
            out[k + 3 - most_at - least_at] = middle[i] * middle[i] * middle[i]
            out[k + least_at] = deep[i] * deep[i] * deep[i]
            r, g, b = given[k], given[k + 1], given[k + 2]
            least, most = min(r, min(g, b)), max(r, max(g, b))
            if least < _F(0):  # as much below black as the curve has it above
                v = _undone(_power(-least, _F(1 / 3), _F(126)), back, first)
                out[k + least_at] = -(v * v * v)
            if most < _F(0):
                v = _undone(_power(-most, _F(1 / 3), _F(126)), back, first)
                out[k + most_at] = -(v * v * v)


def seen(before: Rgb, after: Rgb, tables: tuple[Array, ...], amount: float, white: float) -> Rgb:
    """`tables` are hue, light and place of a loop, float32; `white` is the cube root of 1 / peak."""
    flat = [np.require(v, np.float32, ("C", "W")).reshape(-1) for v in (before, after)]
    out = np.empty_like(flat[1])
    _seen(*flat, out, *tables, amount, white)
    return out.reshape(after.shape)


def unseen(
    light: Rgb,
    tone: tuple[Array, int],
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
