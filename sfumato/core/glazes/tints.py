"""Tints: colours laid over the tones, dark to light, lightness kept."""

from __future__ import annotations

import math

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.colour import oklab
from sfumato.core.colour.bends import ease
from sfumato.core.colour.encodings import Encoding
from sfumato.core.controls import MOST_STOPS, STOP_GAP, Ramp, Stop, Stops, control
from sfumato.core.glaze import Category, Former, GlazeSpec, Promise
from sfumato.core.pchip import Points, evaluate

_DARK = 0.3  # Oklab L under which less of a tint is laid on


@frozen
class Tints:
    stops: Stops = control(
        (),
        Ramp(
            title="Stops",
            help="Each stop lays its colour over its tones; between stops colours pass over.",
        ),
    )


def shifts(stops: Stops) -> tuple[Points, Points]:
    """Return the curves of the a and b shift over tone.

    Each stop is a level stretch as wide as its width, cut off halfway to its neighbours, so that
    the monotone cubic passes from stretch to stretch and goes on level beyond the last.
    """
    a: list[tuple[float, float]] = []
    b: list[tuple[float, float]] = []
    for i, (tone, hue, chroma, width) in enumerate(stops):
        low, high = tone - width / 2, tone + width / 2
        gap = STOP_GAP / 4
        if i:
            low = max(low, (stops[i - 1][0] + tone) / 2 + gap / 2)
        if i + 1 < len(stops):
            high = min(high, (tone + stops[i + 1][0]) / 2 - gap / 2)
        angle = math.radians(hue)
        for x in (low, high):
            a.append((x, chroma * math.cos(angle)))
            b.append((x, chroma * math.sin(angle)))
    return tuple(a), tuple(b)


def run(p: Tints, code: Rgb, working: Encoding) -> Rgb:
    """Oklab a, b plus the shift at the luma of the code values; L stays.

    The shift grows with L above L = 1, and below 0.3 shrinks with it, eased: black takes no colour.
    """
    return _run(p, code, working, _DARK)


def _to_black(p: Tints, code: Rgb, working: Encoding) -> Rgb:
    """Version 1 coloured black as any other tone."""
    return _run(p, code, working, 0.0)


def _run(p: Tints, code: Rgb, working: Encoding, dark: float) -> Rgb:
    weights = working.to_xyz[1].astype(np.float32)
    tone = code @ (weights / weights.sum())
    lab = oklab.from_light(working.decode(code), working)
    size = np.maximum(lab[..., 0], 1)
    if dark > 0:
        size *= ease(lab[..., 0] / np.float32(dark))
    for axis, curve in enumerate(shifts(p.stops), 1):
        lab[..., axis] += size * evaluate(curve, tone)
    return working.encode(oklab.to_light(lab, working))


def with_stop(stops: Stops, tone: float) -> Stops:
    """Return stops with one more at a tone, of the tint that is there; a near one stands for it."""
    if len(stops) >= MOST_STOPS or any(abs(s[0] - tone) < 0.03 for s in stops):
        return stops
    if not stops:
        return ((round(tone, 4), 60.0, 0.03, 0.2),)
    a, b = (float(evaluate(curve, np.float64(tone))) for curve in shifts(stops))
    hue = round(math.degrees(math.atan2(b, a)) % 360, 1) % 360
    stop: Stop = (round(tone, 4), hue, round(min(math.hypot(a, b), 0.2), 4), 0.1)
    return tuple(sorted((*stops, stop)))


def pick(p: Tints, code: Rgb, working: Encoding) -> Tints:
    """Put a stop at the tone of the picked colour."""
    weights = working.to_xyz[1].astype(np.float32)
    tone = float(code.reshape(3) @ (weights / weights.sum()))
    return attrs.evolve(p, stops=with_stop(p.stops, min(max(tone, 0.0), 1.0)))


SPEC = GlazeSpec(
    "tints",
    "Tints",
    Category.COLOUR,
    Tints,
    run,
    help="Tints shadows, middle tones and highlights, each in its own colour; lightness stays.",
    more=(
        "Each stop tints its stretch of tones, and the tints pass over between stops; "
        "lightness stays. Two stops make a split tone. Small chromas go a long way: 0.02 is "
        "plain to see."
    ),
    version=2,
    upgrades={1: dict},
    former={1: Former(_to_black)},
    pick=pick,
    pick_title="Pick a tone",
    promise=Promise(cast=0.003, folds=0.08),
    mild={"stops": ((0.2, 260.0, 0.01, 0.2), (0.8, 70.0, 0.015, 0.3))},
)
