"""What a LUT does to greys: what it expects, tone, tint, falling steps."""

from __future__ import annotations

import numpy as np

from sfumato.core.colour.delta_e import lab_of
from sfumato.core.colour.ranges import LEGAL_10
from sfumato.core.lut.difference import cube_colours
from sfumato.core.lut.table import UNIT
from sfumato.core.measure.checks.findings import Finding, Level, Looked
from sfumato.core.measure.checks.ranges import range_in_finding


def expects_finding(lut: Looked) -> Finding | None:
    """Log inputs show by where greys come from, a steep middle and a lift in chroma."""
    y = np.maximum.accumulate(lut.tones)
    at = np.linspace(0, 1, len(y))
    if range_in_finding(lut) is not None:
        at = (at - LEGAL_10[0]) / (LEGAL_10[1] - LEGAL_10[0])
    if y[-1] - y[0] < 0.05 or lut.domain != UNIT:
        return None
    share = (y - y[0]) / (y[-1] - y[0])
    low, middle, high = (float(np.interp(v, share, at)) for v in (0.05, 0.5, 0.9))
    slope = float(np.interp(middle + 0.05, at, y) - np.interp(middle - 0.05, at, y)) / 0.1
    base = np.repeat(cube_colours(3000).mean(axis=1, keepdims=True), 3, axis=1) * 0.4 + 0.25
    tinted = base + 0.1 * (cube_colours(3000) - 0.5)
    out = lut.transform.apply(np.asarray(tinted, np.float32))
    chroma = float((np.ptp(out, axis=1) / np.maximum(np.ptp(tinted, axis=1), 1e-6)).mean())
    signs = [low > 0.13, high < 0.76, slope > 1.5, chroma > 1.35, float(share[51]) < 0.004]
    figures = (
        f"greys 5, 50 and 90 % of the way up come from {low:.2f}, {middle:.2f} and {high:.2f}; "
        f"slope {slope:.1f}; chroma × {chroma:.1f}"
    )
    count = sum(signs)
    if count >= 3:
        return Finding(
            "expects", Level.NOTE, "Seems to expect log", f"{count} of 5 signs: {figures}.", count
        )
    if count == 2:
        return Finding(
            "expects", Level.NOTE, "Log or display: not clear", f"2 of 5 log signs: {figures}.", 2
        )
    return Finding(
        "expects",
        Level.NOTE,
        "Seems to expect display colours",
        f"{count} of 5 log signs: {figures}.",
        count,
    )


# Powers that greys near black follow. Looks for display colours: 0.87 to 1.46, one of 120 at 0.63; with
# a gamma of 2.2 too many 0.42 to 0.71 or 1.82 to 2.75; looks for log follow no power (4 and more, 0.6 off
# in the logarithm).
_LIGHT, _DARK, _MOST, _OFF = 0.74, 1.65, 3.5, 0.2


def gamma_finding(lut: Looked) -> Finding | None:
    """A display gamma that was applied once too often shows near black, where looks are straight."""
    rise, at = lut.tones - lut.tones[0], np.linspace(0, 1, len(lut.tones))
    part = (at > 0.03) & (at < 0.1) & (rise > 1e-6)
    blown = float((lut.tones > 0.99 * lut.tones[-1]).mean())  # an exposure, and no gamma
    if part.sum() < 50 or lut.domain != UNIT or blown > 0.5:
        return None
    x, y = np.log(at[part]), np.log(rise[part])
    power, start = np.polyfit(x, y, 1)
    off = float(np.sqrt(np.mean((y - power * x - start) ** 2)))
    if _LIGHT < power < _DARK or power > _MOST or off > _OFF:
        return None
    way = "lightened" if power <= _LIGHT else "darkened"
    return Finding(
        "gamma",
        Level.WARN,
        "A gamma too many",
        f"Greys near black follow the power {power:.2f}, as if a display gamma had {way} them once more; "
        "right only where a LUT leads to light or from it.",
        float(power),
    )


def response_finding(lut: Looked) -> Finding:
    black, middle, white = (lut.tones[i] for i in (0, len(lut.greys) // 2, -1))
    flat = white - black < 0.5
    words = "Low contrast" if flat else "Greys"
    return Finding(
        "response",
        Level.NOTE,
        f"{words}: black {black:.3f}, middle {middle:.3f}, white {white:.3f}",
        "Luma of the results for black, for the middle of the input and for white.",
        float(white - black),
    )


def colourless_finding(lut: Looked) -> Finding | None:
    """A carrier that was saved as a grey picture; a look may be meant to take all colour out."""
    spread = float(np.ptp(np.clip(lut.table.values, 0, 1), axis=-1).max())
    if spread > 1.5 / 255:
        return None
    if lut.stored.is_picture:
        return Finding(
            "colourless",
            Level.WARN,
            "No colour is left",
            "All channels of the picture are alike: it was saved as a grey one, unless the look is "
            "black and white. Send the carrier out again if it is not.",
            spread,
        )
    return Finding("colourless", Level.NOTE, "Black and white", "All colours become greys.", spread)


def tint_finding(lut: Looked) -> Finding:
    lab = lab_of(lut.greys, lut.display)
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    worst = int(chroma.argmax())
    a, b = lab[worst, 1:]
    names = ("red", "orange", "yellow", "green", "cyan", "blue", "violet", "magenta")
    hue = names[int(np.degrees(np.arctan2(b, a)) % 360 // 45)]
    if chroma[worst] < 1:
        return Finding(
            "tint", Level.GOOD, "Greys stay neutral", f"Chroma up to {chroma[worst]:.1f}."
        )
    return Finding(
        "tint",
        Level.NOTE,
        f"Greys are tinted {hue}",
        f"Chroma up to {chroma[worst]:.1f}, at input {worst / (len(lab) - 1):.2f}; a look may want that.",
        float(chroma[worst]),
    )


def greys_finding(lut: Looked) -> Finding:
    lightness = lab_of(lut.greys, lut.display)[:, 0]
    if lightness[0] - lightness[-1] > 20:
        return Finding(
            "greys",
            Level.NOTE,
            "A negative",
            f"Black becomes lighter than white: L* {lightness[0]:.0f} and {lightness[-1]:.0f}.",
            float(lightness[0] - lightness[-1]),
        )
    fall = np.maximum.accumulate(lightness) - lightness
    worst = float(fall.max())
    if worst > 0.01:
        at = int(fall.argmax()) / (len(fall) - 1)
        level = Level.FAULT if worst > 0.5 else Level.WARN
        return Finding(
            "greys", level, "Greys fall", f"By {worst:.2f} L* near {at:.2f}.", worst, "rise"
        )
    return Finding(
        "greys", Level.GOOD, "Greys rise everywhere", f"Steepest step × {_steepest_grey(lut):.1f}."
    )


def _steepest_grey(lut: Looked) -> float:
    return float(np.diff(lut.tones).max() * (len(lut.greys) - 1))
