"""What a look is like, in few numbers: warmth, contrast, colourfulness, darkness, and likeness."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from typing import Any

import numpy as np
from attrs import field, frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour import oklab
from sfumato.core.colour.encodings import encoding

_GREYS = np.array([0.05, 0.12, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.82, 0.94], np.float32)


@cache
def probes(display: str = "sRGB") -> Rgb:
    """Return the colours on which looks are described: ten greys, then 48 colours, display codes.

    The colours are twelve hues at four lightnesses, of the chroma that pictures have (0.09).
    """
    space = encoding("sRGB")
    angle = np.radians(np.arange(12) * 30.0)
    lab = [
        np.stack([np.full(12, light), 0.09 * np.cos(angle), 0.09 * np.sin(angle)], axis=-1)
        for light in (0.35, 0.5, 0.65, 0.8)
    ]
    light = oklab.to_light(np.concatenate(lab).astype(np.float32), space)
    colours = np.clip(space.encode(light), 0, 1)
    found = np.concatenate([np.repeat(_GREYS[:, None], 3, axis=1), colours]).astype(np.float32)
    found.flags.writeable = False
    return found


@frozen
class Character:
    """How a look changes the probes, by what is seen.

    `warmth`: mean move along Oklab b, in hundredths (yellow is positive). `contrast`: slope of
    lightness over the middle greys, 1 = none. `colourfulness`: chroma out over chroma in, greys left
    out. `darkness`: mean loss of lightness, in hundredths. `places`: Oklab of all probes, (58, 3).
    """

    warmth: float
    contrast: float
    colourfulness: float
    darkness: float
    places: Array = field(eq=False, repr=False)


def character(run: Callable[[Rgb], Rgb], display: str = "sRGB") -> Character:
    """Describe a look by what it makes of display colours.

    >>> same = character(lambda rgb: rgb)
    >>> abs(round(same.warmth, 3)), round(same.contrast, 3), round(same.colourfulness, 3)
    (0.0, 1.0, 1.0)
    """
    space = encoding(display)
    before, after = (
        oklab.from_light(space.decode(np.clip(np.nan_to_num(c), 0, 1)), space).astype(np.float64)
        for c in (probes(), run(probes()))
    )
    count = len(_GREYS)
    middle = slice(2, 8)
    steps = np.polyfit(before[:count, 0][middle], after[:count, 0][middle], 1)[0]
    chroma = [np.hypot(lab[count:, 1], lab[count:, 2]) for lab in (before, after)]
    return Character(
        float((after[:, 2] - before[:, 2]).mean() * 100),
        float(steps),
        float(chroma[1].mean() / chroma[0].mean()),
        float((before[:, 0] - after[:, 0]).mean() * 100),
        after,
    )


def unlikeness(a: Character, b: Character) -> float:
    """Return how far two looks lie apart: mean distance of their probes in Oklab, in hundredths."""
    return float(np.sqrt(((a.places - b.places) ** 2).sum(axis=-1)).mean() * 100)


ORDERS: dict[str, tuple[str, Callable[[Character, Character | None], Any]]] = {
    "warmth": ("warm first", lambda c, _chosen: -c.warmth),
    "contrast": ("hard first", lambda c, _chosen: -c.contrast),
    "colourfulness": ("colourful first", lambda c, _chosen: -c.colourfulness),
    "darkness": ("dark first", lambda c, _chosen: -c.darkness),
    "likeness": (
        "like the chosen one first",
        lambda c, chosen: unlikeness(c, chosen) if chosen is not None else 0.0,
    ),
}
