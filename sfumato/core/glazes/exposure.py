"""Exposure: more or less light, in stops."""

from __future__ import annotations

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.colour.encodings import Encoding
from sfumato.core.controls import Number, control
from sfumato.core.glaze import Category, Domain, GlazeSpec, Promise


@frozen
class Exposure:
    stops: float = control(
        0.0,
        Number(
            title="Stops",
            least=-10.0,
            most=10.0,
            soft=(-3.0, 3.0),
            step=0.05,
            unit="stops",
            signed=True,
            help="Multiplies linear light: +1 stop is twice the light.",
        ),
    )


def run(p: Exposure, light: Rgb, _working: Encoding) -> Rgb:
    """light x 2**stops; +1 carries 0.18 to 0.36."""
    return light * np.float32(2.0**p.stops)


def pick(_p: Exposure, code: Rgb, working: Encoding) -> Exposure:
    """Choose the stops that bring the picked colour to a luminance of 18 %."""
    light = float(working.decode(code).reshape(3).astype(np.float64) @ working.to_xyz[1])
    stops = np.log2(0.18 / light) if light > 1e-6 else 0.0
    return Exposure(round(float(np.clip(stops, -10, 10)), 3))


SPEC = GlazeSpec(
    "exposure",
    "Exposure",
    Category.LIGHT,
    Exposure,
    run,
    domain=Domain.LIGHT,
    help="Makes the picture lighter or darker as the camera would have.",
    more=(
        "Works on light, as the iris of the lens does: log and display footage brighten "
        "alike. For one shot that is too dark it belongs into the Ground; for a darker mood "
        "of all shots, into the Look."
    ),
    pick=pick,
    pick_title="Pick a grey card",
    promise=Promise(gain=9.0, noise=8.5),
    mild={"stops": 0.7},
)
