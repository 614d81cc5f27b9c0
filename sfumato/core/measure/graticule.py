"""The marks beside an instrument: in percent, in 10-bit code values or in stops."""

from __future__ import annotations

import math

import numpy as np
from attrs import frozen

from sfumato.core.colour.encodings import Encoding

PERCENT, CODE, STOPS = "percent", "code values", "stops"
UNITS = (PERCENT, CODE, STOPS)


@frozen
class Graduation:
    """A place on the level axis, 0..1 of code, with its words; `strong` for the ends."""

    at: float
    words: str
    strong: bool = False


def marks(unit: str, space: Encoding, low: float = 0.0, high: float = 1.0) -> list[Graduation]:
    """Return the marks between two levels.

    Stops are counted from 18 % grey for scene-referred encodings, from diffuse white down for
    displays.

    >>> from sfumato.core.colour.encodings import encoding
    >>> [m.words for m in marks(CODE, encoding("sRGB"))]
    ['0', '256', '512', '768', '1023']
    >>> [(round(m.at, 3), m.words) for m in marks(STOPS, encoding("Tarn Log"), 0.39, 0.6)]
    [(0.4, 'grey'), (0.474, '+1'), (0.55, '+2')]
    """
    if unit == STOPS:
        return _stops(space, low, high)
    most = 100 if unit == PERCENT else 1023
    steps = (25, 10, 5, 2, 1) if unit == PERCENT else (256, 128, 64, 32, 16, 8)
    step = next((s for s in steps if (high - low) * most / s >= 3.5), steps[-1])
    found = []
    for n in range(math.ceil(low * most / step - 1e-9), math.floor(high * most / step + 1e-9) + 1):
        at = n * step / most
        words = f"{n * step} %" if unit == PERCENT and n * step == 100 else f"{n * step}"
        found.append(Graduation(at, words, (n * step in (0, 100) and unit == PERCENT) or n == 0))
    if unit == CODE and high >= 1 - 1e-9:
        found = [m for m in found if m.at < 1 - 0.4 * step / most]
        found.append(Graduation(1.0, "1023", True))
    return found


def _stops(space: Encoding, low: float, high: float) -> list[Graduation]:
    base = 0.18 if space.is_scene else space.reference
    wanted = range(-12, 13) if space.is_scene else range(6, -11, -1)
    light = np.array([[base * 2.0**n] * 3 for n in wanted], np.float32)
    with np.errstate(all="ignore"):
        codes = space.encode(light)[:, 1]
    found: list[Graduation] = []
    gap = (high - low) * 0.045  # marks that would run into each other are left out
    order = sorted(zip(wanted, codes.tolist(), strict=True), key=lambda p: abs(p[0]))
    for n, at in order:
        if not math.isfinite(at) or not low - 1e-6 <= at <= high + 1e-6:
            continue
        if all(abs(at - m.at) >= gap for m in found):
            zero = "grey" if space.is_scene else "white"
            found.append(Graduation(at, zero if n == 0 else f"{n:+d}", n == 0))
    return sorted(found, key=lambda m: m.at)
