"""Colourfulness: more or less chroma, with care for what is colourful already and for skin hues."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb, joined, planes
from sfumato.core.colour.bends import noise_chroma
from sfumato.core.colour.encodings import Encoding
from sfumato.core.controls import Number, control
from sfumato.core.glaze import Category, Domain, Former, GlazeSpec, Promise

# Centre and half width of the skin hues in Oklch, degrees; the clay busts of the demo portrait,
# made in skin colours light to dark, lie well inside (a test measures them).
_HUE, _WIDTH = math.radians(55.0), math.radians(40.0)
_FULL_CHROMA = 0.18
_FADES = 30.0  # noise floors: where L**2 is as many, half of the gain is left


@frozen
class Colourfulness:
    amount: float = control(
        0.0,
        Number(
            title="Amount",
            least=-100.0,
            most=200.0,
            soft=(-100.0, 100.0),
            step=1.0,
            digits=0,
            unit="%",
            signed=True,
            help="Changes chroma: -100 % is monochrome, +100 % doubles it.",
        ),
    )
    protect: float = control(
        0.0,
        Number(
            title="Protect colourful",
            least=0.0,
            most=100.0,
            step=1.0,
            digits=0,
            unit="%",
            help="Spares colours that are colourful already.",
        ),
    )
    skin: float = control(
        0.0,
        Number(
            title="Protect skin hues",
            least=0.0,
            most=100.0,
            step=1.0,
            digits=0,
            unit="%",
            help="Spares hues between orange and red.",
        ),
    )


def run(p: Colourfulness, lab: Rgb, _working: Encoding, noise: float = 0.0) -> Rgb:
    """Oklab a, b times 1 + amount; protection scales the amount down by chroma and by hue.

    More chroma fades out in the dark, where it is noise: 1 / (1 + (30 q)**2) of it is left, where q is
    the chroma that noise has (`noise_chroma`).
    """
    gain: Any = np.float32(p.amount / 100)
    light, a, b = planes(lab)
    if p.amount > 0 and noise > 0:
        faint = np.float32(_FADES) * noise_chroma(light, noise)
        gain = gain / (1 + faint * faint)
    if p.amount > 0 and (p.protect > 0 or p.skin > 0):
        keep: Any = np.ones_like(a)
        chroma = np.sqrt(a * a + b * b)
        if p.protect > 0:
            ratio = np.minimum(chroma, 4) / np.float32(_FULL_CHROMA)
            keep = keep - np.float32(p.protect / 100) * (1 - 1 / (1 + ratio * ratio))
        if p.skin > 0:
            # The cosine of the angle to the centre of the skin hues, without an arctangent.
            along = a * np.float32(math.cos(_HUE)) + b * np.float32(math.sin(_HUE))
            edge = math.cos(_WIDTH)
            near = np.clip((along / np.maximum(chroma, 1e-9) - edge) / (1 - edge), 0, 1)
            keep = keep * (1 - np.float32(p.skin / 100) * near * near * (3 - 2 * near))
        gain = gain * keep
    return joined(light, a * (1 + gain), b * (1 + gain))


SPEC = GlazeSpec(
    "colourfulness",
    "Colourfulness",
    Category.COLOUR,
    Colourfulness,
    run,
    domain=Domain.OKLAB,
    version=2,
    upgrades={1: dict},
    former={1: Former(run, Domain.OKLAB)},
    knows_noise=True,
    help="Makes colours richer or quieter without moving hue or lightness.",
    more=(
        "Multiplies chroma, so weak and strong colours grow alike; the two protections spare "
        "what is strong already and what has the hue of skin. In the dark, where chroma is "
        "noise, nothing grows: the noise floor beside the View says where that begins."
    ),
    promise=Promise(gain=9.0, folds=0.01),
    mild={"amount": 40.0, "protect": 50.0, "skin": 50.0},
)
