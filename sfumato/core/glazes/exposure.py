"""Exposure: more or less light, in stops."""

from __future__ import annotations

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.controls import Number, control
from sfumato.core.encodings import Encoding
from sfumato.core.glaze import Domain, GlazeSpec, Group


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


SPEC = GlazeSpec(
    "exposure",
    "Exposure",
    Group.LIGHT,
    Exposure,
    run,
    domain=Domain.LIGHT,
    help="Makes the picture lighter or darker as the camera would have.",
)
