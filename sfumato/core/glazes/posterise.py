"""Posterise: few tones instead of many."""

from __future__ import annotations

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.colour.encodings import Encoding
from sfumato.core.controls import Number, control
from sfumato.core.glaze import Category, GlazeSpec, Promise


@frozen
class Posterise:
    levels: float = control(
        256.0,
        Number(
            title="Levels",
            least=2.0,
            most=256.0,
            digits=0,
            step=1,
            soft=(2.0, 32.0),
            help="How many tones each channel keeps; 256 leaves all as it is.",
        ),
    )
    softness: float = control(
        0.0,
        Number(
            title="Softness",
            least=0.0,
            most=100.0,
            digits=0,
            step=1,
            unit="%",
            help="How wide the passage from tone to tone is: 100 % is nearly a straight line.",
        ),
    )


def run(p: Posterise, code: Rgb, _working: Encoding) -> Rgb:
    """Steps of 1 / (levels - 1), rounded to the nearest; soft: a ramp of that share of each step.

    Two levels: 0.49 -> 0, 0.51 -> 1. Tones beyond 0..1 go on in the same steps.
    """
    count = np.float32(round(p.levels) - 1)
    at = np.clip(code, -1e6, 1e6) * count
    base = np.floor(at)
    width = np.float32(max(p.softness / 100, 1e-4))
    ramp = np.clip((at - base - np.float32(0.5)) / width + np.float32(0.5), 0, 1)
    return np.asarray((base + ramp) / count, np.float32)


SPEC = GlazeSpec(
    "posterise",
    "Posterise",
    Category.TONE,
    Posterise,
    run,
    help="Breaks tones into few flat ones. A LUT's grid blurs such edges: the Seal says how much.",
    more=(
        "Cuts tones into steps. A LUT has only so many nodes: the edges of the steps blur "
        "over a whole cell of the grid, and the Seal says so. Softness makes that gentler."
    ),
    is_hard=True,
    promise=Promise(gain=600.0, noise=12.0),
    mild={"levels": 6.0, "softness": 80.0},
)
