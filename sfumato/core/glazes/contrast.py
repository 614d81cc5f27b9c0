"""Contrast: spread the tones about a pivot."""

from __future__ import annotations

from typing import Any

import numpy as np
from attrs import frozen

from sfumato.core.arrays import Rgb
from sfumato.core.colour.encodings import Encoding, code_of
from sfumato.core.controls import Number, Toggle, control
from sfumato.core.glaze import Category, Former, GlazeSpec, Promise


@frozen
class Contrast:
    slope: float = control(
        1.0,
        Number(
            title="Slope",
            least=0.1,
            most=4.0,
            soft=(0.4, 2.0),
            unit="×",
            help="How fast tones part from the pivot: above 1 is more contrast.",
        ),
    )
    pivot: float = control(
        0.435,
        Number(
            title="Pivot",
            least=0.05,
            most=0.95,
            digits=3,
            step=0.005,
            help="The code value that stays where it is.",
        ),
    )
    keep_ends: bool = control(
        True,
        Toggle(
            title="Keep ends",
            help="Bends into black and white instead of running past them.",
        ),
    )


def _sigmoid(x: Any, p: Contrast, black: float) -> Any:
    """A curve through black, the pivot and (1, 1) with slope `slope` at the pivot.

    Each half is a rational power curve t -> s t / (1 + (s - 1) t), which has slope s at the pivot
    and 1/s at the end, and goes on straight beyond the end.
    """
    s, pivot = np.float32(p.slope), np.float32(p.pivot)
    away = x - pivot
    total = np.full_like(x, pivot)
    for room in (1 - pivot, np.float32(min(black, p.pivot - 0.02)) - pivot):
        t = np.maximum(away / room, 0)
        inner = np.minimum(t, 1)
        total += room * (s * inner / (1 + (s - 1) * inner) + (t - inner) / s)
    return total


def run(p: Contrast, code: Rgb, working: Encoding) -> Rgb:
    """Straight: pivot + slope (x - pivot). With kept ends: a sigmoid of the same slope at the pivot.

    The ends are the code of no light, 0.0884 in Tarn Log, and 1.
    """
    return _run(p, code, code_of(0.0, working))


def _from_code_nought(p: Contrast, code: Rgb, _working: Encoding) -> Rgb:
    """Version 1 took code 0 for the dark end, which in log lies under black."""
    return _run(p, code, 0.0)


def _run(p: Contrast, code: Rgb, black: float) -> Rgb:
    if p.slope == 1.0:
        return code.copy()
    if p.keep_ends:
        return np.asarray(_sigmoid(code, p, black), np.float32)
    return np.float32(p.pivot) + np.float32(p.slope) * (code - np.float32(p.pivot))


def pick(p: Contrast, code: Rgb, _working: Encoding) -> Contrast:
    """Put the pivot at the picked tone."""
    tone = float(np.clip(code.reshape(3).mean(), 0.05, 0.95))
    return Contrast(p.slope, round(tone, 4), p.keep_ends)


def suited(working: Encoding) -> Contrast:
    """Put the pivot of a new contrast at 18 % grey: it stays as bright as it is."""
    return Contrast(pivot=round(min(max(code_of(0.18, working), 0.05), 0.95), 3))


SPEC = GlazeSpec(
    "contrast",
    "Contrast",
    Category.TONE,
    Contrast,
    run,
    help="Parts light from dark about a tone that stays where it is.",
    more=(
        "Darkens below the pivot and lightens above it. Keep ends bends softly into black "
        "and white instead of clipping; set the pivot where the picture should stay as "
        "bright as it is."
    ),
    version=2,
    upgrades={1: dict},
    former={1: Former(_from_code_nought)},
    suited=suited,
    pick=pick,
    pick_title="Pick the pivot",
    promise=Promise(gain=6.0),
    mild={"slope": 1.5},
)
