"""Hue table: hue, chroma and lightness moved hue by hue, greys left alone."""

from __future__ import annotations

from typing import Any

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb, joined, planes
from sfumato.core.colour import oklab
from sfumato.core.colour.bends import faded_in
from sfumato.core.colour.encodings import Encoding
from sfumato.core.controls import HueCurve, HuePoints, control
from sfumato.core.glaze import Category, Former, GlazeSpec, Promise
from sfumato.core.pchip import evaluate

BESIDE = 40.0  # degrees at either side of a first point, from which hues rest
TURN, LIGHTEN = 60.0, 0.3  # degrees of hue, and share of lightness, at a value of 1
_GREY, _COLOUR = 0.002, 0.05  # Oklab chroma below which nothing moves, and from which all does


@frozen
class HueTable:
    hue: HuePoints = control(
        (), HueCurve(title="Hue", unit="°", scale=TURN, help="Turns hues towards their neighbours.")
    )
    chroma: HuePoints = control(
        (), HueCurve(title="Chroma", unit="%", scale=100.0, help="Makes hues purer or duller.")
    )
    lightness: HuePoints = control(
        (), HueCurve(title="Lightness", unit="%", scale=30.0, help="Makes hues lighter or darker.")
    )


def along(points: HuePoints, hue_deg: Any) -> Any:
    """Return the value of a periodic curve at hues in degrees; 0 where there are no points.

    A monotone cubic through the points, which repeat every 360 degrees. One point alone is a bump:
    hues from 40 degrees away on are at rest.

    >>> round(float(along(((100.0, 0.5), (200.0, 0.0)), np.float32(460.0))), 4)
    0.5
    """
    if not points:
        return np.zeros_like(hue_deg)
    h = hue_deg - 360 * np.floor(hue_deg / 360)
    points = with_neighbours(points)
    before = tuple((x - 360, y) for x, y in points[-2:])
    after = tuple((x + 360, y) for x, y in points[:2])
    return evaluate((*before, *points, *after), h)


def with_neighbours(points: HuePoints) -> HuePoints:
    """Return points of which none is alone: a lone one is put between two at rest."""
    if len(points) != 1:
        return points
    ((hue, value),) = points
    beside = (((hue + d) % 360, 0.0) for d in (-BESIDE, BESIDE))
    return tuple(sorted((*beside, (hue, value))))


def run(p: HueTable, code: Rgb, working: Encoding, noise: float = 0.0) -> Rgb:
    """In Oklch: h + 60 v, C (1 + v), L (1 + 0.3 v), each faded in with chroma; greys stay to the bit.

    The fade runs from 0.002 + q to 0.05 + 3 q, where q is what noise has of chroma: see `faded_in`.
    """
    light, a, b = planes(oklab.from_light(working.decode(code), working))
    chroma = np.sqrt(a * a + b * b)
    fade = faded_in(chroma, light, _GREY, _COLOUR, noise)
    angle = np.arctan2(b, a)
    hue = angle * np.float32(180 / np.pi)
    turned = angle + np.float32(np.radians(TURN)) * along(p.hue, hue) * fade
    chroma *= 1 + along(p.chroma, hue) * fade
    light *= 1 + np.float32(LIGHTEN) * along(p.lightness, hue) * fade
    moved = joined(light, chroma * np.cos(turned), chroma * np.sin(turned))
    out = working.encode(oklab.to_light(moved, working))
    moves = (fade > 0).astype(np.float32)
    for c in range(3):
        was = code[..., c]
        out[..., c] = was + moves * (out[..., c] - was)
    return out


def pick(p: HueTable, code: Rgb, working: Encoding, part: str = "hue") -> HueTable:
    """Put a point on the curve at the hue of the picked colour; a grey puts none."""
    lab = oklab.from_light(working.decode(code.reshape(1, 3)), working)[0]
    if float(np.hypot(lab[1], lab[2])) < _GREY or not hasattr(p, part):
        return p
    hue = round(float(np.degrees(np.arctan2(lab[2], lab[1])) % 360), 1) % 360
    return attrs.evolve(p, **{part: with_hue(getattr(p, part), hue)})


def newest(before: HuePoints, after: HuePoints) -> int | None:
    """Return which point was put on a curve: of a first one and its neighbours, the one between them."""
    new = [i for i, p in enumerate(after) if p not in before]

    def apart(i: int) -> float:
        hues = [after[k][0] for k in new]
        return max(abs((after[i][0] - h + 180) % 360 - 180) for h in hues)

    return min(new, key=apart, default=None)


def with_hue(points: HuePoints, hue_deg: float) -> HuePoints:
    """Return points with one more at a hue, on the curve as it is; one that is near stands for it.

    A first point gets two neighbours at rest, which can be moved and taken away like it.
    """
    if not points:
        return with_neighbours(((hue_deg, 0.0),))
    if any(abs((x - hue_deg + 180) % 360 - 180) < 4 for x, _ in points) or len(points) >= 24:
        return points
    value = round(float(along(points, np.float64(hue_deg))), 4)
    return tuple(sorted((*points, (hue_deg, value))))


def _all_round(plain: dict[str, Any]) -> dict[str, Any]:
    """Version 1 took one point alone for all hues: a second one of its height says that."""

    def opposite(points: Any) -> Any:
        if not isinstance(points, list) or len(points) != 1:
            return points
        (hue, value), *_rest = points
        return sorted([[hue, value], [(hue + 180) % 360, value]])

    return {name: opposite(points) for name, points in plain.items()}


SPEC = GlazeSpec(
    "hue_table",
    "Hue table",
    Category.COLOUR,
    HueTable,
    run,
    help="Moves one hue without the others: skies, leaves, skin; greys stay as they are.",
    more=(
        "Three curves round the circle of hues. They fade out with chroma, so greys stay as "
        "they are. Move neighbouring points together, or a sky tears where its hues part."
    ),
    version=2,
    upgrades={1: _all_round},
    former={1: Former(run)},
    knows_noise=True,
    pick=pick,
    pick_title="Pick a hue",
    promise=Promise(gain=18.0, folds=0.2),
    mild={
        "hue": ((30.0, 0.2), (140.0, 0.0), (260.0, -0.3)),
        "chroma": ((30.0, 0.0), (140.0, -0.4), (260.0, 0.2)),
        "lightness": ((30.0, 0.1), (260.0, -0.2)),
    },
)
