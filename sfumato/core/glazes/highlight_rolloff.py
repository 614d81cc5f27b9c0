"""Highlight roll-off: bends what is brighter than a knee softly into a ceiling."""

from __future__ import annotations

from typing import Any

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb, planes
from sfumato.core.colour.bends import shoulder
from sfumato.core.colour.encodings import Encoding, code_of
from sfumato.core.controls import Number, control, kinds
from sfumato.core.glaze import Category, GlazeSpec


@frozen
class HighlightRollOff:
    amount: float = control(
        0.0,
        Number(
            title="Amount",
            least=0.0,
            most=100.0,
            digits=0,
            step=1,
            unit="%",
            help="How far bright tones follow the bend: at 100 % nothing passes the ceiling.",
        ),
    )
    knee: float = control(
        0.7,
        Number(
            title="Knee",
            least=0.0,
            most=0.98,
            digits=3,
            step=0.005,
            help="The code value above which tones bend.",
        ),
    )
    ceiling: float = control(
        1.0,
        Number(
            title="Ceiling",
            least=0.1,
            most=2.0,
            digits=3,
            step=0.005,
            soft=(0.6, 1.2),
            help="The code value that is approached and never passed.",
        ),
    )
    keep_hue: float = control(
        50.0,
        Number(
            title="Keep hue",
            least=0.0,
            most=100.0,
            digits=0,
            step=1,
            unit="%",
            help="0 bends each channel by itself and fades to white; 100 bends all as the brightest.",
        ),
    )


def run(p: HighlightRollOff, code: Rgb, _working: Encoding) -> Rgb:
    """y = c - (c - k) exp(-(x - k) / (c - k)) above the knee k; 1.0 with knee 0.7, ceiling 1: 0.8896.

    "Keep hue" mixes that with x f(m) / m for the largest channel m.
    """
    knee = p.knee
    ceiling = max(p.ceiling, knee + 0.01)
    bent = shoulder(code, knee, ceiling)
    share = np.float32(p.amount / 100)
    if p.keep_hue > 0:
        r, g, b = planes(code)
        top = np.maximum(np.maximum(r, g), b)
        above = np.maximum(top, np.float32(max(knee, 1e-6)))
        factor = shoulder(above, knee, ceiling) / above
        hue = np.float32(p.keep_hue / 100)
        for c, channel in enumerate((r, g, b)):
            bent[..., c] += hue * (channel * factor - bent[..., c])
    bent -= code
    bent *= share
    bent += code
    return bent


def pick(p: HighlightRollOff, code: Rgb, _working: Encoding) -> HighlightRollOff:
    """Put the knee at the picked tone, and lay the roll-off on fully when it was off."""
    kind: Any = kinds(HighlightRollOff)["knee"]
    knee = float(np.clip(code.reshape(3).max(), kind.least, kind.most))
    return attrs.evolve(p, knee=round(knee, 4), amount=p.amount or 100.0)


def suited(working: Encoding) -> HighlightRollOff:
    """Return a new roll-off: of scene light it bends what lies above 1.5 stops over grey under 4."""
    if not working.is_scene:
        return HighlightRollOff()
    knee, ceiling = code_of(0.18 * 2**1.5, working), code_of(0.18 * 2**4, working)
    return HighlightRollOff(knee=round(min(knee, 0.98), 3), ceiling=round(min(ceiling, 2.0), 3))


SPEC = GlazeSpec(
    "highlight_rolloff",
    "Highlight roll-off",
    Category.TONE,
    HighlightRollOff,
    run,
    help="Bends highlights softly into a ceiling, and brings back what lies above white.",
    more=(
        "Bends what lies above the knee softly under the ceiling, so that highlights beyond "
        "white come back with their shape. Keep hue stops them from turning yellow or "
        "magenta."
    ),
    suited=suited,
    pick=pick,
    pick_title="Pick the knee",
    mild={"amount": 100.0, "knee": 0.6, "ceiling": 0.95},
)
