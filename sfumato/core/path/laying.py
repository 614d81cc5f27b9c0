"""How a glaze lies over what is under it: its blend, and its Reach (the colours on which it acts)."""

from __future__ import annotations

from typing import Any

import attrs
import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.colour import oklab
from sfumato.core.colour.bends import ease, noise_chroma
from sfumato.core.colour.encodings import Encoding
from sfumato.core.controls import Choice, Number, Toggle, control
from sfumato.core.glaze import NOISE

NORMAL = "normal"
MULTIPLY, SCREEN, OVERLAY, SOFT = "multiply", "screen", "overlay", "soft light"
TONE_ONLY, COLOUR_ONLY = "tone only", "colour only"
BLENDS = (NORMAL, MULTIPLY, SCREEN, OVERLAY, SOFT, TONE_ONLY, COLOUR_ONLY)
ALL_HUES, ALL_CHROMA = 360.0, 0.4
_GREY = 0.05  # chroma from which a colour has its full say in hue: below it fades into grey
_DARKEST = 1e-3  # Oklab lightness of the least light that has a colour
_NOISE = 1.5  # the noise floors that chroma must pass before it counts
_LEAST_EDGE = 0.02  # of tones, in code values: a narrower one tears noise


@frozen
class Laying:
    """Blend and Reach of one glaze; at its defaults the glaze acts on all colours alike."""

    blend: str = control(
        NORMAL,
        Choice(
            title="Blend",
            options=BLENDS,
            help="How the result joins what is under it; tone only and colour only keep the other.",
        ),
    )
    tone_from: float = control(
        0.0,
        Number(
            title="Tones from",
            least=0.0,
            most=1.0,
            digits=3,
            step=0.005,
            help="The darkest luma, in code values, on which the glaze fully acts; 0 is all darks.",
        ),
    )
    tone_to: float = control(
        1.0,
        Number(
            title="Tones to",
            least=0.0,
            most=1.0,
            digits=3,
            step=0.005,
            help="The lightest luma on which the glaze fully acts; 1 is all lights.",
        ),
    )
    tone_soft: float = control(
        0.15,
        Number(
            title="Tone edge",
            least=0.005,
            most=1.0,
            digits=3,
            step=0.005,
            help="How wide the passage is from full to none.",
        ),
    )
    hue: float = control(
        0.0,
        Number(
            title="Hue",
            least=0.0,
            most=360.0,
            digits=0,
            step=1,
            unit="°",
            help="The middle of the hues on which the glaze acts, in Oklab: red is near 30, blue near 265.",
        ),
    )
    hue_width: float = control(
        ALL_HUES,
        Number(
            title="Hue width",
            least=0.0,
            most=ALL_HUES,
            digits=0,
            step=1,
            unit="°",
            help="How many degrees of hue the glaze fully acts on; 360 is all.",
        ),
    )
    hue_soft: float = control(
        25.0,
        Number(
            title="Hue edge",
            least=1.0,
            most=120.0,
            digits=0,
            step=1,
            unit="°",
            help="How wide the passage is at each side.",
        ),
    )
    chroma_from: float = control(
        0.0,
        Number(
            title="Chroma from",
            least=0.0,
            most=0.4,
            digits=3,
            step=0.002,
            help="The weakest colour on which the glaze fully acts, as Oklab chroma for its lightness; "
            "0 takes greys in.",
        ),
    )
    chroma_to: float = control(
        ALL_CHROMA,
        Number(
            title="Chroma to",
            least=0.0,
            most=ALL_CHROMA,
            digits=3,
            step=0.002,
            help="The strongest colour on which the glaze fully acts; 0.4 is all.",
        ),
    )
    chroma_soft: float = control(
        0.03,
        Number(
            title="Chroma edge",
            least=0.001,
            most=0.3,
            digits=3,
            step=0.002,
            help="How wide the passage is at each side.",
        ),
    )

    inverted: bool = control(
        False,
        Toggle(title="Turned inside out", help="The glaze acts on everything but these colours."),
    )
    by_light: bool = control(
        True,
        Toggle(
            title="In any light",
            help="Takes a colour alike in shade and sun, and no noise for a colour. Off: absolute chroma.",
        ),
    )

    @property
    def by_tone(self) -> bool:
        return self.tone_from > 0 or self.tone_to < 1

    @property
    def by_hue(self) -> bool:
        return self.hue_width < ALL_HUES

    @property
    def by_chroma(self) -> bool:
        return self.chroma_from > 0 or self.chroma_to < ALL_CHROMA

    @property
    def is_former(self) -> bool:
        """Whether it takes colours as it did before exposure and noise counted."""
        hard = self.by_tone and self.tone_soft < _LEAST_EDGE
        return not self.by_light and (self.by_hue or self.by_chroma or hard)

    @property
    def is_limited(self) -> bool:
        """Whether the glaze spares some colours."""
        return self.by_tone or self.by_hue or self.by_chroma

    @property
    def is_plain(self) -> bool:
        return self.blend == NORMAL and not self.is_limited


def _between(x: Any, low: float | None, high: float | None, soft: float) -> Any:
    """Return a trapezoid with smooth edges: 1 from low to high, 0 beyond them by `soft`."""
    out: Any = np.float32(1)
    if low is not None:
        out = ease((x - np.float32(low - soft)) / np.float32(soft))
    if high is not None:
        out = out * ease((np.float32(high + soft) - x) / np.float32(soft))
    return out


def matte(laying: Laying, code: Rgb, working: Encoding, noise: float = NOISE) -> Rgb:
    """Return how much of a glaze each colour takes, float32 (..., 1) 0..1: tone x hue x chroma.

    Tone is the luma of code values in the working primaries. Hue is Oklab's, chroma is s = C / L, which
    stays with a colour when it is lit more or less. Of sensor noise q of it is noise, 1.5 times
    `noise_chroma` / L: a hue counts from s = q, fully from 0.05 + 3 q; a range of chroma
    counts what passes q. Greys have no hue: they count as outside any range of hues.

    Args:
        noise: the noise floor, see `View.noise_floor`; 0 for pictures without noise.
    """
    out = np.ones((*code.shape[:-1], 1), np.float32)
    if laying.by_tone:
        luma = (code @ working.to_xyz[1].astype(np.float32))[..., None]
        low = laying.tone_from if laying.tone_from > 0 else None
        high = laying.tone_to if laying.tone_to < 1 else None
        soft = max(laying.tone_soft, _LEAST_EDGE) if laying.by_light else laying.tone_soft
        out = out * _between(luma, low, high, soft)
    if laying.by_hue or laying.by_chroma:
        lab = oklab.from_light(working.decode(code), working)
        a, b = lab[..., 1:2], lab[..., 2:3]
        chroma: Any = np.sqrt(a * a + b * b)
        lost: Any = np.float32(0)
        if laying.by_light:
            light = np.maximum(lab[..., :1], np.float32(_DARKEST))
            lost = np.float32(_NOISE) * noise_chroma(light, noise) / light
            chroma = np.maximum(chroma / light - lost, 0)
        if laying.by_hue:
            angle = np.degrees(np.arctan2(b, a))
            away = np.abs((angle - np.float32(laying.hue) + 180) % 360 - 180)
            inside = _between(away, None, laying.hue_width / 2, laying.hue_soft)
            out = out * inside * ease(chroma / (np.float32(_GREY) + 2 * lost))
        if laying.by_chroma:
            low = laying.chroma_from if laying.chroma_from > 0 else None
            high = laying.chroma_to if laying.chroma_to < ALL_CHROMA else None
            out = out * _between(chroma, low, high, laying.chroma_soft)
    out = np.asarray(np.nan_to_num(out), np.float32)
    return 1 - out if laying.inverted and laying.is_limited else out


def _soft_light(x: Any, g: Any) -> Any:
    darker = x - (1 - 2 * g) * x * (1 - x)
    bent = np.where(x <= 0.25, ((16 * x - 12) * x + 4) * x, np.sqrt(x))
    return np.where(g <= 0.5, darker, x + (2 * g - 1) * (bent - x))


def blended(blend: str, under: Rgb, over: Rgb, working: Encoding) -> Rgb:
    """Lay `over` on `under`, both code values; what lies beyond 0..1 in `under` is added back.

    Source: W3C Compositing and Blending Level 1, section 9.1 (multiply, screen, overlay, soft
    light). "Tone only" takes Oklab's L from `over` and a, b from `under`; "colour only" the reverse.
    0.25 multiplied by 0.5 -> 0.125.
    """
    if blend == NORMAL:
        return over
    if blend in (TONE_ONLY, COLOUR_ONLY):
        low, high = (oklab.from_light(working.decode(v), working) for v in (under, over))
        tone, colour = (high, low) if blend == TONE_ONLY else (low, high)
        lab = np.concatenate([tone[..., :1], colour[..., 1:]], axis=-1)
        return working.encode(oklab.to_light(lab, working))
    x, g = np.clip(under, 0, 1), np.clip(over, 0, 1)
    if blend == MULTIPLY:
        out: Any = x * g
    elif blend == SCREEN:
        out = x + g - x * g
    elif blend == OVERLAY:
        out = np.where(x <= 0.5, 2 * x * g, 1 - 2 * (1 - x) * (1 - g))
    else:
        out = _soft_light(x, g)
    return np.asarray(out + (under - x), np.float32)


def picked(laying: Laying, code: Rgb, working: Encoding) -> Laying:
    """Return the Reach with its hues about those of a picked colour; a grey gives its tone instead."""
    code = np.asarray(code, np.float32).reshape(1, 3)
    lab = oklab.from_light(working.decode(code), working)[0]
    if float(np.hypot(lab[1], lab[2])) < 0.01:
        tone = float(code[0] @ working.to_xyz[1].astype(np.float32))
        low, high = (round(min(max(tone + d, 0.0), 1.0), 3) for d in (-0.1, 0.1))
        return attrs.evolve(laying, tone_from=low, tone_to=high)
    hue = round(float(np.degrees(np.arctan2(lab[2], lab[1])) % 360)) % 360
    width = laying.hue_width if laying.by_hue else 40.0
    return attrs.evolve(laying, hue=float(hue), hue_width=width)
