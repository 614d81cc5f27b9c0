"""Levels: where black and white lie, and the middle between them."""

from __future__ import annotations

from typing import Any

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.bends import signed_power
from sfumato.core.controls import Number, Triple, control
from sfumato.core.encodings import Encoding
from sfumato.core.glaze import GlazeSpec, Group

_LEAST_WIDTH = 0.01  # of the input range: a narrower one is taken as that


@frozen
class Levels:
    black: float = control(
        0.0,
        Number(
            title="Black in",
            least=-0.5,
            most=0.95,
            digits=3,
            step=0.005,
            signed=True,
            soft=(-0.1, 0.5),
            help="The tone that becomes black.",
        ),
    )
    gamma: float = control(
        1.0,
        Number(
            title="Gamma",
            least=0.1,
            most=10.0,
            soft=(0.3, 3.0),
            help="The middle between them: above 1 is brighter.",
        ),
    )
    white: float = control(
        1.0,
        Number(
            title="White in",
            least=0.05,
            most=2.0,
            digits=3,
            step=0.005,
            soft=(0.5, 1.2),
            help="The tone that becomes white.",
        ),
    )
    black_out: float = control(
        0.0,
        Number(
            title="Black out",
            least=-0.5,
            most=1.0,
            digits=3,
            step=0.005,
            signed=True,
            soft=(0.0, 0.5),
            help="What black becomes: above 0 fades it.",
        ),
    )
    white_out: float = control(
        1.0,
        Number(
            title="White out",
            least=0.0,
            most=2.0,
            digits=3,
            step=0.005,
            soft=(0.5, 1.0),
            help="What white becomes: below 1 dulls it.",
        ),
    )
    black_rgb: tuple[float, float, float] = control(
        (0.0, 0.0, 0.0),
        Triple(
            title="Black",
            least=-0.5,
            most=0.95,
            signed=True,
            help="Black in of red, green and blue apart, before the others.",
        ),
    )
    white_rgb: tuple[float, float, float] = control(
        (1.0, 1.0, 1.0),
        Triple(
            title="White",
            least=0.05,
            most=2.0,
            help="White in of red, green and blue apart, before the others.",
        ),
    )


def _stretched(x: Any, black: Any, white: Any) -> Any:
    """Carry black..white to 0..1."""
    low = np.asarray(black, np.float32)
    width = np.maximum(np.asarray(white, np.float32) - low, np.float32(_LEAST_WIDTH))
    return (x - low) / width


def run(p: Levels, code: Rgb, _working: Encoding) -> Rgb:
    """t = (x - black) / (white - black); y = black out + (white out - black out) sgn(t) |t|**(1/gamma)."""
    t = _stretched(_stretched(code, p.black_rgb, p.white_rgb), p.black, p.white)
    t = signed_power(t, np.float32(1 / p.gamma))
    low, high = np.float32(p.black_out), np.float32(p.white_out)
    return np.asarray(low + (high - low) * t, np.float32)


def pick(p: Levels, code: Rgb, _working: Encoding) -> Levels:
    """Make the picked tone black when it is dark, white when it is light."""
    tone = float(code.reshape(3).mean())
    if tone < (p.black + p.white) / 2:
        return attrs.evolve(p, black=round(min(max(tone, -0.5), 0.95), 4))
    return attrs.evolve(p, white=round(min(max(tone, 0.05), 2.0), 4))


SPEC = GlazeSpec(
    "levels",
    "Levels",
    Group.TONE,
    Levels,
    run,
    help="Sets black and white, going in and coming out, and the middle between them.",
    pick=pick,
    pick_title="Pick black or white",
)
