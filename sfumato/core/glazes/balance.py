"""Balance: lift, gamma, gain and offset of each channel."""

from __future__ import annotations

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.colour.bends import affine, signed_power
from sfumato.core.colour.encodings import Encoding
from sfumato.core.controls import Pad, control
from sfumato.core.glaze import Category, GlazeSpec, Promise


@frozen
class Balance:
    lift: tuple[float, float, float] = control(
        (0.0, 0.0, 0.0),
        Pad(
            title="Lift",
            least=-0.5,
            most=0.5,
            span=0.2,
            signed=True,
            help="Raises or lowers the dark end; white stays.",
        ),
    )
    gamma: tuple[float, float, float] = control(
        (1.0, 1.0, 1.0),
        Pad(
            title="Gamma",
            least=0.2,
            most=5.0,
            span=0.5,
            help="Brightens or darkens the middle; black and white stay.",
        ),
    )
    gain: tuple[float, float, float] = control(
        (1.0, 1.0, 1.0),
        Pad(
            title="Gain",
            least=0.0,
            most=4.0,
            span=0.5,
            help="Multiplies: white moves most, black stays.",
        ),
    )
    offset: tuple[float, float, float] = control(
        (0.0, 0.0, 0.0),
        Pad(
            title="Offset",
            least=-1.0,
            most=1.0,
            span=0.2,
            signed=True,
            help="Moves all tones by the same step.",
        ),
    )


def run(p: Balance, code: Rgb, _working: Encoding) -> Rgb:
    """y = sgn(u) |u|**(1/gamma), u = gain (x + lift (1 - x)) + offset; lift 0.1: 0 -> 0.1, 1 -> 1."""
    lift, gain, offset = (np.array(v) for v in (p.lift, p.gain, p.offset))
    u = affine(code, gain * (1 - lift), gain * lift + offset)
    return u if p.gamma == (1, 1, 1) else signed_power(u, 1 / np.array(p.gamma, np.float32))


SPEC = GlazeSpec(
    "balance",
    "Balance",
    Category.COLOUR,
    Balance,
    run,
    help="Colours darks, middle and lights apart by lift, gamma, gain and offset.",
    more=(
        "Lift moves the darks and holds white, gain moves the lights and holds black, gamma "
        "bends between them, offset moves everything. Drag a pad towards a colour, the bar "
        "for the level."
    ),
    promise=Promise(gain=9.0, cast=0.17),
    mild={
        "lift": (0.03, 0.0, -0.02),
        "gamma": (1.1, 1.0, 0.95),
        "gain": (1.05, 1.0, 0.9),
        "offset": (0.01, 0.0, 0.0),
    },
)
