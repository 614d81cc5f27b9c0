"""CDL: slope, offset, power and saturation as the ASC defines them."""

from __future__ import annotations

from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.colour.adapt import transformed
from sfumato.core.colour.bends import affine, signed_power
from sfumato.core.colour.encodings import Encoding
from sfumato.core.controls import Choice, Number, Triple, control
from sfumato.core.glaze import GlazeSpec, Group

CLAMP, NO_CLAMP = "as the standard", "never"
FORWARD, INVERSE = "forward", "inverse"
# ASC CDL 1.2 fixes these luma weights whatever the working encoding is.
_LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)


@frozen
class Cdl:
    slope: tuple[float, float, float] = control(
        (1.0, 1.0, 1.0),
        Triple(
            title="Slope",
            least=0.01,
            most=8.0,
            help="Multiplies the values: brightest change at white.",
        ),
    )
    offset: tuple[float, float, float] = control(
        (0.0, 0.0, 0.0),
        Triple(title="Offset", least=-2.0, most=2.0, signed=True, help="Adds to all values alike."),
    )
    power: tuple[float, float, float] = control(
        (1.0, 1.0, 1.0),
        Triple(title="Power", least=0.05, most=8.0, help="Bends the middle: above 1 darkens."),
    )
    saturation: float = control(
        1.0,
        Number(
            title="Saturation",
            least=0.0,
            most=4.0,
            soft=(0.0, 2.0),
            digits=3,
            help="Moves colours away from or towards their luma; 0 is monochrome.",
        ),
    )
    clamp: str = control(
        CLAMP,
        Choice(
            title="Clamp",
            options=(CLAMP, NO_CLAMP),
            help="The standard clips to 0..1 before the power and at the end.",
        ),
    )
    direction: str = control(
        FORWARD,
        Choice(
            title="Direction", options=(FORWARD, INVERSE), help="Inverse undoes the forward CDL."
        ),
    )


def _power(x: Any, power: Any) -> Any:
    """x**power for x > 0, held at 2**60, and x itself below (the no-clamp rule)."""
    return signed_power(np.maximum(x, 0), power) + np.minimum(x, 0)


def _saturated(x: Any, amount: float) -> Any:
    """luma + amount (x - luma), as a matrix."""
    mix = (1 - amount) * np.repeat(_LUMA[None], 3, axis=0) + amount * np.eye(3)
    return transformed(x, mix)


def graded(code: Rgb, numbers: Any, *, clamp: bool, inverse: bool) -> Rgb:
    """Apply anything that has slope, offset, power and saturation; the maths of ASC CDL 1.2.

    clamp((in * slope + offset))**power, then saturation; 0.5 with slope 1.2 -> 0.6. The inverse
    divides by a slope and a saturation of at least 0.001 and inverts step by step; what the forward
    direction clipped stays clipped.
    """
    slope, offset, power = (
        np.array(v, np.float32) for v in (numbers.slope, numbers.offset, numbers.power)
    )
    x: Any = code
    if not inverse:
        x = affine(x, slope, offset)
        x = _power(np.clip(x, 0, 1) if clamp else x, power)
        x = _saturated(x, numbers.saturation)
        return np.clip(x, 0, 1) if clamp else np.asarray(x)
    x = np.clip(x, 0, 1) if clamp else x
    x = _saturated(x, 1 / max(numbers.saturation, 1e-3))
    x = _power(np.clip(x, 0, 1) if clamp else x, 1 / power)
    scale = 1 / np.maximum(slope, np.float32(1e-3))
    x = affine(x, scale, -offset * scale)
    return np.clip(x, 0, 1) if clamp else np.asarray(x)


def run(p: Cdl, code: Rgb, _working: Encoding) -> Rgb:
    """See `graded`."""
    return graded(code, p, clamp=p.clamp == CLAMP, inverse=p.direction != FORWARD)


SPEC = GlazeSpec(
    "cdl",
    "CDL",
    Group.COLOUR,
    Cdl,
    run,
    help="The grade that every program exchanges: slope, offset, power and saturation.",
    more=(
        "Ten numbers that travel between programs and from the set to the suite. With the "
        "clamp of the standard it clips at 0 and 1; choose never for log values and "
        "highlights."
    ),
)
