"""Hue through a tone scale: bending each channel by itself shifts it, and what is done about that.

As light: the middle channel goes back to where it lay between the others (`hue_restored`). As seen:
the hue of Oklab is brought back, less and less towards white, where light that is bent by channel burns
out as the eye expects: fire through yellow, skin through cream.

Both leave the least and the greatest channel alone, so nothing leaves the gamut and every colour of it
is reached: hues are moved round the loop of colours that share these two (red, yellow, green, cyan,
blue, magenta and back). Where a colour lies on it is its `place`, 0..6; the loop's Oklab hues depend
on the ratio of the two alone, and are looked up.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb, planes
from sfumato.core.colour import oklab
from sfumato.core.colour.bends import ease
from sfumato.core.colour.encodings import Encoding
from sfumato.core.colour.tone import Tone, ends, roots_back, tone_scale, tone_undone
from sfumato.core.compiled import KERNELS, kernels

SEEN, LIGHT = "as seen", "as light"
_BURNS, _WHITE = 0.6, 1.0  # Oklab L, white at 1, between which a hue is given up
_EVEN = 0.4  # of the hues that count, how much goes by place
_PLACES, _RATIOS = 6 * 32, 48  # of the tables
_STEPS = 16  # of the way back, at most
# The channels that are greatest, in the middle and least between two corners of the loop.
_ORDER = np.array([[0, 1, 2], [1, 0, 2], [1, 2, 0], [2, 1, 0], [2, 0, 1], [0, 2, 1]])


def hue_restored(before: Rgb, after: Rgb, amount: float) -> Rgb:
    """Move the middle channel of `after` to where it lay between the others in `before`."""
    if amount == 0:
        return after
    low, high = ends(before)
    floor, roof = ends(after)
    share = (roof - floor) / np.maximum(high - low, 1e-9)
    share *= np.float32(amount)
    floor *= np.float32(amount)
    floor -= low * share
    out = after * np.float32(1 - amount)
    for c in range(3):  # by channel: broadcasting over an axis of 3 is slow
        out[..., c] += before[..., c] * share + floor
    return out


def tone_and_hue_undone(light: Rgb, view: Tone, amount: float, peak: float) -> Rgb:
    """Undo `hue_restored(x, tone_scale(x), amount)`: the ends by the curve, the middle by halving.

    The least and the greatest channel are bent by the curve alone; the middle one lies between.
    """
    order = np.argsort(light, axis=-1, kind="stable")
    after = np.take_along_axis(light, order, -1)
    before = tone_undone(after, view, peak)
    if amount > 0:
        low, high = before[..., 0].astype(np.float64), before[..., 2].astype(np.float64)
        floor, roof = after[..., 0].astype(np.float64), after[..., 2].astype(np.float64)
        share = (roof - floor) / np.maximum(high - low, 1e-9) * amount
        least, most = low.copy(), high.copy()
        for _ in range(36):
            middle = (least + most) / 2
            bent: Any = tone_scale(middle.astype(np.float32), view, peak)
            there = bent * (1 - amount) + middle * share + floor * amount - low * share
            below = there < after[..., 1]
            least, most = np.where(below, middle, least), np.where(below, most, middle)
        before[..., 1] = (least + most) / 2
    out = np.empty_like(before)
    np.put_along_axis(out, order, before, -1)
    return out


@frozen(eq=False)
class _Loop:
    """Oklab of the loops, by the cube root of least over greatest (rows) and by place (columns).

    `hue` in radians rises along a row by 2 pi: Oklab's, which stands still beside a pure blue, and so far
    the place itself that it rises everywhere. `light` is L where the greatest channel is 1; `place` goes
    the other way: by row, and by how far round the hue is from that of red.
    """

    hue: Array
    light: Array
    place: Array

    @property
    def tables(self) -> tuple[Array, Array, Array]:
        return self.hue, self.light, self.place


@lru_cache(maxsize=16)
def _loop(space: Encoding) -> _Loop:
    root = np.minimum(np.linspace(0, 1, _RATIOS + 1), 0.999)[:, None]
    at = np.linspace(0, 6, _PLACES + 1)[None]
    sextant = np.minimum(at.astype(int), 5)
    along = np.where(sextant % 2 == 0, at - sextant, 1 + sextant - at)
    middle = (root + along * (1 - root)) ** 3
    ranked = np.stack(np.broadcast_arrays(1.0, middle, root**3), axis=-1)
    order = np.broadcast_to(np.argsort(_ORDER, axis=1)[sextant], ranked.shape)
    rgb = np.take_along_axis(ranked, order, -1)
    lab = oklab.from_light(rgb.astype(np.float32), space).astype(np.float64)
    hue = np.unwrap(np.arctan2(lab[..., 2], lab[..., 1]), axis=1)
    hue[:, -1] = hue[:, 0] + 2 * np.pi
    hue += _EVEN * (hue[:, :1] + at * (np.pi / 3) - hue)
    round_it = np.linspace(0, 2 * np.pi, _PLACES + 1)
    place = np.stack([np.interp(round_it, h - h[0], at[0]) for h in hue])
    return _Loop(*(np.ascontiguousarray(t, np.float32) for t in (hue, lab[..., 0], place)))


def _looked_up(table: Array, row: Any, column: Any, end: float) -> Any:
    """Return a table at rows 0..1 and columns 0..end, both straight between its entries."""
    x = np.clip(column, 0, end) * (_PLACES / end)
    y = np.clip(row, 0, 1) * _RATIOS
    left, top = (
        np.minimum(x.astype(np.intp), _PLACES - 1),
        np.minimum(y.astype(np.intp), _RATIOS - 1),
    )
    x, y = x - left, y - top
    flat, at = table.astype(x.dtype).reshape(-1), top * (_PLACES + 1) + left
    upper = flat[at] + x * (flat[at + 1] - flat[at])
    at += _PLACES + 1
    lower = flat[at] + x * (flat[at + 1] - flat[at])
    return upper + y * (lower - upper)


def _placed(light: Any) -> tuple[Any, Any, Any]:
    """Return the place of colours (..., 3), and the cube roots of their least and greatest channel."""
    r, g, b = planes(np.cbrt(np.maximum(light, 0)))
    low, high = np.minimum(np.minimum(r, g), b), np.maximum(np.maximum(r, g), b)
    along = (r + g + b - 2 * low - high) / np.maximum(high - low, 1e-9)
    place = np.where(
        r >= high,
        np.where(b <= low, along, 6 - along),
        np.where(
            g >= high,
            np.where(b <= low, 2 - along, 2 + along),
            np.where(r <= low, 4 - along, 4 + along),
        ),
    )
    return place, low, high


def _at_place(place: Any, low: Any, high: Any, light: Any) -> Any:
    """Return the colours at places of their loops; the ends are taken from `light`."""
    place = place - 6 * np.floor(place / 6)
    sextant = np.minimum(place.astype(np.intp), 5)
    along = np.where(sextant % 2 == 0, place - sextant, 1 + sextant - place)
    middle = (low + along * (high - low)) ** 3
    least, most = ends(light)
    out = np.empty_like(light)
    for c in range(3):
        rank = np.argmax(c == _ORDER, axis=1)[sextant]
        out[..., c] = np.where(rank == 0, most, np.where(rank == 1, middle, least))
    return out


def _wrapped(turn: Any, whole: float) -> Any:
    return turn - whole * np.floor(turn / whole + 0.5)


class _Turning:
    """Turns display light of a space towards hues of scene light."""

    def __init__(self, space: Encoding, amount: float, peak: float) -> None:
        self._loop, self._amount, self._peak = _loop(space), amount, peak

    def hue(self, place: Any, low: Any, high: Any) -> Any:
        return _looked_up(self._loop.hue, low / np.maximum(high, 1e-9), place, 6)

    def _share(self, place: Any, low: Any, high: Any) -> Any:
        level = high * _looked_up(self._loop.light, low / np.maximum(high, 1e-9), place, 6)
        level = level * self._peak ** (-1 / 3)
        return self._amount * (1 - ease((level - _BURNS) / (_WHITE - _BURNS)))

    def _place_of(self, hue: Any, low: Any, high: Any) -> Any:
        row = low / np.maximum(high, 1e-9)
        away = hue - _looked_up(self._loop.hue, row, np.zeros_like(hue), 6)
        return _looked_up(
            self._loop.place, row, away - 2 * np.pi * np.floor(away / (2 * np.pi)), 2 * np.pi
        )

    def turned(self, before: Any, place: Any, low: Any, high: Any) -> Any:
        """Return where colours at a place go when the light that they came from was `before`."""
        hue = self.hue(place, low, high)
        scene = self.hue(*_placed(before))
        wanted = hue + self._share(place, low, high) * _wrapped(scene - hue, 2 * np.pi)
        step = self._place_of(wanted, low, high) - self._place_of(hue, low, high)
        return place + _wrapped(step, 6)


def hue_seen(before: Rgb, after: Rgb, amount: float, space: Encoding, peak: float) -> Rgb:
    """Give display light the Oklab hue of the scene light it came from; its ends stay.

    Args:
        before, after: light of `space` before and after the tone scale, (..., 3).
        amount: how much of the hue is brought back, 0..1; from L = 0.6 of white on less, at white none.
    """
    if amount == 0:
        return after
    fast = kernels(after)
    if fast is not None:
        tables = _loop(space).tables
        seen: Rgb = KERNELS.hue.seen(before, after, tables, amount, peak ** (-1 / 3))
        return seen
    where = _placed(after)
    place = _Turning(space, amount, peak).turned(before, *where)
    turned: Rgb = _at_place(place, *where[1:], after)
    return turned


def tone_and_hue_seen_undone(
    light: Rgb, view: Tone, amount: float, space: Encoding, peak: float
) -> Rgb:
    """Return the scene light that the tone scale and `hue_seen` make into display light.

    The ends are known; the place that a colour had between the two steps is sought by the secant method,
    and by halving where that would leave what it is known to lie between.
    """
    if amount == 0:
        return tone_undone(light, view, peak)
    if kernels(light) is not None:
        tables, tone = _loop(space).tables, roots_back(view, peak)
        found: Rgb = KERNELS.hue.unseen(light, tone, tables, amount, peak ** (-1 / 3), _STEPS)
        return found
    turning, exact = _Turning(space, amount, peak), light.astype(np.float64)
    wanted, low, high = _placed(exact)

    def undone(place: Any) -> Any:
        return tone_undone(_at_place(place, low, high, exact), view, peak)

    def miss(place: Any) -> Any:
        inside = place - 6 * np.floor(place / 6)
        return _wrapped(turning.turned(undone(place), inside, low, high) - wanted, 6)

    here, before = wanted, wanted - 1
    now, then = miss(here), np.full_like(wanted, -1)
    under, over = np.full_like(wanted, -1e9), np.full_like(wanted, 1e9)
    for _ in range(_STEPS):
        apart = here - before
        rise = np.where(
            np.abs(apart) < 1e-9, 1, (now - then) / np.where(np.abs(apart) < 1e-9, 1, apart)
        )
        under = np.where(now < 0, np.maximum(under, here), under)
        over = np.where(now > 0, np.minimum(over, here), over)
        there = here - np.clip(now / np.clip(rise, 0.12, 3), -0.5, 0.5)
        is_between = (there >= under) & (there <= over)
        here, before, then = np.where(is_between, there, (under + over) / 2), here, now
        now = miss(here)
    return np.asarray(undone(here), light.dtype)
