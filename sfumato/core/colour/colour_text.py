"""Colours as people type them: sRGB hex, CIE Lab, Oklab and Oklch."""

from __future__ import annotations

import math
import re

import numpy as np

from sfumato.core.arrays import Rgb
from sfumato.core.colour import oklab
from sfumato.core.colour.adapt import D65, adaptation, xyz_of
from sfumato.core.colour.encodings import encoding
from sfumato.core.errors import ValueRefused

_D50 = (0.34567, 0.35850)  # of CIE Lab as ICC profiles and CSS Color 4 use it
_HINT = "type #1f8fa0, lab 55 -22 -18, oklab 0.6 -0.08 -0.05 or oklch 0.6 0.09 212"
_NUMBER = re.compile(r"[+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?%?")


def display_light(text: str) -> Rgb:
    """Return what a typed colour is on a display: linear BT.709 light, white 1.0, float32 (3,).

    Lab is CIE Lab with the D50 white, as image editors show it, adapted by Bradford (CSS Color 4,
    section 9.3); Oklch takes its hue in degrees; lightness of Oklab and Oklch may be in percent.

    Raises:
        ValueRefused: it is no colour; the hint shows how to write one.

    >>> print(display_light("#808080").round(4))
    [0.2159 0.2159 0.2159]
    """
    words = text.strip().lower().replace("°", "").replace("−", "-")
    plain = re.fullmatch(r"#?([0-9a-f]{6}|[0-9a-f]{3})", words)
    if plain:
        digits = plain[1] if len(plain[1]) == 6 else "".join(2 * d for d in plain[1])
        code = np.array([int(digits[i : i + 2], 16) for i in (0, 2, 4)], np.float32) / 255
        return encoding("sRGB").decode(code)
    kind = re.match(r"(oklch|oklab|lab)\b", words)
    numbers = _NUMBER.findall(words[kind.end() :]) if kind else []
    rest = re.sub(r"[\s,()/]", "", _NUMBER.sub("", words[kind.end() :])) if kind else "none"
    if kind is None or len(numbers) != 3 or rest or len(words) > 60:
        raise ValueRefused(f"{text.strip()[:40]!r} is no colour", hint=_HINT)
    first, *others = (float(n.rstrip("%")) for n in numbers)
    if any(not math.isfinite(v) or abs(v) > 1000 for v in (first, *others)):
        raise ValueRefused(f"{text.strip()[:40]!r} is out of range", hint=_HINT)
    space = encoding("Linear BT.709")
    if kind[1] == "lab":
        return _from_lab(first, *others)
    light = first / 100 if numbers[0].endswith("%") else first
    a, b = others
    if kind[1] == "oklch":
        a, b = (others[0] * f(math.radians(others[1])) for f in (math.cos, math.sin))
    return oklab.to_light(np.array([light, a, b], np.float32), space)


def _from_lab(light: float, a: float, b: float) -> Rgb:
    """CIE 15:2018 section 8.2.1, inverse."""
    y = (light + 16) / 116
    f = np.array([y + a / 500, y, y - b / 200])
    edge = 6 / 29
    xyz = np.where(f > edge, f**3, 3 * edge**2 * (f - 4 / 29)) * xyz_of(_D50)
    space = encoding("Linear BT.709")
    xyz = adaptation(_D50, D65, "Bradford") @ xyz
    return np.asarray(np.linalg.solve(space.to_xyz, xyz), np.float32)
