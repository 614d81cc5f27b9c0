"""Curves: tone curves for each channel, for all together, and for luma alone."""

from __future__ import annotations

from typing import Any

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.colour.encodings import Encoding
from sfumato.core.controls import STRAIGHT, Curve, Points, control
from sfumato.core.glaze import Category, Former, GlazeSpec, Promise
from sfumato.core.pchip import evaluate


@frozen
class Curves:
    master: Points = control(
        STRAIGHT,
        Curve(title="All", help="Bends red, green and blue alike, after their own curves."),
    )
    red: Points = control(STRAIGHT, Curve(title="R", pigment="red", help="Bends red alone."))
    green: Points = control(STRAIGHT, Curve(title="G", pigment="green", help="Bends green alone."))
    blue: Points = control(STRAIGHT, Curve(title="B", pigment="blue", help="Bends blue alone."))
    luma: Points = control(
        STRAIGHT,
        Curve(title="Luma", pigment="luma", help="Bends lightness and keeps hue and saturation."),
    )


_FAINT = 0.004  # light, 5.5 stops under grey: far below it multiplying would multiply noise


def _luma(x: Any, working: Encoding) -> Any:
    weights = working.to_xyz[1].astype(np.float32)
    return x @ (weights / weights.sum())


def run(p: Curves, code: Rgb, working: Encoding) -> Rgb:
    """Channels, then master, then luma; monotone cubic, straight beyond the ends, by a slope of 8 at most.

    Points lie at least 0.004 apart. The luma curve multiplies light: all three channels by the light of
    the luma that it makes over that of the luma there was, so that hue and saturation stay. What that
    cannot reach, as where black is raised, is added to all three alike.
    """
    out = _bent(p, code, bounded=True)
    if p.luma == STRAIGHT:
        return out
    y = _luma(out, working)
    there, wanted = (_light_of(v, working) for v in (y, evaluate(p.luma, y, bounded=True)))
    faint = _FAINT + np.maximum(wanted - 4 * np.maximum(there, 0), 0) / 4
    gain = (np.maximum(wanted, 0) + faint) / (np.maximum(there, 0) + faint)
    return working.encode(working.decode(out) * gain + (wanted - there * gain))


def _light_of(grey: Any, working: Encoding) -> Any:
    """Return the light (..., 1) of greys, given by code value."""
    return working.decode(np.repeat(np.asarray(grey, np.float32)[..., None], 3, axis=-1))[..., :1]


def _former(p: Curves, code: Rgb, working: Encoding) -> Rgb:
    """Version 1 added what the luma curve changed to the codes of all channels, and bounded no slope."""
    out = _bent(p, code, bounded=False)
    if p.luma != STRAIGHT:
        y = _luma(out, working)
        out += (evaluate(p.luma, y) - y)[..., None]
    return out


def _bent(p: Curves, code: Rgb, *, bounded: bool) -> Rgb:
    out = code.copy()
    for c, points in enumerate((p.red, p.green, p.blue)):
        if points != STRAIGHT:
            out[..., c] = evaluate(points, out[..., c], bounded=bounded)
    if p.master != STRAIGHT:
        out = np.asarray(evaluate(p.master, out, bounded=bounded), np.float32)
    return out


def with_point(points: Points, x: float, y: float, near: float = 0.02) -> Points:
    """Return `points` with one more at x (moved from its neighbour when one is nearer than `near`)."""
    kept = tuple(q for q in points if abs(q[0] - x) >= near or q in (points[0], points[-1]))
    if any(abs(q[0] - x) < near for q in kept):
        return tuple((q[0], y) if abs(q[0] - x) < near else q for q in kept)
    return tuple(sorted((*kept, (x, y))))


def pick(p: Curves, code: Rgb, working: Encoding, part: str = "master") -> Curves:
    """Put a point on the curve where the picked tone lies; the curve keeps its shape."""
    rgb = code.reshape(3)
    channel = {"red": 0, "green": 1, "blue": 2}.get(part)
    tone = float(rgb[channel]) if channel is not None else float(_luma(rgb, working))
    points: Points = getattr(p, part)
    tone = round(min(max(tone, -0.5), 1.5), 4)
    height = round(float(evaluate(points, np.float64(tone))), 4)
    return attrs.evolve(p, **{part: with_point(points, tone, height)})


SPEC = GlazeSpec(
    "curves",
    "Curves",
    Category.TONE,
    Curves,
    run,
    help="Bends tones by hand: all channels, one channel, or luma.",
    more=(
        "Channel curves act first, then the common one, then luma. Pick a tone in the "
        "picture to put a point where it lies; faded blacks are a first point that is "
        "raised."
    ),
    version=2,
    upgrades={1: dict},
    former={1: Former(_former)},
    pick=pick,
    pick_title="Pick a tone",
    promise=Promise(gain=18.0, cast=0.06),
    mild={
        "master": ((0.0, 0.05), (0.4, 0.35), (1.0, 0.95)),
        "luma": ((0.0, 0.0), (0.5, 0.6), (1.0, 1.0)),
    },
)
