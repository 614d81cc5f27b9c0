"""Levels: where black and white lie, and the middle between them."""

from __future__ import annotations

from typing import Any

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.colour.bends import signed_power
from sfumato.core.colour.encodings import Encoding
from sfumato.core.controls import STRAIGHT_LEVELS, LevelSet, control
from sfumato.core.glaze import Category, GlazeSpec, Promise

_LEAST_WIDTH = 0.01  # of the input range: a narrower one is taken as that
Five = tuple[float, float, float, float, float]


@frozen
class Levels:
    every: Five = control(
        STRAIGHT_LEVELS, LevelSet(title="All", help="Red, green and blue alike, after their own.")
    )
    red: Five = control(STRAIGHT_LEVELS, LevelSet(title="R", pigment="red", help="Red alone."))
    green: Five = control(
        STRAIGHT_LEVELS, LevelSet(title="G", pigment="green", help="Green alone.")
    )
    blue: Five = control(STRAIGHT_LEVELS, LevelSet(title="B", pigment="blue", help="Blue alone."))


def levelled(x: Any, levels: Five) -> Any:
    """t = (x - black) / (white - black); y = black out + (white out - black out) sgn(t) |t|**(1/gamma).

    >>> print(levelled(np.float32([0.1, 0.9]), (0.1, 1.0, 0.9, 0.2, 0.8)).round(4))
    [0.2 0.8]
    """
    black, gamma, white, low, high = (np.float32(v) for v in levels)
    t = (x - black) / np.maximum(white - black, np.float32(_LEAST_WIDTH))
    if gamma != 1:
        t = signed_power(t, np.float32(1 / gamma))
    return low + (high - low) * t


def run(p: Levels, code: Rgb, _working: Encoding) -> Rgb:
    """Each channel by its own levels, then all three by the common ones (see `levelled`)."""
    out = code.copy()
    for c, levels in enumerate((p.red, p.green, p.blue)):
        if levels != STRAIGHT_LEVELS:
            out[..., c] = levelled(out[..., c], levels)
    return np.asarray(levelled(out, p.every) if p.every != STRAIGHT_LEVELS else out, np.float32)


def pick(p: Levels, code: Rgb, _working: Encoding, part: str = "every") -> Levels:
    """Make the picked tone black when it is dark, white when it is light."""
    rgb = code.reshape(3)
    channel = {"red": 0, "green": 1, "blue": 2}.get(part)
    tone = float(rgb[channel] if channel is not None else rgb.mean())
    part = part if channel is not None else "every"
    black, gamma, white, low, high = getattr(p, part)
    if tone < (black + white) / 2:
        black = round(min(max(tone, -0.5), 0.95), 4)
    else:
        white = round(min(max(tone, 0.05), 2.0), 4)
    return attrs.evolve(p, **{part: (black, gamma, white, low, high)})


def _apart(plain: dict[str, Any]) -> dict[str, Any]:
    """Version 1 had common levels as five fields, and black and white in of each channel."""
    get = plain.get
    out: dict[str, Any] = {
        "every": [
            get("black", 0.0),
            get("gamma", 1.0),
            get("white", 1.0),
            get("black_out", 0.0),
            get("white_out", 1.0),
        ]
    }
    blacks, whites = get("black_rgb", [0.0] * 3), get("white_rgb", [1.0] * 3)
    for name, black, white in zip(("red", "green", "blue"), blacks, whites, strict=True):
        out[name] = [black, 1.0, white, 0.0, 1.0]
    return out


SPEC = GlazeSpec(
    "levels",
    "Levels",
    Category.TONE,
    Levels,
    run,
    version=2,
    help="Sets black and white, going in and coming out, and the middle between them.",
    more=(
        "Set black and white where the histogram begins and ends. Raising black out fades "
        "the shade; the channels take colour casts out of shade and lights apart."
    ),
    pick=pick,
    pick_title="Pick black or white",
    upgrades={1: _apart},
    promise=Promise(cast=0.012),
    mild={"every": (0.05, 1.2, 0.95, 0.02, 1.0), "blue": (0.0, 1.0, 0.9, 0.0, 1.0)},
)
