"""What a picture's numbers look like: log, display or linear, with the evidence in words."""

from __future__ import annotations

from collections import Counter

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Array, Rgb
from sfumato.core.colour.encodings import Encoding, Family, encoding, encodings
from sfumato.core.luma import luma as luma_of

MUTED = 0.165  # mean spread of the channels over the span of tones, below which colours look muted
_SPAN = 0.67  # of tones, in code: log pictures take no more
_RAISED = 0.045  # code of the darkest tones above which black looks raised
_SHORT = 0.90  # code of the brightest tones below which white is not reached
_FLOOR_SLACK = 0.012  # how far noise may lie below an encoding's black


@frozen
class Guess:
    """What the numbers look like: a family, the encoding of it that fits best, and why."""

    family: Family
    name: str
    evidence: str

    def doubts(self, stated: Encoding) -> bool:
        """Whether the numbers look like another family than the one that is stated."""
        return stated.family is not self.family and Family.LINEAR not in (
            stated.family,
            self.family,
        )


def guess(code: Rgb, is_float: bool = False, others: tuple[str, ...] = ()) -> Guess:
    """Guess the encoding of a picture from its code values.

    Args:
        code: (..., 3) source code values.
        is_float: whether the file holds floats, which can be linear.
        others: the encodings of the other shots: of one family, what most of them have is likeliest.
    Returns:
        Linear when floats go far beyond 1; log when black is raised, white is not reached, tones
        are close together and colours muted; else display. A hint, never a proof: a display
        picture of fog can look like log.
    """
    flat = np.asarray(code, np.float64).reshape(-1, 3)
    luma = luma_of(flat)
    low, high = np.percentile(luma, (0.5, 99.5))
    spread = float((flat.max(axis=1) - flat.min(axis=1)).mean() / max(high - low, 1e-3))
    if is_float and np.percentile(flat, 99.9) > 1.5:
        top = np.percentile(flat, 99.9)
        name = _likely(Family.LINEAR, others) or "Linear BT.709"
        return Guess(
            Family.LINEAR, name, f"the file holds floats up to {top:.1f}, as linear light has them"
        )
    muted = spread < MUTED
    words = (
        f"darkest tones at code {low:.2f}, brightest at {high:.2f}, "
        f"colours {'muted' if muted else 'full'}"
    )
    if muted and low > _RAISED and high < _SHORT and high - low < _SPAN:
        name = _likely(Family.LOG, others) or _nearest_log(flat, float(low))
        black = float(encoding(name).encode(np.zeros((1, 3), np.float32))[0, 1])
        return Guess(
            Family.LOG, name, f"{words}: as log footage has them; {name} puts black at {black:.2f}"
        )
    name = _likely(Family.DISPLAY, others) or "sRGB"
    return Guess(Family.DISPLAY, name, f"{words}: as pictures for a display have them")


def _likely(family: Family, others: tuple[str, ...]) -> str:
    alike = [n for n in others if n in encodings() and encoding(n).family is family]
    return Counter(alike).most_common(1)[0][0] if alike else ""


def _nearest_log(flat: Array, low: float) -> str:
    """Return the log encoding whose black lies under the picture's, and whose middle is nearest grey."""
    best, name = np.inf, ""
    some = flat[:: max(1, len(flat) // 4000)].astype(np.float32)
    for space in encodings().values():
        if space.family is not Family.LOG or space.coder is not None:
            continue
        black = float(space.encode(np.zeros((1, 3), np.float32))[0, 1])
        light = np.maximum(space.decode(some) @ space.to_xyz[1], 1e-5)
        key = abs(float(np.log2(np.exp(np.log(light).mean()) / 0.18)))
        below = max(black - _FLOOR_SLACK - low, 0) * 100
        away = abs(low - max(black, 0)) * 20
        if key + below + away < best:
            best, name = key + below + away, space.name
    return name
