"""The tone scale of the View: scene light to display light, per channel, through 18 % grey."""

from __future__ import annotations

import math
from collections.abc import Hashable
from functools import lru_cache
from typing import Any, Protocol

import numpy as np

from sfumato.core.arrays import Array, Rgb

GREY = 0.18
_SHIFT = 13  # bits of a float32 below a 1024th of an octave
_DEEP = 2.4  # slope in the deep shadows, stops out per stop in


class Tone(Hashable, Protocol):
    """The numbers of a tone scale; the View has them as controls, where each is explained."""

    @property
    def contrast(self) -> float: ...
    @property
    def white(self) -> float: ...
    @property
    def shoulder(self) -> float: ...
    @property
    def black(self) -> float: ...


def numbers(view: Tone, peak: float) -> tuple[float, ...]:
    """Return what the tone scale is computed from: c, log2 l, p, the knee, the deep slope beyond c, what is
    taken off at grey, and grey; see `tone_scale`."""
    c, p = view.contrast, view.shoulder
    top = math.log2(peak / GREY)
    reach = max(c * (view.white + math.log2(peak)), top * 1.001)
    limit = (top**-p - reach**-p) ** (-1 / p)
    at_grey = math.log2(1 + 2.0**-view.black)
    return c, math.log2(limit), p, view.black, max(_DEEP - c, 0.0), at_grey, GREY


def tone_scale(light: Rgb, view: Tone, peak: float = 1.0) -> Rgb:
    """Bend scene light (18 % grey = 0.18) into display light (white = 1.0), shape kept.

    Args:
        peak: the brightest light that the display shows, as a multiple of its white.

    In stops from grey, t -> f(t). Above grey f(t) = ct / (1 + (ct/l)^p)^(1/p), a sigmoid of slope
    c (contrast) at grey, p (shoulder), and l such that f(white) is display white. Below grey the
    slope goes from c to 2.4 about `black` stops down, so that display codes reach black as straight
    as log codes do (a table can follow that). So 0 -> 0 (below 1e-18), 0.18 -> 0.18,
    0.18 * 2**white -> 1; with a peak of p, 0.18 * 2**(white + log2 p) -> p. Negative
    light mirrors. Source: the log-sigmoid family of tone scales; this form is our own.
    """
    c, limit, p, knee, steeper, at_grey, _grey = numbers(view, peak)
    stops = np.abs(light)
    np.maximum(stops, 1e-20, out=stops)
    np.log2(stops, out=stops)
    stops += np.float32(math.log2(1 / GREY))
    # up / (1 + (up/limit)^p)^(1/p), written with exp2 and log2, which are quicker than powers.
    up = np.clip(stops, 1e-6, 40)
    up *= np.float32(c)
    ratio = np.exp2((np.log2(up) - np.float32(limit)) * np.float32(p))
    ratio += 1
    np.log2(ratio, out=ratio)
    ratio *= np.float32(-1 / p)
    up *= np.exp2(ratio)
    np.minimum(stops, 0, out=stops)
    up += stops * np.float32(c)
    # steeper * -log2(1 + 2^(-(t + black))): slope 0 above the knee, `steeper` far below it.
    below = np.exp2(np.minimum(-(stops + np.float32(knee)), 80))
    below += 1
    np.log2(below, out=below)
    below -= np.float32(at_grey)
    below *= np.float32(steeper)
    up -= below
    out = np.exp2(up)
    out *= np.float32(GREY)
    return np.asarray(np.copysign(out, light), light.dtype)


# How far beyond the gamut `uneased` brings colours back, as a distance from the greatest channel.
_FARTHEST = 2.0


@lru_cache(maxsize=16)
def stops_back(view: Tone, peak: float) -> tuple[Array, Array]:
    """Return stops of display light below 18 % grey, rising, and the scene stops they come from."""
    stops = np.concatenate([np.linspace(-44, -12, 4096), np.linspace(-12, 16, 24576)[1:]])
    scene = (GREY * np.exp2(stops)).astype(np.float64)
    shown = tone_scale(scene, view, peak).astype(np.float64)
    there = np.log2(np.maximum(shown, 1e-30) / GREY)
    rises = np.concatenate([[True], np.diff(np.maximum.accumulate(there)) > 1e-7])
    return there[rises], stops[rises]


@lru_cache(maxsize=16)
def roots_back(view: Tone, peak: float) -> tuple[Array, int]:
    """Return `stops_back` as cube roots of light, where they are found without a search.

    Returns:
        For roots of display light a 1024th of an octave apart the roots of the scene light that they come
        from, float32, straight between two; and the bits of the first of them as a float32.
    """
    shown, scene = (np.cbrt(GREY * np.exp2(stops)) for stops in stops_back(view, peak))
    first, last = shown[[0, -1]].astype(np.float32).view(np.int32) >> _SHIFT
    places = (np.arange(first, last + 2, dtype=np.int32) << _SHIFT).view(np.float32)
    found = np.interp(places.astype(np.float64), shown, scene)
    return found.astype(np.float32), int(first) << _SHIFT


def tone_undone(light: Rgb, view: Tone, peak: float = 1.0) -> Rgb:
    """Return the scene light that `tone_scale` bends into display light; beyond its reach, the ends.

    >>> from sfumato.core.study.view import View
    >>> grey = np.float32([[0.18, 0.18, 0.18]])
    >>> tone_undone(grey, View()).round(4).tolist()
    [[0.18000000715255737, 0.18000000715255737, 0.18000000715255737]]
    """
    there, stops = stops_back(view, peak)
    at = np.log2(np.maximum(np.abs(light), 1e-30) / GREY)
    found = np.copysign(GREY * np.exp2(np.interp(at, there, stops)), light)
    return np.asarray(found, light.dtype)


def uneased(light: Rgb, threshold: float) -> Rgb:
    """Undo `eased`: colours on the edge of the gamut come back from not further than twice it."""
    most = ends(light)[1]
    scale: Any = np.maximum(most, 1e-9)
    t = threshold
    out = np.empty_like(light)
    for c in range(3):
        d = (most - light[..., c]) / scale
        bent = np.maximum(d.astype(np.float64) - t, 0) / (1 - t)
        back = -np.log(np.maximum(1 - bent, 1e-12)) * (1 - t)
        out[..., c] = most - np.minimum(np.minimum(d, t) + back, _FARTHEST) * scale
    return out


def ends(rgb: Rgb) -> tuple[Rgb, Rgb]:
    """Return the least and greatest channel, (...,): far quicker than min and max over an axis of 3."""
    r, g, b = rgb[..., 0], rgb[..., 1], rgb[..., 2]
    return np.minimum(np.minimum(r, g), b), np.maximum(np.maximum(r, g), b)


def eased(light: Rgb, threshold: float) -> Rgb:
    """Bring colours with negative channels inside: distance from the greatest channel is bent.

    A distance d = (max - channel) / max beyond `threshold` becomes
    t + (1 - t)(1 - exp(-(d - t)/(1 - t))), which never reaches 1, so no channel stays negative.
    """
    most = ends(light)[1]
    scale: Any = np.maximum(most, 1e-9)
    t = np.float32(threshold)
    out = np.empty_like(light)
    for c in range(3):
        d = (most - light[..., c]) / scale
        bent = np.minimum(t - d, 0)
        bent /= 1 - t
        np.exp(bent, out=bent)
        bent *= t - 1
        bent += np.minimum(d, t) + (1 - t)
        out[..., c] = most - bent * scale
    return out
